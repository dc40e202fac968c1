"""Steps on a parent, advance payments, instalments, a second currency, minor units, stated figures: by hand."""

from decimal import Decimal as D

import hypothesis.strategies as st
import pytest
from hypothesis import given

import dokima
from tests.books import book, routine

PRICE = {"name": "price", "kind": "price", "options": [{"value": "line.price_base"}]}
"""Takes the line's price base for a price, so that a test says it in place."""


def _priced(steps, *lines, header=None, sections=None, **settings):
    fields = {"line": {"lump": {"kind": "decimal"}, "part": {"kind": "decimal"}}}
    rules = book(**fields, **(sections or {}), routine=routine(PRICE, *steps, **settings))
    order = dokima.Order("O", lines=list(lines), **(header or {}))
    return rules.price(order)


def _line(number, quantity, price, **fields):
    return {"number": number, "quantity": quantity, "price_base": price, **fields}


SERVICES = [
    {"number": "10", "lump": "-10.00"},
    {"number": "10/10", "lump": "5.00"},
    _line("10/10/10", "1", "30"),
    _line("10/10/20", "2", "30"),
    _line("10/20", "1", "60"),
    _line("20", "1", "7"),
]
LUMP = {
    "name": "lump_sum",
    "kind": "charge",
    "over": "parent",
    "amount": "parent.lump",
    "when": "not blank(parent.lump)",
}


def test_a_step_on_a_parent_is_shared_over_the_lines_below_it_at_every_level():
    """-10.00 over 30, 60 and 60: -2, -4, -4; and 5.00 of the parent line within over 30 and 60: 1.67, 3.33."""
    order = _priced([LUMP], *SERVICES)["O"]
    assert [(line.number, line.lump_sum) for line in order.lines] == [
        ("10", D("-5.00")), ("10/10", D("-1.00")), ("10/10/10", D("-0.33")), ("10/10/20", D("-0.67")),
        ("10/20", D("-4.00")), ("20", D("0.00")),
    ]  # fmt: skip
    assert (order.totals.line_net, order.totals.allowances, order.line(10).net) == (D("152.00"), D("0.00"), D("145.00"))


def test_a_percentage_on_a_parent_is_rounded_once_for_it_and_apportioned():
    """2.5 % of 3 x 0.33 = 0.02475 is 0.02 for the parent line; each line by itself would give 0.01."""
    step = {"name": "off", "kind": "discount", "over": "parent", "percent": "parent.part"}
    lines = [{"number": "10", "part": "2.5"}, *(_line(f"10/{n}0", "1", "0.33") for n in (1, 2, 3))]
    order = _priced([step], *lines)["O"]
    assert [line.off for line in order.lines] == [D("0.02"), D("0.01"), D("0.01"), D("0.00")]


def test_what_cannot_be_shared_on_a_parent_is_a_finding_at_the_line():
    lines = [{"number": "10", "lump": "5"}, _line("10/10", "1", "4"), _line("10/20", "-1", "4")]
    found = _priced([LUMP], *lines)
    assert [(f.line, f.message) for f in found.findings] == [
        (
            number,
            "no lump sum: it cannot be shared by weights of both signs; " + 'share = "abs(line.amount)", share = '
            '"max(line.amount, 0)" or "where" says which lines bear how much',
        )
        for number in ("10/10", "10/20")
    ]
    with pytest.raises(dokima.RulebookError, match="a step of the parent reads parent.x here"):
        _priced([{**LUMP, "amount": "line.lump"}], *lines)


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 10_000)), min_size=1, max_size=12), st.integers(-999, 999))
def test_parts_below_a_parent_add_up_to_its_figure(leaves, cents):
    """Money of each parent line is all there, whatever is below it and wherever it stands in a batch."""
    lines, lump = [], D(cents) / 100
    for group in sorted({group for group, _ in leaves}):
        mine = [price for each, price in leaves if each == group]
        lines.append({"number": str(group + 1), "lump": lump})
        lines += [_line(f"{group + 1}/{at + 1}", "1", D(price + 1) / 100) for at, price in enumerate(mine)]
    order = _priced([LUMP], *lines)["O"]
    parents = [line for line in order.lines if line.is_parent]
    assert [line.lump_sum for line in parents] == [lump] * len(parents)


ADVANCE = {"name": "advance", "kind": "advance", "percent": "line.part"}
TAX = {"name": "vat", "kind": "tax", "percent": "10", "category": "'S'"}
SPLIT = [
    {"label": "now", "share": 1, "due": "header.date"},
    {"label": "half way", "share": 1, "due": "add_days(header.date, 30)"},
    {"label": "at the end", "share": 1},
]


def test_an_advance_by_line_and_an_exact_split_into_instalments():
    """30 % of 110.00 and 0 % of 11.00, half of it a cent short of nothing: payable stays, payments reduce it."""
    header = {"date": "2026-03-02", "payments": [{"amount": "20.00"}]}
    lines = (_line(10, 1, "100", part="30"), _line(20, 1, "10", part="0"))
    found = _priced([TAX, ADVANCE], *lines, header=header, instalments=SPLIT)["O"]
    assert (found.total("advance"), found.totals.payable) == (D("33.00"), D("101.00"))
    assert [(row.label, str(row.due), row.amount) for row in found.instalments] == [
        ("now", "2026-03-02", D("40.34")), ("half way", "2026-04-01", D("40.33")), ("at the end", "None", D("40.33")),
    ]  # fmt: skip
    of = _priced([TAX, ADVANCE], *lines, header=header, instalments=SPLIT, instalments_of="advance")["O"]
    assert [row.amount for row in of.instalments] == [D("11.00")] * 3
    with pytest.raises(dokima.RulebookError, match="expected an amount figure .got 'advanse'; did you mean 'advance'"):
        _priced([TAX, ADVANCE], *lines, instalments=SPLIT, instalments_of="advanse")


