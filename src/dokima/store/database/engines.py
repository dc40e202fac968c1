"""Connections: what a database is told on each, how a transaction begins, and what is tried again."""

from __future__ import annotations

import logging
import os
import sqlite3
import time
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine, Table, create_engine, event, update
from sqlalchemy.exc import DBAPIError

from dokima.errors import Conflict, DokimaError, StoreError
from dokima.formats.database_urls import DatabasePlace

_log = logging.getLogger(__name__)

T = TypeVar("T")

ATTEMPTS = 5
"""How often a transaction is done that others got in the way of."""
BUSY_SECONDS = 30.0
"""For how long a writer waits for others, all its attempts together."""
LOST_SECONDS = 300.0
"""For how long a database that is lost is looked for."""
FIRST_PAUSE, LONGEST_PAUSE = 0.1, 15.0
"""Seconds between two looks: each pause twice the one before it."""
_IN_THE_WAY = ("40001", "40P01", "55P03", "23505")
"""SQLSTATE of PostgreSQL: serialisation failure, deadlock, lock not available, and a number that somebody else has just
used: done again, the transaction finds it."""


def engine_of(place: DatabasePlace) -> Engine:
    """An engine, SQLite told to keep what it promises.

    Raises:
        DokimaError: The driver of that database is not installed, or the URL is none for it.
    """
    is_postgres = place.url.get_backend_name() == "postgresql"
    if not is_postgres and place.url.database in (None, "", ":memory:"):
        raise DokimaError("a store in memory would be gone with its first connection: name a file, sqlite:///orders.db")
    try:
        with place.quietly():
            engine = create_engine(place.url, pool_pre_ping=is_postgres)
    except StoreError:
        if is_postgres and find_spec("psycopg") is None:
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
        f"busy_timeout = {int(BUSY_SECONDS * 1000)}",
        "journal_mode = WAL",
        "synchronous = FULL",
        "foreign_keys = ON",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Connection) -> None:
    seconds = connection.get_execution_options().get("dokima_waits")
    if seconds is None:
        connection.exec_driver_sql("BEGIN")
        return
    connection.exec_driver_sql(f"PRAGMA busy_timeout = {max(1, int(seconds * 1000))}")
    try:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
    finally:
        connection.exec_driver_sql(f"PRAGMA busy_timeout = {int(BUSY_SECONDS * 1000)}")


def writing(engine: Engine, seconds: float = BUSY_SECONDS) -> Connection:
    """A connection for writing. SQLite takes its lock at once; PostgreSQL sees what others commit meanwhile.

    Args:
        engine: Where.
        seconds: For how long SQLite waits for another writer.
    """
    level = {"isolation_level": "READ COMMITTED"} if engine.dialect.name == "postgresql" else {}
    return engine.connect().execution_options(dokima_waits=seconds, **level)


def begin_to_write(connection: Connection, table: Table) -> None:
    """Have a connection of somebody else's hold what it needs for writing, from before its first reading on.

    Python's driver of SQLite begins a transaction only when something is written, so that what was read before may be
    another by then; a transaction that has read already cannot become one that writes after others have written.

    Args:
        connection: The connection.
        table: A table of one row.

    Raises:
        DokimaError: It commits each statement by itself.
        DBAPIError: Others are writing, or have written since it began to read.
    """
    driver = connection.connection.driver_connection
    said = (
        "expected a connection in a transaction (this one commits each statement by itself): open it without AUTOCOMMIT"
    )
    if connection.dialect.name == "sqlite":
        if getattr(driver, "autocommit", None) is True:
            raise DokimaError(said)
        if not getattr(driver, "in_transaction", True):
            connection.exec_driver_sql("BEGIN IMMEDIATE")
    elif getattr(driver, "autocommit", False):
        raise DokimaError(said)
    if connection.dialect.name == "sqlite":  # a transaction that the caller has begun may only read so far
        connection.execute(update(table).values(version=table.c.version))


