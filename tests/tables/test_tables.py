"""Tables: which row answers, why the others lost, and what is refused when a rulebook loads."""

from datetime import date, timedelta
from decimal import ROUND_05UP, Decimal
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, book, routine

D = Decimal
DAY = date(2026, 3, 2)

TERMS: dict[str, Any] = {
    "match": {"customer": "header.customer", "item": "line.item", "colour": "line.colour"},
    "window": {"from": "since", "until": "until", "on": "header.date"},
    "breaks": {"least": "line.quantity"},
    "choose": ["lowest price / base"],
    "columns": {"price": {"kind": "decimal"}, "base": {"kind": "decimal", "default": 1}},
}
PRICED = routine({"name": "price", "kind": "price", "options": [{"value": "terms.price", "base": "terms.base"}]})


def terms_book(rows: list[dict[str, Any]], **changes: Any) -> dokima.Rulebook:
    return book({"terms": rows}, **FIELDS, table={"terms": {**TERMS, **changes}}, routine=PRICED)


def row(price: Any, **cells: Any) -> dict[str, Any]:
    names = ("customer", "item", "colour", "since", "until", "least", "base")
    return {**dict.fromkeys(names), "price": price, **cells}


def fits(line: dict[str, Any], header: dict[str, Any], terms: dict[str, Any]) -> bool:
    """The ten slow lines of the oracle: does this row fit this line?"""
    for name, value in (("customer", header["customer"]), ("item", line["item"]), ("colour", line["colour"])):
        if terms[name] is not None and (value is None or value not in terms[name].split("|")):
            return False
    day, since, until = header["date"], terms["since"], terms["until"]
    if day is None and (since or until):
        return False
    if (since and day < since) or (until and day > until):
        return False
    return terms["least"] is None or (line["quantity"] is not None and abs(line["quantity"]) >= terms["least"])


days = st.one_of(st.none(), st.integers(-2, 2).map(lambda n: DAY + timedelta(days=n)))
rows = st.lists(
    st.fixed_dictionaries(
        {
            "customer": st.sampled_from([None, "A", "B", "A|B"]),
            "item": st.sampled_from([None, "X", "Y", "X|Z"]),
            "colour": st.sampled_from([None, "red"]),
            "since": days,
            "until": days,
            "least": st.sampled_from([None, D(0), D(2), D("2.5"), D(5)]),
            "price": st.sampled_from([D("1.5"), D(2), D(150), D(200), D(0), None]),
            "base": st.sampled_from([None, D(1), D(100), D(3)]),
        }
    ),
    max_size=12,
)
lines = st.lists(
    st.fixed_dictionaries(
        {
            "item": st.sampled_from(["X", "Y", "Z", None]),
            "colour": st.sampled_from(["red", "blue", None]),
            "quantity": st.sampled_from([None, D(0), D(1), D(2), D("2.5"), D(-5), D(7)]),
        }
    ),
    min_size=1,
    max_size=5,
)


@given(rows, lines, st.sampled_from(["A", "B", "C", None]), st.sampled_from([DAY, DAY + timedelta(days=1), None]))
def test_the_row_that_answers_is_that_of_a_plain_search(table, document, customer, day):
    """Every generated table and order against a search of all rows, ties included: by itself, and among many."""
    headers = [{"customer": customer, "date": day}, {"customer": "A", "date": DAY}, {"customer": "B", "date": None}]
    many = {f"O{at}": headers[at % 3] for at in range(60)}  # a handful of lines is looked up in another way
    terms = terms_book(table)

    def worth(terms: dict[str, Any]) -> tuple[bool, Any]:
        return (terms["price"] is None, None if terms["price"] is None else terms["price"] / (terms["base"] or D(1)))

    def expected(line: dict[str, Any], header: dict[str, Any]) -> Decimal | None:
        fitting = [terms for terms in table if fits(line, header, terms)]
        best = min(fitting, key=lambda terms: (worth(terms)[0], worth(terms)[1] or 0), default=None)
        price = None if best is None or best["price"] is None else best["price"] / (best["base"] or D(1))
        # A unit price that does not end is kept with 12 places, ROUND_05UP.
        return None if price is None else price.quantize(D("1e-12"), ROUND_05UP)

    for batch in ({"O0": headers[0]}, many):
        orders = [dokima.Order(number, lines=document, **header) for number, header in batch.items()]
        for priced in terms.price(orders):
            wanted = [expected(line, batch[priced.number]) for line in document]
            assert [line.figure("price") for line in priced.lines] == wanted


