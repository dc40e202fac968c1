"""Writers that are killed at any moment, a server that loses its power, and two writers against a dictionary."""

from __future__ import annotations

import contextlib
import os
import random
import signal
import tempfile
import time
import traceback
import warnings
from collections import Counter
from decimal import Decimal as D
from pathlib import Path

import pytest
import sqlalchemy as sa
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

import dokima
from tests import postgres
from tests.store.conftest import Place
from tests.store.test_places import order, small

KILLS = int(os.environ.get("DOKIMA_TEST_KILLS", "40"))
"""In each place; 200 of them before something of the store is released."""


def works_for_ever(place, book, seed, told):
    """Save, settle, do jobs until somebody ends it, each as often; say of each when it begins.

    Header and line of order A always hold the same number.
    """
    turn = random.Random(seed)
    store = place.open(book)
    kinds = [saves, changes, jobs_done, within] if store.documents.keeps_events else [saves, changes]
    while True:
        kind = turn.choice(kinds)
        os.write(told, kind.__name__[:1].encode())
        kind(store, turn)


def saves(store, turn):
    found = store.order("A")
    value = str(turn.randint(1, 1000))
    found.header["budget"], found.lines[0].fields["quantity"] = value, value
    store.save(found, "worker")


def within(store, turn):
    """A save in a transaction of the caller's own."""
    engine = sa.create_engine(store.documents.engine.url, poolclass=sa.NullPool)
    with engine.connect() as connection, connection.begin(), store.using(connection):
        saves(store, turn)


def changes(store, turn):
    number = store.open_change("S", "Ada", reason="more").number
    store.update_change(number, "Ada", lambda change: one_more(change.edit("Ada")))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    store.approve(number, "Ben", settle=turn.choice(["amend", "split"]))


def jobs_done(store, turn):
    asked = store.each(where="number == 'J1' or number == 'J2'")
    fields = {"header.budget": str(turn.randint(1, 1000))}
    asked.apply("set", "worker", name=f"job-{turn.random()}", fields=fields)


def one_more(editor):
    editor.change_line(10, quantity=int(editor.order.line("10")["quantity"]) % 40 + 1)


def killed(place, book, seed, most):
    """Let a process of its own work for a while, and kill it; the first letter of what it was doing."""
    reading, writing = os.pipe()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)  # the test runner has threads; the child uses none of them
        child = os.fork()
    if not child:
        try:
            with contextlib.suppress(dokima.Conflict):
                works_for_ever(place, book, seed, writing)
        except BaseException:
            traceback.print_exc()
        os._exit(1)
    os.close(writing)
    begun = os.read(reading, 1)
    time.sleep(random.Random(seed).uniform(0, most))
    os.kill(child, signal.SIGKILL)
    assert os.waitpid(child, 0)[1] == signal.SIGKILL, "the worker ended by itself"
    begun += os.read(reading, 100_000)
    os.close(reading)
    return begun[-1:].decode()


def is_whole(place, book):
    """Every document is whole, those of a settlement belong together, every job can go on, no event is missing."""
    store = place.open(book)
    found = store.order("A")
    assert D(str(found.header["budget"])) == D(str(found.line("10")["quantity"]))
    for number in store.documents.numbers("orders"):
        assert store.book.price(store.order(number)).problems == ()
    ledger = store.ledger("S")
    assert (ledger.is_balanced, [*ledger.direct], ledger.unknown) == (True, [], {})
    store.update_change(store.open_change("S", "Ada").number, "Ada", lambda change: change.withdraw("Ada"))
    if place.kind != "folder":
        assert list(dokima.check_store(place.where, book, schema=place.schema)) == []
        for row in jobs_of(store):
            assert store.job(row).go_on().left == 0
    store.close()


def jobs_of(store):
    table = store.documents.schema["jobs"]
    with store.documents.connection() as connection:
        return list(connection.execute(table.select().with_only_columns(table.c.name)).scalars())


def prepared(place, book):
    store = place.create(book)
    first = [order("A", budget="2"), order("S", state="confirmed"), order("J1"), order("J2")]
    store.save_many(first, "Ada")
    store.close()


def test_a_killed_writer_leaves_whole_documents(place):
    book = small()
    prepared(place, book)
    for seed in range(2):
        killed(place, book, seed, 0.15)
        is_whole(place, book)


