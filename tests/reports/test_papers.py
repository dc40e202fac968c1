"""Reports: what bars add up to, what papers say in which language, and what a spreadsheet must not take for a formula."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

import dokima
from dokima.changes.ledger import ledger_of
from dokima.reports.bars import line_bars, order_bars
from dokima.reports.changes import change_paper, ledger_paper
from dokima.reports.html import html_text
from dokima.reports.paper import neutral, paper_data
from dokima.reports.pricing import calculation_report
from dokima.reports.steps import steps_report
from dokima.reports.texts import LANGUAGES, Wording
from dokima.reports.words import number, signed, use_locale
from tests.books import DEMO, book, routine

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
    keys = [set(words) for words in LANGUAGES.values()]
    assert keys[0] == keys[1] == keys[2]
    change = BOOK.change(ORDER, by="Ada", reason="<b>& more</b>")
    change.edit("Ada").change_line(10, quantity=40)
    titles = {
        code: change_paper(change, Wording.of(BOOK.program.definition, code)).title for code in ("de_AT", "nl", "fr")
    }
    assert titles == {
        "de_AT": "Änderungsauftrag SQ-2041-C1",
        "nl": "Wijzigingsopdracht SQ-2041-C1",
        "fr": "Change order SQ-2041-C1",
    }
    own = dokima.load(DEMO).program.definition
    words = Wording({**LANGUAGES["en"], "change_order": "Variation"}, "en", own.letterhead)
    page = html_text(change_paper(change, words))
    assert "<h1>Variation SQ-2041-C1</h1>" in page
    assert "&lt;b&gt;&amp; more&lt;/b&gt;" in page
    assert page.index("Quillmere Glasshouses") < page.index("<h1>")
    assert page.count("<th scope=") == 5 + 10


def test_sums_in_a_report_are_those_of_the_calculation(plain):
    change = BOOK.change(ORDER, by="Ada")
    change.edit("Ada").change_line(20, quantity=9)
    words = Wording.of(BOOK.program.definition)
    paper = paper_data(change_paper(change, words))
    totals = change.variance().totals()["SQ-2041"]
    assert paper["sections"][0]["rows"][0]["values"][1:] == [
        str(totals["without_tax"].before),
        str(totals["without_tax"].after),
        "662.52",
        "17.7",
    ]
    assert paper["sections"][1]["rows"][-1]["values"][-1] == str(totals["without_tax"].variance)
    assert [row["values"][0] for row in paper["sections"][1]["rows"]] == ["20", ""]
    every = paper_data(change_paper(change, words, every=True))
    assert [row["mark"] for row in every["sections"][1]["rows"]] == ["unchanged", "changed", "unchanged", "total"]
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


def test_a_report_says_everything_that_changes_and_what_approval_does():
    """A line whose money moves hides nothing; costs are for our own eyes; both sides decide."""
    change = BOOK.change(ORDER, by="Ada", requested_by="Bea", reason="later, and more")
    editor = change.edit("Ada")
    editor.change_line(10, quantity=99, due_date="2026-05-01")
    editor.override_price(20, "120", "agreed by phone")
    editor.change_line(30, unit_cost="400")
    words = Wording.of(BOOK.program.definition)
    paper = change_paper(change, words)
    lines = [(row.mark, row.values[0], row.values[2]) for row in paper.sections[1].rows]
    assert lines == [
        ("changed", "10", "Toughened pane 6 mm"),
        ("detail", "", "due date: – → 2026-05-01"),
        ("changed", "20", "Roof vent"),
        ("detail", "", "reason of the manual price: – → agreed by phone"),
        ("detail", "", "manual price: – → 120"),
        ("total", "", None),
    ]
    german = change_paper(change, Wording.of(BOOK.program.definition, "de")).sections[1].rows
    assert [row.values[2].split(":")[0] for row in german if row.mark == "detail"] == [
        "Liefertermin",
        "Grund des manuellen Preises",
        "manueller Preis",
    ]
    assert paper.sections[1].rows[0].values[4:7] == [D(36), D(99), D(63)]
    assert change.ordered_separately() == ["10"]
    assert change.ordered_separately("amend") == []
    assert paper.facts["on approval"] == "what is new (line 10) becomes an order of its own; the rest amends this one"
    assert [side.party for side in paper.decision] == ["FERNHOLT", "Quillmere Glasshouses"]
    assert "cost" not in str(paper_data(paper))

    costs = change_paper(change, words, with_costs=True).sections[2]
    names = [column.heading for column in costs.columns]
    assert names[2:5] == ["unit cost before", "unit cost after", "unit cost variance"]
    rows = {row.values[0]: dict(zip(names, row.values, strict=True)) for row in costs.rows}
    # 63 panes more at 27.80 each; line 30 is priced by the hour and its own unit cost is new.
    assert rows["10"]["cost variance"] == D("1751.40")
    assert (rows["30"]["unit cost before"], rows["30"]["unit cost after"]) == (None, D("400.00"))
    change.withdraw("Ada")
    assert change_paper(change, words).decision == ()
