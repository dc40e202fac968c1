"""Reports: what bars add up to, what papers say in which language, and what a spreadsheet must not take for a formula."""

import html
import json
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

import dokima
from dokima.changes.ledger import ledger_of
from dokima.changes.step_moves import step_moves
from dokima.model.guarding import neutral
from dokima.model.listing import Listing
from dokima.reports.bars import line_bars, order_bars
from dokima.reports.changes import change_paper
from dokima.reports.formatting import number, signed
from dokima.reports.html import html_text
from dokima.reports.language import LANGUAGES, speaking, use_locale
from dokima.reports.ledgers import ledger_paper
from dokima.reports.listings import listing_paper
from dokima.reports.pricing import calculation_report
from dokima.reports.steps import steps_report
from dokima.reports.translations import WORDS, Wording
from tests.books import DEMO, book, routine
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ORDER = DEMO / "orders" / "SQ-2041.json"


def printed(report, width=120):
    console = Console(width=width, record=True, file=open("/dev/null", "w"), highlight=False)  # noqa: SIM115
    console.print(report)
    console.file.close()
    return console.export_text()


@pytest.fixture
def plain():
    yield
    use_locale("")


def test_bars_lead_from_the_price_to_the_total():
    """1593.00 - 63.72 = 1529.28, + 153.22, + 353.33 = 2035.83; and the same for the order."""
    order = BOOK.price(ORDER)["SQ-2041"]
    bars = line_bars(order.line(10))
    assert [(bar.name, bar.kind, bar.amount, bar.level) for bar in bars] == [
        ("price", "price", D("1593.00"), D("1593.00")),
        ("quantity_discount", "discount", D("-63.72"), D("1529.28")),
        ("goods_net", "subtotal", D("1529.28"), D("1529.28")),
        ("freight", "charge", D("153.22"), D("1682.50")),
        ("vat", "tax", D("353.33"), D("2035.83")),
        ("with_tax", "total", D("2035.83"), D("2035.83")),
    ]
    assert [bar.level for bar in order_bars(order)][-1] == order.totals.with_tax
    assert order_bars(order)[0].level == order.total("goods")


def test_bars_of_prices_that_include_tax_and_of_what_is_unknown():
    steps = (
        {"name": "price", "kind": "price", "options": [{"value": "line.price_base"}]},
        {"name": "vat", "kind": "tax", "percent": "21"},
    )
    rules = book(routine=routine(*steps, prices_include_tax="True"))
    order = rules.price(dokima.Order("O", lines=[{"quantity": 1, "price_base": "121"}, {"quantity": 1}]))["O"]
    assert [(bar.kind, bar.level) for bar in line_bars(order.line(10))] == [
        ("price", D("121.00")),
        ("total", D("121.00")),
    ]
    with pytest.raises(dokima.DokimaError, match="a figure of line 20 of order O is unknown"):
        line_bars(order.line(20))
    assert "121.00" in printed(steps_report(order.line(10)))


def test_every_language_has_the_same_words_and_a_rulebook_its_own(plain):
    change = BOOK.change(ORDER, by="Ada", reason="<b>& more</b>")
    change.edit("Ada").change_line(10, quantity=40)
    titles = {}
    for code in ("de_AT", "nl", "fr_FR", "pl"):
        use_locale(code)
        titles[code] = change_paper(change, Wording.of(BOOK.program)).title
    assert titles == {
        "de_AT": "Änderungsauftrag SQ-2041-C1",
        "nl": "Wijzigingsopdracht SQ-2041-C1",
        "fr_FR": "Avenant SQ-2041-C1",
        "pl": "Change order SQ-2041-C1",
    }
    said = {code: (use_locale(code), {key: Wording()[key] for key in WORDS})[1] for code in LANGUAGES}
    same = {key for key in WORDS if said["en"][key] == said["de"][key] == said["fr"][key] == said["nl"][key]}
    assert not same
    use_locale("")
    words = Wording({"change_order": "Variation"}, BOOK.program.definition.letterhead, BOOK.program)
    page = html_text(change_paper(change, words))
    assert "<h1>Variation SQ-2041-C1 <small>draft</small></h1>" in page
    assert '<div class="watermark" aria-hidden="true">draft</div>' in page
    assert "&lt;b&gt;&amp; more&lt;/b&gt;" in page
    assert page.index("Quillmere Glasshouses") < page.index("<h1>")
    assert page.count('<th scope="col"') == 5 + 13
    assert page.count('class="group" colspan="3"') == 2


