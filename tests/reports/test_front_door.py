"""`dokima.report`: every result in every form, with the figures of the calculation, in the language asked for."""

import datetime
from decimal import Decimal as D

import openpyxl
import pytest

import dokima
from dokima.changes.ledger import ledger_of
from tests.books import DEMO
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ORDER = DEMO / "orders" / "SQ-2041.json"
CHANGED = DEMO / "changed" / "SQ-2041.json"


def test_printed_it_is_what_the_terminal_shows(capsys):
    priced = BOOK.price(ORDER)
    print(dokima.report(priced), end="")
    _, shown, _ = run_here(DEMO, "price", "orders/SQ-2041.json")
    assert capsys.readouterr().out == "\n".join(line.rstrip() for line in shown.splitlines()).rstrip("\n") + "\n"
    assert repr(dokima.report(priced["SQ-2041"])) == "<Report: SQ-2041   sales   2026-03-02   FERNHOLT   EUR>"
    german = dokima.report(priced, locale="de_DE")
    assert "zu zahlen" in german.text
    assert "4.339,39" in german.html
    assert "payable" in dokima.report(priced).text


def test_a_report_of_priced_orders_has_their_figures_in_every_form(tmp_path):
    """The workbook holds numbers; page, mail and workbook hold the same net, tax and totals."""
    report = dokima.report(BOOK.price(ORDER))
    assert report._repr_html_() == report.html
    for text in ("1682.50", "353.33", "4339.39", "tax S 21 % of 2212.51"):
        assert text in report.html
        assert text in report.markdown
    report.to_xlsx(tmp_path / "r.xlsx")
    lines, totals = openpyxl.load_workbook(tmp_path / "r.xlsx").worksheets
    net = next(cell.column for row in lines.iter_rows() for cell in row if cell.value == "= net")
    found = [D(str(lines.cell(row, net).value)) for row in range(lines.max_row - 2, lines.max_row + 1)]
    assert found == [D("1682.5"), D("530.01"), D("1525")]
    assert D("4339.39") in [D(str(row[1].value)) for row in totals.iter_rows(min_row=4) if row[1].value]
    for form in ("html", "markdown", "csv", "pdf"):
        getattr(report, f"to_{form}")(tmp_path / f"r.{form}")
        assert (tmp_path / f"r.{form}").stat().st_size > 300
    with pytest.raises(dokima.DokimaError, match="cannot be written: (File exists|Not a directory)"):
        report.to_html(tmp_path / "r.html" / "r.html")
    report.to_html(tmp_path / "new" / "r.html")  # a missing folder is made, as for orders
    assert (tmp_path / "new" / "r.html").read_bytes() == (tmp_path / "r.html").read_bytes()


def test_every_result_has_a_report():
    change = BOOK.change(ORDER, by="Ada")
    change.edit("Ada").change_line(10, quantity=40)
    order = dokima.Order.from_dict(BOOK.orders(ORDER).document(0))
    variance = BOOK.variance(ORDER, CHANGED)
    expected = {
        "half-days": BOOK.check(DEMO / "orders"),
        "+447.80": variance,
        "agreed price: 36 × 44.25": BOOK.explain(ORDER, 10),
        "+186.94": change,
        "SQ-2041-C1": ledger_of(BOOK.program, [order], [change]),
        "3737.51": BOOK.replay(ORDER, BOOK.what_if(values={"freight_rate": "0.5"})),
        "expired": BOOK.audit(datetime.date(2028, 1, 1)),
    }
    for said, result in expected.items():
        report = dokima.report(result)
        assert said in report.text, type(result)
        assert said in report.markdown, type(result)
    assert "glazing" in dokima.report(variance.by("item.family")).text
    assert "quantity discount" in dokima.report(BOOK).text
    with pytest.raises(dokima.DokimaError, match="this result is text only"):
        dokima.report(BOOK.price(ORDER)["SQ-2041"].line(10)).to_html("r.html")
    with pytest.raises(
        dokima.NotFound, match=r"expected a report ending in \.html, \.md, \.docx, \.pdf \(got 'r.xlsx'\)"
    ):
        dokima.report(BOOK).to_xlsx("r.xlsx")
    with pytest.raises(dokima.DokimaError, match="there is no report of a dict; expected a result of a rulebook"):
        dokima.report({})
    with pytest.raises(dokima.DokimaError, match="expected a locale such as de_DE"):
        dokima.report(variance, locale="xx-yy")


def test_an_order_too_long_for_a_terminal_shows_its_ends_and_its_totals():
    """1,200 lines: the first 300, the last 100, and how many are between; the workbook and CSV hold all."""
    lines = [{"item": "CLIP-S", "quantity": n % 9 + 1} for n in range(1200)]
    order = dokima.Order(
        "L", kind="sales", customer="FERNHOLT", date="2026-03-02", pick_up=True, currency="EUR", lines=lines
    )
    report = dokima.report(BOOK.price(order))
    shown = [line.split()[0] for line in report.text.splitlines() if "CLIP-S" in line or "all of them as CSV" in line]
    assert shown == [*[str(10 * n) for n in range(1, 301)], "…", *[str(10 * n) for n in range(1101, 1201)]]
    assert "800 lines; all of them as CSV" in report.text
    assert f"payable {BOOK.price(order)['L'].totals.payable}" in " ".join(report.text.split())
    assert len(dokima.to_csv(BOOK.price(order)).splitlines()) == 1201


