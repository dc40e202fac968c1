"""No lines, no routine, no currency, no payments: an answer, never an exception."""

from __future__ import annotations

import json
from decimal import Decimal as D

import pandas as pd
import pytest

import dokima
from tests.books import book, routine

PRICE = {"name": "price", "kind": "price", "options": [{"value": "10"}]}
EMPTY = dokima.Order("E", lines=[])


def told(found):
    return [str(finding.message) for finding in found]


@pytest.mark.parametrize("function", ["average", "lowest", "highest"])
def test_an_order_without_lines_has_no_average(function):
    """In a rule, a cap and a step of the order: blank, with its reason, alone as beside another order."""
    formula = f"{function}(line.quantity)"
    rules = book(rule=[{"id": "enough", "at": "save", "require": f"{formula} > 1"}])
    assert told(rules.check(EMPTY)) == [f"enough does not hold. (could not be decided: '{formula}' is blank)"]
    other = dokima.Order("F", lines=[{"quantity": 2}])
    for step in ({"amount": formula, "over": "order"}, {"amount": "1", "cap": formula}):
        tried = book(routine=routine(PRICE, {"name": "cut", "kind": "discount", **step}))
        alone, together = tried.price(EMPTY), tried.price([EMPTY, other])
        mine, beside = (json.loads(dokima.to_json(each))["orders"][0] for each in (alone, together))
        assert mine == beside
        assert told(alone.findings) == told(together["E"].findings)
        assert together["F"].totals.payable is not None


@pytest.mark.parametrize("figure", ["line.net", "header.net", "sum(line.net)", "header.share"])
def test_a_figure_that_no_order_has_is_undecided(figure):
    """Where no routine fits any order of the batch, or none has a currency."""
    share = {"name": "share", "kind": "figure", "value": "sum(line.net)"}
    rule = [{"id": "enough", "at": "save", "require": f"{figure} > 1"}]
    never = book(rule=rule, routine=routine(PRICE, share, when="header.kind == 'never'"))
    order = dokima.Order("A", lines=[{"quantity": 1}])
    assert [finding.undecided for finding in never.check(order)] == [True]
    known = book(rule=rule, routine=routine(PRICE, share))
    foreign = dokima.Order("B", currency="XXQ", lines=[{"quantity": 1}])
    assert [finding.undecided for finding in known.check(foreign)] == [True]
    assert [(finding.order, finding.undecided) for finding in known.check([order, foreign])] == [("B", True)]


def test_rules_about_payments_and_deliveries_of_flat_rows(tmp_path):
    """Flat rows have none: sums are 0, and any is false."""
    rules = book(
        rule=[
            {"id": "paid", "at": "save", "require": "sum(payment.amount) > 0", "message": "{sum(payment.amount)} paid"},
            {"id": "sent", "at": "save", "require": "any(delivery.state == 'sent')"},
        ]
    )
    (tmp_path / "flat.csv").write_text("order,line,item,quantity\nA,10,PANE,1\n")
    frame = pd.DataFrame([{"order": "A", "line": "10", "item": "PANE", "quantity": 1}])
    for source in (tmp_path / "flat.csv", frame, (pd.DataFrame([{"number": "A"}]), frame)):
        assert told(rules.check(source)) == ["0.00 paid", "sent does not hold."]


@pytest.mark.parametrize("name", ["o.jsonl", "o.csv", "o.xlsx", "folder"])
def test_orders_are_written_as_they_were_read(name, tmp_path):
    """As columns, as the documents they give, and as objects: the same file. What could not be read stops it."""
    rules = book()
    orders = rules.orders([dokima.Order("A", lines=[{"item": "PANE", "quantity": "1.5"}])])
    for at, given in enumerate((orders, [orders.document(0)], [dokima.Order.from_dict(orders.document(0))])):
        target = tmp_path / f"{at}-{name}"
        dokima.write_orders(given, target, book=rules)
        (again,) = [rules.orders(target).document(0)]
        assert (again["number"], str(again["lines"][0]["quantity"])) == ("A", "1.5")
    broken = rules.orders([dokima.Order("A", lines=[{"quantity": "many"}])])
    with pytest.raises(dokima.DocumentError, match="order A, line 10, quantity: expected a number"):
        dokima.write_orders(broken, tmp_path / f"x-{name}", book=rules)
    assert not (tmp_path / f"x-{name}").exists()


def test_a_manual_price_of_a_parent_line_is_told():
    """VENT, 4 at a manual 1,850.00 over a sub-line of 4 PANE: the sub-line makes the amount, and a warning says so."""
    lines = [
        {"number": "10", "item": "VENT", "quantity": 4, "price_override": "1850"},
        {"number": "10/10", "item": "PANE", "quantity": 4},
    ]
    calculation = book().price(dokima.Order("A", lines=lines))
    assert str(calculation["A"].line(10).net) == "194.00"
    (finding,) = calculation.findings
    assert (finding.severity, finding.line, finding.field) == ("warning", "10", "price_override")
    assert finding.message == "its sub-lines make its amount: the manual price of 1850 counts for nothing"


def test_an_order_has_the_figures_of_its_own_routine():
    """Alone and beside others the same JSON: of another routine, of none, of its own without a currency."""
    steps = [PRICE, {"name": "whole", "kind": "figure", "value": "sum(line.price)"}]
    rules = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "two"},
            "routine": {
                "plain": {"when": "header.kind == 'sales'", "step": [PRICE]},
                "summed": {"when": "header.kind == 'purchase'", "step": steps},
            },
        }
    )
    orders = [
        dokima.Order(number, kind=kind, currency=currency, lines=[{"quantity": 2}])
        for number, kind, currency in (
            ("A", "sales", "EUR"),
            ("B", "purchase", "EUR"),
            ("C", "other", "EUR"),
            ("D", "purchase", None),
        )
    ]
    together = rules.price(orders)
    written = json.loads(dokima.to_json(together))["orders"]
    for order, beside in zip(orders, written, strict=True):
        alone = rules.price(order)
        assert json.loads(dokima.to_json(alone))["orders"] == [beside]
        assert alone[order.number].figures == together[order.number].figures
    assert [each["figures"] for each in written] == [{}, {"whole": "10"}, {}, {"whole": None}]


def test_a_line_of_an_item_in_no_table_is_told_the_way():
    """Only where a price is typed; with the formula that it names the line passes and is priced."""
    line = {"item": "ODD", "quantity": 2, "price_override": "7.50", "override_reason": "made to measure"}
    orders = [dokima.Order("A", lines=[{"item": "ODD", "quantity": 1}]), dokima.Order("B", lines=[line])]
    vat = {"name": "vat", "kind": "tax", "percent": "coalesce(rate.percent, 21)"}
    price = {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]}
    table = {"key": {"item": "line.item"}, "columns": {"list_price": {"kind": "decimal"}}}
    rate = {"key": {"tax_class": "item.tax_class"}}

    def required(condition):
        tables = {"item": {**table, "required": condition}, "rate": rate}
        return book(table=tables, routine=routine(price, vat))

    lacking = "table item has no row for item ODD"
    way = 'its price is typed: required = "blank(line.price_override)" lets a line of an item in no table pass'
    assert told(required("True").check(orders)) == [lacking, f"{lacking}; {way}"]
    passed = required("blank(line.price_override)")
    assert [each.order for each in passed.check(orders)] == ["A"]
    assert passed.price(orders)["B"].totals.with_tax == D("18.15")
