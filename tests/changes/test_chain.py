"""Chains of change orders: what any of them leaves adds up, whatever happens to the documents in between."""

from __future__ import annotations

import contextlib
import datetime
import json
from decimal import Decimal as D

import hypothesis.strategies as st
import pytest
from hypothesis import given, settings

import dokima
from dokima.changes.ledger import ledger_of
from tests.books import book, routine

STEPS = (
    {"name": "off", "kind": "discount", "percent": "bands.percent"},
    {"name": "freight", "kind": "charge", "amount": "line.quantity * 0.37"},
    {"name": "rebate", "kind": "discount", "over": "order", "percent": "2.5"},
    {"name": "vat", "kind": "tax", "percent": "19"},
)


def _rules(reprice_on=("item", "unit"), settle="split", **more):
    return book(
        terms={"reprice_on": list(reprice_on)},
        table={
            "item": {"key": {"item": "line.item"}},
            "bands": {
                "match": {"item": "line.item"},
                "breaks": {"least": "line.quantity"},
                "choose": "highest percent",
            },
        },
        tables={
            "bands": [{"item": None, "least": None, "percent": "1"}, {"item": None, "least": "20", "percent": "3.5"}]
        },
        changes={"settle": settle},
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "7.33"}]}, *STEPS, **more),
    )


RULES, INCLUSIVE = _rules(), _rules(prices_include_tax="True")
MOVING = _rules(("item", "unit", "quantity", "header.date"))
AMENDING = _rules(("item", "quantity"), settle="amend")
AMOUNTS = ("off", "freight", "rebate", "net", "without_tax")
QUANTITY = st.integers(-30, 60)


@settings(max_examples=25)
@given(
    st.lists(QUANTITY, min_size=1, max_size=5),
    st.lists(st.tuples(st.lists(QUANTITY, max_size=6), st.booleans(), st.booleans()), min_size=1, max_size=3),
    st.sampled_from([RULES, INCLUSIVE, MOVING, AMENDING]),
)
def test_settlements_chain_and_add_up(first, later, rules):
    """Per line and amount step, documents together are what was approved; the ledger balances after every change.

    Between two changes a document may be edited directly, which the ledger shows, some of it is delivered, and the date
    may move. What is delivered is never taken back.
    """
    lines = [{"number": str(10 * at + 10), "item": "X", "quantity": q} for at, q in enumerate(first)]
    orders = [dokima.Order("A", state="confirmed", date=datetime.date(2026, 3, 2), lines=lines)]
    changes = []
    for quantities, edited, dated in later:
        if edited and changes:
            orders = [_edited(rules, orders[0]), *orders[1:]]
        change = rules.change(orders[0], by="Ada", supplements=orders[1:], taken=[c.number for c in changes])
        assert change.variance().is_empty
        editor = change.edit("Ada")
        if dated:
            editor.change_header(date=datetime.date(2026, 4, 1 + len(changes)))
        known = [line.number for line in editor.order.lines]
        for number, quantity in zip(known, quantities, strict=False):
            with contextlib.suppress(dokima.Refused):  # below what is delivered
                editor.change_line(number, quantity=quantity)
        for quantity in quantities[len(known) :]:
            editor.add_line(item="X", quantity=quantity)
        if len(quantities) < len(known) - 1:
            with contextlib.suppress(dokima.Refused):
                editor.remove_line(known[-1])
        variance = change.variance()
        if variance.is_empty:
            continue
        change.submit("Ada")
        wanted = variance.after["A"]
        orders = [_delivering(orders[0]), *orders[1:]]
        bounds = _delivered(orders)
        left = {line.number: line["quantity"] for line in change.document.lines}
        if any(left.get(number, 0) < bound for number, bound in bounds.items()):
            with pytest.raises(dokima.Refused, match="less would be left|cannot be removed"):
                change.approve("Ben", orders)
            continue
        found = [rules.price(order)[order.number].totals for order in orders]
        done = change.approve("Ben", orders)
        priced = [rules.price(order)[order.number] for order in done.orders]
        assert not any(each.findings for each in priced)
        for line in wanted.lines:
            for name in AMOUNTS[: 4 if rules is INCLUSIVE else 5]:
                parts = [other.figure(name) for each in priced for other in each.lines if other.number == line.number]
                assert sum(parts) == line.figure(name), (line.number, name)
        # Prices with tax add up with it; each document takes its own tax out of them.
        total = "with_tax" if rules is INCLUSIVE else "without_tax"
        assert sum(getattr(each.totals, total) for each in priced) == getattr(wanted.totals, total)
        moved = sum(each.totals.tax for each in priced) - sum(each.tax for each in found)
        assert done.tax_rounding == moved - variance.totals()["A"]["tax"].variance
        orders = done.orders
        assert all(_delivered(orders).get(number, 0) >= bound for number, bound in bounds.items())
        changes.append(change)
        again = [dokima.Order.from_dict(json.loads(json.dumps(each.to_dict(), default=str))) for each in orders]
        assert ledger_of(rules.program, again, changes).is_balanced


def _delivering(order):
    """The original with two pieces of its first line delivered, if it has so many."""
    for line in order.lines[:1]:
        if line["quantity"] >= 2:
            line.fields["delivered"] = D(2)
    return order


def _delivered(orders):
    """What is delivered of each line, as far as it is ordered."""
    return {
        line.number: line["delivered"]
        for order in orders
        for line in order.lines
        if line.get("delivered") and line["quantity"] >= line["delivered"]
    }


def _edited(rules, order):
    """The original with one piece more on its first line, without a change order."""
    editor = rules.edit(order, by="Cleo")
    first = next((line for line in editor.order.lines), None)
    if first is not None:
        editor.change_line(first.number, quantity=first["quantity"] + 1)
    return editor.order