def test_what_the_core_finds_is_told_in_the_language_of_the_report(plain):
    """The finding is English wherever it is data; a report says it with the facts it was made of."""
    rules = book(
        table={"ware": {"key": {"item": "line.item"}, "required": True}},
        tables={"ware": [{"item": "X", "price": "10"}]},
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "ware.price"}]}),
    )
    order = dokima.Order("O", stated_payable="1234.50", lines=[{"item": "X", "quantity": 100}])
    found = rules.price(order)
    assert [each.message for each in found.findings] == [
        "stated payable is 1234.50, calculated 1000.00: +234.50 off (its lines state nothing that could be compared)"
    ]
    use_locale("de")
    text = " ".join(printed(calculation_report(found), 200).split())
    told = "stated payable ist 1.234,50, berechnet 1.000,00: +234,50 Unterschied (die Positionen geben nichts an"
    assert f"Fehler {told}" in text
    use_locale("fr")
    missing = rules.price(dokima.Order("O", lines=[{"item": "Y", "quantity": 1}]), workers=2)
    text = " ".join(printed(calculation_report(missing), 200).split())
    assert "erreur ligne 10: la table ware n'a pas de ligne pour item Y" in text
    assert "essayé : la table ware n'a pas de ligne qui convienne" in text
    with speaking(""):
        assert number(D("1234.5")) == "1234.5"
    assert number(D("1234.5")) == "1\u202f234,5"


@pytest.mark.parametrize(
    ("command", "said", "left"),
    [
        (
            ("price", "orders/SQ-2041.json"),
            "Summe der Positionen netto|zu zahlen|Steuer S 21 % von 2.212,51",
            "total|payable|tax ",
        ),
        (("price", "orders", "--totals"), "zusammen|Währung|Partner", "together|currency"),
        (("check", "orders"), "Fehler|gefragt|in 1 Auftrag", "error|asked|undecided"),
        (
            ("explain", "orders/SQ-2041.json", "10"),
            "macht 1.682,50 EUR|nicht Zeile 2|gültig|11,2 × 36",
            "makes|not row|valid|11.2",
        ),
        (
            ("variance", "orders/SQ-2041.json", "changed/SQ-2041.json"),
            "36 auf 40|1 neu|Summe mit Steuer",
            "changed|total",
        ),
        (
            ("compare", "--orders", "orders", "--value", "kit_markup=2"),
            "11 Aufträge, 37 Positionen|Abweichung",
            "variance|lines",
        ),
    ],
)
def test_every_command_speaks_the_language_asked_for(command, said, left):
    _, out, _ = run_here(DEMO, *command, "--locale", "de_DE", width=170)
    for words in said.split("|"):
        assert words in out
    for words in left.split("|"):
        assert words not in out
    _, english, _ = run_here(DEMO, *command, width=170)
    assert all(words in english for words in left.split("|"))


