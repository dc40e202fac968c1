"""What a database says is told in one line with what helps, and nothing that helps somewhere else."""

from __future__ import annotations

import sqlite3

import pytest
from sqlalchemy.engine import make_url
from sqlalchemy.exc import OperationalError

import dokima
from dokima.formats.database_urls import DatabasePlace
from dokima.store.database.engines import told

PLACE = DatabasePlace(make_url("sqlite:///o.db"), "sqlite:///o.db", (("hunter2", "***"),))
HINTS = ("dokima store upgrade", "may not be written")


@pytest.mark.parametrize(
    ("said", "kind", "hint"),
    [
        ("attempt to write a readonly database", dokima.StoreError, "may not be written"),
        ("no such table: orders", dokima.StoreError, "dokima store upgrade"), ("no such column: field_x", dokima.StoreError, "dokima store upgrade"),
        ("table orders has no column named x", dokima.StoreError, "dokima store upgrade"),
        ('relation "orders" does not exist', dokima.StoreError, "dokima store upgrade"),
        ("disk I/O error", dokima.StoreError, ""), ("near hunter2: syntax error\nLINE 1: select", dokima.StoreError, ""),
        ("database is locked", dokima.Conflict, ""), ("UNIQUE constraint failed: orders.number", dokima.Conflict, ""),
    ],
)  # fmt: skip
def test_it_is_told_once_with_its_own_hint(said, kind, hint):
    error = told(OperationalError("insert into orders values ('hunter2')", {}, sqlite3.OperationalError(said)), PLACE)
    assert type(error) is kind
    text = str(error)
    assert [each for each in HINTS if each in text] == ([hint] if hint else [])
    assert "\n" not in text
    assert "hunter2" not in text
    if kind is dokima.StoreError:
        assert text.startswith("sqlite:///o.db: ")
        assert said.partition("\n")[0].replace("hunter2", "***") in text
