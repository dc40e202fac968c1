"""What stands beside the main road: documents without numbers, lists without a currency, cells with one bracket."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pyarrow as pa
import pytest

import dokima
from tests.books import DEMO, FIELDS, book, routine

PRICE = {"name": "each", "kind": "price", "options": [{"value": "2"}]}


def test_a_line_that_has_no_number_is_named_by_the_one_it_gets():
    tried = book(**FIELDS, routine=routine(PRICE))
    order = dokima.Order("A", lines=[{"quantity": "two"}, {"quantity": 1, "boxes": "x"}])
    found = [(each.line, each.field, each.message.partition(" (")[0]) for each in tried.price(order).problems]
    assert found == [
        ("10", "quantity", "expected a number such as 44.25"), ("20", "boxes", "expected a number such as 44.25"),
    ]  # fmt: skip


def test_an_order_is_like_another_order_only():
    order = dokima.Order("A", lines=[{"number": "10", "quantity": 1}])
    assert order == dokima.Order("A", lines=[{"number": "10", "quantity": 1}])
    assert order != dokima.Order("A", lines=[{"number": "10", "quantity": 2}])
    assert [order == other for other in (order.to_dict(), "A", None, 3)] == [False] * 4


CHOICES = {
    "decimal": (["1", "2.50"], ["1", 1, D("1.0"), "2.5"], ["3", 3, "1.01"]),
    "integer": (["1", "2"], ["1", 1, D(2)], ["3", 0]),
    "date": (["2026-03-02"], ["2026-03-02", datetime.date(2026, 3, 2)], ["2026-03-03"]),
    "flag": (["true"], [True, "true"], [False]),
    "text": (["red", "1"], ["red", "1"], ["rd", "Red"]),
}


@pytest.mark.parametrize("kind", CHOICES)
def test_a_choice_is_a_value_of_its_field_however_it_is_written(kind):
    choices, permitted, refused = CHOICES[kind]
    tried = book(line={"size": {"kind": kind, "choices": choices}}, routine=routine(PRICE))
    for value in (*permitted, *refused):
        found = tried.price(dokima.Order("A", lines=[{"number": "10", "quantity": 1, "size": value}])).problems
        assert [each.message.partition(" (got")[0] for each in found] == (
            [f"expected one of {', '.join(choices)}"] if value in refused and value not in permitted else []
        )


@pytest.mark.parametrize("kind", ["decimal", "integer"])
def test_a_number_has_its_choices_from_arrow_too(kind):
    tried = book(line={"size": {"kind": kind, "choices": ["1", "2"]}}, routine=routine(PRICE))
    sizes = pa.array([1, 2, 3]) if kind == "integer" else pa.array([D(1), D(2), D(3)])
    table = pa.table({"order": ["A", "B", "C"], "line": ["10"] * 3, "quantity": pa.array([1, 1, 1]), "size": sizes})
    priced = tried.price(table)
    assert [(each.order, each.message) for each in priced.problems] == [("C", "expected one of 1, 2 (got 3)")]
    assert [order.number for order in priced] == ["A", "B"]


@pytest.mark.parametrize(
    ("level", "path"),
    [("line", "line.size.choices"), ("header", "header.size.choices"), ("table", "table.t.columns.size.choices")],
)
def test_a_choice_that_its_field_could_never_hold_is_refused_with_the_rulebook(level, path):
    field = {"kind": "decimal", "choices": ["1", "two"]}
    said = rf"{path}: expected a number such as 44.25 \(got 'two'"
    table = {"t": {"key": {"item": "line.item"}, "columns": {"size": field}}}
    sections = {"table": table} if level == "table" else {level: {"size": field}}
    with pytest.raises(dokima.RulebookError, match=said):
        book({"t": []} if level == "table" else {}, **sections)


def test_a_number_in_brackets_has_both(tmp_path):
    """(15) is -15; 15) and (15 are no numbers, and never 5 or 1."""
    layout = {"minus": "brackets", "header": {"number": "order"}, "line": {"number": "line", "quantity": "pieces"}}
    tried = book(layout={"bank": layout}, routine=routine(PRICE))
    file = tmp_path / "o.csv"
    file.write_text("order,line,pieces\nA,10,(15)\nB,10,15)\nC,10,(15\nD,10,15\n")
    priced = tried.price(file, "bank")
    assert {order.number: order.line(10).quantity for order in priced} == {"A": D(-15), "D": D(15)}
    assert [(each.order, each.field) for each in priced.problems] == [("B", "quantity"), ("C", "quantity")]


def test_a_list_without_currencies_has_no_sums(tmp_path):
    store = dokima.create_store(f"sqlite:///{tmp_path}/o.db", dokima.load(DEMO))
    with store:
        for name in ("SQ-2041", "SQ-2044"):
            store.save(dokima.Order.from_json((DEMO / "orders" / f"{name}.json").read_text()), "Ada")
        listed = store.orders()
        assert listed.sums()["EUR"]["with_tax"] == sum(row["with_tax"] for row in listed)
        assert store.orders(columns=["number", "with_tax"]).sums() == {}
        assert store.orders(columns=["currency", "state"]).sums() == {}


def test_a_figure_that_says_no_places_is_written_with_those_it_needs():
    steps = [
        {"name": "count", "kind": "figure", "value": "line.quantity"},
        {"name": "part", "kind": "figure", "value": "line.quantity / 4"},
    ]
    priced = book(routine=routine(PRICE, *steps)).price(dokima.Order("A", lines=[{"number": "10", "quantity": 3}]))
    (line,) = dokima.report(priced).data["orders"][0]["lines"]
    assert [line[name] for name in ("count", "part", "net")] == ["3", "0.75", "6.00"]
    cells = dict(zip(*(row.split(",") for row in dokima.to_csv(priced).splitlines()), strict=True))
    assert [cells[name] for name in ("count", "part", "net")] == ["3", "0.75", "6.00"]


def test_a_frozen_order_that_somebody_has_changed_is_taxed_as_it_is():
    """What is submitted keeps its tax while it is what it was: 84.00. With 3 pieces tax follows, at the rate agreed: 63.00."""
    steps = [
        {"name": "each", "kind": "price", "options": [{"value": "100"}]},
        {"name": "vat", "kind": "tax", "percent": "vat.percent", "category": "'S'"},
    ]
    table = {"vat": {"key": {"kind": "header.kind"}, "columns": {"percent": {"kind": "decimal"}}}}
    now, later = (
        book({"vat": [{"kind": "sales", "percent": rate}]}, table=table, routine=routine(*steps))
        for rate in ("21", "25")
    )
    editor = now.edit(dokima.Order("A", kind="sales", currency="EUR", lines=[{"number": "10", "quantity": 2}]), "Ada")
    editor.move_to("confirmed")
    change = now.change(editor.order, "Ada")
    change.edit("Ada").change_line(10, quantity=4)
    change.submit("Ada")
    frozen = change.document
    assert frozen.header["terms"][0]["frozen"] is True
    assert str(later.price(frozen)["A"].totals.tax) == "84.00"
    moved = frozen.to_dict()
    moved["lines"][0]["quantity"] = 3
    assert str(later.price(dokima.Order.from_dict(moved))["A"].totals.tax) == "63.00"


def test_values_of_the_second_line_of_the_second_order_are_its_own():
    tried = book(**FIELDS, routine=routine(PRICE))
    orders = [
        dokima.Order(name, country=name, lines=[{"number": "10", "quantity": at}, {"number": "20", "quantity": at + 1}])
        for at, name in ((1, "A"), (5, "B"))
    ]
    for order, lines in zip(orders, ((1, 2), (5, 6)), strict=True):
        for line, quantity in zip((10, 20), lines, strict=True):
            found = tried.evaluate("line.quantity * 2 if header.country == 'B' else line.quantity", order, line)
            assert str(found.value) == str(quantity * (2 if order.number == "B" else 1))
            read = {each.name: str(each.value) for each in found.read}
            assert (read["line.quantity"], read["header.country"]) == (str(quantity), order.number)
