"""Tax: prices that include it, one tax on top of another, cash rounding; by hand, and the identities as properties."""

import json
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, book, routine

D = Decimal
VAT = {"name": "vat", "kind": "tax", "percent": "21", "category": "'S'"}
INCLUSIVE = {"prices_include_tax": "header.rush"}


def priced(
    lines: list[dict[str, Any]], *steps: dict[str, Any], settings: dict[str, Any] | None = None, **header: Any
) -> dokima.PricedOrder:
    tried = book(**FIELDS, routine=routine(*steps, **(settings or {})))
    return tried.price(dokima.Order("A", lines=lines, **header))["A"]


def totals(order: dokima.PricedOrder) -> list[str]:
    t = order.totals
    return [str(v) for v in (t.line_net, t.allowances, t.charges, t.without_tax, t.tax, t.with_tax, t.payable)]


def breakdown(order: dokima.PricedOrder) -> list[tuple[str, str, str, str]]:
    return [(row.step, str(row.percent), str(row.taxable), str(row.tax)) for row in order.tax_breakdown]


def test_prices_that_include_tax():
    """3 x 10.00 with 21 %: 30.00 x 21 / 121 = 5.2066, so 5.21; a line alone has 1.7355: 1.74, 1.74, 1.73."""
    order = priced([{"quantity": 10}] * 3, VAT, settings=INCLUSIVE, rush=True)

    assert totals(order) == ["30.00", "0.00", "0.00", "24.79", "5.21", "30.00", "30.00"]
    assert [str(line.vat) for line in order.lines] == ["1.74", "1.74", "1.73"]
    assert [str(line.without_tax) for line in order.lines] == ["8.26", "8.26", "8.27"]
    assert [str(line.net) for line in order.lines] == ["10.00"] * 3
    assert breakdown(order) == [("vat", "21", "24.79", "5.21")]
    assert order.prices_include_tax
    assert json.loads(dokima.to_json(order.calculation))["orders"][0]["prices_include_tax"] is True
    outside = priced([{"quantity": 10}] * 3, VAT, settings=INCLUSIVE, rush=False)
    assert totals(outside) == ["30.00", "0.00", "0.00", "30.00", "6.30", "36.30", "36.30"]


def test_the_document_decides_where_lines_alone_would_be_three_cents_off():
    """Nine lines of 0.12: 1.08 x 21 / 121 = 0.1874, so 0.19; each alone has 0.0208, and nine times 0.02 is 0.18."""
    order = priced([{"quantity": "0.12"}] * 9, VAT, settings=INCLUSIVE, rush=True)
    assert (str(order.totals.tax), [str(line.vat) for line in order.lines]) == ("0.19", ["0.03", *["0.02"] * 8])
    per_line = priced([{"quantity": "0.12"}] * 9, VAT, settings={**INCLUSIVE, "tax_per": "line"}, rush=True)
    assert str(per_line.totals.tax) == "0.18"


def test_one_tax_on_top_of_another_exclusive_and_inclusive():
    """100: 10 % is 10.00, 5 % on 110.00 is 5.50. Included in 115.50 they are the same."""
    levy = {"name": "levy", "kind": "tax", "percent": 10}
    duty = {"name": "duty", "kind": "tax", "percent": 5, "on_top_of": "levy"}
    outside = priced([{"quantity": 100}], levy, duty)
    inside = priced([{"quantity": "115.5"}], levy, duty, settings=INCLUSIVE, rush=True)

    assert (
        breakdown(outside) == breakdown(inside) == [("levy", "10", "100.00", "10.00"), ("duty", "5", "110.00", "5.50")]
    )
    assert (totals(outside)[3:], totals(inside)[3:]) == (["100.00", "15.50", "115.50", "115.50"],) * 2


def test_a_rebate_of_the_order_on_prices_with_tax():
    """10 % off 121.00 and 109.00: 108.90 with 21 % holds 18.90, 98.10 with 9 % holds 8.10."""
    rebate = {"name": "rebate", "kind": "discount", "percent": 10, "over": "order"}
    vat = {**VAT, "percent": "line.boxes"}
    order = priced(
        [{"quantity": 121, "boxes": 21}, {"quantity": 109, "boxes": 9}], rebate, vat, settings=INCLUSIVE, rush=True
    )
    assert totals(order) == ["230.00", "23.00", "0.00", "180.00", "27.00", "207.00", "207.00"]
    assert breakdown(order) == [("vat", "9", "90.00", "8.10"), ("vat", "21", "90.00", "18.90")]