def test_a_price_per_hundred_is_a_decimal_with_the_places_it_needs():
    """4,460 per 100 is 44.6, and the prices beside it have no more places than they need."""
    terms = terms_book([row(D("4460.00"), item="X", base=D(100)), row(D("44.25"), item="Y", base=D(1))])
    lines = [{"item": item, "quantity": 3} for item in ("X", "Y")]
    calculation = terms.price(dokima.Order("O", lines=lines, customer="A", date=DAY))

    assert calculation.figure_texts("price") == ["44.60", "44.25"]
    assert calculation.figure_texts("net") == ["133.80", "132.75"]
    assert str(calculation.to_arrow().schema.field("price").type) == "decimal128(38, 2)"


def test_a_window_asked_with_the_blank_literal_fits_rows_without_bounds():
    table = [row(D(3), item="X", since=DAY), row(D(4), item="Y")]
    terms = terms_book(table, window={"from": "since", "until": "until", "on": "''"})
    for count in (1, 30):
        lines = [{"item": item, "quantity": 1} for item in ("X", "Y") for _ in range(count)]
        calculation = terms.price(dokima.Order("O", lines=lines, customer="A", date=DAY))
        assert calculation.figure_texts("price") == [None] * count + ["4.00"] * count


def answers(table: list[dict[str, Any]], quantity: Any = 10, **choices: Any) -> str | None:
    """The price that wins for one line of item X, customer A, colour red."""
    line = {"item": "X", "colour": "red", "quantity": quantity}
    calculation = terms_book(table, **choices).price(dokima.Order("O", lines=[line], customer="A", date=DAY))
    price = calculation["O"].line(10).figure("price")
    return None if price is None else str(price)


@pytest.mark.parametrize(
    ("choose", "expected"),
    [
        (["lowest price"], "2.00"),
        (["highest price"], "900.00"),
        (["lowest price / base"], "2.00"),
        (["latest since"], "5.00"),
        (["earliest since", "highest price"], "4.00"),
        (["highest least"], "7.00"),
        (["lowest least", "highest price"], "5.00"),  # an empty cell loses, so 2 beats none
        (["most specific"], "4.00"),  # customer is further left than item and colour
        (["highest least", "most specific"], "7.00"),
    ],
)
def test_every_criterion(choose, expected):
    """Six rows that all fit; by hand, the one each criterion prefers."""
    table = [
        row("900", since="2026-01-01", base="100"),
        row("4", customer="A", since="2025-01-01"),
        row("5", item="X", colour="red", since="2026-02-01", least=2),
        row("2", colour="red"),
        row("7", item="X", least="9.5"),
        row("7", least="9.5"),
    ]
    if expected == "900.00":
        expected = "9.00"  # the price itself is divided by its base
    assert answers(table, choose=choose) == expected


def test_edges_of_windows_and_breaks():
    one_day = row("3", since=DAY, until=DAY)
    assert answers([one_day]) == "3.00"
    assert answers([row("3", since=DAY + timedelta(days=1))]) is None
    assert answers([row("3", until=DAY - timedelta(days=1))]) is None
    assert answers([row("3", since=date(1, 1, 1), until=date(9999, 12, 31))]) == "3.00"
    assert answers([row("3", least=10)]) == "3.00"
    assert answers([row("3", least="10.001")]) is None
    assert answers([row("3", least=10)], quantity=-10) == "3.00"
    assert answers([]) is None


def test_equal_rows_zero_blank_and_exact_prices():
    assert answers([row("2", colour="red"), row("2", item="X")]) == "2.00"
    assert answers([row("0"), row("1")]) == "0.00"
    assert answers([row(None), row("1")]) == "1.00"
    assert answers([row(None)]) is None
    assert answers([row("0.123456")]) == "0.123456"
    assert answers([row("18.75", base=100)]) == "0.1875"
    assert answers([row("1", item="x"), row("1", item="X ")]) is None  # keys are exact


def explained(table: list[dict[str, Any]]) -> dict[int, tuple[str, str]]:
    line = {"item": "X", "colour": "red", "quantity": 10}
    found = terms_book(table).explain(dokima.Order("O", lines=[line], customer="A", date=DAY), 10, "price")
    (answer,) = found.step("price").answers
    return {each.number: (each.reason, each.detail) for each in answer.candidates}


