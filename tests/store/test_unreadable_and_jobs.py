"""Stores of which nothing can be read any more, and jobs that do several things to some lines."""

from __future__ import annotations

import datetime

import pytest

import dokima
from tests.books import ITEMS, RATES, definition


def rules(**sections):
    return dokima.Rulebook.from_dict(definition(**sections), tables={"item": ITEMS, "rate": RATES})


def order(number, **header):
    lines = [{"number": str(10 * at + 10), "item": "PANE", "quantity": 2} for at in range(3)]
    return dokima.Order(number, **{"kind": "sales", "currency": "EUR", "state": "confirmed", **header}, lines=lines)


def test_orders_that_nobody_can_read_any_more_are_named_also_where_they_are_all(tmp_path):
    url = f"sqlite:///{tmp_path}/o.db"
    with dokima.create_store(url, rules(header={"channel": {}})) as store:
        for number in ("A", "B"):
            store.save(order(number, channel="fax"), "Ada")
    with dokima.open_store(url, rules(header={"channel": {"choices": ["web"]}})) as store:
        assert [each.order for page in store.read_orders() for each in page.problems] == ["A", "B"]
        listed = store.orders()
        assert (len(listed), [each.order for each in listed.problems]) == (0, ["A", "B"])
        assert [each.order for each in store.lines().problems] == ["A", "B"]


@pytest.mark.parametrize(
    ("lines", "open_after"),
    [(["20"], ["20"]), ([20, "30"], ["20", "30"]), ([], ["10", "20", "30"])],
)
def test_a_job_of_several_things_reopens_the_lines_that_are_named_or_all(tmp_path, lines, open_after):
    """One editor does them one after the other to each order."""
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules(states={"finished_when": "never"})) as store:
        store.save_many([order("A"), order("B")], "Ada")
        done = store.each().apply("close", "Ada", lines=["10", "20", "30"])
        assert (done.done, len(done.others)) == (2, 0)
        more = [("reopen", {"lines": lines}), ("set", {"fields": {"header.requested_by": "Cleo"}})]
        assert store.each().apply(more, "Ada").done == 2
        for number in ("A", "B"):
            kept = store.order(number)
            assert [line.number for line in kept.lines if line.get("state") != "closed"] == open_after
            assert kept.header["requested_by"] == "Cleo"


def test_what_many_accept_has_the_time_of_the_clock(tmp_path):
    asks = {"at": "save", "severity": "warning", "acknowledge": True}
    tried = rules(rule=[{**asks, "id": "few", "require": "line.quantity < 2"}])
    (done,) = tried.edit_many([order("A", state="draft")], "acknowledge", "Ben", rule="few", because="agreed").orders
    times = {record["time"] for record in done.header["acknowledgements"]}
    (time,) = {datetime.datetime.fromisoformat(each) for each in times}
    assert (time.tzinfo is not None, time.microsecond) == (True, 0)
    assert abs(datetime.datetime.now(datetime.UTC) - time) < datetime.timedelta(minutes=10)
