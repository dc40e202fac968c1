"""What is done for many orders is done once for each: twice the orders are at most a little more than twice the calls.

Calls are counted instead of seconds, so that a slow machine is no defect and a loop within a loop is one.
"""

import gc
import json
import sys
import weakref
from collections.abc import Callable
from decimal import Decimal as D

import numpy as np
import pytest

import dokima
from dokima.formulas import aggregates
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Context
from dokima.pricing.program import Run
from dokima.tables.table import Table
from tests.books import DEMO

BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "linear", "currency": "EUR"},
        "table": {"item": {"key": {"item": "line.item"}}},
        "rule": [
            {"id": "few", "at": "enter", "require": "line.quantity < 5", "message": "{line.quantity} of {line.item}"}
        ],
        "routine": {
            "all": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "off", "kind": "discount", "percent": "3", "over": "order"},
                    {"name": "vat", "kind": "tax", "percent": "21"},
                ]
            }
        },
    },
    tables={"item": [{"item": "PANE", "price": "12.50"}, {"item": "VENT", "price": "3.33"}]},
)


def orders(count: int, more: int = 0) -> dokima.Orders:
    line = {"item": "PANE", "quantity": 4 + more}
    return BOOK.orders(
        [dokima.Order(f"O{at}", lines=[line, {"item": "VENT", "quantity": at % 9 + 1}]) for at in range(count)]
    )


def calls(work: Callable[[], object]) -> int:
    """How many calls of Python and of C a piece of work takes."""
    counted = 0

    def count(_frame: object, event: str, _argument: object) -> None:
        nonlocal counted
        counted += event in ("call", "c_call")

    sys.setprofile(count)
    try:
        work()
    finally:
        sys.setprofile(None)
    return counted


class Batch:
    """So many orders, the same with more of everything, and their prices."""

    def __init__(self, count: int) -> None:
        self.orders, self.more = orders(count), orders(count, more=9)
        self.priced = BOOK.price(self.orders)


WORK: dict[str, Callable[[Batch], object]] = {
    "to_json": lambda batch: dokima.to_json(batch.priced),
    "to_csv": lambda batch: dokima.to_csv(batch.priced),
    "totals as CSV": lambda batch: dokima.to_csv(batch.priced, detail=dokima.Detail(totals=True)),
    "each tax breakdown": lambda batch: [each.tax_breakdown for each in batch.priced],
    "each total of a figure": lambda batch: [each.total("off") for each in batch.priced],
    "findings": lambda batch: dokima.to_json(BOOK.check(batch.more)),
    "variance": lambda batch: BOOK.variance(batch.orders, batch.more).totals(),
    "variance as JSON": lambda batch: dokima.to_json(BOOK.variance(batch.orders, batch.more)),
    "replay": lambda batch: BOOK.replay(batch.orders, BOOK),
    "stream": lambda batch: [len(piece) for piece in BOOK.stream(batch.orders, lines=20)],
}


@pytest.mark.parametrize("name", list(WORK))
def test_twice_the_orders_take_twice_the_calls(name):
    few, some, many = Batch(20), Batch(300), Batch(600)
    WORK[name](few)  # what is imported or made once is there now
    once, twice = calls(lambda: WORK[name](some)), calls(lambda: WORK[name](many))
    assert twice <= 2.2 * once


@dokima.rule("own", at="save")
def lines_of_its_own(order):
    return dokima.accept() if len(order.lines) == 2 else dokima.refuse("some of another order")


FAILING = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "failing", "currency": "EUR"},
        "header": {"fee": {"kind": "decimal"}},
        "line": {"weight": {"kind": "decimal"}},
        "table": {
            "item": {"key": {"item": "line.item"}},
            "bulk": {"key": {"item": "line.item"}, "breaks": {"least": "sum(line.quantity, by=line.item)"}},
        },
        "rule": [
            {"id": "light", "at": "save", "require": "sum(line.weight) < 5"},
            {"id": "few", "at": "save", "require": "line.quantity < 0", "severity": "warning", "acknowledge": True},
        ],
        "routine": {
            "all": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "off", "kind": "discount", "percent": "bulk.percent"},
                    {"name": "handling", "kind": "charge", "amount": "header.fee", "over": "order", "where": "line.quantity > 0"},
                    {"name": "freight", "kind": "charge", "amount": "sum(line.weight)", "over": "order"},
                ]
            }
        },
    },
    tables={"item": [{"item": "PANE", "price": "12.50"}, {"item": "VENT", "price": "3"}], "bulk": [{"item": "VENT", "least": 1, "percent": "3"}]},
    python=[lines_of_its_own],
)  # fmt: skip


