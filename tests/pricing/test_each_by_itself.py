"""A batch is each order by itself: whatever its neighbours' dates, customers, blanks, breaks and terms are."""

from __future__ import annotations

import json
from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

import dokima

DAY = date(2026, 3, 1)
ITEMS, CUSTOMERS, SEGMENTS = ["A", "B", "C", "X"], ["K", "L", "M", "N"], ["trade", "web"]
days = st.one_of(st.none(), st.integers(-3, 12).map(lambda n: (DAY + timedelta(n)).isoformat()))
prices = st.sampled_from(["1.00", "2.50", "3.10", "7.77", None])
some = st.sampled_from


def rows(**columns):
    """Rows of a table, each cell drawn for itself."""
    return st.lists(st.fixed_dictionaries(columns), max_size=6)


def once(found, *key):
    """Rows of which each key is there once."""
    kept = {tuple(row[name] for name in key): row for row in found if None not in [row[name] for name in key]}
    return list(kept.values())


TABLES = st.fixed_dictionaries(
    {
        # One row a key that begins and ends: a row that has ended may be the only one of its key.
        "base": rows(item=some(ITEMS), since=days, until=days, price=prices).map(lambda r: once(r, "item")),
        "deal": rows(item=some([*ITEMS, None]), segment=some([*SEGMENTS, None]), least=some(["1", "5", "10", None]),
                     since=days, until=days, price=prices),
        "customer": rows(customer=some(CUSTOMERS), segment=some([*SEGMENTS, None]), off=some(["0", "5", "12.5", None])
                         ).map(lambda r: once(r, "customer")),
        "rate": st.just([{"band": "s", "percent": "21"}, {"band": "r", "percent": "9"}]),
    }
)  # fmt: skip
LINES = st.lists(
    st.fixed_dictionaries(
        {"item": some([*ITEMS, None])},
        optional={
            "quantity": some(["1", "4", "5", "10", "-5", "0", None]), "unit": some(["C62", None]), "band": some(["s", "r", None, "z"]),
            "price_override": some(["2.00", None]), "override_reason": st.just("by hand"), "size": some(["1", "2", None]),
        },
    ),
    max_size=4,
)  # fmt: skip
ORDERS = st.lists(
    st.fixed_dictionaries(
        {"kind": some(["sales", "loan"]), "lines": LINES},
        optional={
            "date": days, "customer": some([*CUSTOMERS, "?", None]), "segment": some([*SEGMENTS, None]), "rush": some([True, False, None]),
            "state": some(["draft", "confirmed"]), "cap": some(["1", "100", None]),
        },
    ),
    min_size=2, max_size=6,
)  # fmt: skip
STEPS = [
    {"name": "price", "kind": "price", "options": [
        {"value": "deal.price"}, {"value": "base.price if header.kind == 'sales' else ''"}, {"value": "line.size * 2"}]},
    {"name": "goods", "kind": "subtotal"},
    {"name": "off", "kind": "discount", "percent": "customer.off", "when": "header.segment == 'trade'"},
    {"name": "hurry", "kind": "charge", "amount": "10", "over": "order", "when": "header.rush", "share": "line.goods"},
    {"name": "most", "kind": "discount", "percent": "50", "cap": "header.cap", "over": "order", "where": "line.quantity > 4"},
    {"name": "seen", "kind": "figure", "value": "base.price if any(line.quantity >= 10) else deal.price"},
    {"name": "vat", "kind": "tax", "percent": "rate.percent"},
]  # fmt: skip
RULES = [
    {"id": "known", "at": "save", "require": "customer.segment == header.segment or header.kind == 'loan'"},
    {"id": "few", "at": "save", "severity": "warning", "require": "all(line.quantity < 10)"},
    {"id": "dated", "at": "save", "require": "header.date >= date('2026-03-02')", "message": "From {header.date}."},
    {"id": "dear", "at": "save", "require": "line.net < 20 or header.rush"},
    {"id": "some", "at": "save", "require": "any(line.unit == 'C62') and sum(line.quantity) > 0"},
]


def rulebook(tables):
    """Prices by windows, breaks and keys, with required rows and defaults."""
    data = {
        "rulebook": {"name": "each", "currency": "EUR"},
        "header": {"segment": {"default": "customer.segment"}, "rush": {"kind": "flag"}, "cap": {"kind": "decimal"}},
        "line": {"unit": {"default": "'C62' if line.item != 'B' else ''"}, "band": {"default": "'s'"}, "size": {"kind": "decimal"}},
        "table": {
            "base": {"key": {"item": "line.item"}, "window": {"from": "since", "until": "until", "on": "header.date"},
                     "choose": ["latest since"], "columns": {"price": {"kind": "decimal"}}},
            "deal": {"match": {"item": "line.item", "segment": "header.segment"}, "breaks": {"least": "line.quantity"},
                     "window": {"from": "since", "until": "until", "on": "header.date"},
                     "choose": ["most specific", "highest least", "latest since", "lowest price"],
                     "columns": {"price": {"kind": "decimal"}}},
            "customer": {"key": {"customer": "header.customer"}, "required": "header.kind == 'sales'",
                         "columns": {"off": {"kind": "decimal", "default": "1"}, "segment": {}}},
            "rate": {"key": {"band": "line.band"}, "required": True},
        },
        "rule": RULES,
        "routine": {"all": {"step": STEPS}},
    }  # fmt: skip
    return dokima.Rulebook.from_dict(data, tables=tables)


def told(rules, orders, workers=1):
    """For each order its figures and totals, and what the rules say of it."""
    priced = json.loads(dokima.to_json(rules.price(orders, workers=workers)))
    found = {each["number"]: [each] for each in priced["orders"]}
    for finding in rules.check(orders, "save", today=DAY, workers=workers):
        found[finding.order].append(finding.to_dict())
    return found


@given(TABLES, ORDERS)
def test_an_order_among_others_is_what_it_is_alone(tables, orders):
    rules = rulebook(tables)
    made = [dokima.Order.from_dict({"number": f"O{at}", "currency": "EUR", **each}) for at, each in enumerate(orders)]
    # Some keep what was agreed, at prices of the day on which they were confirmed.
    kept = []
    for order in made:
        try:
            kept.append(rules.edit(order, "Ada", today=DAY).order)
        except dokima.DokimaError:
            kept.append(order)
    alone = {order.number: told(rules, [order])[order.number] for order in kept}
    assert told(rules, kept) == alone
    assert told(rules, kept[::-1]) == alone
    assert told(rules, kept, workers=2) == alone
