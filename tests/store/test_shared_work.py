"""Several at the same work: no update is lost, nothing is counted twice, a repeated call gives the first result."""

from __future__ import annotations

import datetime
import os
import random
import threading
import time
from decimal import Decimal as D

import pytest
import sqlalchemy as sa

import dokima
from dokima.formats.database_urls import place_of as database_of
from dokima.store.database import engines, jobs
from tests import postgres as server_of
from tests.hardening.test_races import in_a_process
from tests.store.test_places import order, small


def engine_of(database, **more):
    """An engine as a program of its own would have it, with nothing of Dokima's."""
    return sa.create_engine(database_of(database.where).url, poolclass=sa.NullPool, **more)


def adds_one(database, book, seed, seconds, told):
    """Add one to the quantity of A in transactions of its own; say how often that was accepted."""
    dice, done = random.Random(seed), 0
    engine, store = engine_of(database), database.open(book)
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            with engine.connect() as connection, connection.begin(), store.using(connection):
                mine = store.order("A")
                time.sleep(dice.uniform(0, 0.003))
                mine.lines[0].fields["quantity"] = int(mine.line("10")["quantity"]) + 1
                store.save(mine, f"w{seed}")
            done += 1
        except dokima.Conflict:
            pass
    os.write(told, f"{done} ".encode())


def test_transactions_of_callers_lose_no_update(database):
    book = small()
    database.create(book).save(order("A", quantity="0"), "Ada")
    database.close()
    reading, writing = os.pipe()
    children = [in_a_process(adds_one, database, book, seed, 1.2, writing) for seed in range(4)]
    assert [os.waitpid(child, 0)[1] for child in children] == [0] * 4
    os.close(writing)
    accepted = sum(map(int, os.read(reading, 1000).split()))
    os.close(reading)
    store = database.open(book)
    assert accepted > 4
    assert int(store.order("A").line("10")["quantity"]) == accepted
    assert [event.revision for event in store.history("A")] == list(range(1, accepted + 2))


def test_two_transactions_that_read_before_either_writes(database):
    """Both have read revision 1. The second is refused, and the history knows two revisions, each once."""
    store = database.create(small())
    store.save(order("A"), "Ada")
    quick = {"connect_args": {"timeout": 0.1}} if database.kind == "sqlite" else {}
    engine = engine_of(database, **quick)
    with engine.connect() as one, engine.connect() as two:
        begun = one.begin(), two.begin()
        with store.using(one):
            mine = store.order("A")
        if database.kind == "sqlite":
            with (
                pytest.raises(dokima.Conflict, match="others are writing to .*: roll back, and begin again$"),
                store.using(two),
            ):
                pytest.fail("somebody else holds what is needed for writing")
        else:
            with store.using(two):
                yours = store.order("A")
        with store.using(one):
            store.save(mine, "Ben")
        begun[0].commit()
        if database.kind == "postgres":
            with store.using(two), pytest.raises(dokima.Conflict, match="revision 2, not 1"):
                store.save(yours, "Cleo")
    assert [(event.revision, event.by) for event in store.history("A")] == [(1, "Ada"), (2, "Ben")]


def test_a_transaction_that_has_read_what_is_old_by_now_does_not_write(tmp_path, database):
    store = database.create(small())
    store.save(order("A"), "Ada")
    with engine_of(database).connect() as connection:
        if database.kind == "sqlite":
            connection.exec_driver_sql("BEGIN")
            connection.exec_driver_sql("SELECT revision FROM orders").all()
            store.save(store.order("A"), "Ben")
            with (
                pytest.raises(dokima.Conflict, match="or have written since .*: roll back, and begin again$"),
                store.using(connection),
            ):
                pass
    with engine_of(database, isolation_level="AUTOCOMMIT").connect() as connection:
        if database.kind == "postgres":
            with pytest.raises(dokima.DokimaError, match="commits each statement by itself"), store.using(connection):
                pass
        else:
            with store.using(connection):
                store.save(store.order("A"), "Cleo")
            connection.connection.driver_connection.rollback()
    assert store.order("A").header["revision"] == (2 if database.kind == "sqlite" else 1)


