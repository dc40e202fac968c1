"""Steps worked out once for the order: figures by hand, and the identities as properties."""

from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, book, routine

D = Decimal
TAX = {"name": "vat", "kind": "tax", "percent": "21"}


def priced(
    lines: list[dict[str, Any]], *steps: dict[str, Any], **header: Any
) -> tuple[dokima.PricedOrder, list[tuple[str, str]]]:
    """Lines whose price is 1, so that quantities are amounts."""
    tried = book(**FIELDS, routine=routine(*steps, TAX))
    calculation = tried.price(dokima.Order("A", lines=lines, **header))
    return calculation["A"], [(f.line, f.message) for f in calculation.findings]


def figures(order: dokima.PricedOrder, name: str) -> list[str]:
    return [str(line.figure(name)) for line in order.lines]


REBATE = {"name": "rebate", "kind": "discount", "percent": 5, "over": "order"}
FREIGHT = {"name": "freight", "kind": "charge", "amount": "10", "over": "order", "share": "line.weight"}


def test_an_order_rebate_with_one_line_left_out():
    """5 % of 33.33 + 66.66 = 4.9995, rounded 5.00: 1.67 and 3.33 after truncation to 1.66 and 3.33; the third line is free of it."""
    lines = [
        {"quantity": "33.33", "fitted": False},
        {"quantity": "66.66", "fitted": False},
        {"quantity": 100, "fitted": True},
    ]
    order, found = priced(lines, {**REBATE, "where": "not line.fitted"})

    assert found == []
    assert figures(order, "rebate") == ["1.67", "3.33", "0.00"]
    assert figures(order, "net") == ["33.33", "66.66", "100.00"]
    assert figures(order, "without_tax") == ["31.66", "63.33", "100.00"]
    t = order.totals
    assert [str(v) for v in (t.line_net, t.allowances, t.charges, t.without_tax, t.tax, t.with_tax)] == [
        "199.99", "5.00", "0.00", "194.99", "40.95", "235.94",
    ]  # fmt: skip


def test_a_freight_with_a_minimum_free_from_a_threshold_shared_by_weight():
    freight = {**FREIGHT, "amount": "max(4.95, sum(line.weight) * 0.1)", "when": "sum(line.quantity) < 500"}
    lines = [{"quantity": 100, "weight": 1}, {"quantity": 100, "weight": 1}, {"quantity": 100, "weight": "5.5"}]
    order, _ = priced(lines, freight)
    assert figures(order, "freight") == ["0.66", "0.66", "3.63"]
    assert str(order.totals.charges) == "4.95"
    free, _ = priced([{**line, "quantity": 200} for line in lines], freight)
    assert (figures(free, "freight"), str(free.totals.charges)) == (["0.00"] * 3, "0.00")


def test_a_cent_over_a_hundred_lines():
    order, _ = priced([{"quantity": 1}] * 100, {"name": "cent", "kind": "discount", "amount": "0.01", "over": "order"})
    assert figures(order, "cent") == ["0.01"] + ["0.00"] * 99
    assert str(order.totals.without_tax) == "99.99"


def test_several_in_a_row_cap_and_per_unit():
    """10 % of 300 is 30, capped to 20: 5, 5, 10; then 0.05 a piece; then 2 % of what is left."""
    steps = (
        {**REBATE, "percent": 10, "cap": 20},
        {"name": "handling", "kind": "charge", "per_unit": "0.05", "over": "order"},
        {"name": "cash", "kind": "discount", "percent": 2, "over": "order"},
    )
    order, _ = priced([{"quantity": 75}, {"quantity": 75}, {"quantity": 150}], *steps)
    assert figures(order, "rebate") == ["5.00", "5.00", "10.00"]
    assert figures(order, "handling") == ["3.75", "3.75", "7.50"]
    # 2 % of 73.75, 73.75 and 147.50 is 1.475, 1.475 and 2.95: together 5.90; the cent goes to the earlier line
    assert figures(order, "cash") == ["1.48", "1.47", "2.95"]
    assert figures(order, "net") == ["75.00", "75.00", "150.00"]
    assert str(order.totals.without_tax) == "289.10"


def test_a_line_step_after_an_order_step_moves_the_net_again():
    order, _ = priced([{"quantity": 100}], {**REBATE, "percent": 10}, {"name": "fee", "kind": "charge", "percent": 1})
    assert [figures(order, n) for n in ("rebate", "fee", "net", "without_tax")] == [
        ["10.00"],
        ["0.90"],
        ["100.90"],
        ["90.90"],
    ]
    assert order.totals.without_tax == order.totals.line_net - order.totals.allowances


