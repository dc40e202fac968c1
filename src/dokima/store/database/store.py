"""`DatabaseStore`: a store in a database."""

from __future__ import annotations

import time
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

from sqlalchemy import Connection
from sqlalchemy.exc import DBAPIError

from dokima.errors import DokimaError, StoreError
from dokima.formats.database_urls import DatabasePlace, filled, place_of
from dokima.model.arguments import a_text
from dokima.model.selecting import Selection
from dokima.rulebook.book import Rulebook
from dokima.store.database.column_names import refuse_unless_name
from dokima.store.database.engines import engine_of, is_lost, reached_again, seeing, told
from dokima.store.database.jobs import Each, Job
from dokima.store.database.kept import Kept
from dokima.store.database.place import DatabaseDocuments
from dokima.store.database.schema import refuse_other_kinds, schema_of
from dokima.store.service import Store


class DatabaseStore(Store):
    """Orders, change orders, events and jobs in a database.

    Args:
        place: Its URL; see `open_store`.
        book: The rulebook.
        schema: Schema of the database; the usual one if blank.
        prefix: What the names of its tables begin with.
        tended: It is opened to be upgraded, so that its tables may be of an earlier version.
        adopted: It is to be this rulebook's from now on, whosever it was.

    Raises:
        DokimaError: It cannot be reached, holds no store, is another rulebook's, has tables of another version, or
            keeps a field as another kind than the rulebook has.
    """

    documents: DatabaseDocuments

    def __init__(
        self,
        place: str,
        book: Rulebook,
        *,
        schema: str = "",
        prefix: str = "",
        tended: bool = False,
        adopted: bool = False,
    ) -> None:
        where, schema, prefix = parts_of(place, schema, prefix)
        if where.url.get_backend_name() == "sqlite":
            refuse_missing(where)
        refuse_unless_name(schema, "schema")
        refuse_unless_name(prefix, "prefix")
        engine = engine_of(where)
        weakref.finalize(self, engine.dispose)  # a store that nobody holds any more holds no connection
        with where.quietly(), seeing(engine, where) as connection:
            kept = Kept.of(connection, schema, prefix)
        if kept is None:
            raise DokimaError(f"{where} holds no store: dokima store create makes one")
        if not adopted:
            kept.refuse_unless_ours(book.name, where.shown)
        if not tended:
            kept.refuse_other_version(where.shown)
        made = schema_of(book.program, schema, prefix, kept.fields)
        refuse_other_kinds(kept.fields, made, where.shown)
        self.kept = kept
        super().__init__(DatabaseDocuments(engine, book, made, where), book)

    @contextmanager
    def using(self, connection: Connection) -> Iterator[DatabaseStore]:
        """Do everything within a transaction of the caller's own, who commits it or rolls it back.

        In SQLite it begins to write at once, so that nobody writes between what is read and what is saved; whoever
        wants that lock later begins this block later. In PostgreSQL the orders that are saved are locked.

        Args:
            connection: A connection of SQLAlchemy to the same database, in a transaction.

        Raises:
            Conflict: Others are writing, or have written since the transaction began to read: roll back, and begin
                again.
            DokimaError: The connection commits each statement by itself.
        """
        with self.documents.joining(connection):
            yield self

    def each(self, *, where: str = "", **selection: Any) -> Each:
        """The orders of a selection, for doing the same to all of them; arguments are those of `orders`.

        store.each(state="confirmed").apply("close", by="Ada", reason="season is over")
        """
        return Each(self, Selection.of(selection), where)

    def job(self, name: str) -> Job:
        """A job that was begun, to see how it stands (``report``) or to go on with it (``go_on``)."""
        return Job(self, a_text(name, "name"))

    def trim(self, before: int) -> int:
        """Forget the events before a number, and say how many those were. Whoever reads from before it is refused."""
        return self.documents.trim(before)

    def wait(self, seconds: float) -> None:
        """Wait until something may have become true, at most so long. PostgreSQL wakes whoever waits; SQLite does not.

        A server that restarts meanwhile is waited for, with growing pauses.

        Args:
            seconds: How long at most, as long as the database is there.

        Raises:
            StoreError: It cannot be reached for five minutes, or refuses.
        """
        engine = self.documents.engine
        if engine.dialect.name != "postgresql":
            time.sleep(seconds)
            return
        try:
            self._listen(seconds)
        except DBAPIError as error:
            if not is_lost(error):
                raise told(error, self.documents.database) from None
            reached_again(engine, self.documents.database)
        except engine.dialect.loaded_dbapi.Error:  # of the driver itself, while it waits
            reached_again(engine, self.documents.database)

    def _listen(self, seconds: float) -> None:
        with self.documents.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.exec_driver_sql("LISTEN dokima")
            driver: Any = connection.connection.driver_connection
            for _ in driver.notifies(timeout=seconds, stop_after=1):
                pass
            connection.exec_driver_sql("UNLISTEN dokima")

    def follow(self, after: int = 0, *, every: float = 1.0) -> Iterator[dict[str, Any]]:
        """Everything that becomes true from an event on, for ever; a server that restarts is waited for.

        Args:
            after: Number of the last event that was read; 0 for none.
            every: At most so many seconds between two looks.

        Raises:
            StoreError: It cannot be reached for five minutes.
            DokimaError: Those events are not kept any more.
        """
        while True:
            try:
                for event in self.feed(after):
                    after = int(event["id"])
                    yield event
            except StoreError as error:
                if not error.is_lost:
                    raise
                reached_again(self.documents.engine, self.documents.database)
            else:
                self.wait(every)

    def close(self) -> None:
        """Give all connections back."""
        self.documents.engine.dispose()


def parts_of(place: str, schema: str, prefix: str) -> tuple[DatabasePlace, str, str]:
    """A database, and schema and prefix; both may stand in its URL as ``?schema=shop&prefix=q_``."""
    found = place_of(place)
    said = {name: str(found.url.query[name]) for name in ("schema", "prefix") if name in found.url.query}
    found = replace(found, url=found.url.difference_update_query(said))
    return found, filled(schema) or said.get("schema", ""), filled(prefix) or said.get("prefix", "")


def refuse_missing(place: DatabasePlace) -> None:
    """Refuse a file of SQLite that is not there: opening it would make one.

    Raises:
        DokimaError: Says how one is made.
    """
    path = place.url.database
    try:
        there = not path or path == ":memory:" or Path(path).is_file()
    except (OSError, ValueError):
        there = False
    if not there:
        raise DokimaError(f"there is no file {place}: dokima store create makes one")