def test_an_update_names_the_revision_that_was_seen(database, monkeypatch):
    """Whatever was read before: between the last look and the update somebody else writes by hand."""
    store = database.create(small())
    store.save(order("A"), "Ada")
    engine, real = engine_of(database), store.book.price

    def meanwhile(orders):
        table = store.documents.schema["orders"]
        mine = store.documents._mine.connection
        mine.execute(sa.update(table).values(revision=7))
        return real(orders)

    mine = store.order("A")
    with engine.connect() as connection, connection.begin() as begun, store.using(connection):
        monkeypatch.setattr(type(store.book), "price", lambda _, orders: meanwhile(orders))
        with pytest.raises(dokima.Conflict, match="somebody else has saved meanwhile"):
            store.save(mine, "Ben")
        begun.rollback()
    monkeypatch.undo()
    assert store.order("A").header["revision"] == 1


def test_a_writer_waits_once_for_the_time_that_is_documented(database, monkeypatch):
    if database.kind != "sqlite":
        pytest.skip("PostgreSQL waits for a lock as long as it is held")
    store = database.create(small())
    monkeypatch.setattr(engines, "BUSY_SECONDS", 0.4)
    waits = []
    sa.event.listen(store.documents.engine, "before_cursor_execute", lambda *a: waits.append(a[2]))
    with engine_of(database).connect() as other:
        other.exec_driver_sql("BEGIN IMMEDIATE")
        with pytest.raises(dokima.Conflict, match=r"others were writing to '.*' for 0\.4 seconds"):
            store.save(order("A"), "Ada")
    assert waits.count("BEGIN IMMEDIATE") == 1


def goes_on(database, book, told):
    report = database.open(book).each(state="draft").apply("set", "Ada", name="one", fields={"header.budget": "5"})
    os.write(told, f"{report.done},{report.left},{len(report.others)} ".encode())


def test_workers_share_a_job_and_count_each_order_once(database, monkeypatch):
    """All begin it under one name; all say the same in the end, and so does whoever asks for it again."""
    monkeypatch.setattr(jobs, "BATCH", 7)
    book = small()
    store = database.create(book)
    store.save_many([order(f"N-{at:03}") for at in range(60)], "Ada")
    database.close()
    reading, writing = os.pipe()
    children = [in_a_process(goes_on, database, book, writing) for _ in range(3)]
    assert [os.waitpid(child, 0)[1] for child in children] == [0] * 3
    assert os.read(reading, 1000).decode().split() == ["60,0,0"] * 3
    os.close(reading)
    os.close(writing)
    assert {row["revision"] for row in store.orders()} == {2}
    again = store.each(state="draft").apply("set", "Ada", name="one", fields={"header.budget": "5"})
    assert (again.done, again.left, {row["revision"] for row in store.orders()}) == (60, 0, {2})
    changed = database.open(small(header={"budget": {"label": "Budget"}}))
    late = changed.each(state="draft").apply("set", "Ada", name="one", fields={"header.budget": "5"})
    assert late.done == 60, "what is done needs no rulebook"
    with pytest.raises(dokima.Conflict, match="the job 'one' is another one"):
        store.each(state="draft").apply("set", "Ada", name="one", fields={"header.budget": "6"})