def test_each_loser_has_one_reason():
    """The first of match, window, break, choose and file order."""
    table = [
        row("2", item="X", since="2026-03-01", least=5),
        row("1", item="X", customer="B"),
        row("1", item="X", until="2026-03-01"),
        row("1", item="X", least=11),
        row("3", item="X"),
        row("200", item="X", base=100),
        row("9", item="Y"),
    ]
    reasons = explained(table)

    assert reasons == {
        2: ("won", ""),
        3: ("match", "for customer B, not A"),
        4: ("window", "valid until 2026-03-01, not on 2026-03-02"),
        5: ("break", "from least 11 on, not 10"),
        6: ("choose", "lowest price / base: row 2 is better"),
        7: ("file order", "equal to row 2, which stands above it"),
    }


def test_a_table_may_read_other_tables_and_numbers_dates_and_flags_are_keys():
    chain = {
        "contract": {"key": {"number": "header.credit"}},
        "section": {"key": {"contract": "contract.code", "from": "header.due", "urgent": "header.rush"}},
        "schedule": {"key": {"section": "section.code", "line": "line.number"}},
    }
    tables = {
        "contract": [{"number": "7.50", "code": "K"}, {"number": "8", "code": "L"}],
        "section": [{"contract": "K", "from": "2026-03-02", "urgent": "true", "code": "S1"}],
        "schedule": [{"section": "S1", "line": "10", "rate": "12.5"}, {"section": "S1", "line": "20", "rate": "99"}],
    }
    priced = routine({"name": "price", "kind": "price", "options": [{"value": "schedule.rate"}]})
    tried = book(tables, **FIELDS, table=chain, routine=priced)
    header = {"credit": "7.5", "due": DAY, "rush": True}
    found = tried.price(dokima.Order("O", lines=[{"quantity": 2}, {"quantity": 1}], **header))

    assert [line.figure("amount") for line in found["O"].lines] == [D("25.00"), D("99.00")]
    lost = tried.price(dokima.Order("O", lines=[{"quantity": 2}], **{**header, "credit": "7.51"}))
    assert [f.message for f in lost.findings] == ["no price: tried table contract has no row that fits"]


def refused(tables: dict[str, Any] | None = None, **table: Any) -> list[str]:
    with pytest.raises(dokima.RulebookError) as caught:
        book({"terms": [], **(tables or {})}, **FIELDS, table={"terms": {**TERMS, **table}}, routine=PRICED)
    return [str(problem).splitlines()[0] for problem in caught.value.problems]


def test_every_bad_cell_is_reported_with_row_and_column():
    bad = [row("abc", since="2026-02-30"), row("1", least="many", until="soon"), row("1", base=True)]

    assert refused({"terms": bad}) == [
        "row 2 column since, table.terms: expected a date such as 2026-03-02 (got '2026-02-30')",
        "row 3 column until, table.terms: expected a date such as 2026-03-02 (got 'soon')",
        "row 3 column least, table.terms: expected a number such as 44.25 (got 'many')",
        "row 4 column base, table.terms: expected an exact number (got the flag True); pass it as text or Decimal",
        "row 2 column price, table.terms: expected a number such as 44.25 (got 'abc')",
    ]


def test_definitions_that_cannot_work():
    good = [row("1"), row("2")]
    assert refused({"terms": good}, choose=[]) == [
        "table.terms.choose: expected criteria such as 'lowest price', because more than one row can fit a line"
    ]
    assert refused({"terms": good}, choose=["cheapest price"])[0].startswith("table.terms.choose.0: expected 'lowest")
    assert (
        "the table has no column 'prise'; did you mean 'price'?" in refused({"terms": good}, choose=["lowest prise"])[0]
    )
    assert refused({"terms": good}, window={"from": "sinse", "on": "header.date"}) == [
        "table.terms: expected a column 'sinse' (there is none; did you mean 'since'?)"
    ]
    same = [{"item": "A", "list_price": 1}, {"item": "B", "list_price": 1}, {"item": "A", "list_price": 2}]
    with pytest.raises(
        dokima.RulebookError, match="row 4 column item, table.item: expected each key once .row 2 has the same"
    ):
        book({"item": same})
    with pytest.raises(dokima.RulebookError, match=r"has the same; choose = \['highest list_price'\] would say which"):
        book({"item": same}, table={"item": {"key": {"item": "line.item"}, "breaks": {"list_price": "line.quantity"}}})
    with pytest.raises(dokima.RulebookError, match="tables read each other in a circle: a -> b -> a"):
        book(
            {"a": [{"k": 1, "x": 1}], "b": [{"k": 1, "x": 1}]},
            table={"a": {"key": {"k": "b.x"}}, "b": {"key": {"k": "a.x"}}},
        )


