"""Tables beside the main road: the first row of all, a blank band in a scale, and rows that are looked through."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from tests.books import book, routine

PRICE = {"name": "price", "kind": "price", "options": [{"value": "deal.price"}]}


@pytest.mark.parametrize("count", [1, 3, 400])
@pytest.mark.parametrize("turned", [False, True])
def test_the_first_row_stands_against_what_is_less_specific(count, turned):
    """Row 1 is for C and A, row 2 for A, row 3 for everybody; each from a day on. Few lines are walked singly, many together."""
    rows = [
        {"customer": "C", "item": "A", "start": "2026-01-01", "price": "1"}, {"customer": None, "item": "A", "start": "2026-01-01", "price": "2"},
        {"customer": None, "item": None, "start": "2026-01-01", "price": "3"}, {"customer": "C", "item": None, "start": "2027-01-01", "price": "4"},
    ]  # fmt: skip
    table = {"deal": {"match": {"customer": "header.customer", "item": "line.item"}, "window": {"from": "start", "on": "header.date"},
                      "choose": ["most specific"]}}  # fmt: skip
    tried = book({"deal": rows[::-1] if turned else rows}, table=table, routine=routine(PRICE))
    asked = [("C", "A", "1"), ("D", "A", "2"), ("D", "B", "3"), ("C", "B", "3"), ("C", "A", "1")]
    orders = [
        dokima.Order(f"O{n}-{at}", customer=customer, date="2026-03-02", lines=[{"item": item, "quantity": 1}])
        for n in range(count) for at, (customer, item, _) in enumerate(asked)
    ]  # fmt: skip
    priced = tried.price(orders)
    assert [str(order.lines[0].price.normalize()) for order in priced] == [price for _, _, price in asked] * count


@pytest.mark.parametrize(("quantity", "amount"), [(4, "40"), (5, "50"), (6, None), (11, None), (16, None)])
@pytest.mark.parametrize("lines", [1, 50])
def test_a_blank_band_makes_unknown_what_reaches_it_and_all_above(quantity, amount, lines):
    """10 each up to 5, unknown up to 10, 8 up to 15, 7 above: one blank band below is enough."""
    bands = [
        {"item": "A", "least": least, "price": price}
        for least, price in (("0", "10"), ("5", None), ("10", "8"), ("15", "7"))
    ]
    table = {"deal": {"key": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "graduated": True}}
    step = {"name": "price", "kind": "price", "options": [{"amount": "deal.amount"}]}
    priced = book({"deal": bands}, table=table, routine=routine(step)).price(
        [dokima.Order(f"O{at}", lines=[{"item": "A", "quantity": quantity}]) for at in range(lines)]
    )
    assert {order.lines[0].figure("amount") for order in priced} == {None if amount is None else D(amount)}


@pytest.mark.parametrize(
    ("asked", "wanted"),
    [
        ({}, [3, 2, 5, 4, 6]), ({"item": "B", "customer": "C"}, [2]), ({"item": "B"}, [2]), ({"item": "A"}, [3, 5, 4, 6]),
        ({"item": "A", "customer": "C"}, [3]), ({"item": "Z", "least": 15}, [4]), ({"item": "Z", "least": 25}, [5]),
        ({"item": "Z"}, [5, 4, 6]), ({"note": "x"}, [4, 6]), ({"note": "y", "item": "B"}, [2]), ({"item": "A", "customer": "D", "least": 20}, [5]),
        ({"item": "Z", "customer": "D"}, [5, 4, 6]), ({"item": "Z", "customer": "C"}, [5, 4]),
    ],
)  # fmt: skip
def test_rows_that_can_still_win_are_those_no_better_row_covers(asked, wanted):
    """The cheapest wins. Row 2, B for everybody at 2, covers row 1, B for C at 3; row 5 covers row 4 only from 20 on, and row 6,
    for D at 7, only from 20; row 4 covers it only from 10."""
    names = ("customer", "item", "least", "price", "note")
    cells = ("CB13x", " B12y", "CA11y", "  +5x", "  *4z", "D 17x")
    rows = [{n: {" ": None, "+": "10", "*": "20"}.get(c, c) for n, c in zip(names, row, strict=True)} for row in cells]
    table = {"match": {"customer": "header.customer", "item": "line.item"}, "breaks": {"least": "line.quantity"},
             "choose": ["lowest price"]}  # fmt: skip
    found = book({"deal": rows}, table={"deal": table}, routine=routine(PRICE)).rows("deal", asked)
    assert [row["row in file"] - 1 for row in found] == wanted  # the headings are row 1


@pytest.mark.parametrize(
    ("day", "wanted"), [(None, [1, 2]), ("2026-03-02", [1]), ("2026-08-01", [2]), ("2025-01-01", [])]
)
def test_a_row_covers_another_only_on_the_days_it_is_valid(day, wanted):
    """Row 1 is cheaper and valid till June, row 2 all year; row 3 is dearer than row 2 on all its days."""
    rows = [
        {"item": "A", "start": "2026-01-01", "end": "2026-06-30", "price": "1"}, {"item": "A", "start": "2026-01-01", "end": "2026-12-31", "price": "2"},
        {"item": "A", "start": "2026-02-01", "end": "2026-03-31", "price": "3"},
    ]  # fmt: skip
    table = {
        "match": {"item": "line.item"},
        "window": {"from": "start", "until": "end", "on": "header.date"},
        "choose": ["lowest price"],
    }
    tried = book({"deal": rows}, table={"deal": table}, routine=routine(PRICE))
    found = tried.rows("deal", {"item": "A"}, date=None if day is None else datetime.date.fromisoformat(day))
    assert [row["row in file"] - 1 for row in found] == wanted
