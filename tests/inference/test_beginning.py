"""From an export of somebody else to a price, by the command line, answering only what is asked; and what cells prove."""

import datetime
import json
import shutil
import tomllib
from decimal import Decimal

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import dokima
from dokima.inference.arithmetic import prove
from dokima.inference.profiles import profile, profile_file
from dokima.inference.roles import flat_roles
from tests.inference import exports
from tests.shell import run_here

D = Decimal
ALWAYS = {"kind": "sales", "currency": "EUR", "tax": "no"}
WALKS = {
    "tea": (exports.tea, ["belege.csv"], ["--prices", "preise.csv"], {**ALWAYS, "encoding": "cp1252"}),
    "bicycles": (exports.bicycles, ["heads.csv", "rows.csv"], [], {**ALWAYS, "dates": "day-month-year"}),
    "malt": (exports.malt, ["malt.xlsx"], [], {**ALWAYS, "header": "yes"}),
    "seeds": (exports.seeds, ["seeds.txt"], [], {**ALWAYS, "currency": "USD", "header": "yes"}),
}


@pytest.mark.parametrize("name", WALKS)
def test_a_newcomer_walks_from_an_export_to_a_price_a_rule_and_an_explanation(name, tmp_path):
    """Every stated amount is reproduced, every question asked is answered, and no other one."""
    make, files, more, answers = WALKS[name]
    lines = make(tmp_path)
    sources = [part for file in files for part in ("--from", file)]
    status, out, err = run_here(tmp_path, "init", "rules", *sources, *more, "--format", "json")
    assert (status, err) == (0, "")
    begun = json.loads(out)
    assert (begun["lines"], begun["reproduced"], begun["different"]) == (lines, lines, [])
    assert {each["id"] for each in begun["questions"]} == set(answers)
    status, out, _ = run_here(tmp_path, "check", *files, "--layout", "export", "--book", "rules")
    assert (status, out.count("open question")) == (0, len(answers))

    given_answers = [part for each in answers.items() for part in ("--answer", "=".join(each))]
    assert run_here(tmp_path, "init", "rules", *given_answers)[::2] == (0, "answered; nothing is open\n")
    status, out, _ = run_here(tmp_path, "check", *files, "--layout", "export", "--book", "rules", "--format", "json")
    assert (status, json.loads(out)["findings"]) == (0, [])
    book = dokima.load(tmp_path / "rules")
    orders = book.orders([tmp_path / file for file in files] if len(files) > 1 else tmp_path / files[0], "export")
    priced = book.price(orders)
    assert not priced.findings.errors
    order = next(iter(priced))
    line = order.lines[0]
    assert line.net == line.field("stated_net")
    explanation = book.explain(orders, line.number, "price", order=order.number)
    assert explanation.step("price").answers[0].file.startswith("tables/")

    assert run_here(tmp_path / "rules", "prove")[:2] == (0, "3 cases passed, 0 failed\n")
    status, paper, _ = run_here(
        tmp_path / "rules", "paper", "order", *(f"../{file}" for file in files), "--layout", "export"
    )
    assert (status, paper.count("payable")) == (0, len(priced))

    path = tmp_path / "rules" / "rulebook.toml"
    rule = '\n[[rule]]\nid = "small"\nat = "save"\nrequire = "sum(line.quantity) < 10"\nmessage = "Too much."\n'
    path.write_text(path.read_text(encoding="utf-8") + rule, encoding="utf-8")
    assert run_here(tmp_path, "check", *files, "--layout", "export", "--book", "rules")[0] == 1


def test_what_stands_there_is_never_overwritten_and_what_fails_leaves_nothing(tmp_path):
    exports.tea(tmp_path, 8)
    (tmp_path / "rules").mkdir()
    (tmp_path / "rules" / "rulebook.toml").write_text("# mine\n")
    status, _, err = run_here(tmp_path, "init", "rules", "--from", "belege.csv")
    assert (status, "is there already, and nothing is overwritten" in err) == (2, True)
    assert [path.name for path in (tmp_path / "rules").iterdir()] == ["rulebook.toml"]
    (tmp_path / "notes.csv").write_text("just one\nline after\nthe other\n")
    status, _, err = run_here(tmp_path, "init", "new", "--from", "notes.csv")
    assert (status, "expected a row of headings" in err, (tmp_path / "new").exists()) == (2, True, False)
    (tmp_path / "twice.csv").write_text("order,date,name,item,name\nA,2026-03-02,Ada,X,Pane\n")
    status, _, err = run_here(tmp_path, "init", "new", "--from", "twice.csv")
    assert (status, "in row 1 'name' stands over 2 columns" in err) == (2, True)


