"""Many writers at once, and writers of files that are killed: every document is whole, nothing is counted twice."""

import contextlib
import os
import random
import signal
import time
import traceback
import warnings

import pytest

import dokima
from tests.books import DEMO

KILLS = int(os.environ.get("DOKIMA_TEST_KILLS", "30"))
HEADER = {"kind": "sales", "date": "2026-03-02", "customer": "FERNHOLT", "pick_up": True}


def in_a_process(work, *arguments):
    """The number of a process that does some work, and ends with 1 if it failed."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)  # the test runner has threads; the child uses none of them
        child = os.fork()
    if child:
        return child
    status = 0
    try:
        work(*arguments)
    except BaseException:
        traceback.print_exc()
        status = 1
    os._exit(status)


def counts_up(folder, book, seed, turns):
    """Add one to the budget of an order; who is told that somebody else was faster looks again."""
    dice = random.Random(seed)
    store = dokima.FolderStore(folder, book, patience=60)
    for _ in range(turns):
        saved = False
        while not saved:
            with contextlib.suppress(dokima.Conflict):
                with store.edit("C", by=f"w{seed}") as editor:
                    editor.change_header(budget=int(editor.order.header.get("budget") or 0) + 1)
                saved = True
            time.sleep(dice.uniform(0, 0.02))


def dies_in_the_lock(folder, book):
    """Hold the lock, with a file half written, and die."""
    store = dokima.FolderStore(folder, book, patience=60)

    def work(_transaction):
        (folder / "orders" / ".C.json.partial").write_text("{")
        os.kill(os.getpid(), signal.SIGKILL)

    store.documents.transact("dies", work)


def race(folder, writers, turns, deaths):
    book = dokima.load(DEMO)
    (folder / "orders").mkdir(parents=True)
    order = dokima.Order("C", lines=[{"number": "10", "item": "CLIP-S", "quantity": 1}], **HEADER)
    dokima.write_orders([order], folder / "orders")
    children = [in_a_process(counts_up, folder, book, seed, turns) for seed in range(writers)]
    dying = [in_a_process(dies_in_the_lock, folder, book) for _ in range(deaths)]
    assert [os.waitpid(child, 0)[1] for child in dying] == [signal.SIGKILL] * deaths
    assert [os.waitpid(child, 0)[1] for child in children] == [0] * writers
    counted = dokima.FolderStore(folder, book).order("C").header["budget"]
    assert int(counted) == writers * turns


def test_writers_wait_for_each_other_and_for_none_that_died(tmp_path):
    race(tmp_path / "s", writers=4, turns=4, deaths=2)


@pytest.mark.long
def test_sixteen_writers_and_locks_whose_holders_die(tmp_path):
    race(tmp_path / "s", writers=16, turns=10, deaths=16)


def edits_for_ever(folder, book, seed):
    """Write two orders over and over, each a whole file; the second one always has what the first one has."""
    dice = random.Random(seed)
    while True:
        value = dice.randint(1, 10**6)
        lines = [{"number": str(at * 10), "item": "CLIP-S", "quantity": value} for at in range(1, 200)]
        for number in ("A", "B"):
            dokima.write_orders([dokima.Order(number, lines=lines, **HEADER)], folder)


def kill_many(folder, kills):
    book = dokima.load(DEMO)
    folder.mkdir()
    for number in ("A", "B"):
        dokima.write_orders([dokima.Order(number, lines=[], **HEADER)], folder)
    for seed in range(kills):
        child = in_a_process(edits_for_ever, folder, book, seed)
        time.sleep(random.Random(seed).uniform(0.002, 0.06))
        os.kill(child, signal.SIGKILL)
        assert os.waitpid(child, 0)[1] == signal.SIGKILL
        for number in ("A", "B"):
            order = dokima.Order.from_json((folder / f"{number}.json").read_text())
            assert len({str(line.fields["quantity"]) for line in order.lines}) <= 1, "half of one, half of another"
    dokima.write_orders([dokima.Order("A", lines=[], **HEADER)], folder)  # the next command works


def test_files_of_a_killed_writer_are_whole(tmp_path):
    kill_many(tmp_path / "o", 5)


@pytest.mark.long
def test_files_of_many_killed_writers_are_whole(tmp_path):
    kill_many(tmp_path / "o", KILLS)