@pytest.mark.parametrize(
    ("lines", "step", "message"),
    [
        ([{"quantity": 1, "weight": 0}], FREIGHT, "no freight: there is no line, or only lines of weight 0, to share it over"),
        ([{"quantity": 1, "weight": 1}, {"quantity": 1, "weight": -1}], FREIGHT, "no freight: it cannot be shared by weights of both signs; share = "'"abs(line.weight)", share = "max(line.weight, 0)" or "where" says which lines bear how much'),
        ([{"quantity": 1}], FREIGHT, "no freight: line.weight is blank"),
        ([], FREIGHT, "no freight: there is no line, or only lines of weight 0, to share it over"),
        ([{"quantity": 1}], {**REBATE, "percent": "header.credit"}, "no rebate: header.credit is blank"),
        ([{"quantity": 1, "fitted": False}], {**REBATE, "percent": "header.credit", "where": "line.fitted"}, "no rebate: header.credit is blank"),
        ([{"quantity": 1}], {**REBATE, "when": "header.rush"}, "no rebate: header.rush is blank"),
        ([{"quantity": 1}], {**REBATE, "where": "line.fitted"}, "no rebate: line.fitted is blank"),
    ],
)  # fmt: skip
def test_what_cannot_be_shared_is_told_once_and_leaves_no_total(lines, step, message):
    order, found = priced(lines, step)
    assert found == [("", message)]
    assert order.totals.payable is None


def test_nothing_to_share_needs_no_weight_and_zero_weights_may_share_equally():
    assert priced([{"quantity": 1, "weight": 0}], {**FREIGHT, "amount": 0})[1] == []
    equal = {**FREIGHT, "if_no_share": "equal"}
    assert figures(priced([{"quantity": 1, "weight": 0}] * 3, equal)[0], "freight") == ["3.34", "3.33", "3.33"]
    assert priced([], {**FREIGHT, "amount": 0})[1] == []


def test_a_blank_price_is_told_once_and_a_rebate_larger_than_the_goods_is_taken_literally():
    order, found = priced([{"quantity": None}, {"quantity": 10}], REBATE)
    assert found == [("10", "no price: the quantity is blank")]
    order, _ = priced(
        [{"quantity": 10}, {"quantity": 30}], {"name": "gift", "kind": "discount", "amount": 50, "over": "order"}
    )
    assert figures(order, "without_tax") == ["-2.50", "-7.50"]
    assert str(order.totals.tax) == "-2.10"


@pytest.mark.parametrize(
    ("step", "message"),
    [
        ({**REBATE, "kind": "subtotal"}, "only discounts and charges are worked out for the order"),
        ({**REBATE, "percent": "line.quantity"}, "'percent' is worked out once per order"),
        ({**REBATE, "share": "line.weight"}, "'share' says how an amount is shared; this step has none"),
        ({**FREIGHT, "over": "line"}, "'share' goes with over = 'order'"),
        (
            {**REBATE, "over": "parent", "best_of": "x"},
            "steps of the parent do not compete; those of the line or the order do",
        ),
    ],
)
def test_order_steps_that_cannot_work(step, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(**FIELDS, routine=routine(step))
    assert message in str(caught.value)


amounts = st.integers(-(10**6), 10**6).map(lambda n: D(n).scaleb(-2))


@given(
    st.lists(st.tuples(amounts, st.booleans()), min_size=1, max_size=7),
    st.integers(0, 2000).map(lambda n: D(n).scaleb(-2)),
    st.randoms(),
)
def test_percentages_add_up_stay_within_a_cent_and_ignore_the_sequence_of_lines(rows, percent, random):
    """The figure is the rounded percentage of the whole; no line is a cent or more away from its exact part."""
    lines = [{"number": 10 * (n + 1), "quantity": q, "fitted": f} for n, (q, f) in enumerate(rows)]
    steps = ({**REBATE, "percent": percent, "where": "line.fitted"},)
    order, found = priced(lines, *steps)
    shuffled, _ = priced(random.sample(lines, len(lines)), *steps)

    assert found == []
    assert figures(order, "rebate") == figures(shuffled, "rebate")
    exact = [Fraction(q * percent) / 100 if f else Fraction(0) for q, f in rows]
    whole = D(sum(q * percent for q, f in rows if f)) / 100
    parts = [line.rebate for line in order.lines]
    assert sum(parts) == order.totals.allowances == whole.quantize(D("0.01"), ROUND_HALF_UP)
    assert all(abs(Fraction(part) - each) < Fraction(1, 100) for part, each in zip(parts, exact, strict=True))
    t = order.totals
    assert sum(line.without_tax for line in order.lines) == t.without_tax == t.line_net - t.allowances + t.charges
    assert sum(line.vat for line in order.lines) == t.tax


@pytest.mark.parametrize(
    ("ways", "shares"),
    [
        ({"share": "abs(line.amount)"}, ["7.50", "2.50"]),
        ({"share": "max(line.amount, 0)"}, ["10.00", "0.00"]),
        ({"where": "line.amount > 0"}, ["10.00", "0.00"]),
    ],
)
def test_each_way_that_the_refusal_names_shares_a_charge_over_goods_and_a_return(ways, shares):
    step = {"name": "freight", "kind": "charge", "amount": "10", "over": "order"}
    lines = [{"quantity": 30}, {"quantity": -10}]
    refused = priced(lines, step)[1]
    assert refused == [("", "no freight: it cannot be shared by weights of both signs; share = "
                        '"abs(line.amount)", share = "max(line.amount, 0)" or "where" says which lines bear how much')]  # fmt: skip
    order, found = priced(lines, {**step, **ways})
    assert found == []
    assert figures(order, "freight") == shares