def test_a_rulebook_says_who_the_parties_are_and_how_reports_speak(plain):
    def told(report, **header):
        return book(
            table={"customer": {"key": {"customer": "header.customer"}}},
            tables={"customer": [{"customer": "C", "name": "Fern & Sons", "place": 3512}]},
            routine=routine({"name": "price", "kind": "price", "options": [{"value": "10"}]}),
            report=report,
        ).change(dokima.Order("O", lines=[{"item": "X", "quantity": 1}], **header), by="Ada")

    parties = {"customer": ["customer.name", "customer.place"], "valid_days": 14}
    price = {"name": "price", "kind": "price", "options": [{"value": "10"}]}
    change = told(parties, customer="C", ship_to="Yard 4")
    change.edit("Ada").change_line(10, quantity=2)
    change.submit("Ada")
    paper = change_paper(change, Wording.of(change.program))
    assert (paper.facts["customer"], paper.facts["ship to"]) == ("Fern & Sons\n3512", "Yard 4")
    assert (paper.facts["valid until"] - change.valid_until).days == 0
    assert [side.party for side in paper.decision] == ["Fern & Sons"]
    assert paper.headline == "The total with tax rises by 10.00 EUR to 20.00 EUR."
    unknown = told(parties, customer="D")
    assert change_paper(unknown, Wording.of(unknown.program)).facts["customer"] == "D"
    with pytest.raises(dokima.RulebookError, match=r"report.customer.0.*table 'customer' has no column 'naem'"):
        told({"customer": ["customer.naem"]})
    for texts, said in (
        ({"rises": "up {amuont}"}, r"texts.rises: expected only \{amount\}, \{total\} in braces .got 'up \{amuont\}'"),
        (
            {"change_ordr": "Variation"},
            "texts.change_ordr: there is no such text in a report; did you mean 'change_order'",
        ),
    ):
        data = {"rulebook": {"name": "r", "currency": "EUR"}, "texts": texts, "routine": routine(price)}
        wrong = dokima.Rulebook.from_dict(data).change(dokima.Order("O", lines=[{"quantity": 1}]), by="Ada")
        wrong.edit("Ada").change_line(10, quantity=2)
        with pytest.raises(dokima.DokimaError, match=said):
            change_paper(wrong, Wording.of(wrong.program))
    with pytest.raises(dokima.RulebookError, match=r"report.locale.*expected a locale such as de_DE"):
        told({"locale": "de-XX-yy"})


def test_sums_in_a_report_are_those_of_the_calculation(plain):
    change = BOOK.change(ORDER, by="Ada")
    change.edit("Ada").change_line(20, quantity=9)
    words = Wording.of(BOOK.program)
    summary, lines = change_paper(change, words).sections
    totals = change.variance().totals()["SQ-2041"]
    # 5 vents more at 132.50: 662.52 without tax, 139.13 of tax at 21 %, nothing at 9 %.
    assert [list(row.values) for row in summary.rows] == [
        ["total without tax", D("3737.51"), D("662.52"), D("4400.03"), D("17.7")],
        ["tax S 9 %", D("137.25"), D("0.00"), D("137.25"), D("0.0")],
        ["tax S 21 %", D("464.63"), D("139.13"), D("603.76"), D("29.9")],
        ["tax", D("601.88"), D("139.13"), D("741.01"), D("23.1")],
        ["total with tax", D("4339.39"), D("801.65"), D("5141.04"), D("18.5")],
    ]
    assert lines.rows[-1].values[-3:] == [D("3737.51"), D("4400.03"), totals["without_tax"].variance]
    assert [row.values[0] for row in lines.rows] == ["20", "", ""]
    # The lines that do not change come to 3737.51 - 530.01, so that the columns add up.
    assert lines.rows[1].values[2:] == ["lines that do not change", *[None] * 7, D("3207.50"), D("3207.50"), None]
    every = change_paper(change, words, every=True).sections[1]
    assert [row.mark for row in every.rows] == ["unchanged", "changed", "unchanged", "total"]
    order = dokima.Order.from_dict(BOOK.orders(ORDER).document(0))
    ledger = ledger_paper(ledger_of(BOOK.program, [order], [change]), words)
    text = printed(ledger.to_rich())
    assert "SQ-2041-C1" in text
    assert "+" not in text.split("By line")[1]