def test_found_required_and_defaults():
    """``found`` asks whether there is a row; a default stands in for an empty cell and for a missing row alike."""
    table = {
        "extra": {"key": {"item": "line.item"}, "required": True, "columns": {"fee": {"kind": "decimal", "default": 3}}}
    }
    steps = routine(
        {"name": "fee", "kind": "charge", "amount": "extra.fee"},
        {"name": "known", "kind": "figure", "value": "1 if found(extra) else 0"},
    )
    tried = book({"extra": [{"item": "X", "fee": None}, {"item": "Y", "fee": 5}]}, table=table, routine=steps)
    found = tried.price(dokima.Order("O", lines=[{"item": i, "quantity": 1} for i in ("X", "Y", "Z")]))

    assert [(line.figure("fee"), line.figure("known")) for line in found["O"].lines] == [(3, 1), (5, 1), (3, 0)]
    assert [(f.rule, f.line, f.message) for f in found.findings] == [
        ("table.extra", "30", "table extra has no row for item Z")
    ]


def test_a_large_table_of_many_keys_answers_like_a_small_one():
    """Keys too many to list one by one are searched instead; the answers are the same."""
    size = 3000
    names = [f"C{n}" for n in range(size)]
    rng = np.random.default_rng(5)
    table = [row(str(n), customer=names[n], item=f"I{rng.integers(size)}") for n in range(size)]
    picked = [int(n) for n in rng.integers(size, size=20)]
    orders = [
        dokima.Order(f"O{k}", lines=[{"item": table[n]["item"], "quantity": 1}], customer=names[n], date=DAY)
        for k, n in enumerate(picked)
    ]
    calculation = terms_book(table).price(orders)

    assert [order.line(10).figure("price") for order in calculation] == [D(n) for n in picked]


SCALE = [
    {"item": "PANE", "least": 20, "price": "3.00"},
    {"item": "PANE", "least": 0, "price": "5.00"},
    {"item": "PANE", "least": 10, "price": "4.00"},
    {"item": "VENT", "least": None, "price": "100", "base": 3},
    {"item": "VENT", "least": "2.5", "price": "10", "base": 1},
    {"item": "DAY", "least": 5, "price": "1"},
]
SCALE = [{"base": 1, **row} for row in SCALE]
GRADED = {
    "scale": {
        "match": {"item": "line.item"},
        "breaks": {"least": "line.quantity"},
        "graduated": True,
    }
}


def graded(item: str, quantity: Any, table: dict[str, Any] = GRADED) -> tuple[str | None, str | None, list[str]]:
    steps = routine(
        {"name": "price", "kind": "price", "options": [{"amount": "scale.amount"}, {"value": "item.list_price"}]}
    )
    tried = book({"scale": SCALE}, table=table, routine=steps)
    calculation = tried.price(dokima.Order("A", lines=[{"item": item, "quantity": quantity}]))
    line = calculation["A"].line(10)
    return str(line.figure("amount")), str(line.figure("price")), [f.message for f in calculation.findings]


def test_graduated_bands_are_continuous():
    """25 at 5.00, from 10 at 4.00, from 20 at 3.00: 50 + 40 + 15; edges belong to both; returns mirror."""
    assert [graded("PANE", q)[0] for q in (25, 20, 10, "9.5", 0, -25)] == [
        "105.00",
        "90.00",
        "50.00",
        "47.50",
        "0.00",
        "-105.00",
    ]
    assert graded("PANE", 25)[1] == "4.20"
    assert graded("PANE", 0)[1:] == ("None", [])
    # 2.5 x 33.333... = 83.33...; two more at 10
    assert [graded("VENT", q)[0] for q in ("2.5", "4.5")] == ["83.33", "103.33"]
    # No band from 0 on, so no answer: the next option is tried.
    assert graded("DAY", 7)[:2] == ("4480.00", "640.00")


