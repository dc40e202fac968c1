"""Instalments that may be paid early: what is deducted, until when, and what is paid then."""

import csv
import io
import json
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import book, routine

TAX = {"name": "vat", "kind": "tax", "percent": "21"}
WHOLE = {"label": "in full", "share": "1", "due": "add_days(header.date, 30)"}
EARLY = {"percent": "2", "by": "add_days(header.date, 10)"}


def tried(*instalments, header=None, **settings):
    fields = {"rate": {"kind": "decimal"}, "until": {"kind": "date"}} | (header or {})
    return book(header=fields, routine=routine(TAX, instalments=list(instalments), **settings))


def priced(book_, amount, **header):
    calculation = book_.price(dokima.Order("A", date="2026-03-02", lines=[{"quantity": amount}], **header))
    return calculation, calculation["A"].instalments


def test_two_percent_of_what_is_to_be_paid():
    """104.21 at 21 % is 21.88 tax; 2 % of 126.09 is 2.5218: 2.52, leaving 123.57."""
    calculation, (row,) = priced(tried({**WHOLE, "early": EARLY}), "104.21")
    assert (row.amount, row.early.percent, row.early.discount, row.early.amount) == (
        D("126.09"), D("2"), D("2.52"), D("123.57"),
    )  # fmt: skip
    assert (str(row.due), str(row.early.by)) == ("2026-04-01", "2026-03-12")
    assert list(calculation.findings) == []
    assert calculation["A"].totals.payable == D("126.09")  # it moves nothing
    told = dokima.report(calculation["A"]).text
    assert "in full, if paid by 2026-03-12 (2 % off)" in told
    assert "123.57" in told
    (entry,) = json.loads(dokima.to_json(calculation))["orders"][0]["instalments"]
    assert entry == {
        "label": "in full", "due": "2026-04-01", "amount": "126.09", "early_by": "2026-03-12", "early_percent": "2",
        "early_discount": "2.52", "early_amount": "123.57",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("mode", "discount"), [("half-up", "0.63"), ("half-even", "0.62"), ("down", "0.62"), ("up", "0.63")]
)
def test_it_is_rounded_as_the_routine_rounds(mode, discount):
    """25.00 at 2.5 %: 0.625."""
    terms = {**WHOLE, "early": {**EARLY, "percent": "2.5"}}
    book_ = book(routine=routine(instalments=[terms], rounding=mode))
    assert priced(book_, "25.00")[1][0].early.discount == D(discount)


@given(st.decimals(-500, 500, places=2), st.decimals(0, 100, places=2), st.integers(1, 9), st.integers(1, 9))
def test_each_instalment_has_its_own(amount, percent, first, second):
    parts = [
        {**WHOLE, "share": str(first), "early": {**EARLY, "percent": "header.rate"}},
        {**WHOLE, "share": str(second)},
    ]
    rows = priced(tried(*parts), amount, rate=percent)[1]
    assert rows[1].early is None
    if percent == 0:
        assert rows[0].early is None
    else:
        exact = rows[0].amount * percent / 100
        nearest = abs(rows[0].early.discount - exact)
        assert nearest <= D("0.005")
        assert rows[0].early.discount + rows[0].early.amount == rows[0].amount


@pytest.mark.parametrize(
    ("early", "header", "message"),
    [
        ({"percent": "header.rate"}, {}, "no early payment of in full: header.rate is blank"),
        ({"by": "header.until"}, {}, "no early payment of in full: header.until is blank"),
        ({"percent": "header.rate"}, {"rate": "100.01"}, "no early payment of in full: expected 0 to 100 % (got 100.01)"),
        ({"percent": "header.rate"}, {"rate": "-1"}, "no early payment of in full: expected 0 to 100 % (got -1)"),
        ({"by": "header.until"}, {"until": "2026-04-02"},
         "the early payment of in full may be as late as 2026-04-02, and it is due 2026-04-01"),
    ],
)  # fmt: skip
def test_what_is_unknown_or_cannot_be_is_told(early, header, message):
    calculation, (row,) = priced(tried({**WHOLE, "early": {**EARLY, **early}}), "10", **header)
    assert [(each.rule, each.severity, each.message) for each in calculation.findings] == [
        ("instalments", "warning", message)
    ]
    assert (row.early is None) == message.startswith("no early")
    assert calculation["A"].totals.payable == D("12.10")


def test_each_order_of_a_batch_has_its_own_terms():
    rates = [None, "0", "2", "100", "250", "3.5"]
    orders = [
        dokima.Order(str(at), date="2026-03-02", rate=rate, lines=[{"quantity": 10 + at}])
        for at, rate in enumerate(rates)
    ]
    book_ = tried({**WHOLE, "early": {**EARLY, "percent": "header.rate"}})
    together = book_.price(orders)
    alone = [book_.price(order) for order in orders]
    for at, each in enumerate(alone):
        assert together[str(at)].instalments == each[str(at)].instalments
    assert sorted(f.order for f in together.findings) == ["0", "4"]
    rows = list(
        csv.DictReader(io.StringIO(dokima.report(together, columns=["order", "instalments"], totals=True).csv()))
    )
    assert rows[2]["instalments"] == f"2026-04-01 {together['2'].instalments[0].amount}"


@pytest.mark.parametrize("percent", ["100.5", "-1"])
def test_a_rulebook_that_says_more_than_all_does_not_load(percent):
    with pytest.raises(
        dokima.RulebookError, match=r"routine.sales.instalments.0.early.percent: expected 0 to 100 \(got "
    ):
        tried({**WHOLE, "early": {**EARLY, "percent": percent}})


def test_terms_without_a_day_do_not_load():
    with pytest.raises(dokima.RulebookError, match=r"instalments.0.early.by: expected"):
        tried({**WHOLE, "early": {"percent": "2"}})
