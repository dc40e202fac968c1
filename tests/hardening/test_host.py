"""A program that holds Dokima does not notice: what belongs to it is as it was, during and after every call."""

from __future__ import annotations

import contextlib
import datetime
import decimal
import gc
import locale
import os
import signal
import sys
import threading
import warnings
from unittest import mock

import numpy
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


def every_verb(tmp_path):
    tmp_path.mkdir(exist_ok=True)
    demo = dokima.load(DEMO)
    orders = demo.orders(DEMO / "orders")
    priced = demo.price(orders, workers=2)
    findings = demo.check(orders, workers=2)
    dokima.to_json(findings), dokima.to_csv(findings), findings.to_dicts()
    priced.to_arrow(), dokima.to_csv(priced), dokima.to_json(priced)
    demo.edit_many(orders, "set", "Ada", fields={"header.requested_by": "Ben"})
    demo.variance(orders, orders).lines()
    demo.replay(orders, demo)
    demo.explain(orders.choose(["SQ-2041"]), 10)
    for name in ("r.html", "r.xlsx", "r.csv", "r.pdf"):
        dokima.report(priced).write(tmp_path / name)
    list(demo.stream(DEMO / "orders", lines=5, workers=2))
    dokima.price_files(demo, DEMO / "orders", tmp_path / "run.parquet", workers=2)
    dokima.draw(priced["SQ-2041"].line(10), tmp_path / "steps.png")
    dokima.report(demo).write(tmp_path / "spec.docx")
    assert dokima.prove(DEMO, coverage=True).passed
    demo.audit(datetime.date(2026, 3, 2))
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", small()) as store:
        store.save(order("A"), "Ada")
        store.each().apply("set", "Ada", fields={"header.budget": "5"})
    with pytest.raises(dokima.DokimaError, match="none.json"):
        demo.price(tmp_path / "none.json")
    with pytest.raises(dokima.RulebookError, match="rule.x.require"):
        book(rule=[{"id": "x", "at": "save", "require": "nothing"}])


def as_it_is():
    """What belongs to the process: what anybody may look at, and nobody but its owner sets."""
    return {
        "collector": (gc.isenabled(), gc.get_threshold(), gc.get_freeze_count()),
        "switch interval": sys.getswitchinterval(),
        "recursion": sys.getrecursionlimit(),
        "locale": locale.setlocale(locale.LC_ALL),
        "warnings": list(warnings.filters),
        "folder": os.getcwd(),
        "environment": dict(os.environ),
        "decimal": repr(decimal.getcontext()),
        "float errors": numpy.geterr(),
        "digits": sys.get_int_max_str_digits(),
        "path": list(sys.path),
        "hooks": (sys.excepthook, sys.stdout, sys.stderr, signal.getsignal(signal.SIGINT)),
        "open files": sorted(each for each in map(target_of, os.listdir("/proc/self/fd")) if each.startswith("/")),
        "threads": sorted(thread.name for thread in threading.enumerate()),
    }


def target_of(handle):
    try:
        return os.readlink(f"/proc/self/fd/{handle}")
    except OSError:  # that of the listing itself
        return ""


def test_the_process_is_as_it_was_after_every_verb_and_after_every_failure(tmp_path):
    with host():
        every_verb(tmp_path / "first")  # libraries are loaded by now, which open what they like
    gc.collect()
    before = as_it_is()
    every_verb(tmp_path / "second")
    gc.collect()
    after = as_it_is()
    assert {name: after[name] for name in before if after[name] != before[name]} == {}


def test_texts_of_findings_are_no_formulas():
    rules = book(rule=[{"id": "few", "at": "save", "require": "line.quantity > 5", "message": "=1+1 {line.item}"}])
    found = rules.check(dokima.Order("=cmd", lines=[{"number": "10", "item": "PANE", "quantity": 1}]))
    (row,) = dokima.to_csv(found).splitlines()[1:]
    assert "'=1+1 PANE" in row
    assert row.split(",")[0:5].count("'=cmd") == 1
    assert ",=" not in f",{row}"
