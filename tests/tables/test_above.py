"""Breaks that count from above a value: above 50, and not from 50 on."""

import datetime
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import book

DAY = datetime.date(2026, 3, 2)
PRICE = {"name": "price", "kind": "price", "options": [{"value": "price.price"}]}
ROWS = [
    {"item": "PANE", "over": "", "price": "5.00"},
    {"item": "PANE", "over": "50", "price": "4.00"},
    {"item": "PANE", "over": "100", "price": "3.00"},
]


def tried(*, above=True, rows=ROWS, places=3, **more):
    table = {
        "key": {"item": "line.item"},
        "breaks": {"over": {"of": "line.quantity", "above": above}},
        "choose": "highest over",
        **more,
    }
    return book(
        line={"quantity": {"kind": "decimal", "places": places}},
        table={"price": table},
        tables={"price": rows},
        routine={"sales": {"step": [PRICE]}},
    )


def price_of(book_, quantity):
    return book_.price(dokima.Order("Q", lines=[{"item": "PANE", "quantity": quantity}]))["Q"].line(10).price


@pytest.mark.parametrize(
    ("quantity", "price"),
    [
        ("50", "5.00"),
        ("50.001", "4.00"),
        ("-50", "5.00"),
        ("-51", "4.00"),
        ("100", "4.00"),
        ("100.001", "3.00"),
        ("0", "5.00"),
    ],
)
def test_the_value_itself_does_not_reach_it_whatever_its_sign(quantity, price):
    assert price_of(tried(), quantity) == D(price)


@given(st.lists(st.decimals(-120, 120, places=1), min_size=1, max_size=40), st.booleans())
def test_many_lines_are_priced_as_each_alone(quantities, above):
    """Short lists of lines go down their rows one by one, long ones together."""
    order = dokima.Order("Q", lines=[{"item": "PANE", "quantity": each} for each in quantities])
    found = [line.price for line in tried(above=above).price(order)["Q"].lines]
    reached = (lambda value, least: value > least) if above else (lambda value, least: value >= least)
    expected = [
        D("3.00") if reached(abs(each), 100) else D("4.00") if reached(abs(each), 50) else D("5.00")
        for each in quantities
    ]
    assert found == expected


def test_without_a_value_only_a_row_without_a_break_answers():
    calculation = tried().price(dokima.Order("Q", lines=[{"item": "PANE"}]))
    assert calculation["Q"].totals.payable is None


def test_it_is_said_wherever_the_row_is_told():
    book_ = tried()
    order = dokima.Order("Q", lines=[{"item": "PANE", "quantity": 50}])
    told = dokima.report(book_.explain(order, 10), technical=True).text
    assert "above over 50, not 50" in told
    more = dokima.Order("Q", lines=[{"item": "PANE", "quantity": 51}])
    won = dokima.report(book_.explain(more, 10)).text
    assert "above over 50" in won
    spec = dokima.report(book_).text
    assert "It counts once the quantity of the line, whatever its sign, is above its ‘over’" in " ".join(spec.split())


def test_a_list_of_prices_says_above():
    rows = tried(places=0).price_list(item="PANE", date=DAY).rows
    assert [(row.quantity, row.above, row.price) for row in rows] == [
        (D(1), None, D("5.00")), (D(51), D(50), D("4.00")), (D(101), D(100), D("3.00")),
    ]  # fmt: skip
    listed = dokima.report(tried().price_list(item="PANE", date=DAY)).text
    assert "above 50" in listed
    assert "above 100" in listed


def test_cases_and_changes_of_its_rows_are_found():
    """A break moved by one is another price for some order, and suggestions reach it on both sides."""
    rows = [ROWS[0], {**ROWS[1], "over": "51"}, ROWS[2]]
    changes = tried(places=0).compare(tried(places=0, rows=rows))
    assert any("a break moved from 50 to 51" in str(change.said) for change in changes.changes)


def test_a_comparison_says_it_in_words():
    old, new = tried(above=False), tried()
    said = [change.said for change in old.compare(new).changes if change.path.startswith("table.")]
    assert said == ["the table price: a row counts only above its over, no longer from it on"]
    said = [change.said for change in new.compare(old).changes if change.path.startswith("table.")]
    assert said == ["the table price: a row counts from its over on, no longer only above it"]
    dearest = tried(window={"from": "since", "on": "header.date"}, rows=[{**row, "since": ""} for row in ROWS])
    paths = {change.path: change.said for change in new.compare(dearest).changes}
    assert paths["table.price.window"] == ""  # a setting of a table that was there before is no new table


@pytest.mark.parametrize(
    ("settings", "message"),
    [
        (
            {"graduated": True},
            "table.price: a band of a graduated price ends where the next begins: 'above' changes nothing",
        ),
        ({"breaks": {"over": {"above": True}}}, r"table.price.breaks.over.of: "),
        ({"breaks": {"over": {"of": "line.quantity", "abve": True}}}, r"table.price.breaks.over.abve"),
        ({"breaks": {"over": {"of": "line.quantity", "above": "yes"}}}, r"table.price.breaks.over.above: "),
        ({"breaks": {"over": {"of": "line.qantity", "above": True}}}, r"table.price.breaks.over: .*line.qantity"),
    ],
)
def test_what_cannot_be_is_refused_with_its_place(settings, message):
    with pytest.raises(dokima.RulebookError, match=message):
        tried(**settings)


def test_a_break_without_it_is_what_it_was():
    plain = {**{"key": {"item": "line.item"}, "choose": "highest over"}, "breaks": {"over": "line.quantity"}}
    old = book(table={"price": plain}, tables={"price": ROWS}, line={"quantity": {"kind": "decimal", "places": 3}},
               routine={"sales": {"step": [PRICE]}})  # fmt: skip
    assert old.fingerprint == tried(above=False).fingerprint != tried().fingerprint
    assert price_of(old, 50) == D("4.00")
