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
from tests.books import ITEMS, RATES, definition, routine

STEPS = (
    {"name": "off", "kind": "discount", "percent": "bands.percent"},
    {"name": "freight", "kind": "charge", "amount": "line.quantity * 0.37"},
    {"name": "rebate", "kind": "discount", "over": "order", "percent": "2.5"},
    {"name": "vat", "kind": "tax", "percent": "value.rate"},
)
BOUND = (
    {"name": "off", "kind": "discount", "percent": "bands.percent", "best_of": "better"},
    {"name": "club", "kind": "discount", "amount": "line.quantity * 0.11", "cap": "1.5", "best_of": "better"},
    *STEPS[1:],
)
"""The same with two discounts that compete, one of them capped."""


@dokima.settling
def every_other(line):
    """Growth of lines 10, 30 ... is ordered separately."""
    return int(line.line.split("/")[0]) % 20 == 10


def _rules(reprice_on=("item", "unit"), settle="split", steps=STEPS, price="7.33", python=(), **more):
    """Rules of today, and those of tomorrow: another price, another discount, another tax."""
    option = {"value": price, "base": "100"} if price == "733" else {"value": price}
    bands = {"match": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": "highest percent"}

    def rules(percent, rate, option):
        data = definition(
            terms={"reprice_on": list(reprice_on)},
            value={"rate": D(rate)},
            table={"item": {"key": {"item": "line.item"}}, "bands": bands},
            changes={"settle": settle},
            routine=routine({"name": "price", "kind": "price", "options": [option]}, *steps, **more),
        )
        rows = [{"item": None, "least": None, "percent": "1"}, {"item": None, "least": "20", "percent": percent}]
        return dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES, "bands": rows}, python=[*python])

    return rules("3.5", "19", option), rules("4", "25", option | {"value": "9"})


RULES, INCLUSIVE = _rules(), _rules(prices_include_tax="True")
MOVING = _rules(("item", "unit", "quantity", "header.date"))
AMENDING = _rules(("item", "quantity"), settle="amend")
BOUNDED = _rules(steps=BOUND, price="733", python=[every_other])
AMOUNTS = ("off", "freight", "rebate", "net", "club", "without_tax")
QUANTITY = st.integers(-30, 60)
STEP = st.tuples(st.lists(QUANTITY, max_size=6), st.booleans(), st.booleans(), st.booleans())


