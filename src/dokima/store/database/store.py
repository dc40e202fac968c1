"""`DatabaseStore`: a store in a database."""

from __future__ import annotations

import time
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, inspect, select

from dokima.errors import DokimaError
from dokima.formats.queries import url_of
from dokima.model.selecting import Selection
from dokima.rulebook.book import Rulebook
from dokima.store.database.engines import engine_of
from dokima.store.database.jobs import Each, Job
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

    Raises:
        DokimaError: It cannot be reached, holds no store, or keeps a field as another kind than the rulebook has.
    """

    documents: DatabaseDocuments

    def __init__(self, place: str, book: Rulebook, *, schema: str = "", prefix: str = "") -> None:
        url, schema, prefix = parts_of(place, schema, prefix)
        if url.get_backend_name() == "sqlite" and (missing := _missing_file(url.database)):
            raise DokimaError(missing)
        engine = engine_of(url)
        super().__init__(DatabaseDocuments(engine, book, schema_of(book.program, schema, prefix)), book)
        weakref.finalize(self, engine.dispose)  # a store that nobody holds any more holds no connection
        with self.documents.connection() as connection:
            if not inspect(connection).has_table(f"{prefix}store", schema=schema or None):
                raise DokimaError(f"{self.documents.place} holds no store: dokima store create makes one")
            kept = connection.execute(select(self.documents.schema["store"].c.fields)).scalar_one()
        refuse_other_kinds(kept, self.documents.schema, self.documents.place)

    @contextmanager
    def using(self, connection: Connection) -> Iterator[DatabaseStore]:
        """Do everything within a transaction of the caller's own, who commits it or rolls it back.

        Args:
            connection: A connection of SQLAlchemy to the same database, in a transaction.
        """
        with self.documents.using(connection):
            yield self

    def each(self, *, where: str = "", **selection: Any) -> Each:
        """The orders of a selection, for doing the same to all of them; arguments are those of `orders`.

        store.each(state="confirmed").apply("close", by="Ada", reason="season is over")
        """
        return Each(self, Selection(**selection), where)

    def job(self, name: str) -> Job:
        """A job that was begun, to see how it stands (``report``) or to go on with it (``go_on``)."""
        return Job(self, name)

    def trim(self, before: int) -> int:
        """Forget the events before a number, and say how many those were. Whoever reads from before it is refused."""
        return self.documents.trim(before)

    def wait(self, seconds: float) -> None:
        """Wait until something may have become true, at most so long. PostgreSQL wakes whoever waits; SQLite does not.

        Args:
            seconds: How long at most.
        """
        engine = self.documents.engine
        if engine.dialect.name != "postgresql":
            time.sleep(seconds)
            return
        with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.exec_driver_sql("LISTEN dokima")
            driver: Any = connection.connection.driver_connection
            for _ in driver.notifies(timeout=seconds, stop_after=1):
                pass
            connection.exec_driver_sql("UNLISTEN dokima")

    def close(self) -> None:
        """Give all connections back."""
        self.documents.engine.dispose()


def parts_of(place: str, schema: str, prefix: str) -> tuple[URL, str, str]:
    """A URL, and schema and prefix; both may stand in it as ``?schema=shop&prefix=q_``."""
    url = url_of(place)
    said = {name: str(url.query[name]) for name in ("schema", "prefix") if name in url.query}
    return url.difference_update_query(said), schema or said.get("schema", ""), prefix or said.get("prefix", "")


def _missing_file(path: str | None) -> str:
    if path and path != ":memory:" and not Path(path).is_file():
        return f"there is no file '{path}': dokima store create makes one"
    return ""