@pytest.mark.parametrize("work", ["price", "check"])
def test_what_is_wrong_with_an_order_is_looked_for_among_its_own_lines(monkeypatch, work):
    """Values looked at grow with the orders: none of them, blank or refused, has those of all others searched again."""
    looked_at, find, gather = 0, np.flatnonzero, aggregates.aggregate

    def finding(values):
        nonlocal looked_at
        looked_at += len(values)
        return find(values)

    def gathering(kind, frame, *given):
        nonlocal looked_at
        looked_at += len(frame.order_of)
        return gather(kind, frame, *given)

    monkeypatch.setattr(np, "flatnonzero", finding)
    monkeypatch.setattr(aggregates, "aggregate", gathering)
    seen = []
    for count in (90, 180):
        looked_at = 0
        # Of three orders one has no discount, one no fee, and one no weight.
        ways = [("PANE", None), ("VENT", None), ("VENT", 1)]
        lines = [[{"item": item, "quantity": 1}] * 2 for item, _ in ways]
        given = [dokima.Order(f"O{at}", fee=ways[at % 3][1], lines=lines[at % 3]) for at in range(count)]
        found = FAILING.check(given) if work == "check" else FAILING.price(given).findings
        assert len(found) == (3 * count if work == "check" else 4 * count // 3)
        seen.append(looked_at)
    assert seen[1] <= 2.2 * seen[0]


def test_an_edit_reads_the_line_that_changed_and_no_other():
    """A line of an order of four hundred takes no more than half as many calls again as one of a hundred."""
    taken = []
    for count in (100, 400):
        editor = BOOK.edit(dokima.Order("O", lines=[{"item": "PANE", "quantity": 4}] * count), by="Ada")

        def edit(quantity, editor=editor):
            editor.change_line(50, quantity=quantity)
            return editor.totals.payable

        edit(1)
        taken.append(calls(lambda edit=edit: edit(2)))
    assert taken[1] <= 1.5 * taken[0]


def test_checked_and_priced_in_one_call_no_table_is_searched_twice(monkeypatch):
    demo, find, searched = dokima.load(DEMO), Table.find, []
    given = demo.orders(DEMO / "orders" / "SQ-2041.json")
    monkeypatch.setattr(Table, "find", lambda table, frame: searched.append(table.name) or find(table, frame))
    both = demo.price(given, check="save")
    written = dokima.to_json(both)
    assert "item" in searched
    assert len(searched) == len(set(searched))
    apart, found = demo.price(given), demo.check(given)
    assert len(searched) > 2 * len(set(searched))
    assert both.findings == found + apart.findings.beyond(found)
    assert written == dokima.to_json(apart)


def test_what_a_run_worked_out_is_gone_with_its_result():
    """Nothing holds itself by a cycle: a long stream gives back each piece without looking for any."""
    demo, again = dokima.load(DEMO), gc.isenabled()
    given = demo.orders(DEMO / "orders" / "SQ-2041.json")
    demo.price(given), demo.check(given)
    gc.collect()
    before = sum(isinstance(each, Context) for each in gc.get_objects())
    gc.disable()
    try:
        found, checked = demo.price(given), demo.check(given)
        watched = weakref.ref(found.orders)
        assert (len(found), len(checked)) == (1, 0)
        del found, checked
        assert watched() is None
        assert sum(isinstance(each, Context) for each in gc.get_objects()) == before
    finally:
        if again:
            gc.enable()


def test_a_default_that_is_first_read_after_the_run_is_that_of_the_run():
    demo = dokima.load(DEMO)
    for given in demo.orders(DEMO / "orders"), demo.orders(DEMO / "orders" / "SQ-2041.json"):
        held, later = prepare(demo.program, given, Run()), demo.price(given).orders
        assert len(given.absent) >= 3
        for level, name in given.absent:
            both = [orders.header(name) if level == "header" else orders.line(name) for orders in (held, later)]
            assert both[0].to_list() == both[1].to_list()


def test_a_column_nobody_gave_is_made_once():
    found = orders(3)
    assert found.header("customer") is found.header("customer")
    assert found.line("description") is found.line("description")


def test_figures_of_many_lines_are_those_of_each(monkeypatch):
    """The text that is made from columns is that of the data, whatever the routines of the orders are."""
    from dokima.formats.results import calculations

    monkeypatch.setattr(calculations, "LONG", 1)
    found = BOOK.price(orders(4))
    data = json.loads(dokima.to_json(found))
    assert data == json.loads(json.dumps(calculations.data(found)))
    assert D(data["orders"][3]["lines"][1]["with_tax"]) == found["O3"].line(20).with_tax


def test_twice_the_functions_take_twice_the_calls_to_load(tmp_path):
    def written(count):
        folder = tmp_path / str(count)
        folder.mkdir()
        own = "@dokima.function\ndef own_{at}(x: Decimal) -> Decimal:\n    return x * RATE + {at}\n\n"
        head = "import dokima\nfrom decimal import Decimal\nRATE = Decimal('1.5')\n\n"
        (folder / "house.py").write_text(head + "".join(own.format(at=at) for at in range(count)))
        (folder / "rulebook.toml").write_text("[rulebook]\nname = 'r'\npython = 'house.py'\n")
        return folder

    few, some, many = written(5), written(30), written(60)
    dokima.load(few)
    assert calls(lambda: dokima.load(many)) <= 2.2 * calls(lambda: dokima.load(some))
