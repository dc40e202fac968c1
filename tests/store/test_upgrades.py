"""Stores of earlier versions: upgraded, every order reads, prices and edits as before."""

from __future__ import annotations

import re
import sqlite3
from decimal import Decimal as D
from pathlib import Path

import pytest
import sqlalchemy as sa

import dokima
from dokima.formats.database_urls import place_of as database_of
from tests.store.earlier import book

KEPT = Path(__file__).parent / "kept"


@pytest.mark.parametrize("name", ["before_change_orders", "before_operations"])
def test_a_store_of_version_1_reads_prices_and_edits_as_before(database, name):
    """Made by Dokima as it was then: A and B saved as one operation, D changed and divided, a job, pending changes."""
    text = (KEPT / f"{name}.{database.kind}.sql").read_text(encoding="utf-8")
    if database.kind == "sqlite":
        with sqlite3.connect(database_of(database.where).url.database) as connection:
            connection.executescript(text)
        connection.close()
    else:
        engine = sa.create_engine(database_of(database.where).url, poolclass=sa.NullPool)
        with engine.begin() as connection:
            connection.exec_driver_sql(re.sub(r"\bshop\b", f'"{database.schema}"', text))
    where, rules, schema = database.where, book(), database.schema
    with pytest.raises(dokima.DokimaError, match="has tables of version 1, not 2: dokima store upgrade"):
        database.open(rules)
    planned = dokima.upgrade_store(where, rules, schema=schema, dry_run=True)
    assert dokima.upgrade_store(where, rules, schema=schema) == planned
    assert dokima.upgrade_store(where, rules, schema=schema) == []
    assert list(dokima.check_store(where, rules, schema=schema)) == []
    store = database.open(rules)
    # 4 x 10 + 100; 2.5 x 10 + 100; and 3.5 x 10 more of D, ordered separately.
    sums = {"A": "140.00", "B": "125.00", "C": "125.00", "D": "125.00", "D-S1": "35.00"}
    assert {row["number"]: str(row["without_tax"]) for row in store.orders()} == sums
    assert {n: str(rules.price(store.order(n))[n].totals.without_tax) for n in sums} == sums
    assert [(event.revision, event.by) for event in store.history("A")] == [(1, "Ada"), (2, "Ben"), (3, "Cleo")]
    assert [(change.number, change.state) for change in store.changes("D")] == [
        ("D-C1", "approved"),
        ("D-C2", "submitted"),
    ]
    store.approve("D-C2", "Ben", settle="amend")
    assert store.change("D-C2").record["settled"]["sequence"] == 2
    assert (store.ledger("D").is_balanced, str(store.ledger("D").current["without_tax"])) == (True, "360.00")
    with store.edit("A", by="Ada") as editor:
        editor.change_line(10, quantity="1")
    assert store.order("A").header["revision"] == 4
    lines = [{"number": "10", "item": "A", "quantity": "2.5"}, {"number": "20", "item": "B", "quantity": "1"}]
    again = [dokima.Order(n, kind="sales", date="2026-03-02", currency="EUR", lines=lines) for n in "AB"]
    with pytest.raises(dokima.Conflict, match="the operation 'x' was done, and what it gave was not kept then"):
        store.save_many(again, "Ada", operation="x")
    with pytest.raises(dokima.Conflict, match=r"the operation 'x \(3\)' was about something else"):
        store.save_many(again, "Ada", operation="x (3)")
    assert (
        store.save(dokima.Order("E", kind="sales", currency="EUR", lines=lines), "Ada", operation="x (2)").number == "E"
    )
    report = store.each(where="number == 'A' or number == 'B'").apply(
        "set", "Cleo", name="spring", fields={"header.requested_by": "Dora"}
    )
    assert (report.done, report.left) == (2, 0)


def kept(name, tmp_path):
    """The URL of a store that was kept as SQL."""
    file = tmp_path / "orders.db"
    with sqlite3.connect(file) as connection:
        connection.executescript((KEPT / name).read_text(encoding="utf-8"))
    connection.close()
    return f"sqlite:///{file}"


def test_a_store_from_before_families_had_a_map(tmp_path):
    """O: 10 A, 1 C, 1 B; its supplement 5 A, 7 C under the number of B. The pending change took them for 8 B."""
    url, rules = kept("before_families.sql", tmp_path), book()
    with pytest.raises(dokima.DokimaError, match="has tables of version 1, not 2: dokima store upgrade"):
        dokima.open_store(url, rules).orders()
    added = {"store": ("rulebook",), "orders": ("state_before", "drawn"), "order_lines": ("drawn",)}
    made, *altered = dokima.upgrade_store(url, rules)
    assert made.startswith("CREATE TABLE operations (")
    assert sorted(altered) == sorted(
        f"ALTER TABLE {table} ADD COLUMN {name} TEXT" for table, names in added.items() for name in names
    )
    assert dokima.upgrade_store(url, rules) == []
    with dokima.open_store(url, rules) as store:
        family = store.with_supplements("O")
        assert [str(rules.price(each)[each.number].totals.without_tax) for each in family] == ["201.00", "57.00"]
        assert list(dokima.check_store(url, rules)) == [
            "order P is finished, and 9 of line 10 are still open",
            "order P is finished, and 1 of line 20 are still open",
        ]
        with pytest.raises(dokima.StaleBaseline, match="O-S1 line 30 is not the line of that number in O"):
            store.approve("O-C2", "Ben")
        store.rebase("O-C2", "Ada")
        store.update_change("O-C2", "Ada", lambda change: change.submit("Ada"))
        done = store.approve("O-C2", "Ben")
        assert done.supplement is not None
        assert [(line.number, line["item"], line["quantity"]) for line in done.supplement.lines] == [("20", "C", D(1))]
        ledger = store.ledger("O")
        assert (ledger.is_balanced, ledger.current["without_tax"]) == (True, D("259.00"))
        with store.edit("O", by="Cleo") as editor:
            assert editor.add_line(item="B", quantity=1) == "50"