def test_one_job_does_several_things_as_one_editor_would(database):
    store = database.create(small())
    store.save_many([order("A"), order("B", state="cancelled")], "Ada")
    steps = [("set", {"fields": {"header.budget": "9", "line.remark": "x"}}), ("move", {"to": "confirmed"})]
    report = store.each().apply(steps, "Ben", name="both")
    assert (report.done, [(number, outcome) for number, outcome, _ in report.others]) == (1, [("B", "refused")])
    with store.edit("A", by="Cleo") as editor:
        assert (editor.order.header["budget"], editor.order.header["state"]) == (D(9), "confirmed")
        assert editor.order.line("10")["remark"] == "x"
    assert [event.revision for event in store.history("A")] == [1, 2, 3]
    with pytest.raises(dokima.DokimaError, match="expected one operation with its arguments, or a list of some"):
        store.each().apply([], "Ben")


def test_a_repeated_operation_gives_the_first_result(database):
    store = database.create(small())
    first = store.save(order("A", quantity="36"), "Ada", operation="call 1")
    with store.edit("A", by="Ben") as editor:
        editor.change_line(10, quantity=40)
    again = store.save(order("A", quantity="36"), "Ada", operation="call 1")
    assert again == first
    assert (again.header["revision"], again.line("10")["quantity"]) == (1, D(36))
    for other in (order("A", quantity="37"), order("B", quantity="36")):
        with pytest.raises(dokima.Conflict, match="the operation 'call 1' was about something else"):
            store.save(other, "Ada", operation="call 1")
    with pytest.raises(dokima.Conflict, match="the operation 'call 1' was about something else"):
        store.open_change("A", "Ada", operation="call 1")
    opened = store.open_change("A", "Ada", reason="more", operation="call 2")
    store.update_change(opened.number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=50))
    repeated = store.open_change("A", "Ada", reason="more", operation="call 2")
    assert (repeated.number, repeated.document.line("10")["quantity"]) == (opened.number, D(40))
    assert store.documents.numbers("changes") == [opened.number]
    store.update_change(opened.number, "Ada", lambda change: change.submit("Ada"))
    settled = store.approve(opened.number, "Ben", settle="split", operation="call 3")
    store.save(store.order("A"), "Cleo")
    assert store.approve(opened.number, "Ben", settle="split", operation="call 3") == settled
    with pytest.raises(dokima.Conflict, match="was about something else"):
        store.approve(opened.number, "Ben", settle="amend", operation="call 3")


def test_names_made_by_callers_never_meet(database):
    store = database.create(small())
    store.save_many([order("A"), order("B")], "Ada", operation="x")
    assert store.save(order("C"), "Ada", operation="x (3)").number == "C"
    assert store.save(order("D"), "Ada", operation="y (2)").number == "D"
    assert [each.number for each in store.save_many([order("E"), order("F")], "Ada", operation="y")] == ["E", "F"]
    assert [each.number for each in store.save_many([order("A"), order("B")], "Ada", operation="x")] == ["A", "B"]


def test_approvals_of_different_orders_at_once_are_counted_apart(database):
    book = small()
    store = database.create(book)
    store.save_many([order(name, state="confirmed") for name in "ABCDE"], "Ada")
    names = []
    for name in "ABCDE":
        names.append(store.open_change(name, "Ada").number)
        store.update_change(names[-1], "Ada", lambda change: change.edit("Ada").change_line(10, quantity=3))
        store.update_change(names[-1], "Ada", lambda change: change.submit("Ada"))
    threads = [
        threading.Thread(target=lambda n=n: database.open(book).approve(n, "Ben", settle="amend")) for n in names
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(store.change(name).record["settled"]["sequence"] for name in names) == [1, 2, 3, 4, 5]


def test_work_keeps_all_of_what_is_done_or_nothing(place):
    store = place.create(small())
    store.save(order("A", quantity="10", state="confirmed"), "Ada")
    number = store.open_change("A", "Ada").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=15))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    before = store.change(number).to_dict()
    with pytest.raises(dokima.DokimaError, match=f"{number} is not approved: .* Store.approve does"):
        store.update_change(number, "Ben", lambda change: change.approve("Ben", [store.order("A")], settle="amend"))
    with pytest.raises(dokima.DokimaError, match=f"{number} is not rebased: .* Store.rebase does"):
        store.update_change(number, "Ben", lambda change: change.rebase([store.order("A")], "Ben"))
    assert store.change(number).to_dict() == before
    store.approve(number, "Ben", settle="amend")
    assert store.order("A").line("10")["quantity"] == "15"
    assert store.ledger("A").is_balanced


