"""Input that means harm, or was never meant for us: an error of ours that says where, never another exception."""

from decimal import Decimal

import pytest

import dokima
from tests.books import DEMO

BOOK = dokima.load(DEMO)
HEADER = {"kind": "sales", "customer": "FERNHOLT", "date": "2026-03-02", "pick_up": True, "currency": "EUR"}


def editor():
    return BOOK.edit(dokima.Order("A", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER), by="Ada")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[" * 2000 + "]" * 2000, "expected JSON that is nested less deeply|expected an order as a mapping of fields"),
        ('{"lines":' + "[" * 100_000 + "]" * 100_000 + "}", "expected JSON that is nested less deeply"),
        ('{"x":' + "9" * 5000 + "}", "expected JSON with shorter numbers"),
        ('{"x":1e99999999999999999999}', "expected a number with a shorter exponent .got 1e9999"),
        ('{"number":"A\\ud800"}', "expected whole characters .got half of a surrogate pair"),
        ('{"number":"A","number":"B"}', "number: expected each name once in an object .got it twice"),
        ('{"number":NaN}', "expected a number .got NaN"),
    ],
)
def test_json_that_no_order_needs(text, said):
    with pytest.raises(dokima.DocumentError, match=said):
        dokima.Order.from_json(text)


def test_numbers_that_no_order_needs_are_findings_and_neighbours_go_on():
    for number in ("1e200000000", "1e-200000000", "9" * 101):
        wrong = dokima.Order.from_json(f'{{"number":"A","lines":[{{"item":"CLIP-S","quantity":{number}}}]}}')
        fine = dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER)
        found = BOOK.price([wrong, fine])
        assert any("expected a number of at most 100 digits" in each.message for each in found.findings.of("A"))
        assert found["B"].totals.payable is not None


@pytest.mark.parametrize("places", [1, 18, 19, 20, 38, 60])
@pytest.mark.parametrize("digits", [1, 12, 22])
def test_magnitudes_and_places_beyond_any_currency(places, digits):
    """A line with such a price is priced exactly, and so is its neighbour: 0.29 for a clip, freight and tax included."""
    price = f"{'9' * digits}.{'0' * (places - 1)}1"
    line = {"item": "CLIP-S", "quantity": 3, "price_override": price, "override_reason": "x", "unit_price": price}
    found = BOOK.price(
        [
            dokima.Order("A", lines=[line], **HEADER),
            dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER),
        ]
    )
    alone = BOOK.price(dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER))
    assert found["A"].line(10).price == Decimal(price)
    assert found["B"].totals == alone["B"].totals


@pytest.mark.parametrize(
    ("work", "error", "said"),
    [
        (lambda e: e.preview_line("x"), dokima.DocumentError, "expected a line number such as 10 or 10/20 .got 'x'"),
        (lambda e: e.move_to(5), dokima.NotFound, "there is no state '5'"),
        (lambda e: e.change_header(payments=5), dokima.DocumentError, "payments: expected a list of records .got 5"),
        (lambda e: e.change_header(payments=[5]), dokima.DocumentError, "payments: expected a list of records"),
        (lambda e: e.change_line(None, quantity=1), dokima.NotFound, "order A has no line None"),
        (lambda e: e.add_line(quantity=[1]), dokima.DocumentError, r"expected a number .got \[1\]"),
    ],
)
def test_arguments_of_a_wrong_kind_leave_an_order_as_it_was(work, error, said):
    edited = editor()
    before = edited.order.to_dict()
    with pytest.raises(error, match=said):
        work(edited)
    assert edited.order.to_dict() == before


def test_rows_and_messages_that_say_nothing():
    with pytest.raises(dokima.RulebookError, match="table.item: expected rows with columns"):
        BOOK.with_tables(item=[{}])
    rule = {"id": "a", "at": "save", "require": "True", "message": "{" + " " * 20_000 + "x" + " " * 20_000 + "}"}
    with pytest.raises(dokima.RulebookError, match="rule.a.message: a formula may have at most 2000 characters"):
        dokima.Rulebook.from_dict({"rulebook": {"name": "r"}, "rule": [rule]})