@pytest.mark.parametrize(
    ("headings", "rows", "number"),
    [
        # An order of one line each repeats nothing, and an item repeats its price.
        (["order no", "item", "price"], [["A", "X", "1.10"], ["B", "X", "1.10"], ["C", "Y", "2"]], "order no"),
        # Of few rows an amount decides all else by chance.
        (["Auftrag", "Tag", "Betrag"], [["A", "2", "5,10"], ["A", "2", "7"], ["B", "3", "5,10"], ["B", "3", "8"]], "Auftrag"),
        # A running number of rows is none of orders.
        (["Nr", "deal", "who"], [["1", "A", "x"], ["2", "A", "x"], ["3", "B", "y"], ["4", "B", "y"]], "deal"),
    ],
)  # fmt: skip
def test_the_column_of_order_numbers(headings, rows, number):
    file = profile_file(dict(zip(headings, zip(*rows, strict=True), strict=True)))
    roles = flat_roles(file)
    assert roles is not None
    assert roles.number == number


def test_the_small_rulebook_works_and_its_first_order_costs_what_its_case_says(tmp_path):
    """3 x 214.00 less 5 % = 609.90, 2 x 38.50 = 77.00, 1.5 x 52.00 = 78.00: 764.90."""
    assert run_here(tmp_path, "init", "first")[0] == 0
    book = dokima.load(tmp_path / "first")
    order = book.price(tmp_path / "first" / "orders")["Q-1"]
    assert (order.line(10).net, order.line(20).net, order.totals.without_tax) == (D("609.90"), D("77.00"), D("764.90"))
    case = tomllib.loads((tmp_path / "first" / "cases" / "first.toml").read_text())["case"][0]
    assert case["expect"]["line.10.net"] == str(order.line(10).net)


def test_a_price_list_with_a_column_for_each_quantity(tmp_path):
    """The stated prices are those from 1 and from 10 on; every line comes out, by the heading that its quantity reaches."""
    prices = {"X": ("2.00", "1.80"), "Y": ("7.50", "7.50"), "Z": ("0.90", "0.75")}
    rows = ["order no,line,item,qty,price,amount,supplier"]
    for number, (item, quantity) in enumerate([(i, q) for i in "XYZ" for q in (1, 9, 10, 25)] * 4):
        price = D(prices[item][quantity >= 10])
        rows.append(f"N{number // 3},{number % 3 + 1},{item},{quantity},{price},{price * quantity},S{number // 6}")
    (tmp_path / "export.csv").write_text("\n".join(rows) + "\n", encoding="utf-8")
    wide = ["Article;from 1;from 10", *(f"{item};{one} €;{ten} €" for item, (one, ten) in prices.items())]
    (tmp_path / "list.csv").write_text("\n".join(wide) + "\n", encoding="utf-8")
    found = dokima.begin(tmp_path / "rules", [tmp_path / "export.csv"], tmp_path / "list.csv")
    assert (found.lines, found.reproduced) == (48, 48)
    assert {each.id: each.guess for each in found.questions}["kind"] == "purchase"
    assert any("from 1, 10 on, as the headings say" in guess.why for guess in found.guesses)
    row = dokima.load(tmp_path / "rules").price_list(item="X", date=datetime.date(2026, 3, 2)).rows[1]
    assert (row.quantity, row.price, row.where.place) == (10, D("1.80"), "tables/list.csv row 2")


