"""Orders in: numbers, fields, absent and blank, and every problem in one pass."""

from datetime import date, datetime
from decimal import Decimal

import pandas as pd
import pyarrow as pa
import pytest

import dokima
from dokima.model.addresses import next_number, read_address, write_address
from tests.books import FIELDS, book, routine

D = Decimal
FIELDS_WITH_DEFAULTS = {
    "header": {
        **FIELDS["header"],
        "customer": {"required": True},
        "channel": {"choices": ["shop", "web"], "default": "'shop' if blank(header.country) else 'web'"},
    },
    "line": {
        **FIELDS["line"],
        "quantity": {"kind": "decimal", "places": 2},
        "colour": {"default": "'green'"},
        "boxes": {"kind": "integer", "default": "ceil(line.quantity / line.per_box)"},
        "per_box": {"kind": "integer", "default": "12"},
        "measured": {"kind": "decimal", "places": 1, "floats": "round"},
    },
}
BOOK = book(**FIELDS_WITH_DEFAULTS, routine=routine())


def problems(*orders: dict) -> list[str]:
    return [str(problem) for problem in BOOK.orders(list(orders)).problems]


def test_line_numbers_are_addresses():
    assert [read_address(n) for n in ("10", 10, "10/20", " 0010 ")] == [(10,), (10,), (10, 20), (10,)]
    assert write_address((10, 20, 5)) == "10/20/5"
    assert [next_number([]), next_number([(10,), (24,)]), next_number([(10,), (10, 10)], (10,))] == [
        (10,),
        (30,),
        (10, 20),
    ]
    for bad in ("", "A", "10/", "-1", 1.5, True, None):
        with pytest.raises(ValueError, match="expected a line number such as 10 or 10/20"):
            read_address(bad)


def test_an_order_numbers_its_lines_and_reads_back_what_it_wrote():
    order = dokima.Order("A", customer="X", lines=[{"item": "P"}, {"number": 35}, {"item": "Q"}])

    assert [line.number for line in order.lines] == ["10", "35", "40"]
    assert dokima.Order.from_dict(order.to_dict()) == order
    assert order.line(35)["number"] == "35"
    with pytest.raises(dokima.NotFound, match="order A has no line 45"):
        order.line("45")


def test_every_problem_of_every_order_in_one_pass():
    """Orders with a problem are set aside whole; the good one between them goes on."""
    found = problems(
        {"number": "A", "customer": "X", "colr": "x", "lines": [{"quantity": "1,5", "boxes": 1.5}, {"quantty": 1}]},
        {"number": "B", "customer": "X", "lines": [{"quantity": 1}]},
        {"number": "C", "lines": [{"quantity": "1.005"}, {"number": "ten"}]},
        {"number": "B", "customer": "", "rush": "yes", "channel": "post", "due": "02.03.2026", "lines": []},
        {
            "customer": "X",
            "lines": [{"number": 10}, {"number": "10"}, {"number": "20/10"}],
            "payments": [{"amount": "x"}],
        },
    )

    assert found == [
        "order A, colr: expected a known header field (got 'colr')",
        "order A, line 10, quantity: expected a number such as 44.25 (got '1,5')",
        "order A, line 10, boxes: expected an exact number (got the binary float 1.5); pass it as text or "
        'Decimal, or say floats = "round" and places for it',
        "order A, line 20, quantty: expected a known line field (got 'quantty'; did you mean 'quantity'?)",
        "order C, customer: expected a value for customer (it is not given)",
        "order C, line 10, quantity: expected at most 2 decimal places (got 1.005)",
        "order C, line ten, number: expected a line number such as 10 or 10/20 (got 'ten')",
        "order B, number: expected each order number once (got 'B' again)",
        "order B, customer: expected a value for customer (got a blank)",
        "order B, rush: expected true or false (got 'yes')",
        "order B, channel: expected one of shop, web (got 'post')",
        "order B, due: expected a date such as 2026-03-02 (got '02.03.2026')",
        "number: expected an order number (got a blank)",
        "line 10, number: expected each line number once in an order (got 10 again)",
        "payments: amount: expected a number such as 44.25 (got 'x')",
        "line 20/10, number: expected a line 20 above sub-line 20/10 (there is none)",
    ]
    good = BOOK.orders([{"number": "A", "lines": []}, {"number": "B", "customer": "X", "lines": [{"quantity": 1}]}])
    assert (good.numbers, [p.order for p in good.problems]) == (["B"], ["A"])
    with pytest.raises(dokima.DocumentError, match="order A, customer: expected a value"):
        BOOK.orders({"number": "A", "lines": []}, strict=True)