@given(st.sampled_from("=+-@\t"), st.text(max_size=5))
def test_no_text_becomes_a_formula(mark, rest):
    """A number stays a number; whatever else starts like a formula is told to be text."""
    text = mark + rest
    try:
        is_number = mark == "-" and D(text) is not None
    except ArithmeticError:
        is_number = False
    assert neutral(text) == (text if is_number else f"'{text}")
    assert neutral("10") == "10"


def test_numbers_and_dates_of_a_locale(plain):
    value = D("-1234567.50")
    assert (number(value), signed(D("5.0"))) == ("−1234567.50", "+5.0")
    use_locale("de-DE")
    assert (number(value), signed(D("1234.5"))) == ("−1.234.567,50", "+1.234,5")
    assert "1.529,28" in printed(calculation_report(BOOK.price(ORDER)), 150)
    with pytest.raises(dokima.DokimaError, match="expected a locale such as de_DE or en_GB .got 'xx-yy'"):
        use_locale("xx-yy")


def test_several_orders_have_a_sum_for_each_currency():
    """Currencies are never added to each other: 3737.51 EUR twice, and once in GBP."""
    order = BOOK.orders(ORDER).document(0)
    documents = [{**order, "number": f"N{at}", "currency": code} for at, code in enumerate(("EUR", "EUR", "GBP"))]
    text = printed(calculation_report(BOOK.price([dokima.Order.from_dict(each) for each in documents])), 150)
    together = [line.split() for line in text.split("together:")[1].splitlines() if line.split()[:1] == ["sales"]]
    assert [row[:5] for row in together] == [
        ["sales", "2", "orders", "EUR", "7475.02"],
        ["sales", "1", "order", "GBP", "3737.51"],
    ]


def test_a_report_says_everything_that_changes_and_what_approval_does(plain):
    """A line whose money moves hides nothing; costs are for our own eyes; both sides decide."""
    change = BOOK.change(ORDER, by="Ada", requested_by="Bea", reason="later, and more")
    editor = change.edit("Ada")
    editor.change_line(10, quantity=99, due_date="2026-05-01")
    editor.override_price(20, "120", "agreed by phone")
    editor.change_line(30, unit_cost="400")
    words = Wording.of(BOOK.program)
    paper = change_paper(change, words)
    lines = [(row.mark, row.values[0], row.values[2]) for row in paper.sections[1].rows]
    assert lines == [
        ("changed", "10", "Toughened pane 6 mm"),
        ("detail", "", "due date: – → 2026-05-01"),
        ("changed", "20", "Roof vent"),
        ("detail", "", "manual price: – → 120 (agreed by phone)"),
        ("unchanged", "", "lines that do not change"),
        ("total", "", None),
    ]
    use_locale("de")
    german = change_paper(change, words).sections[1].rows
    assert [row.values[2].split(":")[0] for row in german if row.mark == "detail"] == [
        "Liefertermin",
        "manueller Preis",
    ]
    use_locale("")
    assert paper.sections[1].rows[0].values[5:8] == [D(36), D(99), D(63)]
    assert [row.values[8:10] for row in paper.sections[1].rows[::2][:2]] == [
        [D("44.25"), D("44.25")],
        [D("129.90"), D("120.00")],
    ]
    assert change.ordered_separately() == ["10"]
    assert change.ordered_separately("amend") == []
    assert paper.facts["on approval"] == (
        "what is new (line 10) becomes an order of its own; the rest amends this one; "
        "the order goes from draft to confirmed"
    )
    assert [side.party for side in paper.decision] == ["Fernholt Botanic Garden", "Quillmere Glasshouses"]
    assert "cost" not in html_text(paper)

    costs = change_paper(change, words, with_costs=True).sections[2]
    names = [column.full for column in costs.columns]
    assert names[2:5] == ["unit cost before", "unit cost after", "unit cost variance"]
    rows = {row.values[0]: dict(zip(names, row.values, strict=True)) for row in costs.rows}
    # 63 panes more at 27.80 each; line 30 is priced by the hour and its own unit cost is new.
    assert rows["10"]["cost variance"] == D("1751.40")
    assert (rows["30"]["unit cost before"], rows["30"]["unit cost after"]) == (None, D("400.00"))
    change.withdraw("Ada")
    assert change_paper(change, words).decision == ()