@pytest.mark.parametrize("tax_per", ["document", "line"])
def test_tax_is_proved_by_its_amounts_and_its_rounding_by_the_totals(tax_per, tmp_path):
    """Two rates; a third of a cent on a line adds up to one or to none. Every stated total is then what comes out."""
    prices = {"X": (D("1.05"), 21), "Y": (D("7.35"), 21), "Z": (D("0.95"), 9)}
    rows = ["order no,pos,item,qty,price,amount,vat %,vat,order total"]
    for number in range(20):
        lines = [(item, D(1 + number % 3 + at)) for at, item in enumerate("XYZ" if number % 2 else "XZZ")]
        nets = [prices[item][0] * quantity for item, quantity in lines]
        taxes = [exports.cent(net * prices[item][1] / 100) for net, (item, _) in zip(nets, lines, strict=True)]
        by_rate = {
            rate: sum(net for net, (i, _) in zip(nets, lines, strict=True) if prices[i][1] == rate) for rate in (9, 21)
        }
        whole = sum(exports.cent(D(net) * rate / 100) for rate, net in by_rate.items())
        total = sum(nets) + (sum(taxes) if tax_per == "line" else whole)
        for at, ((item, quantity), net, tax) in enumerate(zip(lines, nets, taxes, strict=True)):
            price, rate = prices[item]
            rows.append(f"T{number},{at + 1},{item},{quantity},{price},{net},{rate},{tax},{total}")
    (tmp_path / "export.csv").write_text("\n".join(rows) + "\n", encoding="utf-8")
    found = dokima.begin(tmp_path / "rules", [tmp_path / "export.csv"])
    assert (found.lines, found.reproduced) == (60, 60)
    assert "tax" not in {each.id for each in found.questions}
    assert any("vat % of amount = vat on 60 of 60 lines" in guess.why for guess in found.guesses)
    assert any("the sum of amount with tax in 20 of 20 orders" in guess.why for guess in found.guesses)
    rulebook = dokima.load(tmp_path / "rules")
    assert not rulebook.price(tmp_path / "export.csv", "export").findings.errors
    assert ('tax_per = "line"' in (tmp_path / "rules" / "rulebook.toml").read_text()) == (tax_per == "line")


@pytest.mark.parametrize("name", ["orders.json", "orders.jsonl"])
def test_an_export_as_json_in_names_of_its_own(name, tmp_path):
    """Lines in a list of their own, things in objects, a time of day; an id of the order and one of each line."""
    prices, orders = {"X": D("1.25"), "Y": D("7.50"), "Z": D("0.90")}, []
    for number in range(12):
        lines = [
            {"id": at + 1, "article": {"sku": sku}, "qty": 2 + at + number % 3, "unitPrice": str(prices[sku])}
            for at, sku in enumerate("XYZ"[number % 2 :])
        ]
        for line in lines:
            line["lineTotal"] = str(prices[line["article"]["sku"]] * line["qty"])
        made = f"2026-03-{number + 1:02}T08:15:00Z"
        orders.append(
            {"id": f"u{number}", "orderNo": f"PO{number}", "createdAt": made, "tags": ["a"], "positions": lines}
        )
    orders.append({"id": "u12", "orderNo": "PO12", "createdAt": made, "positions": 4})
    rows = "\n".join(map(json.dumps, orders))
    (tmp_path / name).write_text(rows if name.endswith("l") else json.dumps({"orders": orders}), encoding="utf-8")
    found = dokima.begin(tmp_path / "rules", [tmp_path / name])
    assert (found.lines, found.reproduced) == (30, 30)
    text = (tmp_path / "rules" / "rulebook.toml").read_text(encoding="utf-8")
    assert 'lines = "positions"' in text
    assert 'item = "article.sku"' in text
    priced = dokima.load(tmp_path / "rules").price(tmp_path / name, "export")
    assert [problem.order for problem in priced.problems] == ["PO12"]
    assert [line.net for line in priced["PO0"].lines] == [D("2.50"), D("22.50"), D("3.60")]
    # The same as rows, the number of the order in each; and a list that holds neither orders nor rows of them.
    flat = [{"orderNo": o["orderNo"], **line} for o in orders[:12] for line in o["positions"]]
    (tmp_path / name).write_text("\n".join(map(json.dumps, flat)) if name.endswith("l") else json.dumps(flat))
    found = dokima.begin(tmp_path / "flat", [tmp_path / name])
    assert (found.lines, found.reproduced) == (30, 30)
    priced = dokima.load(tmp_path / "flat").price(tmp_path / name, "export")
    assert [line.net for line in priced["PO0"].lines] == [D("2.50"), D("22.50"), D("3.60")]
    (tmp_path / "none.json").write_text('[{"total": 5}]', encoding="utf-8")
    with pytest.raises(dokima.DokimaError, match=r"none.json: no column tells one order from another"):
        dokima.begin(tmp_path / "other", [tmp_path / "none.json"])