def test_whether_prices_include_tax_must_be_known():
    tried = book(**FIELDS, routine=routine(VAT, **INCLUSIVE))
    calculation = tried.price(dokima.Order("A", lines=[{"quantity": 1}]))
    assert [f.message for f in calculation.findings] == [
        "no vat: whether prices include tax is unknown (header.rush is blank)"
    ]
    assert calculation["A"].totals.payable is None


@pytest.mark.parametrize(
    ("quantity", "rounding", "payable"),
    [
        ("12.37", "-0.02", "12.35"),
        ("12.375", "0.02", "12.40"),
        ("-12.37", "0.02", "-12.35"),
        ("12.40", "0.00", "12.40"),
    ],
)
def test_cash_rounding(quantity, rounding, payable):
    order = priced([{"quantity": quantity}], settings={"payable_step": "0.05"})
    assert (str(order.totals.rounding), str(order.totals.payable)) == (rounding, payable)
    assert order.totals.payable == order.totals.with_tax - order.totals.prepaid + order.totals.rounding


def test_zero_rated_exempt_and_reverse_charge_are_rows_of_their_own():
    rates = [{"tax_class": c, "percent": p, "category": k, "reason": r} for c, p, k, r in (
        ("zero", 0, "S", None), ("free", 0, "Z", None), ("exempt", 0, "E", "medical"), ("reverse", 0, "AE", "the customer accounts for the tax"),
    )]  # fmt: skip
    vat = {
        "name": "vat",
        "kind": "tax",
        "percent": "rate.percent",
        "category": "rate.category",
        "reason": "rate.reason",
    }
    tried = book({"rate": rates}, **FIELDS, table={"rate": {"key": {"tax_class": "line.colour"}}}, routine=routine(vat))
    order = tried.price(
        dokima.Order("A", lines=[{"quantity": 5, "colour": c} for c in ("zero", "free", "exempt", "reverse", "zero")])
    )["A"]
    assert {(r.category, str(r.taxable), str(r.tax), r.reason) for r in order.tax_breakdown} == {
        ("S", "10.00", "0.00", None), ("Z", "5.00", "0.00", None), ("E", "5.00", "0.00", "medical"),
        ("AE", "5.00", "0.00", "the customer accounts for the tax"),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("steps", "settings", "message"),
    [
        ([{**VAT, "on_top_of": "levy"}], {}, "expected an earlier tax step (got 'levy')"),
        ([VAT], {"payable_step": 0}, "expected a number above 0 (got 0)"),
        ([VAT], {"prices_include_tax": "line.fitted"}, "'prices_include_tax' is worked out once per order"),
    ],
)
def test_taxes_that_cannot_work(steps, settings, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(**FIELDS, routine=routine(*steps, **settings))
    assert message in str(caught.value)


lines = st.lists(
    st.tuples(st.integers(-(10**5), 10**6).map(lambda n: D(n).scaleb(-2)), st.sampled_from([0, 9, 21])),
    min_size=1,
    max_size=8,
)


@given(lines, st.booleans(), st.booleans())
def test_the_identities_hold_however_prices_are_meant(rows, inside, second):
    """Lines add up to totals, groups add up to the tax, and one tax alone is the textbook figure per rate."""
    steps = [{"name": "vat", "kind": "tax", "percent": "line.boxes"}]
    if second:
        steps.append({"name": "duty", "kind": "tax", "percent": "2.5", "on_top_of": "vat", "when": "line.boxes != 9"})
    order = priced([{"quantity": q, "boxes": rate} for q, rate in rows], *steps, settings=INCLUSIVE, rush=inside)
    t = order.totals

    assert t.with_tax == t.without_tax + t.tax
    assert (t.with_tax if inside else t.without_tax) == t.line_net == sum(q for q, _ in rows)
    for name, total in (("without_tax", t.without_tax), ("tax", t.tax), ("with_tax", t.with_tax)):
        assert sum(line.figure(name) for line in order.lines) == total
    assert sum(row.tax for row in order.tax_breakdown) == t.tax
    if not second:
        assert sum(row.taxable for row in order.tax_breakdown) == t.without_tax
        for row in order.tax_breakdown:
            whole = Fraction(sum(q for q, rate in rows if rate == row.percent))
            exact = whole * Fraction(row.percent) / (100 + Fraction(row.percent) if inside else 100)
            assert abs(Fraction(row.tax) - exact) <= Fraction(1, 200)
            assert row.tax == (D(exact.numerator) / D(exact.denominator)).quantize(D("0.01"), ROUND_HALF_UP)


def test_the_breakdown_of_an_order_does_not_hang_on_the_orders_beside_it():
    """Categories come from the lines: the first order has Z before S, the second S only; both say S first."""
    by_colour = {**VAT, "percent": "0 if line.colour == 'Z' else 21", "category": "line.colour"}
    tried = book(**FIELDS, routine=routine(by_colour))
    colours = {"A": ["Z", "S"], "B": ["S", "Z", "S"]}
    orders = [dokima.Order(n, lines=[{"quantity": 1, "colour": c} for c in of]) for n, of in colours.items()]
    together = [order.tax_breakdown for order in tried.price(orders)]

    assert [[(row.category, str(row.tax)) for row in rows] for rows in together] == [
        [("S", "0.21"), ("Z", "0.00")], [("S", "0.42"), ("Z", "0.00")],
    ]  # fmt: skip
    assert together == [tried.price(order)[order.number].tax_breakdown for order in orders]


def test_what_is_said_of_an_unknown_price_basis_does_not_hang_on_the_orders_beside_it():
    """Beside an order whose prices include tax, the call that fails for the second tax was named as the reason."""

    @dokima.function
    def over(x: Decimal) -> Decimal:
        return 1 / x

    taxes = [
        {"name": name, "kind": "tax", "percent": percent} for name, percent in (("vat", "20"), ("levy", "over(line.z)"))
    ]
    data = {
        "rulebook": {"name": "r", "currency": "EUR"},
        "header": {"gross": {"kind": "flag"}},
        "line": {"z": {"kind": "decimal"}},
        "routine": {
            "all": {
                "prices_include_tax": "header.gross",
                "step": [{"name": "price", "kind": "price", "options": [{"value": "2"}]}, *taxes],
            }
        },
    }
    rules = dokima.Rulebook.from_dict(data, python=[over])
    gross, unknown = (
        dokima.Order(number, gross=gross, lines=[{"quantity": 1, "z": 0}])
        for number, gross in (("A", True), ("B", None))
    )
    alone = [finding.message for finding in rules.price(unknown).findings]
    assert alone == ["no vat: whether prices include tax is unknown (header.gross is blank)"]
    assert [f.message for f in rules.price([gross, unknown]).findings if f.order == "B"] == alone


@pytest.mark.parametrize("inclusive", [False, True])
def test_a_rate_that_is_blank_on_one_line_leaves_the_tax_of_the_order_unknown(inclusive):
    """That tax, the next one and what is made of them, on every line and in the totals; one finding, other orders go on."""
    steps = [
        {"name": name, "kind": "tax", "percent": percent}
        for name, percent in (("first", "1"), ("vat", "rate.percent"), ("last", "2"))
    ]
    settings = {"prices_include_tax": "True"} if inclusive else {}
    price = {"name": "price", "kind": "price", "options": [{"value": "10"}]}
    tried = book(
        table={"rate": {"key": {"tax_class": "item.tax_class"}}},
        tables={"rate": [{"tax_class": "standard", "percent": "21"}, {"tax_class": "reduced", "percent": None}]},
        routine=routine(price, *steps, **settings),
    )
    lines = [{"item": "PANE", "quantity": 1}, {"item": "DAY", "quantity": 1}, {"item": "VENT", "quantity": 1}]
    calculation = tried.price([dokima.Order("A", lines=lines), dokima.Order("B", lines=lines[:1])])
    blank = ["vat", "last", "tax", "with_tax", *(["first", "without_tax"] if inclusive else [])]
    known = {"net", "without_tax", "first", *blank} - set(blank)
    for line in calculation["A"].lines:
        assert [line.figure(name) for name in blank] == [None] * len(blank)
        assert all(line.figure(name) is not None for name in known)
    totals = calculation["A"].totals
    assert (totals.without_tax, totals.tax, totals.with_tax) == (None, None, None)
    assert [(finding.order, finding.line) for finding in calculation.findings] == [("A", "20")]
    assert None not in vars(calculation["B"].totals).values()