def test_a_change_that_cannot_be_read_stops_no_other(place):
    store = place.create(small())
    store.save_many([order("A", state="confirmed"), order("B", state="confirmed")], "Ada")
    bad, good = store.open_change("A", "Ada", reason="panes").number, store.open_change("B", "Ada").number
    frozen = store.documents.read("baselines", bad)

    def spoil(transaction):
        transaction.commit({("baselines", bad): frozen.replace('"PANE"', '"VENT"')})

    store.documents.transact("Eve", spoil)
    found = store.all_changes()
    assert [change.number for change in found] == [good]
    assert [(each.number, each.order, each.state) for each in found.unreadable] == [(bad, "A", "draft")]
    listed = {entry.number: entry for entry in store.list_changes(datetime.date(2026, 3, 5))}
    assert "has been changed" in listed[bad].unknown
    assert (listed[bad].reason, listed[good].unknown) == ("panes", "")
    assert store.ledger("B").is_balanced
    pending = {each.number: each.unknown for each in store.ledger("A").pending}
    assert "has been changed" in pending[bad]
    with pytest.raises(dokima.DokimaError, match="has been changed"):
        store.change(bad)


def test_a_store_says_whose_orders_it_keeps(place):
    store = place.create(small())
    store.save(order("A"), "Ada")
    stranger = small(rulebook={"name": "boats", "currency": "EUR"})
    with pytest.raises(dokima.DokimaError, match="keeps the orders of the rulebook 'small', not of 'boats'"):
        place.open(stranger)
    if place.kind == "folder":
        (place.where / ".rulebook").unlink()
        assert place.open(stranger).order("A").number == "A"
        return
    database = place
    dokima.upgrade_store(database.where, stranger, schema=database.schema, adopt=True)
    assert [row["number"] for row in database.open(stranger).orders()] == ["A"]
    with pytest.raises(dokima.DokimaError, match="keeps the orders of the rulebook 'boats', not of 'small'"):
        database.open(small())


def test_who_follows_a_server_that_restarts_misses_nothing(caplog, monkeypatch):
    """Said once a restart; the last time it stays away, and that is told."""
    if server_of.why_not():
        pytest.skip(server_of.why_not())
    seen, ended = [], []
    with server_of.server() as server:
        store = dokima.create_store(server.url(), small())

        def follows(reader):
            try:
                for event in reader.follow(every=0.2):
                    seen.append(event["subject"])
            except dokima.StoreError as error:
                ended.append(error)

        thread = threading.Thread(target=follows, args=(dokima.open_store(server.url(), small()),))
        thread.start()
        for turn in range(2):
            store.save(order(f"A-{turn}"), "Ada")
            until(lambda turn=turn: len(seen) == turn + 1)
            server.stop("fast")
            until(lambda turn=turn: len(caplog.records) == turn + 1)
            server.start()
            store = dokima.open_store(server.url(), small())
        store.save(order("B"), "Ada")
        until(lambda: len(seen) == 3)
        monkeypatch.setattr(engines, "LOST_SECONDS", 0.3)
        server.stop("immediate")
        thread.join(30)
        server.start()
    assert seen == ["A-0", "A-1", "B"]
    assert "tried for 0.3 seconds" in str(ended[0])
    assert {record.getMessage() for record in caplog.records[:2]} == {
        "'postgres' on 127.0.0.1 cannot be reached; trying again for up to 300 seconds"
    }


def until(holds):
    end = time.monotonic() + 30
    while not holds():
        assert time.monotonic() < end, "it never came"
        time.sleep(0.02)