def test_more_follows_from_an_item_than_from_an_order(tmp_path):
    """A description, a unit and a price from each part, only a vendor from each document: its rows stand together."""
    parts = {f"P{at}": f"{at}.50" for at in range(7)}
    rows = ["Doc Ref,Vendor,Part,Text,UoM,Qty,Cost,Ext"]
    for number in range(12):
        for part in sorted(parts)[number % 4 : number % 4 + 3]:
            amount = (number + 1) * D(parts[part])
            rows.append(f"R{number},V{number % 5},{part},Part {part},EA,{number + 1},{parts[part]},{amount}")
    (tmp_path / "export.csv").write_text("\n".join(rows) + "\n", encoding="utf-8")
    found = dokima.begin(tmp_path / "rules", [tmp_path / "export.csv"])
    assert (found.lines, found.reproduced) == (36, 36)
    assert dokima.load(tmp_path / "rules").orders(tmp_path / "export.csv", "export").numbers == [
        f"R{n}" for n in range(12)
    ]


def test_cells_of_an_export_may_hold_anything(tmp_path):
    """Line breaks and control characters stand in the evidence; cells that are no number among many that are."""
    rows = [f'A{n // 2:02},{n % 2 + 1},X,{n},C\x01{n // 2},"Ada\n{n // 2 % 3}",((5))' for n in range(60)]
    rows[40] = rows[40].replace(",1,X,40,", ",1,X,4(0,")
    text = 'order,line,item,quantity,customer,"asked\nfor by",share\n' + "\n".join(rows) + "\n"
    (tmp_path / "export.csv").write_text(text, encoding="utf-8", newline="")
    found = dokima.begin(tmp_path / "rules", [tmp_path / "export.csv"])
    assert any("not 4(0" in guess.why for guess in found.guesses)
    assert dokima.load(tmp_path / "rules").orders(tmp_path / "export.csv", "export").count == 29


def test_answers_that_are_none_change_nothing(tmp_path):
    exports.tea(tmp_path, 40)
    run_here(tmp_path, "init", "rules", "--from", "belege.csv")
    path = tmp_path / "rules" / "rulebook.toml"
    before = path.read_text(encoding="utf-8")
    with pytest.raises(dokima.NotFound, match="there is no question 'currencie'; did you mean 'currency'?"):
        dokima.answer(tmp_path / "rules", {"kind": "sales", "currencie": "EUR"})
    with pytest.raises(dokima.RulebookError, match="question.tax.answer: expected one of no, yes .got 'perhaps'"):
        dokima.answer(tmp_path / "rules", {"tax": "perhaps"})
    assert path.read_text(encoding="utf-8") == before
    assert dokima.answer(tmp_path / "rules", {"kind": "purchase"}).order_schema()
    shutil.rmtree(tmp_path / "rules")


@pytest.mark.parametrize(
    ("cells", "kind", "certain", "said"),
    [
        (["12,50", "3"], "decimal", True, "decimal comma"),
        (["1.234", "2.500"], "decimal", False, "2 of 2 cells"),
        (["1.234,50", "7,00"], "decimal", True, "decimal comma, point between thousands"),
        (["0042", "17"], "text", True, "begin with a zero that must stay"),
        (["03/04/2026", "05/06/2026"], "date", False, "day/month/year"),
        (["03/04/2026", "25/06/2026"], "date", True, "25/06/2026 settles it"),
        (["02.03.2026 14:05", "25.03.2026 00:00"], "date", True, "day.month.year and a time"),
        (["2026-03-02T14:05:00Z", "2026-03-02T08:00:00Z"], "date", True, "year-month-day and a time"),
        (["2026-03-02T14:05:00.123+01:00"] * 2, "date", True, "year-month-day and a time"),
        (["02.03.2026 14:05", "25.03.2026"], "text", True, "2 different texts"),
        (["J", "N", "J"], "flag", True, "J or N"),
        (["2026-03-02"], "date", True, "year-month-day"),
        (
            ["1.234,50 €", "€ -7,00"],
            "decimal",
            True,
            "1.234,50 settles it; € beside them",
        ),
        (["12,50-", "3,00"], "decimal", True, "the minus after them"),
        (["5 €", "5 $"], "text", True, "2 different texts"),
        (["5 kg", "7 kg"], "integer", True, "kg beside them"),
        (["5 kg", "7 m"], "text", True, "2 different texts"),
        (["Size 5", "Size 7"], "text", True, "2 different texts"),
        (["(" + " " * 4000 + "x", "y"], "text", True, "2 different texts"),
        (["1e5", "2"], "text", True, "different texts"),
        ([D("0.5"), 3], "decimal", True, "numbers of the file"),
        ([None, None], "text", True, "no cell is filled"),
    ],
)
def test_cells_say_what_they_are(cells, kind, certain, said):
    found = profile("x", cells)
    assert (found.kind, found.certain) == (kind, certain)
    assert said in found.why