def test_below_a_line_stands_what_each_step_adds(plain):
    """4 panes more are 177.00, less 7.08 of discount, with 17.02 of freight: 186.94. A line that goes takes it away."""
    change = BOOK.change(ORDER, by="Ada")
    editor = change.edit("Ada")
    editor.change_line(10, quantity=40)
    editor.remove_line(30)
    editor.add_line(item="BENCH-K", quantity=1, due_date="2026-05-11", section="77")
    variance = change.variance()
    moves = {
        line.line: [(each.step, str(each.moved.variance)) for each in step_moves(variance, line) if each.moved.variance]
        for line in variance.lines()
    }
    assert moves == {
        "10": [("price", "177.00"), ("quantity_discount", "-7.08"), ("freight", "17.02")],
        "30": [("price", "-1525.00")],
        "40": [("price", "385.00"), ("freight", "8.36")],
    }
    for line in variance.lines():
        parts = [each.moved for each in step_moves(variance, line)]
        assert [sum(part[at] for part in parts) for at in range(3)] == list(line.figures["without_tax"])
    rows = change_paper(change, Wording.of(BOOK.program), steps="10").sections[1].rows
    assert [(row.values[2], str(row.values[-1])) for row in rows if row.mark == "step"] == [
        ("quantity × unit price", "177.00"), ("quantity discount", "-7.08"), ("freight", "17.02"),
    ]  # fmt: skip
    # A terminal without room for descriptions names the steps where it names items, and leaves out what has no figure.
    narrow = printed(change_paper(change, Wording.of(BOOK.program), steps="10").to_rich(), width=90)
    rows_of = narrow.partition("What changes")[2].partition("The order so far")[0].splitlines()
    assert [row.split() for row in rows_of if "freight" in row or "discount" in row] == [
        ["quantity", "discount", "−7.08"], ["freight", "+17.02"],
    ]  # fmt: skip
    assert "lines that do not" not in narrow
    # What stands for changed lines stands for added and removed ones.
    fields = {line["line"]: line["fields"] for line in dokima.report(change).data["lines"]}
    assert fields["40"]["section"] == {"before": None, "after": "77", "variance": None}
    assert (fields["40"]["due_date"]["after"], fields["30"]["unit"]["before"]) == ("2026-05-11", "DAY")
    told = [row.values[2] for row in rows if row.mark == "detail"]
    assert {"due date: 2026-05-11", "section of the contract: 77"} <= set(told)
    with pytest.raises(dokima.NotFound, match="there is no line 99 in this variance"):
        dokima.report(change, steps="99").text  # noqa: B018


def test_two_taxes_of_one_rate_are_two_rows(plain):
    """20.00 at 5 % and at 5 % again: 1.00 and 1.00, each by the name of its step."""
    steps = [{"name": name, "kind": "tax", "percent": "5", "category": "'S'"} for name in ("levy", "duty")]
    option = {"name": "price", "kind": "price", "options": [{"value": "20"}]}
    rules = book(routine=routine(option, *steps))
    change = rules.change(dokima.Order("A", state="confirmed", lines=[{"item": "PANE", "quantity": 1}]), by="Ada")
    change.edit("Ada").change_line(10, quantity=2)
    rows = change_paper(change, Wording.of(rules.program)).sections[0].rows
    assert [(row.values[0], str(row.values[1])) for row in rows] == [
        ("total without tax", "20.00"), ("tax S 5 % (levy)", "1.00"), ("tax S 5 % (duty)", "1.00"), ("tax", "2.00"),
        ("total with tax", "22.00"),
    ]  # fmt: skip
    assert "tax S 5 % (levy) of 20.00" in dokima.report(rules.price(dokima.Order("A", lines=[{"quantity": 1}]))).text


