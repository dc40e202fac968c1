"""Connections: what a database is told on each, how a transaction begins, and what is tried again."""

from __future__ import annotations

import os
import sqlite3
import weakref
from collections.abc import Callable
from typing import Any, TypeVar

from sqlalchemy import URL, Connection, Engine, create_engine, event
from sqlalchemy.exc import DBAPIError, NoSuchModuleError

from dokima.errors import Conflict, DokimaError

T = TypeVar("T")

ATTEMPTS = 5
"""How often a transaction is done that others got in the way of."""
BUSY_SECONDS = 30
"""For how long SQLite waits for another writer."""
_IN_THE_WAY = ("40001", "40P01", "55P03", "23505")
"""SQLSTATE of PostgreSQL: serialisation failure, deadlock, lock not available, and a number that somebody else has just
used: done again, the transaction finds it."""


def engine_of(url: URL) -> Engine:
    """An engine, SQLite told to keep what it promises.

    Raises:
        DokimaError: The driver of that database is not installed.
    """
    try:
        engine = create_engine(url, pool_pre_ping=url.get_backend_name() == "postgresql")
    except (ImportError, NoSuchModuleError):
        if url.get_backend_name() == "postgresql":
            raise DokimaError("PostgreSQL needs psycopg: pip install 'dokima[postgres]'") from None
        raise
    if engine.dialect.name == "sqlite":
        event.listen(engine, "connect", _prepared)
        event.listen(engine, "begin", _begin)
    # A connection that two processes share mixes up their transactions.
    mine = weakref.ref(engine)
    os.register_at_fork(after_in_child=lambda: _forget(mine))
    return engine


def _forget(engine: weakref.ref[Engine]) -> None:
    found = engine()
    if found is not None:
        found.dispose(close=False)


def _prepared(connection: sqlite3.Connection, _: Any) -> None:
    connection.isolation_level = None  # Python's driver would begin transactions by itself, too late
    cursor = connection.cursor()
    for pragma in (
        f"busy_timeout = {BUSY_SECONDS * 1000}",
        "journal_mode = WAL",
        "synchronous = FULL",
        "foreign_keys = ON",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Connection) -> None:
    writes = connection.get_execution_options().get("dokima_writes")
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def writing(engine: Engine) -> Connection:
    """A connection for writing. SQLite takes its lock at once; PostgreSQL sees what others commit meanwhile."""
    level = {"isolation_level": "READ COMMITTED"} if engine.dialect.name == "postgresql" else {}
    return engine.connect().execution_options(dokima_writes=True, **level)


def reading(engine: Engine) -> Connection:
    """A connection for reading, that sees one state of the database from beginning to end."""
    if engine.dialect.name != "postgresql":
        return engine.connect()
    return engine.connect().execution_options(isolation_level="REPEATABLE READ", postgresql_readonly=True)


def is_in_the_way(error: DBAPIError) -> bool:
    """Whether somebody else's transaction was in the way, so that the same may succeed when it is done again."""
    return getattr(error.orig, "sqlstate", "") in _IN_THE_WAY or any(
        said in str(error.orig) for said in ("database is locked", "UNIQUE constraint failed")
    )


def again(work: Callable[[], T], place: str) -> T:
    """Do a whole transaction, and do it again if others got in its way.

    Raises:
        Conflict: They still did after five attempts.
        DokimaError: The database cannot be reached, or refuses; without any secret.
    """
    for left in reversed(range(ATTEMPTS)):
        try:
            return work()
        except DBAPIError as error:
            if not is_in_the_way(error):
                raise told(error, place) from None
            if not left:
                raise Conflict(f"others were writing to {place} at the same time, {ATTEMPTS} times over") from None
    raise AssertionError("no attempt at all")


def told(error: DBAPIError, place: str) -> DokimaError:
    """What a database says, in one line and without the statement, whose values are nobody's business."""
    said = str(error.orig).strip().partition("\n")[0]
    if any(lack in said for lack in ("no such column", "has no column", "no such table", "does not exist")):
        said += "; dokima store upgrade adds what the rulebook has won"
    if "readonly database" in said:
        said += " (its folder, the file, or one of those that SQLite keeps beside it may not be written)"
    return DokimaError(f"{place}: {said}")