def test_one_pair_of_marks_serves_a_whole_file():
    """A column of whole thousands alone could be decimals; a column beside it settles that."""
    alone = profile_file({"a": ["1.234", "5.000"]})
    assert (alone.marks_certain, alone.open_marks) == (False, ("a", "1.234"))
    both = profile_file({"a": ["1.234", "5.000"], "b": ["0,5", "1,25"]})
    assert (both.marks_certain, both.numbers("a")) == (True, [D(1234), D(5000)])


AMOUNTS = st.tuples(st.integers(2, 500), st.integers(101, 99_999), st.sampled_from([0, 3, 5, 10]))


@given(
    st.lists(AMOUNTS, min_size=6, max_size=25, unique_by=(lambda each: each[0], lambda each: each[1])), st.booleans()
)
def test_the_product_is_proved_whatever_the_headings_say(lines, has_discount):
    """Columns with meaningless headings: the one that is the product less the discount is found by arithmetic alone."""
    percents = [D(percent if has_discount else 0) for *_, percent in lines]
    columns = {
        "u": [D(quantity) for quantity, *_ in lines],
        "v": [D(price).scaleb(-2) for _, price, _ in lines],
        "w": percents,
    }
    nets = zip(columns["u"], columns["v"], percents, strict=True)
    columns["x"] = [exports.cent(quantity * price * (1 - percent / 100)) for quantity, price, percent in nets]
    found = prove(columns, {})
    assert found is not None
    assert (found.amount, {found.quantity, found.price}, len(found.fails)) == ("x", {"u", "v"}, 0)
    if has_discount and len(set(percents)) > 1 and all(percents):
        assert found.percent == "w"


