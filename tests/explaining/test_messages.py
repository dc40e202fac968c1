"""What messages and explanations say: the blank that was met, what counted, amounts as money is written."""

from __future__ import annotations

import datetime

import pytest

import dokima
from tests.books import DEMO, book, routine
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ITEM = {
    "deal": {
        "match": {"item": "line.item", "customer": "header.customer"},
        "window": {"from": "since", "on": "header.date"},
        "breaks": {"least": "line.boxes"},
        "choose": ["lowest price / base"],
        "columns": {"base": {"kind": "decimal", "default": 1}},
    },
    "item": {"key": {"item": "line.item"}},
}
ROWS = {
    "deal": [
        {"item": "A", "customer": None, "since": "2026-01-01", "least": 0, "price": "4460", "base": 100},
        {"item": "B", "customer": None, "since": "2026-01-01", "least": 0, "price": None, "base": None},
    ],
    "item": [{"item": "A", "tax": "21", "cost": "3.5"}, {"item": "B", "tax": "21", "cost": None}],
}


def priced_by_deals(**more):
    """A rulebook with dated prices by boxes, of which one row has none."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "deal.price", "base": "deal.base"}]},
        {"name": "cost", "kind": "figure", "value": "line.quantity * coalesce(line.boxes, item.cost)"},
        {"name": "spare", "kind": "figure", "value": "0 if line.quantity > 2 else line.quantity * item.cost"},
        {"name": "vat", "kind": "tax", "percent": "item.tax"},
    ]
    data = {"rulebook": {"name": "deals", "currency": "EUR"}, "table": ITEM, "routine": {"sales": {"step": steps}}}
    data |= {"line": {"boxes": {"kind": "decimal"}}, **more}
    return dokima.Rulebook.from_dict(data, tables=ROWS)


def line(**fields):
    """An order of one line."""
    header = {"date": "2026-03-02", "customer": "C"} | {k: fields.pop(k) for k in ("date",) if k in fields}
    return dokima.Order("A", lines=[{"item": "A", "quantity": 2, "boxes": 1, **fields}], **header)


@pytest.mark.parametrize(
    ("fields", "message"),
    [
        ({"date": None}, "no price: tried header.date is blank"),
        ({"boxes": None}, "no price: tried line.boxes is blank"),
        ({"item": None}, "no price: tried line.item is blank"),
        ({"quantity": None}, "no price: the quantity is blank"),
        ({"item": "C"}, "no price: tried table deal has no row that fits"),
        ({"item": "B"}, "no price: tried table deal has a row that fits, but no price in it"),
    ],
)
def test_a_blank_that_a_step_met_is_told_as_that_blank(fields, message):
    """And not as a row that does not fit."""
    assert priced_by_deals().price(line(**fields)).findings[0].message == message


def test_what_was_agreed_as_blank_says_when():
    """A line that came into a confirmed order without a price waits for somebody who reprices it."""
    day = datetime.date(2026, 4, 1)
    edit = priced_by_deals().edit(line(), by="M", today=day)
    edit.move_to("confirmed")
    edit.add_line(item="B", quantity=1, boxes=1)
    kept = dokima.Order.from_dict(edit.order.to_dict())
    assert [finding.message for finding in priced_by_deals().price(kept).findings] == [
        "no price: tried deal.price was agreed as blank on 2026-04-01: reprice the line"
    ]


def test_explanations_show_what_counted():
    """The first value that was there, the branch that was taken, a price per its base, words where there are many."""
    steps = {step.name: step for step in priced_by_deals().explain(line(boxes=3), 10).steps}
    assert steps["price"].source == "price 4460.00 per 100"
    assert steps["cost"].counted == {"value": "2 × 3"}
    assert steps["spare"].counted == {"value": "2 × 3.50"}
    assert priced_by_deals().explain(line(quantity=3), 10).step("spare").counted == {"value": "0"}

    _, out, _ = run_here(DEMO, "explain", "orders/SQ-2041.json", "10", width=160)
    assert "cost                   1000.80  36 × 27.80" in out
    assert "weight in kg 11.2 × 36 × pieces 1 × freight rate 0.38" in out
    assert "margin 681.70 × 100 / without tax 1682.50" in out
    assert "sum of margin 1452.81 × 100 / without tax 3737.51" in out


def test_a_required_row_that_is_missing_stands_in_the_explanation():
    """With the key that found nothing, for a person who knows no tables."""
    _, out, _ = run_here(DEMO, "explain", "orders/SQ-2041.json", "10", "price", "--set", "line.item=NOPE", width=160)
    assert "no row of the item for item NOPE, and one is required" in out


def test_amounts_in_messages_are_written_as_money():
    """With the places of the currency; other numbers as they are."""
    rule = {
        "id": "r", "at": "save", "require": "line.quantity > 9",
        "message": "{line.price} x {line.quantity} = {line.net}, at most {header.budget}, {sum(line.net)}, {line.boxes * 2}",
    }  # fmt: skip
    order = line(boxes="1.50")
    order.header |= {"budget": "100", "currency": "EUR"}
    assert priced_by_deals(rule=[rule]).check(order)[0].message == "44.60 x 2 = 89.20, at most 100.00, 89.20, 3"
    order.header["currency"] = "JPY"
    assert priced_by_deals(rule=[rule]).check(order)[0].message == "44.6 x 2 = 89, at most 100, 89, 3"


def test_an_order_that_was_set_aside_says_so_by_its_number():
    """And why; an order that never was is not found."""
    calculation = BOOK.price([line(), dokima.Order("B", kind="rent", lines=[])])
    with pytest.raises(
        dokima.DocumentError, match="order B was set aside and is not priced:\norder B, kind: expected one of"
    ):
        calculation["B"]
    with pytest.raises(dokima.NotFound, match="there is no order D"):
        calculation["D"]


def test_what_stops_an_order_and_what_is_only_noted(tmp_path):
    """Before it can be saved lists only what stops."""
    _, out, _ = run_here(
        DEMO, "edit", "orders/SQ-2043.json", "--add", "item=SURV-1,quantity=1", "--dry-run", width=160
    )  # fmt: skip
    stops = out[out.index("before it can be saved") :]
    assert "before it can be saved, 4 findings:" in stops
    assert "Site survey: institutions have a surveyor of their own; Oakmere Horticultural College is one." in stops


def test_what_does_not_apply_says_so_and_why_and_a_missing_row_is_named():
    rules = book(
        line={"segment": {}},
        table={"stock": {"key": {"item": "line.item"}, "columns": {"on_hand": {"kind": "decimal"}}}},
        tables={"stock": [{"item": "VENT", "on_hand": "3"}]},
        rule=[{"id": "in-stock", "at": "save", "require": "stock.on_hand >= line.quantity",
               "message": "{line.quantity} asked for, {stock.on_hand} in stock"}],
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]},
            {"name": "loyal", "kind": "discount", "percent": "15", "when": "line.segment == 'x'"},
            {"name": "small", "kind": "discount", "percent": "2", "when": "line.segment == 'x'", "best_of": "one"},
            {"name": "volume", "kind": "discount", "percent": "4", "best_of": "one"},
            {"name": "whole", "kind": "discount", "over": "order", "percent": "2", "where": "line.segment == 'x'"},
        ),
    )  # fmt: skip
    order = dokima.Order(
        "A", lines=[{"item": "PANE", "quantity": 1, "segment": "y"}, {"item": "VENT", "quantity": 1, "segment": "x"}]
    )
    said = [(finding.line, finding.message) for finding in rules.check(order)]
    assert said == [("10", "1 asked for, blank in stock (could not be decided: table stock has no row that fits)")]
    told = dokima.report(rules.explain(order, 10)).text
    why = "segment == 'x' (segment y)"
    for step, words in (("loyal", "does not apply"), ("small", "does not apply"), ("whole", "leaves this line out")):
        (row,) = [line for line in told.splitlines() if line.startswith(f"− {step}")]
        assert f"{words}: {why}" in row
    assert "15 % of" in dokima.report(rules.explain(order, 20)).text
