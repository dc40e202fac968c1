"""A program that holds Dokima does not notice: what belongs to it is as it was, during and after every call."""

from __future__ import annotations

import contextlib
import gc
import os
import sys
from unittest import mock

import pytest

import dokima
from tests.books import DEMO, book
from tests.store.test_places import order, small


@contextlib.contextmanager
def host():
    """Nobody may set what belongs to the whole process."""
    with contextlib.ExitStack() as patched:
        for module, name in (
            (gc, "disable"), (gc, "enable"), (gc, "freeze"), (gc, "set_threshold"), (sys, "setswitchinterval"),
            (sys, "setrecursionlimit"), (os, "chdir"), (os, "umask"),
        ):  # fmt: skip
            patched.enter_context(mock.patch.object(module, name, side_effect=AssertionError(f"{name} was called")))
        yield


def test_no_verb_sets_what_belongs_to_the_process(tmp_path):
    with host():
        every_verb(tmp_path)


def every_verb(tmp_path):
    demo = dokima.load(DEMO)
    orders = demo.orders(DEMO / "orders")
    priced = demo.price(orders, workers=2)
    findings = demo.check(orders, workers=2)
    dokima.to_json(findings), findings.to_json(), findings.to_csv(), findings.to_dicts()
    priced.to_arrow(), dokima.to_csv(priced), dokima.to_json(priced)
    demo.edit_many(orders, "set", "Ada", fields={"header.requested_by": "Ben"})
    demo.variance(orders, orders).lines()
    demo.replay(orders, demo)
    demo.explain(orders.choose(["SQ-2041"]), 10)
    for name in ("r.html", "r.xlsx", "r.csv", "r.pdf"):
        dokima.report(priced).write(tmp_path / name)
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", small()) as store:
        store.save(order("A"), "Ada")
        store.each().apply("set", "Ada", fields={"header.budget": "5"})
    with pytest.raises(dokima.DokimaError, match="none.json"):
        demo.price(tmp_path / "none.json")
    with pytest.raises(dokima.RulebookError, match="rule.x.require"):
        book(rule=[{"id": "x", "at": "save", "require": "nothing"}])


def test_texts_of_findings_are_no_formulas():
    rules = book(rule=[{"id": "few", "at": "save", "require": "line.quantity > 5", "message": "=1+1 {line.item}"}])
    found = rules.check(dokima.Order("=cmd", lines=[{"number": "10", "item": "PANE", "quantity": 1}]))
    (row,) = found.to_csv().splitlines()[1:]
    assert "'=1+1 PANE" in row
    assert row.split(",")[0:5].count("'=cmd") == 1
    assert ",=" not in f",{row}"
