"""Deliveries of orders with sub-lines, corrections down to nothing, finishing twice; many orders where each differs."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from tests.books import ITEMS, RATES, definition


def rules(**sections):
    return dokima.Rulebook.from_dict(definition(**sections), tables={"item": ITEMS, "rate": RATES})


def order(*lines, **header):
    given = [{"number": str(10 * at + 10), "item": "PANE", "quantity": 5, **line} for at, line in enumerate(lines)]
    return dokima.Order("A", **{"kind": "sales", "currency": "EUR", "state": "confirmed", **header}, lines=given)


def test_a_delivery_of_the_order_brings_the_lines_that_can_be_delivered():
    """Not the parent, whose quantity is that of the kit; what is closed or delivered is not brought again."""
    lines = [
        {"quantity": 2},
        {"number": "10/10", "quantity": 4},
        {"number": "20", "quantity": 3, "state": "closed"},
        {"number": "30"},
    ]
    editor = rules().edit(order(*lines), "Ada")
    editor.record_delivery("D1", "delivered")
    brought = {record["line"]: record["quantity"] for record in editor.order.header["deliveries"] if record.get("line")}
    assert brought == {"10/10": D(4), "30": D(5)}
    assert [line.get("delivered") for line in editor.order.lines] == [None, D(4), None, D(5)]
    assert editor.state == "finished"
    editor.record_delivery("D1", "failed")
    assert [line.get("delivered") for line in editor.order.lines] == [None, D(0), None, D(0)]
    assert editor.state == "confirmed"


def test_a_delivery_of_a_line_that_is_gone_is_kept_and_moves_nothing():
    gone = [{"id": "D0", "state": "delivered", "line": "99", "quantity": 7}]
    editor = rules().edit(order({}, {}, deliveries=gone), "Ada")
    editor.record_delivery("D1", "delivered", line=10, quantity=2)
    editor.record_delivery("D0", "failed")
    assert [line.get("delivered") for line in editor.order.lines] == [D(2), None]
    assert [record["line"] for record in editor.order.header["deliveries"]] == ["99", "10"]


def test_what_has_finished_by_itself_keeps_from_where_it_came():
    editor = rules(states={"finished_when": "delivered"}).edit(order({}), "Ada")
    editor.record_delivery("D1", "delivered", line=10)
    assert (editor.state, editor.order.header["state_before"]) == ("finished", "confirmed")
    editor.record_payment("10.00")
    assert (editor.state, editor.order.header["state_before"]) == ("finished", "confirmed")
    assert [entry.action for entry in editor.journal].count("move_to") <= 1
    editor.record_delivery("D1", "delivered", line=10, quantity=4)
    assert editor.state == "confirmed"


def test_many_reopen_the_lines_that_are_named_or_all():
    tried = rules()
    closed = [order({"state": "closed"}, {"state": "closed"}, {})]
    for lines, wanted in ((["20"], ["closed", None, None]), ([10, "20"], [None, None, None]), ([], [None, None, None])):
        (done,) = tried.edit_many(closed, "reopen", "Ada", lines=lines).orders
        assert [line.get("state") if line.get("state") == "closed" else None for line in done.lines] == wanted


def test_many_that_cannot_be_priced_are_not_confirmed():
    tried = rules()
    orders = [dokima.Order(name, kind="sales", currency="EUR", state="draft", lines=[{"number": "10", "item": item, "quantity": 1}])
              for name, item in (("A", "PANE"), ("B", "FREE"), ("C", "VENT"))]  # fmt: skip
    many = tried.edit_many(orders, "move", "Ada", to="confirmed")
    assert ({each.number for each in many.orders}, set(many.refused)) == ({"A", "C"}, {"B"})
    with pytest.raises(type(many.refused["B"]), match=str(many.refused["B"]).split(":")[0]):
        tried.edit(orders[1], "Ada").move_to("confirmed")


def test_many_accept_only_what_still_stops_and_say_when():
    """A has two warnings of the rule, one accepted; B one that has none to accept; C is warned by another rule as well."""
    asks = {"at": "save", "severity": "warning", "acknowledge": True}
    tried = rules(
        rule=[
            {**asks, "id": "few", "require": "line.quantity < 6"},
            {**asks, "id": "who", "require": "blank(header.customer)"},
        ]
    )

    def one(name, *quantities, **header):
        lines = [{"number": str(10 * at + 10), "item": "PANE", "quantity": q} for at, q in enumerate(quantities)]
        return dokima.Order(name, kind="sales", currency="EUR", lines=lines, **header)

    editor = tried.edit(one("A", 7, 8), "Ada")
    editor.acknowledge(editor.check("save")[0], "seen")
    orders = [editor.order, one("B", 1), one("C", 9, customer="K")]
    many = tried.edit_many(orders, "acknowledge", "Ben", rule="few", because="agreed")
    assert set(many.refused) == {"B"}
    assert "there is no warning 'few' to accept" in str(many.refused["B"])
    told = {each.number: each.header["acknowledgements"] for each in many.orders}
    assert [(r["rule"], r["line"], r["by"], r["reason"]) for r in told["A"]] == [
        ("few", "10", "Ada", "seen"),
        ("few", "20", "Ben", "agreed"),
    ]
    assert [(r["rule"], r["line"]) for r in told["C"]] == [("few", "10")]
    for record in (*told["A"], *told["C"]):
        assert datetime.datetime.fromisoformat(record["time"]).tzinfo is not None


def test_a_warning_kept_from_an_edit_needs_the_editor_if_one_of_several_is_open():
    """Of two findings of rules at edit one is accepted already: the order goes by itself, and keeps what is open."""
    asks = {"at": "edit", "severity": "warning", "acknowledge": True, "field": "line.quantity"}
    tried = rules(
        rule=[
            {**asks, "id": "few", "require": "line.quantity < 6"},
            {**asks, "id": "even", "require": "line.quantity % 2 == 0"},
        ]
    )
    many = tried.edit_many([order({}, {}, state="draft")], "set", "Ada", fields={"10.quantity": 7, "20.quantity": 8})
    (done,) = many.orders
    alone = tried.edit(order({}, {}, state="draft"), "Ada")
    alone.change_line(10, quantity=7)
    alone.change_line(20, quantity=8)
    kept = [(each.rule, each.line) for each in tried.edit(done, "Ada").pending]
    assert kept == [(each.rule, each.line) for each in alone.pending] == [("few", "10"), ("even", "10"), ("few", "20")]
