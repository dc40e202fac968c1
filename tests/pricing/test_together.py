"""Steps that depend on each other: who wins on which line, how far figures reach that a rule reads, whose reason is told."""

from __future__ import annotations

from decimal import Decimal as D

import pytest

import dokima
from tests.books import FIELDS, ITEMS, RATES, book, definition, routine

PRICE = {"name": "each", "kind": "price", "options": [{"value": "100"}]}
VAT = {"name": "vat", "kind": "tax", "percent": "10", "category": "'S'"}


def test_rivals_of_a_line_compete_line_by_line_and_rivals_of_the_order_once():
    """10 % of 100 and 500 is 10 and 50; the flat one takes 20 of each. By line 20 and 50 stay; the order has 60 against 40."""
    percent = {"name": "percent", "kind": "discount", "percent": 10, "best_of": "offer"}
    flat = {"name": "flat", "kind": "discount", "amount": 20, "best_of": "offer"}
    lines = [{"quantity": 1}, {"quantity": 5}]
    for over, wanted in (
        ("line", [["0.00", "20.00"], ["50.00", "0.00"]]),
        ("order", [["10.00", "0.00"], ["50.00", "0.00"]]),
    ):
        rivals = (
            [percent, flat]
            if over == "line"
            else [{**percent, "over": "order"}, {**flat, "over": "order", "amount": 40}]
        )
        (order,) = book(**FIELDS, routine=routine(PRICE, *rivals)).price(dokima.Order("A", lines=lines))
        assert [[str(line.figure(name)) for name in ("percent", "flat")] for line in order.lines] == wanted


@pytest.mark.parametrize(
    ("figure", "needs", "limit"),
    [("price", "line", "99"), ("each", "line", "99"), ("tax", "line", "9"), ("with_tax", "header", "109"), ("net", "line", "99"),
     ("amount", "line", "99"), ("fee", "line", "4"), ("without_tax", "header", "104")],
)  # fmt: skip
@pytest.mark.parametrize("taxed", [True, False])
def test_a_rule_reads_a_figure_however_late_its_step_is(figure, needs, limit, taxed):
    """The price step is not called price; the fee of 5 comes after it, tax last or never (then it is 0)."""
    fee = {"name": "fee", "kind": "charge", "amount": "5"}
    rule = {"id": "most", "at": "save", "require": f"{needs}.{figure} <= {limit}"}
    holds = {"id": "holds", "at": "save", "require": f"{needs}.{figure} <= 1000"}
    routines = {
        "taxed": {"when": "header.kind == 'taxed'", "step": [PRICE, fee, VAT]},
        "bare": {"when": "header.kind == 'bare'", "step": [PRICE, fee]},
    }
    data = definition(**FIELDS, rule=[rule, holds])
    tried = dokima.Rulebook.from_dict({**data, "routine": routines}, tables={"item": ITEMS, "rate": RATES})
    order = dokima.Order("A", kind="taxed" if taxed else "bare", lines=[{"number": "10", "quantity": 1}])
    spoken = [each.rule for each in tried.check(order, "save")]
    assert spoken == (["most"] if taxed or figure not in ("tax", "with_tax") else [])


def test_the_reason_is_that_of_the_line_where_the_second_tax_of_an_inclusive_price_is_blank():
    """With prices including tax both taxes are taken out of one amount: either blank makes both unknown, each line by itself."""
    steps = [PRICE, *({"name": name, "kind": "tax", "percent": f"line.{field}", "category": f"'{name}'"}
                      for name, field in (("vat", "weight"), ("levy", "boxes"), ("duty", "own")))]  # fmt: skip
    fields = {**FIELDS, "line": {**FIELDS["line"], "own": {"kind": "decimal"}}}
    tried = book(**fields, routine=routine(*steps, prices_include_tax=True))
    rates = {"weight": 10, "boxes": 5, "own": 1}
    blank = {"20": "boxes", "30": "weight", "40": "boxes", "50": "own", "60": "own"}
    lines = [
        {"number": number, "quantity": 1, **{name: rate for name, rate in rates.items() if name != blank.get(number)}}
        for number in ("10", *blank)
    ]
    said = {each.line: each.message for each in tried.price(dokima.Order("A", lines=lines)).findings}
    told = {line: [name for name in rates if f"line.{name} is blank" in text] for line, text in said.items()}
    assert told == {line: [name] for line, name in blank.items()}


def test_a_function_that_fails_in_a_step_of_the_order_is_named_before_a_blank():
    @dokima.function
    def weighed(weight: D) -> D:
        return D(1) / (weight - 3)

    step = {"name": "freight", "kind": "charge", "amount": "10", "over": "order", "share": "weighed(line.weight)"}
    data = definition(**FIELDS, routine=routine(PRICE, step))
    tried = dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES}, python=[weighed])
    good = dokima.Order("A", lines=[{"quantity": 1, "weight": 4}, {"quantity": 1, "weight": 5}])
    bad = dokima.Order("B", lines=[{"quantity": 1, "weight": 4}, {"quantity": 1, "weight": 3}])
    priced = tried.price([good, bad])
    assert [str(line.figure("freight")) for line in priced["A"].lines] == ["6.67", "3.33"]
    assert priced["B"].totals.payable is None
    (finding,) = priced.findings
    assert "no freight: weighed(3) failed: DivisionByZero" in finding.message


def test_a_default_in_a_currency_nobody_knows_says_so():
    """The column is in the currency of its row; without a row the default has none, and cannot be converted."""
    table = {
        "deal": {"key": {"item": "line.item"}, "columns": {"price": {"kind": "decimal", "default": "5"}}, "convert": {"price": "fx.rate"}},
        "fx": {"key": {"currency": "deal.currency"}},
    }  # fmt: skip
    rows = {"deal": [{"item": "A", "price": "7", "currency": "USD"}], "fx": [{"currency": "USD", "rate": "2"}]}
    price = {"name": "each", "kind": "price", "options": [{"value": "deal.price"}]}
    tried = book(rows, table=table, routine=routine(price))
    lines = [{"number": "10", "item": "A", "quantity": 1}, {"number": "20", "item": "B", "quantity": 1}]
    priced = tried.price(dokima.Order("X", lines=lines))
    assert str(priced["X"].line(10).figure("net")) == "14.00"
    (finding,) = priced.findings
    assert "table deal has no row that says the currency of the default of price" in finding.message