def test_an_export_and_prices_in_parquet_with_binary_floats(tmp_path, monkeypatch):
    """As a data frame writes them. 0.1 + 0.2 is the 0.3 that was meant; the file says by itself what its columns are.

    Whole numbers are floats where one is missing, and a number of an order is a text all the same.
    """
    monkeypatch.setattr("dokima.formats.sniffing.MOST_ROWS", 60)
    rows = [
        {"OrderNo": 1000.0 + at // 3, "OrderDate": datetime.datetime(2026, 1, 5), "Sku": 70.0 + at % 7, "Qty": 0.1 + 0.2 + at % 5}
        for at in range(89)
    ]  # fmt: skip
    rows.insert(45, dict.fromkeys(rows[0]))
    parquet.write_table(pa.Table.from_pylist(rows), tmp_path / "export.parquet")
    prices = [{"Sku": 70.0 + at, "Price": 1.1 * (at + 1)} for at in range(7)]
    parquet.write_table(pa.Table.from_pylist(prices), tmp_path / "prices.parquet")
    found = dokima.begin(tmp_path / "book", [tmp_path / "export.parquet"], tmp_path / "prices.parquet")
    assert any("the first 60 of its 90 rows" in guess.why for guess in found.guesses)
    assert any("binary floats, read to 6 decimal places" in guess.why for guess in found.guesses)
    book = dokima.load(tmp_path / "book")
    calculation = book.price(tmp_path / "export.parquet", layout="export")
    assert [problem.row for problem in calculation.problems] == [47]  # the row of blanks is no order
    (line, *_), expected = calculation["1001"].lines, D("3.3") * D("4.4")
    assert (line.item, line.quantity, line.price, line.net) == ("73", D("3.3"), D("4.4"), expected.quantize(D("0.01")))
    assert calculation.totals["with_tax"].is_missing().sum() == 0


def test_bills_of_quantities_have_levels_and_prices_of_their_own(tmp_path):
    """No column but their numbers says which contract a line is of: they begin anew in each. Rates are what lines cost."""
    priced = exports.bills(tmp_path)
    found = dokima.begin(tmp_path / "book", [tmp_path / "bills.csv"])
    assert (found.reproduced, found.different) == (priced, [])
    book = dokima.load(tmp_path / "book")
    calculation = book.price(tmp_path / "bills.csv", layout="export", check="save")
    assert (len(calculation), len(calculation.findings.errors), calculation.problems) == (12, 0, ())
    order = calculation["W-100"]
    assert order.lines[2].number == "1/1/10"
    assert order.line("1/1").net == sum(line.net for line in order.lines if line.number.startswith("1/1/"))
    assert sum(line.field("stated_net") or D(0) for line in order.lines) == order.totals.without_tax


def test_quantities_that_rise_are_no_line_numbers(tmp_path):
    """1, 1.5 and 2 look like lines 1, 1.5 below it, and 2; nothing but a heading that says so makes them that."""
    for heading, role in (("Qty", "quantity"), ("Pos", "number")):
        rows = [f"order,{heading},item,price", "A,1,x,2", "A,1.5,y,3", "A,2,z,4", "B,1,x,2", "B,1.5,y,3"]
        (tmp_path / "few.csv").write_text("\n".join(rows) + "\n")
        dokima.begin(tmp_path / heading, [tmp_path / "few.csv"])
        assert f'{role} = "{heading}"' in (tmp_path / heading / "rulebook.toml").read_text()


def test_lines_that_begin_anew_say_which_column_numbers_the_orders(tmp_path):
    """No heading says it, and more follows from a thing, its price, than from a reference."""
    draw = exports.random.Random(5)
    rows = [
        f"{7000 + order},{line + 1},T{thing},{size},{thing + 1}.50,{size * (thing + 1) + size * D('0.5'):.2f}"
        for order in range(30)
        for line in range(draw.randint(1, 4))
        for thing, size in [(draw.randrange(8), draw.randint(1, 9))]
    ]
    (tmp_path / "bare.csv").write_text("\n".join(["Ref,Seq,Thing,Count,Each,Sum", *rows]) + "\n")
    found = dokima.begin(tmp_path / "book", [tmp_path / "bare.csv"])
    taken = {guess.about: guess.means for guess in found.guesses}
    assert [taken[heading] for heading in ("Ref", "Seq", "Thing")] == ["header.number", "line.number", "line.item"]
    assert (found.reproduced, found.different) == (len(rows), [])


@pytest.mark.parametrize(
    ("charge", "percent", "step"),
    [
        (True, D(0), 'kind = "charge", amount = "coalesce(header.charge_amount, 0)", over = "order"'),
        (False, D("8.1"), 'kind = "tax", percent = "8.1"'),
        (True, D(21), 'kind = "tax", percent = "21"'),
        (False, None, 'value = "item.price"'),  # a tax at no one rate is neither a tax nor a charge
    ],
)
def test_what_a_total_holds_beside_the_lines(charge, percent, step, tmp_path):
    """Freight, tax at one rate, or both, where they and the lines are the total of 30 orders; stated totals come out."""
    draw = exports.random.Random(2)
    rows = ["Order,Line,Sku,Qty,Price,Amount,Shipping,VAT,Grand"]
    for number in range(30):
        lines = [
            (f"P{part}", draw.randint(1, 9), D(part) + D("1.45")) for part in draw.sample(range(9), draw.randint(1, 4))
        ]
        net = sum((size * price for _, size, price in lines), D(0))
        freight = draw.choice([D("4.90"), D("9.80")]) if charge else D(0)
        tax = draw.choice([D(1), D(2)]) if percent is None else exports.cent((net + freight) * percent / 100)
        rows += [
            f"S{number},{at + 1},{sku},{size},{price},{size * price},{freight},{tax},{net + freight + tax}"
            for at, (sku, size, price) in enumerate(lines)
        ]
    (tmp_path / "shop.csv").write_text("\n".join(rows) + "\n")
    dokima.begin(tmp_path / "book", [tmp_path / "shop.csv"])
    assert step in (tmp_path / "book" / "rulebook.toml").read_text()
    calculation = dokima.load(tmp_path / "book").price(tmp_path / "shop.csv", layout="export")
    assert not calculation.findings
    grand = {row.split(",")[0]: D(row.split(",")[-1]) for row in rows[1:]}
    came = {order.number: order.totals.payable for order in calculation}
    assert (came == grand) is (percent is not None)


def test_whatever_is_answered_can_be_loaded(tmp_path):
    """An export without prices has nothing that could include tax, and is not asked for it."""
    rows = [f"{order},{line},T{line},{order * line % 5 + 1}" for order in range(9) for line in range(1, 4)]
    (tmp_path / "few.csv").write_text("\n".join(["Order,Line,Item,Qty", *rows]) + "\n")
    found = dokima.begin(tmp_path / "book", [tmp_path / "few.csv"])
    asked = {each.id: next(iter(each.choices), "EUR") for each in found.questions}
    assert "tax" not in asked
    assert dokima.answer(tmp_path / "book", asked).program.definition.questions == []


@pytest.mark.parametrize(
    "form", ["%d-%b-%Y", "%d-%b-%y", "%d %B %Y", "%b %d, %Y", "%Y-%-m-%-d", "%-d.%-m.%Y", "%Y-%m-%dT%H:%M:%S+02:00"]
)
def test_dates_are_read_as_they_are_proposed(form, tmp_path):
    """Months by name, in capitals too, as databases write them; and without zeros, which is no ISO 8601."""
    days = [datetime.date(2026, 1, 1) + datetime.timedelta(days=23 * at) for at in range(12)]
    told = [day.strftime(form).upper() if form == "%d-%b-%y" else day.strftime(form) for day in days]
    rows = [f"O{at // 3};{told[at // 3]};{at % 3 + 1};P{at % 4};{at % 5 + 1}" for at in range(36)]
    (tmp_path / "dated.csv").write_text("\n".join(["Order;Date;Pos;Item;Qty", *rows]) + "\n")
    dokima.begin(tmp_path / "book", [tmp_path / "dated.csv"])
    orders = dokima.load(tmp_path / "book").orders(tmp_path / "dated.csv", "export", strict=True)
    assert orders.header("date").to_list() == days


def test_a_rate_that_is_the_same_on_all_lines_of_an_order_is_no_customer(tmp_path):
    """Codes that come back in several orders are a customer's, but not where a heading and arithmetic say otherwise."""
    rows = [
        f"O{at // 3};{at % 3 + 1};{at % 5 + 1};{at // 3 % 7 + 2};{(at % 5 + 1) * (at // 3 % 7 + 2)}" for at in range(60)
    ]
    (tmp_path / "rates.csv").write_text("\n".join(["Order;Line;Qty;Rate;Amount", *rows]) + "\n")
    found = dokima.begin(tmp_path / "book", [tmp_path / "rates.csv"])
    assert (found.reproduced, found.different) == (60, [])
    assert {guess.about: guess.means for guess in found.guesses}["Rate"] == "line.rate"


@pytest.mark.parametrize("heading", ["qty", "quantity"])
def test_a_small_export_has_a_price_without_an_answer(heading, tmp_path):
    """100 bolts at 0.35 and 100 nuts at 0.12 are 47.00, 12 bolts 4.20: a quantity is a line's, though both are 100.

    The description of the price list reaches the lines, and an answer moves the columns it speaks of.
    """
    rows = ["1001,2026-03-02,ACME,BOLT-8,100", "1001,2026-03-02,ACME,NUT-8,100", "1002,2026-03-03,BRIX,BOLT-8,12"]
    (tmp_path / "orders.csv").write_text(f"order,date,customer,sku,{heading}\n" + "\n".join(rows) + "\n")
    (tmp_path / "prices.csv").write_text("sku,description,price\nBOLT-8,Bolt M8,0.35\nNUT-8,Nut M8,0.12\n")
    dokima.begin(tmp_path / "shop", [tmp_path / "orders.csv"], prices=tmp_path / "prices.csv")
    book = dokima.load(tmp_path / "shop")
    calculation = book.price(tmp_path / "orders.csv", "export")
    assert [str(order.totals.without_tax) for order in calculation] == ["47.00", "4.20"]
    assert [line.field("description") for line in calculation["1001"].lines] == ["Bolt M8", "Nut M8"]
    moved = dokima.answer(tmp_path / "shop", {"header": "moved"}).price(tmp_path / "orders.csv", "export")
    assert [(line.field("date"), line.field("customer")) for line in moved["1001"].lines] == [
        (datetime.date(2026, 3, 2), "ACME")
    ] * 2
    assert (moved["1001"].header("date"), str(moved["1001"].totals.without_tax)) == (None, "47.00")


def test_dates_of_two_forms_are_dates_and_asked_about(tmp_path):
    """53 of 60 orders are dated day.month.year, 7 year-month-day: a question, and not 54 different texts."""
    days = [f"{1 + at % 28:02}.03.2026" if at < 53 else f"2026-03-{at - 50:02}" for at in range(60)]
    rows = [f"{1000 + at},{day},ACME,BOLT,{1 + at % 5}" for at, day in enumerate(days)]
    (tmp_path / "orders.csv").write_text("\n".join(["order,date,customer,sku,qty", *rows]) + "\n")
    (tmp_path / "prices.csv").write_text("sku,price\nBOLT,0.35\n")
    status, out, _ = run_here(
        tmp_path, "init", "b", "--from", "orders.csv", "--prices", "prices.csv", "--format", "json"
    )
    (asked,) = [each for each in json.loads(out)["questions"] if each["id"] == "dates"]
    assert (status, asked["asks"]) == (
        0, "Some dates are day.month.year, others year-month-day: is each cell meant as it is written?",
    )  # fmt: skip
    status, out, _ = run_here(tmp_path, "check", "orders.csv", "--layout", "export", "--book", "b", width=200)
    assert "dokima init b --answer dates=..." in out
    orders = dokima.load(tmp_path / "b").orders(tmp_path / "orders.csv", "export")
    assert (len(orders), str(orders.header("date").to_list()[55])) == (60, "2026-03-05")
    assert run_here(tmp_path, "init", "b", "--answer", "dates=yes")[0] == 0


@pytest.mark.parametrize(
    ("heading", "cells"), [("Prijs", ("0.40", "0.15", "0.40")), ("amount", ("40.00", "15.00", "4.80"))]
)
def test_of_two_columns_of_prices_that_is_taken_which_the_export_states(heading, cells, tmp_path):
    """The export states 0.40, as a price or as 40.00 for 100: that is the second column, and not the first."""
    lines = ("1001,2026-03-02,ACME,BOLT-8,100", "1001,2026-03-02,ACME,NUT-8,100", "1002,2026-03-03,BRIX,BOLT-8,12")
    rows = [f"{line},{cell}" for line, cell in zip(lines, cells, strict=True)]
    (tmp_path / "orders.csv").write_text("\n".join([f"order,date,customer,sku,qty,{heading}", *rows]) + "\n")
    (tmp_path / "prices.csv").write_text("sku,price,list\nBOLT-8,0.35,0.40\nNUT-8,0.12,0.15\n")
    status, out, _ = run_here(tmp_path, "init", "b", "--from", "orders.csv", "--prices", "prices.csv", width=200)
    assert (status, "has the stated price on 3 of 3 lines" in out, "states no prices" in out) == (0, True, False)
    priced = dokima.load(tmp_path / "b").price(tmp_path / "orders.csv", "export")
    assert [str(order.totals.without_tax) for order in priced] == ["55.00", "4.80"]


def test_a_name_with_a_code_in_brackets_is_read_as_the_code(tmp_path):
    """The code is what other tables know; a cell that looks otherwise is a problem and no other customer."""
    rows = ["1001,2026-03-02,Acme Ltd (ACME),BOLT-8,100", "1001,2026-03-02,Acme Ltd (ACME),NUT-8,100",
            "1002,2026-03-03,Brix & Co (BRX),BOLT-8,12"]  # fmt: skip
    (tmp_path / "orders.csv").write_text("\n".join(["order,date,customer,sku,qty", *rows]) + "\n")
    (tmp_path / "prices.csv").write_text("sku,price\nBOLT-8,0.35\nNUT-8,0.12\n")
    assert run_here(tmp_path, "init", "b", "--from", "orders.csv", "--prices", "prices.csv")[0] == 0
    book = dokima.load(tmp_path / "b")
    priced = book.price(tmp_path / "orders.csv", "export")
    assert [(o.header("customer"), str(o.totals.without_tax)) for o in priced] == [("ACME", "47.00"), ("BRX", "4.20")]
    (tmp_path / "orders.csv").write_text("order,date,customer,sku,qty\n1003,2026-03-03,Brix,BOLT-8,12\n")
    (problem,) = book.orders(tmp_path / "orders.csv", "export").problems
    assert "customer: expected a cell like" in str(problem)