def test_instalments_have_the_places_of_the_currency_whatever_stands_beside():
    """3 yen as 1 : 2 are 1 and 2, also where cash has cents and another order was paid a fraction.

    3 yen by a sixth, a half and a third are 0.5, 1.5 and 1: of the equal remainders the first gets the yen.
    """
    sixths = [{"label": f"1/{each}", "share": f"header.part / {each}"} for each in (6, 2, 3)]
    fields = {
        "header": {"part": {"kind": "decimal"}},
        "routine": routine(PRICE, instalments=sixths, payable_step="0.05"),
    }
    orders = [
        dokima.Order(number, currency="JPY", part=1, payments=payments, lines=[_line(10, 1, "3")])
        for number, payments in (("A", []), ("B", [{"amount": "2.505"}]))
    ]
    found = book(**fields).price(orders)
    assert [str(row.amount) for row in found["A"].instalments] == ["1", "1", "1"]
    assert sum(row.amount for row in found["B"].instalments) == found["B"].totals.with_tax + found["B"].totals.rounding
    assert str(found["B"].totals.rounding) == "0.005"


@pytest.mark.parametrize(
    ("part", "why"),
    [(None, "header.part is blank"), (0, "all of their shares are 0"), (-1, "their shares have both signs")],
)
def test_what_cannot_be_worked_out_beside_the_totals_says_why(part, why):
    """A warning for each order: its totals stand."""
    split = [{"label": "a", "share": "header.part"}, {"label": "b", "share": "header.part * header.part"}]
    sections = {"rulebook": {"reporting": {"currency": "GBP", "rate": "0.5 / header.part"}}}
    rules = book(**sections, header={"part": {"kind": "decimal"}}, routine=routine(PRICE, instalments=split))
    found = rules.price([dokima.Order(f"O{at}", part=part, lines=[_line(10, 1, "3")]) for at in range(300)])
    rate = {None: "header.part is blank", 0: "division by zero in '0.5 / header.part'", -1: ""}[part]
    expected = [("instalments", "warning", f"no instalments: {why}")]
    expected += [("reporting", "warning", f"no totals in GBP: {rate}")] if rate else []
    assert [(f.rule, f.severity, f.message) for f in found.findings if f.order == "O7"] == expected
    assert (len(found.findings), {order.totals.payable for order in found}) == (300 * len(expected), {D("3.00")})


def test_a_second_currency_and_minor_units_of_ones_own():
    """33.33 + 3.33 tax at 0.8587 are 28.62 + 2.86; in whole pounds 29 + 3. KWD has three places, JPY none."""
    sections = {"rulebook": {"reporting": {"currency": "GBP", "rate": "0.8587"}}}
    second = _priced([TAX], _line(10, 1, "33.33"), sections=sections)["O"].reporting
    assert (second.without_tax, second.tax, second.with_tax) == (D("28.62"), D("2.86"), D("31.48"))
    whole = _priced([TAX], _line(10, 1, "33.33"), sections={**sections, "currency": {"GBP": {"places": 0}}})["O"]
    assert (whole.reporting.without_tax, whole.reporting.tax, whole.reporting.with_tax) == (D("29"), D("3"), D("32"))
    for currency, amount in (("KWD", "4.116"), ("JPY", "4"), ("EUR", "4.12")):
        net = _priced([TAX], _line(10, 3, "1.372"), header={"currency": currency})["O"].line(10).net
        assert str(net) == amount
    with pytest.raises(dokima.RulebookError, match="expected a currency code of ISO 4217 .got 'GPB'"):
        _priced([TAX], sections={"rulebook": {"reporting": {"currency": "GPB", "rate": "1"}}})


def test_stated_figures_are_compared_and_never_used():
    lines = (
        _line(10, 3, "3.3333", unit_price="3.33", stated_net="10.01"),
        _line(20, 1, "5", unit_price="5.10", stated_net="5.00"),
    )
    header = {"stated_with_tax": "16.51", "stated_tax": "1.50"}
    found = _priced([TAX], *lines, header=header)
    assert found["O"].totals.with_tax == D("16.50")
    assert [(f.rule, f.line, f.message) for f in found.findings] == [
        (
            "stated-total",
            "",
            "stated total with tax is 16.51, calculated 16.50: +0.01 off (it comes from lines 10, 20)",
        ),
        ("stated-net", "10", "stated net is 10.01, calculated 10.00: +0.01 off"),
        ("stated-price", "20", "stated unit price is 5.10, calculated 5.00: +0.10 off"),
    ]
    near = _priced([TAX], *lines, header=header, sections={"stated": {"tolerance": "0.01", "severity": "notice"}})
    assert [(f.rule, f.severity) for f in near.findings] == [("stated-price", "notice")]


def test_margin_percent_of_nothing_is_blank_and_no_finding():
    figure = {"name": "share", "kind": "figure", "value": "(line.net - 1) * 100 / line.net", "places": 1}
    found = _priced([figure], _line(10, 0, "5"), _line(20, 1, "5"))
    assert [line.share for line in found["O"].lines] == [None, D("80.0")]
    assert not found.findings