def test_a_quantity_at_a_break_needs_no_price_of_that_band():
    """5 at 5.00, 7 at 4.00, and from 12 on nothing: 12 come to 25 + 28; a piece more has no price."""
    rows = [{"item": "PANE", "least": least, "price": price} for least, price in ((0, "5"), (5, "4"), (12, None))]
    steps = routine({"name": "price", "kind": "price", "options": [{"amount": "scale.amount"}, {"value": "99"}]})
    tried = book({"scale": rows}, table=GRADED, routine=steps)
    lines = [{"item": "PANE", "quantity": quantity} for quantity in (12, -12, 5, 13)]
    assert [str(line.figure("amount")) for line in tried.price(dokima.Order("A", lines=lines))["A"].lines] == [
        "53.00", "-53.00", "25.00", "1287.00",
    ]  # fmt: skip


@given(
    st.lists(st.tuples(st.integers(0, 30), st.integers(0, 9)), min_size=1, max_size=6, unique_by=lambda band: band[0]),
    st.integers(-60, 60),
)
def test_graduated_amounts_against_a_walk_over_single_pieces(bands, quantity):
    """Each piece costs the price of the band it lies in; a walk piece by piece gives the same sum."""
    scale = [{"item": "PANE", "least": least, "price": price} for least, price in bands]
    steps = routine(
        {"name": "price", "kind": "price", "options": [{"value": "1"}]},
        {"name": "sum", "kind": "figure", "value": "scale.amount"},
    )
    calculation = book({"scale": scale}, table=GRADED, routine=steps).price(
        dokima.Order("A", lines=[{"item": "PANE", "quantity": quantity}])
    )
    found = calculation["A"].line(10).figure("sum")

    if min(least for least, _ in bands) > 0:
        assert found is None
        return
    walked = sum(dict(bands)[max(least for least, _ in bands if least <= piece)] for piece in range(abs(quantity)))
    assert found == (walked if quantity >= 0 else -walked)


def test_graduated_tables_that_cannot_work():
    two = {"scale": {**GRADED["scale"], "breaks": {"least": "line.quantity", "price": "line.quantity"}}}
    with pytest.raises(dokima.RulebookError, match="expected exactly one break to grade by .got 2."):
        graded("PANE", 1, two)
    with pytest.raises(dokima.RulebookError, match="expected either 'value', a price, or 'amount'"):
        book(routine=routine({"name": "price", "kind": "price", "options": [{"value": "1", "amount": "2"}]}))


def test_headings_that_are_values_are_a_column_of_their_own():
    """A list by group, and one by quantity; an empty cell is no price, and rows that are spread already stay so."""
    data = {"rulebook": {"name": "wide", "currency": "EUR"}, "line": {"group": {}}}
    data["table"] = {
        "groups": {"match": {"item": "line.item", "group": "line.group"}, "beside": "€",
                   "spread": {"headings": "group", "cells": "price", "of": ["A", "B"]}},
        "scale": {"key": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": "highest least",
                  "spread": {"headings": "least", "cells": "price", "of": {"from 1": 1, "from 10": 10}}},
    }  # fmt: skip
    options = [{"value": "scale.price"}, {"value": "groups.price"}]
    data["routine"] = {"all": {"step": [{"name": "price", "kind": "price", "options": options}]}}
    groups = [{"item": "P", "A": "10 €", "B": "9,00 €"}, {"item": "Q", "A": None, "B": "5"}]
    data["table"]["groups"]["decimal"] = ","
    scale = [{"item": "S", "from 1": D("3"), "from 10": D("2.50")}]
    book = dokima.Rulebook.from_dict(data, tables={"groups": groups, "scale": scale})
    lines = [("P", "A", 1), ("P", "B", 1), ("Q", "A", 1), ("Q", "B", 1), ("S", None, 9), ("S", None, 10)]
    order = dokima.Order("1", lines=[{"item": item, "group": group, "quantity": of} for item, group, of in lines])
    assert [line.price for line in book.price(order)["1"].lines] == [D(10), D(9), None, D(5), D(3), D("2.5")]
    told = dokima.report(book.explain(order, 60)).text
    assert "scale for item S, from least 10 (row 2)\n" in told
    assert "not row 2 (price 3): highest least: row 2 is better" in told
    assert "groups" not in told
    assert [row.quantity for row in book.price_list(item="S", date=date(2026, 3, 2)).rows] == [1, 10]
    spread = [{"item": "S", "least": 1, "price": 4}]
    assert book.what_if(tables={"scale": spread}).price(order)["1"].line(60).price == 4
    with pytest.raises(dokima.RulebookError, match="table.scale: expected a column 'from 10' .there is none"):
        book.what_if(tables={"scale": [{"item": "S", "from 1": 4}]})
