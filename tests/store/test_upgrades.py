"""Stores of earlier versions: upgraded, every order reads, prices and edits as before."""

from __future__ import annotations

import sqlite3
from decimal import Decimal as D
from pathlib import Path

import pytest

import dokima
from tests.store.earlier import book

KEPT = Path(__file__).parent / "kept"


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
    with pytest.raises(dokima.DokimaError, match="no such column: orders.state_before; dokima store upgrade"):
        dokima.open_store(url, rules).orders()
    added = {"orders": ("state_before", "drawn"), "order_lines": ("drawn",)}
    assert dokima.upgrade_store(url, rules) == [
        f"ALTER TABLE {table} ADD COLUMN {name} TEXT" for table, names in added.items() for name in names
    ]
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
        store.work("O-C2", "Ada", lambda change: change.submit("Ada"))
        done = store.approve("O-C2", "Ben")
        assert done.supplement is not None
        assert [(line.number, line["item"], line["quantity"]) for line in done.supplement.lines] == [("20", "C", D(1))]
        ledger = store.ledger("O")
        assert (ledger.is_balanced, ledger.current["without_tax"]) == (True, D("259.00"))
        with store.edit("O", by="Cleo") as editor:
            assert editor.add_line(item="B", quantity=1) == "50"