def test_absent_takes_the_default_and_blank_stays_blank():
    """Defaults fill absent fields in the order of what they read; null and '' stay blank."""
    lines = [
        {"quantity": 30},
        {"quantity": 30, "per_box": 10},
        {"quantity": 30, "colour": None},
        {"quantity": 30, "colour": ""},
    ]
    order = BOOK.price({"number": "A", "customer": "X", "country": "NL", "lines": lines})["A"]

    assert [(line.colour, line.boxes) for line in order.lines] == [("green", 3), ("green", 3), (None, 3), (None, 3)]
    assert order.header("channel") == "web"
    assert BOOK.price({"number": "B", "customer": "X"})["B"].header("channel") == "shop"


def test_defaults_in_a_circle_name_the_circle():
    with pytest.raises(dokima.RulebookError, match="defaults read each other in a circle: line.a -> line.b -> line.a"):
        book(line={"a": {"default": "line.b"}, "b": {"default": "line.a"}})


def test_values_of_every_kind():
    document = {
        "number": 7, "customer": "X", "rush": "True", "due": datetime(2026, 3, 2), "credit": D("1E+2"),
        "lines": [{"quantity": " 2.50 ", "boxes": "3", "measured": 2.25, "delivered": 1}],
    }  # fmt: skip
    orders = BOOK.orders(document)

    assert orders.problems == ()
    (read,) = orders.documents()
    assert read == {
        "number": "7", "customer": "X", "rush": True, "due": date(2026, 3, 2), "credit": D(100),
        "lines": [{"number": "10", "quantity": D("2.5"), "boxes": D(3), "measured": D("2.3"), "delivered": D(1)}],
    }  # fmt: skip


def test_data_frames_in_and_out():
    """Two frames linked by order number; results keep the caller's rows, exact as Arrow decimals."""
    headers = pd.DataFrame({"order": ["B", "A"], "customer": ["X", "Y"], "due": pd.to_datetime(["2026-03-02", None])})
    lines = pd.DataFrame(
        {
            "order": ["A", "B", "A"],
            "line": [20, 10, 10],
            "quantity": pd.array([D("1.5"), D("2"), None], dtype=pd.ArrowDtype(pa.decimal128(10, 2))),
            "price_override": ["10", "20", "30"],
        }
    )
    calculation = BOOK.price((headers, lines))

    frame = calculation.lines
    assert list(frame["order"]) == ["A", "B", "A"]
    assert list(frame["line"]) == ["20", "10", "10"]
    assert frame["net"].dtype == pd.ArrowDtype(pa.decimal128(38, 2))
    assert list(frame["net"][:2]) == [D("15.00"), D("40.00")]
    assert pd.isna(frame["net"][2])
    assert list(calculation.headers["with_tax"][:1]) == [D("40.00")]
    flat = lines.assign(customer=["Y", "X", "Y"])
    assert BOOK.price(flat)["B"].totals == calculation["B"].totals
    lost = BOOK.orders((headers, lines.assign(order=["A", "B", "C"])))
    assert [str(p) for p in lost.problems] == [
        "lines row 4, order C, order: expected the number of an order in headers (got 'C')"
    ]


def test_selecting_orders_keeps_their_lines_together():
    orders = BOOK.orders(
        [{"number": n, "customer": n, "lines": [{"quantity": q} for q in range(k)]} for k, n in enumerate("ABC")]
    )

    assert [d["number"] for d in orders.part(1, 3).documents()] == ["B", "C"]
    assert list(orders.pieces(1)) == [(0, 2), (2, 3)]
    assert orders.position("C") == 2
    with pytest.raises(dokima.NotFound, match="there is no order D"):
        orders.position("D")


@pytest.mark.parametrize("readable", [["A"], ["A", "B"]])
def test_who_names_an_order_is_not_told_what_is_wrong_with_others(readable):
    """Whether or not it is the only one that can be read."""
    lines = [{"item": "PANE", "quantity": 1}]
    documents = [dokima.Order(number, lines=lines) for number in readable]
    orders = book().orders([*documents, dokima.Order("Z", lines=[{"item": "PANE", "quantity": "many"}])])
    chosen = orders.choose(["A"])
    assert (chosen.numbers, chosen.problems) == (["A"], ())
    with pytest.raises(dokima.DocumentError, match="order Z, line 10, quantity: expected a number"):
        orders.choose(["A", "Z"])