HOSTILE = {
    "\x1b[31mred\x1b[0m": "␛[31mred␛[0m",
    "\x1b]0;owned\x07": "␛]0;owned␇",
    "\x9b2J": "\ufffd2J",
    "safe\u202egnp.exe": "safe\ufffdgnp.exe",
    "a\rb\x01c\x7f": "a␍b␁c␡",
    "[/]": "[/]",
    "[bold]x[/bold] :smile:": "[bold]x[/bold] :smile:",
}


@pytest.mark.parametrize(("text", "seen"), HOSTILE.items())
def test_texts_of_an_order_act_on_nothing(text, seen, tmp_path):
    """Shown in a terminal, a page and a mail, every control character is one that is seen, and markup is only text."""
    order = {
        "number": f"N{text}", "kind": "sales", "customer": "FERNHOLT", "currency": "EUR", "date": "2026-03-02", "pick_up": True,
        "lines": [{"item": "CLIP-S", "description": text, "quantity": 1}, {"item": text, "quantity": 1}],
    }  # fmt: skip
    path = tmp_path / "x.json"
    path.write_text(json.dumps(order))
    for command in ("price", "check"):
        _, out, err = run_here(DEMO, command, path, width=200)
        assert seen.translate({0x2407: None, 0x240D: None}) in out  # a terminal is spared a bell and a carriage return
        assert not {*"\x1b\x07\x00\x7f\x9b\u202e\r"} & {*(out + err)}
    report = dokima.report(BOOK.price(path))
    shown = html_text(change_paper(BOOK.change(path, by="Ada"), Wording.of(BOOK.program), every=True))
    for told, is_page in ((report.html, True), (report.markdown, False), (shown, True)):
        assert (html.escape(seen) if is_page else seen) in (told if is_page else told.replace("\\", ""))
        assert not is_page or html.escape(seen) == seen or seen not in told, "a page has it as text alone"
        assert not {*"\x1b\x07\x00\x7f\x9b\u202e\r"} & {*told}


def test_what_a_spreadsheet_would_take_for_a_formula_is_guarded_unless_raw_is_asked_for(tmp_path):
    order = {
        "number": "=1+1",
        "kind": "sales",
        "customer": "FERNHOLT",
        "currency": "EUR",
        "date": "2026-03-02",
        "pick_up": True,
    }
    order["lines"] = [{"item": "CLIP-S", "description": "@SUM(1)", "quantity": -1}]
    path = tmp_path / "x.json"
    path.write_text(json.dumps(order))
    _, out, _ = run_here(DEMO, "price", path, "--format", "csv")
    assert out.splitlines()[1].startswith("'=1+1,2026-03-02,FERNHOLT,EUR,10,CLIP-S,'@SUM(1),-1,")
    _, raw, _ = run_here(DEMO, "price", path, "--format", "raw-csv")
    assert raw.splitlines()[1].startswith("=1+1,2026-03-02,FERNHOLT,EUR,10,CLIP-S,@SUM(1),-1,")
    assert (dokima.to_csv(BOOK.price(path)), dokima.to_csv(BOOK.price(path), raw=True)) == (out, raw)


def test_a_row_of_a_list_stays_however_narrow_the_terminal_is():
    """Of a history only the revision is a number: it is left out first, and no row with it."""
    row = {"time": "2026-03-02 10:00:00", "by": "Ada", "event": "order.changed", "line": "10", "field": "quantity",
           "from": "3", "to": "40", "reason": "by phone", "revision": 2}  # fmt: skip
    listing = Listing((row,), tuple(row), "events")
    for width in (200, 100, 70, 40):
        assert "Ada" in printed(listing_paper(listing, Wording.of(BOOK.program)).to_rich(), width=width)
