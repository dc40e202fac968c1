"""`evaluate`: what a formula gives on real lines, each look-up behind it, and what is near a key that is missing."""

import json
from decimal import Decimal

import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ORDER = DEMO / "orders" / "SQ-2041.json"
D = Decimal


@pytest.mark.parametrize(
    ("formula", "line", "value", "kind", "level"),
    [
        ("item.weight * line.quantity", "10", D("403.2"), "decimal", "line"),
        ("line.net - line.freight", "10", D("1529.28"), "decimal", "line"),
        ("sum(line.quantity, where=line.unit == 'C62')", "", D(40), "decimal", "header"),
        ("customer.segment", "", "institution", "text", "header"),
        ("header.without_tax > 3000", "", True, "flag", "header"),
        ("value.freight_rate * 2", "", D("0.76"), "decimal", "constant"),
        ("agreed.price", "20", None, "decimal", "line"),
    ],
)
def test_any_formula_on_a_real_line(formula, line, value, kind, level):
    found = BOOK.evaluate(formula, ORDER, line)
    assert (found.value, found.kind, found.level) == (value, kind, level)


def test_a_formula_of_lines_is_worked_out_on_each():
    found = BOOK.evaluate("line.quantity * 2", ORDER)
    assert list(found.values) == [("10", D(72)), ("20", D(8)), ("30", D(5))]


def test_the_path_of_look_ups_and_what_is_near():
    """Schedule, section, rate: each found by what the one before gave; then a customer that is misspelt."""
    path = BOOK.evaluate("", DEMO / "orders" / "PO-721.json", "10", table="works_rate").path
    asked = [(answer.table, dict(answer.asked)) for answer in path]
    assert asked == [
        ("contract", {"contract": "WC-14"}),
        ("schedule_section", {"schedule": "SR-GROUND-26", "section": "10"}),
        ("works_rate", {"rates": "GROUND-A", "line": "10"}),
    ]
    (lost,) = BOOK.what_if(set={"header.customer": "FERNHOLTT"}).evaluate("customer.segment", ORDER).path
    assert (lost.row, lost.near) == (None, "there is customer FERNHOLT")
    document = {**json.loads(ORDER.read_text()), "customer": None}
    assert BOOK.evaluate("customer.name", document).path[0].near == "customer is blank"


def test_what_cannot_be_asked_is_told():
    for formula, line, message in (
        ("item.weigth", "10", "has no column 'weigth'; did you mean 'item.weight'"),
        ("item.weight", "99", "order SQ-2041 has no line 99"),
        ("line.nett", "10", "there is no 'line.nett'; did you mean 'line.net'"),
        ("", "10", "expected a formula, or the name of a table"),
    ):
        with pytest.raises(dokima.DokimaError, match=message):
            BOOK.evaluate(formula, ORDER, line)
    with pytest.raises(dokima.NotFound, match="there is no table 'works_rat'; did you mean 'works_rate'"):
        BOOK.evaluate("", ORDER, "10", table="works_rat")
    with pytest.raises(dokima.DokimaError, match="10 has no figure line.net: it is a parent line"):
        BOOK.evaluate("line.net", DEMO / "orders" / "SQ-2046.json", "10")


def test_the_command_writes_it_for_a_specification():
    status, out, _ = run_here(DEMO, "eval", "item.weight * line.quantity", "orders/SQ-2041.json", 10, "-f", "markdown")
    assert status == 0
    assert "- value: 11.2 × 36 = 403.2" in out
    assert "| item | item PANE-T6 | weight 11.2 | tables/items.csv row 7 |" in out
    _, out, _ = run_here(DEMO, "eval", "line.net", "orders/SQ-2041.json", "--format", "csv")
    assert out.splitlines() == ["order,line,value", "SQ-2041,10,1682.5", "SQ-2041,20,530.01", "SQ-2041,30,1525"]
    status, out, _ = run_here(
        DEMO, "eval", "--rows", "volume", "orders/SQ-2041.json", 10, "--set", "10.quantity=4", width=240
    )
    assert (status, "no row: row 2: from quantity of the family 24 on, not 4" in " ".join(out.split())) == (0, True)


def test_rows_beside_a_line_are_shown_and_are_no_figures():
    """Three depots have the pane; none of their numbers is in a figure, and a context of no table is refused."""
    (stock,) = BOOK.explain(ORDER, 10, "price").context
    assert (stock.label, stock.columns) == ("stock at all depots", ("depot", "on_hand", "counted"))
    assert [(row, values[:2]) for row, values in stock.rows] == [
        (2, ["Quillmere", D(120)]), (3, ["Harrow Lock", D(64)]), (4, ["Lindenau", D(18)]),
    ]  # fmt: skip
    assert "Harrow Lock" in str(dokima.report(BOOK.explain(ORDER, 10)))
    data = {"rulebook": {"name": "r"}, "context": {"beside": {"table": "stok"}}}
    with pytest.raises(dokima.RulebookError, match="context.beside.table: there is no table 'stok'"):
        dokima.Rulebook.from_dict(data)