@contextmanager
def seeing(engine: Engine, place: DatabasePlace) -> Iterator[Connection]:
    """A connection for reading, that sees one state of the database from beginning to end.

    Raises:
        DokimaError: The database cannot be reached, or refuses.
    """
    options: dict[str, Any] = {"isolation_level": "REPEATABLE READ", "postgresql_readonly": True}
    try:
        with engine.connect() as connection:
            if engine.dialect.name == "postgresql":
                connection.execution_options(**options)
            with connection.begin():
                yield connection
    except DBAPIError as error:
        raise told(error, place) from None


def is_in_the_way(error: DBAPIError) -> bool:
    """Whether somebody else's transaction was in the way, so that the same may succeed when it is done again."""
    return getattr(error.orig, "sqlstate", "") in _IN_THE_WAY or any(
        said in str(error.orig) for said in ("database is locked", "UNIQUE constraint failed")
    )


def again(work: Callable[[float], T], place: DatabasePlace) -> T:
    """Do a whole transaction, and do it again if others got in its way: some times over, and not for longer than that.

    Args:
        work: Does it; is told for how many seconds it may wait.
        place: Where, for messages.

    Raises:
        Conflict: They still did after five attempts, or when the time was over.
        DokimaError: The database cannot be reached, or refuses; without any secret.
    """
    end = time.monotonic() + BUSY_SECONDS
    for left in reversed(range(ATTEMPTS)):
        try:
            return work(max(0.0, end - time.monotonic()))
        except DBAPIError as error:
            if not is_in_the_way(error):
                raise told(error, place) from None
            if time.monotonic() >= end:
                raise Conflict(f"others were writing to {place} for {BUSY_SECONDS:g} seconds") from None
            if not left:
                raise Conflict(f"others were writing to {place} at the same time, {ATTEMPTS} times over") from None
    raise AssertionError("no attempt at all")


def told(error: DBAPIError, place: DatabasePlace) -> Conflict | StoreError:
    """What a database says, in one line and without the statement, whose values are nobody's business."""
    place.silence(error)
    if is_in_the_way(error):
        return Conflict(f"others were writing to {place} at the same time")
    said = place.scrubbed(str(error.orig)).strip().partition("\n")[0]
    if any(lack in said for lack in ("no such column", "has no column", "no such table", "does not exist")):
        said += "; dokima store upgrade adds what the rulebook has won"
    if "readonly database" in said:
        said += " (its folder, the file, or one of those that SQLite keeps beside it may not be written)"
    return StoreError(f"{place}: {said}", is_lost=is_lost(error))


def is_lost(error: DBAPIError) -> bool:
    """Whether the connection is gone: class 08 of SQLSTATE, 57P01 to 57P03, or a server that does not even answer."""
    state = getattr(error.orig, "sqlstate", "") or ""
    silent = not state and hasattr(error.orig, "sqlstate") and type(error.orig).__name__ == "OperationalError"
    return error.connection_invalidated or silent or state.startswith(("08", "57P0"))


def reached_again(engine: Engine, place: DatabasePlace) -> None:
    """Wait until a database that was lost can be reached again, with growing pauses; said once.

    Raises:
        StoreError: It could not be reached for `LOST_SECONDS`.
    """
    end, pause = time.monotonic() + LOST_SECONDS, FIRST_PAUSE
    _log.warning("%s cannot be reached; trying again for up to %g seconds", place, LOST_SECONDS)
    engine.dispose()
    while True:
        try:
            with seeing(engine, place) as connection:
                connection.exec_driver_sql("SELECT 1")
        except StoreError as error:
            if not error.is_lost:
                raise
            if time.monotonic() + pause > end:
                raise StoreError(f"{error} (tried for {LOST_SECONDS:g} seconds)", is_lost=True) from None
        else:
            return
        time.sleep(pause)
        pause = min(2 * pause, LONGEST_PAUSE)