@pytest.mark.long
def test_many_killed_writers_leave_whole_documents(place):
    """Change orders and jobs are cut as well as saves; how often each was is printed."""
    book = small()
    prepared(place, book)
    cut = Counter()
    for seed in range(KILLS):
        cut[killed(place, book, 1000 + seed, 0.2)] += 1
        if seed % 5 == 4:
            is_whole(place, book)
    is_whole(place, book)
    print(f"{place.kind}: {dict(cut)}")
    kinds = "sc" if place.kind == "folder" else "scjw"
    assert all(cut[kind] >= KILLS // 20 for kind in kinds), cut


@pytest.mark.long
def test_a_server_that_stops_at_once_keeps_what_it_said_it_kept():
    if postgres.why_not():
        pytest.skip(postgres.why_not())
    book = small()
    with postgres.server() as server:
        place = Place("postgres", server.url(), "shop")
        prepared(place, book)
        store = place.open(book)
        for turn in range(8):
            saved = store.save(order(f"X-{turn}"), "Ada")
            server.stop("immediate")
            with pytest.raises(dokima.DokimaError, match="postgres"):
                store.save(order(f"Y-{turn}"), "Ada")
            server.start()
            assert store.order(saved.number).header["revision"] == 1
            is_whole(place, book)
        place.close()


class TwoWriters(RuleBasedStateMachine):
    """Two connections to one SQLite file beside a dictionary."""

    numbers = st.sampled_from(["A", "B", "C"])
    sides = st.integers(0, 1)

    def __init__(self):
        super().__init__()
        self.folder = tempfile.TemporaryDirectory()
        self.book = BOOK
        self.place = Place("sqlite", f"sqlite:///{Path(self.folder.name)}/o.db")
        self.stores = [self.place.create(self.book), self.place.open(self.book)]
        self.model = {}
        self.events = 0

    def teardown(self):
        self.place.close()
        self.folder.cleanup()

    @rule(number=numbers, side=sides, quantity=st.integers(1, 9))
    def save_new(self, number, side, quantity):
        if number in self.model:
            now = self.model[number][0]
            with pytest.raises(
                dokima.Conflict, match=f"order {number} has been saved meanwhile: revision {now}, not 0"
            ):
                self.stores[side].save(order(number, quantity), "Ada")
            return
        self.stores[side].save(order(number, quantity), "Ada")
        self.model[number] = [1, quantity, "draft"]
        self.events += 1

    @rule(number=numbers, side=sides, quantity=st.integers(1, 9), stale=st.booleans())
    def edit(self, number, side, quantity, stale):
        if number not in self.model or self.model[number][2] != "draft":
            return
        mine = self.stores[side].order(number)
        if stale:
            self.stores[1 - side].save(self.stores[1 - side].order(number), "Ben")
            self.model[number][0] += 1
            self.events += 1
        mine.lines[0].fields["quantity"] = quantity
        if stale:
            now = self.model[number][0]
            with pytest.raises(dokima.Conflict, match=f"revision {now}, not {now - 1}"):
                self.stores[side].save(mine, "Ada")
            return
        self.stores[side].save(mine, "Ada")
        self.model[number][:2] = [self.model[number][0] + 1, quantity]
        self.events += 1

    @rule(side=sides, state=st.sampled_from(["confirmed", "cancelled"]))
    def move_all(self, side, state):
        report = self.stores[side].each().apply("move", "Cleo", to=state)
        allowed = {"draft": {"confirmed", "cancelled"}, "confirmed": {"cancelled"}, "cancelled": set()}
        moved = [number for number, (_, _, was) in self.model.items() if state in allowed[was]]
        assert report.done == len(moved)
        for number in moved:
            self.model[number] = [self.model[number][0] + 1, self.model[number][1], state]
        self.events += len(moved)

    @rule(number=numbers, side=sides, more=st.integers(1, 9))
    def change(self, number, side, more):
        if self.model.get(number, [0, 0, ""])[2] not in ("draft", "confirmed"):
            return
        store = self.stores[side]
        quantity = self.model[number][1] + more
        change = store.open_change(number, "Ada").number
        store.update_change(change, "Ada", lambda each: each.edit("Ada").change_line(10, quantity=quantity))
        store.update_change(change, "Ada", lambda each: each.submit("Ada"))
        self.stores[1 - side].approve(change, "Ben", settle="amend")
        self.model[number] = [self.model[number][0] + 1, quantity, "confirmed"]
        self.events += 5

    @invariant()
    def both_see_the_same(self):
        for store in self.stores:
            found = {row["number"]: [row["revision"], row["state"]] for row in store.orders()}
            assert found == {number: [revision, state] for number, (revision, _, state) in self.model.items()}
            lines = {row["order"]: int(row["quantity"]) for row in store.lines()}
            assert lines == {number: quantity for number, (_, quantity, _) in self.model.items()}
            assert [int(event["id"]) for event in store.feed()] == list(range(1, self.events + 1))


BOOK = small()
TestTwoWriters = TwoWriters.TestCase
TestTwoWriters.settings = settings(max_examples=10, stateful_step_count=12, deadline=None)