@settings(max_examples=settings.default.max_examples // 4)
@given(
    st.lists(QUANTITY, min_size=1, max_size=5),
    st.booleans(),
    st.lists(STEP, min_size=1, max_size=3),
    st.sampled_from([RULES, INCLUSIVE, MOVING, AMENDING, BOUNDED]),
)
def test_settlements_chain_and_add_up(first, tree, later, rulebooks):
    """Per line and amount step, documents together are what was approved; the ledger balances after every change.

    Between two changes a document may be edited directly, which the ledger shows, some of it is delivered, the date
    may move, and the rulebook may become another. What is delivered is never taken back, and what nobody touches keeps
    its figures. With ``tree`` the lines are sub-lines of one that has no money of its own.
    """
    rules, is_inclusive = rulebooks[0], rulebooks is INCLUSIVE
    numbers = [f"10/{10 * at + 10}" if tree else str(10 * at + 10) for at in range(len(first))]
    lines = [{"number": number, "item": "X", "quantity": q} for number, q in zip(numbers, first, strict=True)]
    lines = [{"number": "10", "description": "a set"}, *lines] if tree else lines
    orders = [dokima.Order("A", state="confirmed", date=datetime.date(2026, 3, 2), lines=lines)]
    changes = []
    for quantities, edited, dated, other in later:
        if edited and changes:
            orders = [_edited(rules, orders[0]), *orders[1:]]
        # Terms are kept from the first change on; before that, an order is priced by the rulebook of the day.
        if other and changes and rulebooks in (RULES, INCLUSIVE, BOUNDED):
            frozen = [rules.price(order)[order.number].totals for order in orders]
            rules = rulebooks[1]
            assert [rules.price(order)[order.number].totals for order in orders] == frozen
        change = rules.change(orders[0], by="Ada", supplements=orders[1:], taken=[c.number for c in changes])
        assert change.variance().is_empty
        editor = change.edit("Ada")
        if dated:
            editor.change_header(date=datetime.date(2026, 4, 1 + len(changes)))
        known = [line.number for line in editor.order.lines if line.get("item")]
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
        orders = [_delivering(orders[0]), *orders[1:]]
        bounds = _delivered(orders)
        left = {line.number: line["quantity"] for line in change.document.lines if line.get("item")}
        if any(left.get(number, 0) < bound for number, bound in bounds.items()):
            with pytest.raises(dokima.Refused, match="less would be left|cannot be removed"):
                change.approve("Ben", orders)
            continue
        orders = _settled(rules, change, orders, is_inclusive)
        assert all(_delivered(orders).get(number, 0) >= bound for number, bound in bounds.items())
        changes.append(change)
        again = [dokima.Order.from_dict(json.loads(json.dumps(each.to_dict(), default=str))) for each in orders]
        assert ledger_of(rules.program, again, changes).is_balanced


def _settled(rules, change, orders, is_inclusive):
    """The documents after approval, which add up to what was approved."""
    variance = change.variance()
    wanted = variance.after["A"]
    found = [rules.price(order)[order.number].totals for order in orders]
    done = change.approve("Ben", orders)
    priced = [rules.price(order)[order.number] for order in done.orders]
    assert not any(finding.severity == "error" for each in priced for finding in each.findings)
    for line in [each for each in wanted.lines if not each.is_parent]:
        for name in [each for each in AMOUNTS if each in wanted.calculation.figures]:
            if is_inclusive and name == "without_tax":
                continue
            parts = [other.figure(name) for each in priced for other in each.lines if other.number == line.number]
            assert sum(parts) == line.figure(name), (line.number, name)
    # Prices with tax add up with it; each document takes its own tax out of them.
    total = "with_tax" if is_inclusive else "without_tax"
    assert sum(getattr(each.totals, total) for each in priced) == getattr(wanted.totals, total)
    moved = sum(each.totals.tax for each in priced) - sum(each.tax for each in found)
    assert done.tax_rounding == moved - variance.totals()["A"]["tax"].variance
    return done.orders


@settings(max_examples=settings.default.max_examples // 8)
@given(
    st.lists(QUANTITY, min_size=2, max_size=4),
    st.lists(QUANTITY, min_size=2, max_size=3),
    st.sampled_from([RULES, INCLUSIVE, MOVING, AMENDING, BOUNDED]),
)
def test_changes_that_are_open_together(first, wished, rulebooks):
    """Each moves a line of its own and adds one; what is approved second is rebased on the first, and neither is lost."""
    rules = rulebooks[0]
    lines = [{"number": str(10 * at + 10), "item": "X", "quantity": q} for at, q in enumerate(first)]
    orders = [dokima.Order("A", state="confirmed", date=datetime.date(2026, 3, 2), lines=lines)]
    open_ = [rules.change(orders[0], by=by, taken=[f"A-C{n}" for n in range(1, at + 1)]) for at, by in enumerate("PQ")]
    for at, change in enumerate(open_):
        editor = change.edit(change.record["opened_by"])
        editor.change_line(lines[at]["number"], quantity=wished[at])
        editor.add_line(item="X", quantity=at + 1)
        change.submit(change.record["opened_by"])
    orders = _settled(rules, open_[0], orders, rulebooks is INCLUSIVE)
    second = open_[1]
    with pytest.raises(dokima.StaleBaseline):
        second.approve("Ben", orders)
    own = str(10 * len(first) + 10)
    assert second.rebase(orders, "Q") == {own: str(int(own) + 10)}
    second.submit("Q")
    orders = _settled(rules, second, orders, rulebooks is INCLUSIVE)
    now = {}
    for line in (line for order in orders for line in order.lines):
        now[line.number] = now.get(line.number, 0) + line["quantity"]
    expected = {**{line["number"]: line["quantity"] for line in lines}, "10": wished[0], "20": wished[1]}
    assert now == {**expected, own: 1, str(int(own) + 10): 2}
    assert ledger_of(rules.program, orders, open_).is_balanced


def _delivering(order):
    """The original with two pieces of its first line delivered, if it has so many."""
    for line in [line for line in order.lines if line.get("item")][:1]:
        if line["quantity"] >= 2:
            line.fields["delivered"] = D(2)
    return order


def _delivered(orders):
    """What is delivered of each line, as far as it is ordered."""
    return {
        line.number: line["delivered"]
        for order in orders
        for line in order.lines
        if line.get("item") and line.get("delivered") and line["quantity"] >= line["delivered"]
    }


def _edited(rules, order):
    """The original with one piece more on its first line, without a change order."""
    editor = rules.edit(order, by="Cleo")
    first = next((line for line in editor.order.lines if line.get("item")), None)
    if first is not None:
        editor.change_line(first.number, quantity=first["quantity"] + 1)
    return editor.order