def test_what_if_is_a_rulebook_with_other_values_and_its_origin_stays():
    """Freight 0.38 to 0.50 a kg: 36 panes of 11.2 kg bear 201.60 for 153.22; 40 of them 224.00."""
    dearer = BOOK.what_if(values={"freight_rate": "0.50"})
    assert dearer.price(ORDER)["SQ-2041"].line(10).freight == D("201.60")
    more = dearer.what_if(set={"10.quantity": 40, "header.requested_by": "Bea"})
    priced = more.price(ORDER)["SQ-2041"]
    assert (priced.line(10).freight, priced.header("requested_by")) == (D("224.00"), "Bea")
    assert BOOK.price(ORDER)["SQ-2041"].line(10).freight == D("153.22")
    with pytest.raises(dokima.RulebookError, match="there is no such named value; did you mean 'freight_rate'"):
        BOOK.what_if(values={"freight_rat": 1})
    with pytest.raises(dokima.NotFound, match="there is no line 99"):
        BOOK.what_if(set={"99.quantity": 1}).price(ORDER)


def test_results_say_in_a_line_what_they_are():
    priced = BOOK.price(DEMO / "orders")
    order = priced["SQ-2041"]
    change = BOOK.change(ORDER, by="Ada")
    results = (priced, order, order.line(10), priced.findings, change, change.variance(), BOOK.edit(ORDER, by="Ada"))
    assert [repr(each).replace("; print(dokima.report(...)) shows it", "") for each in results] == [
        "<Calculation: 11 orders, 41 lines, 0 errors>",
        "<PricedOrder SQ-2041: 3 lines, payable 4339.39>",
        "<PricedLine SQ-2041 10>",
        "<Findings: 0 errors of 0>",
        "<ChangeOrder SQ-2041-C1: draft>",
        "<Variance: 1 orders, 0 of 3 lines changed>",
        "<Editor SQ-2041 by Ada: 3 lines>",
    ]
    shown = "<Explanation SQ-2041 line 10: 11 steps, net 1682.50; print(dokima.report(...)) shows it>"
    assert repr(BOOK.explain(ORDER, 10)) == shown


def test_a_percentage_says_what_it_is_taken_of_whatever_else_its_step_reads():
    """36 x 12.50 = 450.00, and 5 % of that; the quantity that its condition reads is not what it is taken of."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "12.50"}]},
        {"name": "bonus", "kind": "discount", "percent": "5", "when": "line.quantity >= 24"},
        {"name": "first", "kind": "subtotal", "label": "net of bonus"},
        {"name": "extra", "kind": "charge", "percent": "2", "of": "first"},
    ]
    data = {"rulebook": {"name": "r", "currency": "EUR"}, "routine": {"sales": {"step": steps}}}
    book = dokima.Rulebook.from_dict(data)
    told = dokima.report(book.explain(dokima.Order("A", lines=[{"quantity": 36}]), 10)).text
    assert "5 % of 450.00\n" in told
    assert "2 % of net of bonus 427.50\n" in told


def test_many_orders_show_their_ends_and_what_they_come_to():
    """150 orders: the first 60, the last 20, and that 70 are between; counts and sums are those of all."""
    line = {"item": "PANE-H4", "quantity": 1}
    before, after = (
        [dokima.Order(f"M{n:03}", kind="sales", customer="FERNHOLT", date="2026-03-02", lines=[{**line, "quantity": q}]) for n in range(150)]
        for q in (1, 2)
    )  # fmt: skip
    numbers = [f"M{n:03}" for n in (*range(60), *range(130, 150))]
    found, priced = BOOK.check(before), BOOK.price(before)
    for result, last in (
        (found, "150 orders: 150 errors in 150 orders"),
        (priced, "payable"),
        (BOOK.variance(priced, after), "total with tax"),
    ):
        text = dokima.report(result).text
        assert [line.split()[0] for line in text.splitlines() if line.startswith("M")] == numbers
        assert text.count("… 70 more orders; all of them as CSV") == 1
        assert last in " ".join(text.split())
    assert "sales 150 orders EUR" in " ".join(dokima.report(priced).text.split())
    assert "… 70 weitere Aufträge; alle als CSV" in dokima.report(found, locale="de_DE").text


def test_of_many_orders_only_those_that_changed_are_told_and_all_come_to_something():
    """M0 goes from 12.50 to 25.00, M1 stays at 12.50, M2 is gone, M3 has lost its price: it is in no sum."""
    data = {"rulebook": {"name": "many", "currency": "EUR"}}
    data["routine"] = {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "line.unit_price"}]}]}}
    book = dokima.Rulebook.from_dict(data)

    def order(number, quantity, price="12.50"):
        return dokima.Order(number, lines=[{"quantity": quantity, "unit_price": price}])

    before = book.price([order("M0", 1), order("M1", 1), order("M2", 2), order("M3", 1)])
    found = book.variance(before, book.price([order("M0", 2), order("M1", 1), order("M3", 1, None)]))
    assert found.changed_orders == ["M0", "M2", "M3"]
    text = dokima.report(found).text
    assert [line.split()[0] for line in text.splitlines() if line.startswith("M")] == ["M0", "M2", "M3"]
    assert "together   3 orders, 1 left out   EUR" in text
    assert "total with tax 50.00 37.50 −12.50" in " ".join(text.split("together")[1].split())
    assert text.rstrip().endswith("1 order did not change")
    assert "M1   variance" in dokima.report(found, every=True).text
    page = dokima.report(found, locale="de_DE").html
    assert ("M0" in page, "M1" in page, "zusammen EUR" in page) == (True, False, True)


def test_a_price_that_no_row_competes_for_says_where_it_stands():
    told = dokima.report(BOOK.explain(DEMO / "orders" / "SQ-2041.json", 20)).text
    assert "list price: 4 × 129.90 (tables/items.csv row 12)\n" in told
    assert "agreed price: 36 × 44.25\n" in dokima.report(BOOK.explain(DEMO / "orders" / "SQ-2041.json", 10)).text
