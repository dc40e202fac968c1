"""The three places of a store: a folder, an SQLite file, a PostgreSQL server of the tests' own."""

from __future__ import annotations

import os
import uuid

import pytest

import dokima
from tests import postgres as server_of
from tests.books import DEMO


@pytest.fixture(scope="session")
def server():
    """A PostgreSQL server. Where there is none the tests that need it are skipped, but never in CI."""
    why = server_of.why_not()
    if why and os.environ.get("DOKIMA_TEST_POSTGRES") == "always":
        pytest.fail(why)
    if why:
        pytest.skip(why)
    with server_of.server() as found:
        yield found


class Place:
    """A place that a rulebook's store can be made in and opened at."""

    def __init__(self, kind, where, schema=""):
        self.kind, self.where, self.schema = kind, where, schema
        self.opened = []

    def create(self, book):
        make = dokima.open_store if self.kind == "folder" else dokima.create_store
        self.opened.append(make(self.where, book, schema=self.schema))
        return self.opened[-1]

    def open(self, book):
        self.opened.append(dokima.open_store(self.where, book, schema=self.schema))
        return self.opened[-1]

    def close(self):
        for store in self.opened:
            store.close()


def place_of(kind, tmp_path, request):
    if kind == "folder":
        (tmp_path / "orders").mkdir(exist_ok=True)
        return Place(kind, tmp_path)
    if kind == "sqlite":
        return Place(kind, f"sqlite:///{tmp_path}/orders.db")
    return Place(kind, request.getfixturevalue("server").url(), f"s{uuid.uuid4().hex[:12]}")


@pytest.fixture(params=["folder", "sqlite", "postgres"])
def place(request, tmp_path):
    """Each of the three places, empty."""
    found = place_of(request.param, tmp_path, request)
    yield found
    found.close()


@pytest.fixture(params=["sqlite", "postgres"])
def database(request, tmp_path):
    """Each database, empty."""
    found = place_of(request.param, tmp_path, request)
    yield found
    found.close()


@pytest.fixture(scope="session")
def quillmere():
    """The demo's rulebook."""
    return dokima.load(DEMO)
