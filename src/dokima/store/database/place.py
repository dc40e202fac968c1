"""`DatabaseDocuments`: a database as a place that keeps documents."""

from __future__ import annotations

import datetime
import json
import threading
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from itertools import groupby
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine, Select, and_, delete, select, update
from sqlalchemy.exc import DBAPIError

from dokima.errors import Conflict, DokimaError
from dokima.exact import added
from dokima.formats.database_urls import DatabasePlace
from dokima.model.arguments import a_text
from dokima.model.intake import read_all, read_documents
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.model.selecting import EQUAL, Selection, number_key
from dokima.rulebook.book import Rulebook
from dokima.store.database.engines import again, begin_to_write, is_in_the_way, seeing, told, writing
from dokima.store.database.rows import Row, document_of, text_of
from dokima.store.database.schema import SCHEMA_VERSION, Schema
from dokima.store.database.transaction import MANY, DatabaseTransaction
from dokima.store.documents import Done, Event, Kind

T = TypeVar("T")


class DatabaseDocuments:
    """Documents in a database.

    Args:
        engine: Where it is.
        book: The rulebook, for fields and figures.
        schema: Its tables.
        database: The database, for messages.
        clock: Tells the time.
    """

    keeps_events = True

    def __init__(
        self,
        engine: Engine,
        book: Rulebook,
        schema: Schema,
        database: DatabasePlace,
        clock: Callable[[], datetime.datetime] | None = None,
    ) -> None:
        self.engine = engine
        self.database = database
        self.book = book
        self.schema = schema
        self.clock = clock or (lambda: datetime.datetime.now(datetime.UTC))
        self._mine = threading.local()
        self._source = ""

    @property
    def place(self) -> str:
        """Where it is, without user and password."""
        return self.database.shown

    @property
    def source(self) -> str:
        """The identity of the store, kept in it."""
        if not self._source:
            with self.connection() as connection:
                uuid = connection.execute(select(self.schema["store"].c.uuid)).scalar_one()
            self._source = f"urn:uuid:{uuid}"
        return self._source

    # -- connections ------------------------------------------------------------------------------------------

    @contextmanager
    def connection(self) -> Iterator[Connection]:
        """The connection of the transaction that this thread is in, else one that sees one state of everything."""
        mine: Connection | None = getattr(self._mine, "connection", None)
        if mine is not None:
            yield mine
            return
        with seeing(self.engine, self.database) as connection:
            yield connection

    @contextmanager
    def using(self, connection: Connection) -> Iterator[None]:
        """Do everything of this thread in a transaction of the caller's own, who commits or rolls back."""
        before = getattr(self._mine, "connection", None)
        self._mine.connection = connection
        try:
            yield
        finally:
            self._mine.connection = before

    @contextmanager
    def joining(self, connection: Connection) -> Iterator[None]:
        """The same for a connection of somebody else's, which must keep what others write from coming between.

        Raises:
            DokimaError: It commits each statement by itself, or it cannot begin to write; says what the caller must do.
        """
        try:
            begin_to_write(connection, self.schema["store"])
        except DBAPIError as error:
            if not is_in_the_way(error):
                raise told(error, self.database) from None
            self.database.silence(error)
            said = f"others are writing to {self.database}, or have written since this transaction began to read"
            raise Conflict(f"{said}: roll back, and begin again") from None
        with self.using(connection):
            yield

    def transact(self, by: str, work: Callable[[Any], T]) -> T:
        """Do work as one transaction, again if others were in its way."""
        a_text(by, "by")
        mine: Connection | None = getattr(self._mine, "connection", None)
        if mine is not None:
            try:
                return work(DatabaseTransaction(self, mine))
            except DBAPIError as error:  # the caller's transaction is the caller's to do again
                raise told(error, self.database) from None

        def once(seconds: float) -> T:
            with writing(self.engine, seconds) as connection, connection.begin(), self.using(connection):
                self.check_version(connection)
                return work(DatabaseTransaction(self, connection))

        return again(once, self.database)

    def check_version(self, connection: Connection) -> None:
        """Refuse to write to a store of another version.

        Raises:
            DokimaError: It is of another version; says which command helps.
        """
        version = connection.execute(select(self.schema["store"].c.version)).scalar_one()
        if version != SCHEMA_VERSION:
            said = f"{self.place} has tables of version {version}, not {SCHEMA_VERSION}"
            raise DokimaError(f"{said}: somebody has upgraded it meanwhile")

    # -- reading ----------------------------------------------------------------------------------------------

    def read(self, kind: Kind, number: str) -> str | None:
        """The text of a document as it is now; None if there is none."""
        with self.connection() as connection:
            if kind == "orders":
                found = self.documents(connection, [number])
                return text_of(found[number]) if number in found else None
            table = self.schema["change_orders" if kind == "changes" else "baselines"]
            found_text = connection.execute(select(table.c.text).where(table.c.number == number)).scalar()
            return None if found_text is None else str(found_text)

    def documents(self, connection: Connection, numbers: Sequence[str]) -> dict[str, Row]:
        """Orders as plain data, by number."""
        orders = self.schema["orders"]
        keys = [number_key(number) for number in numbers]
        headers = connection.execute(select(orders).where(orders.c.number_key.in_(keys))).mappings().all()
        found = self._whole(connection, headers)
        return {number: document for number, document in found.items() if number in set(numbers)}

    def _whole(self, connection: Connection, headers: Sequence[Any]) -> dict[str, Row]:
        if not headers:
            return {}
        lines, terms = self.schema["order_lines"], self.schema["agreed_terms"]
        ids = [header["id"] for header in headers]
        of_lines = select(lines).where(lines.c.order_id.in_(ids)).order_by(lines.c.order_id, lines.c.place)
        grouped: dict[int, list[Mapping[str, Any]]] = {
            order: [dict(row) for row in rows]
            for order, rows in groupby(connection.execute(of_lines).mappings(), lambda row: row["order_id"])
        }
        kept = dict(connection.execute(select(terms.c.order_id, terms.c.text).where(terms.c.order_id.in_(ids))).all())
        return {
            str(header["number"]): document_of(
                header, grouped.get(header["id"], []), kept.get(header["id"]), self.schema
            )
            for header in headers
        }

    def numbers(self, kind: Kind) -> list[str]:
        """The numbers of all documents of a kind, sorted."""
        names: dict[Kind, str] = {"orders": "orders", "changes": "change_orders", "baselines": "baselines"}
        column = self.schema[names.get(kind, "change_orders")].c.number
        with self.connection() as connection:
            return sorted(connection.execute(select(column)).scalars())

    def changes_of(self, order: str) -> list[str]:
        """The numbers of the change orders of an order."""
        table = self.schema["change_orders"]
        with self.connection() as connection:
            found = select(table.c.number).where(table.c.order_number == order).order_by(table.c.number)
            return list(connection.execute(found).scalars())

    def read_orders(self, numbers: Sequence[str]) -> dict[str, str]:
        """The texts of those of some orders that there are, by number."""
        found: dict[str, str] = {}
        with self.connection() as connection:
            for start in range(0, len(numbers), MANY):
                some = self.documents(connection, numbers[start : start + MANY])
                found |= {number: text_of(document) for number, document in some.items()}
        return found

    def same_numbers(self, numbers: Sequence[str]) -> dict[str, str]:
        """For numbers that cannot be told from that of an order the number it has."""
        orders = self.schema["orders"]
        found: dict[str, str] = {}
        keys = {number_key(number): number for number in numbers}
        with self.connection() as connection:
            for start in range(0, len(numbers), MANY):
                some = list(keys)[start : start + MANY]
                wanted = select(orders.c.number_key, orders.c.number).where(orders.c.number_key.in_(some))
                found |= {keys[key]: str(number) for key, number in connection.execute(wanted)}
        return found

    def headers(
        self, selection: Selection, size: int, totals: Collection[str] | None = None
    ) -> Iterator[Sequence[Any]]:
        """Rows of headers of a selection, page after page by number; each page sees its own state.

        Args:
            selection: Which orders.
            size: How many of them are a page.
            totals: The totals that are wanted; all if None.
        """
        if len(selection.numbers) > MANY:  # a statement names only so many
            numbers = sorted(selection.numbers)
            for start in range(0, len(numbers), MANY):
                some = tuple(numbers[start : start + MANY])
                yield from self.headers(replace(selection, numbers=some), size, totals)
            return
        orders = self.schema["orders"]
        left = set(self.schema.names["total"].values()) - set(self._totals(totals).values())
        columns = [column for column in orders.c if column.name not in left]
        after = selection.after
        while True:
            page = self._where(select(*columns), replace(selection, after=after)).order_by(orders.c.number).limit(size)
            with self.connection() as connection:
                found = connection.execute(page).mappings().all()
            if found:
                yield found
            if len(found) < size:
                return
            after = str(found[-1]["number"])

    def _totals(self, wanted: Collection[str] | None) -> Mapping[str, str]:
        """The columns of totals, or of some of them, by name."""
        names = self.schema.names["total"]
        return {name: column for name, column in names.items() if wanted is None or name in wanted}

    def _where(self, found: Select[Any], selection: Selection) -> Select[Any]:
        orders, lines = self.schema["orders"].c, self.schema["order_lines"].c
        tests = [orders[name] == getattr(selection, name) for name in EQUAL if getattr(selection, name)]
        if selection.since is not None:
            tests.append(orders.date >= selection.since)
        if selection.until is not None:
            tests.append(orders.date <= selection.until)
        if selection.item:
            tests.append(orders.id.in_(select(lines.order_id).where(lines.item == selection.item)))
        if selection.numbers:
            tests.append(orders.number.in_(selection.numbers))
        if selection.after:
            tests.append(orders.number > selection.after)
        return found.where(and_(True, *tests))

    def headed(
        self, selection: Selection, size: int, whole: bool, figures: Collection[str] = ()
    ) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
        """The orders of a selection with some totals as they are kept; their lines too if they are wanted whole."""
        summed = [name for name in figures if name in self.schema.figures and name not in self.schema.totals]
        for headers in self.headers(selection, size, figures):
            if whole:
                with self.connection() as connection:
                    documents = list(self._whole(connection, headers).values())
            else:
                documents = [document_of(header, [], None, self.schema) for header in headers]
            orders = self.readable(documents)
            sums, names = self._sums(headers, summed), self._totals(figures)
            totals = {
                header["number"]: {name: header[column] for name, column in names.items()} | sums[header["id"]]
                for header in headers
            }
            yield orders, [totals[number] for number in orders.numbers]

    def _sums(self, headers: Sequence[Any], names: Sequence[str]) -> dict[int, dict[str, Any]]:
        """What the lines of orders come to in some figures, as they are kept; None where one is unknown."""
        found: dict[int, dict[str, Any]] = {header["id"]: {} for header in headers}
        if not names:
            return found
        lines, columns = self.schema["order_lines"], self.schema.names["figure"]
        wanted = select(lines.c.order_id, lines.c.number, *(lines.c[columns[name]] for name in names))
        with self.connection() as connection:
            rows = connection.execute(wanted.where(lines.c.order_id.in_(list(found)))).all()
        parents = {(order, number.rpartition("/")[0]) for order, number, *_ in rows}
        leaves = [(order, values) for order, number, *values in rows if (order, number) not in parents]
        for at, name in enumerate(names):
            of: dict[int, list[Any]] = {}
            for order, values in leaves:
                of.setdefault(order, []).append(values[at])
            for order, mine in of.items():
                found[order][name] = None if None in mine else added(mine)
        return found

    def select(self, selection: Selection, size: int) -> Iterator[Orders]:
        """The orders of a selection, in the sequence of their numbers, in pieces of so many orders."""
        for headers in self.headers(selection, size):
            with self.connection() as connection:
                found = self._whole(connection, headers)
            yield self.readable(list(found.values()))

    def readable(self, documents: Sequence[Mapping[str, Any]]) -> Orders:
        """Documents as columns; those that the rulebook cannot read stand in ``problems``."""
        return read_documents(list(map(Order.from_dict, documents)), self.book.program.fields)

    def orders_of(self, documents: Sequence[Mapping[str, Any]]) -> Orders:
        """Documents as columns.

        Raises:
            DocumentError: With every problem.
        """
        return read_all([Order.from_dict(document) for document in documents], self.book.program.fields)

    # -- events -----------------------------------------------------------------------------------------------

    def done(self, name: str) -> list[Done]:
        """What an operation of a name gave before, in sequence."""
        table = self.schema["operations"]
        wanted = select(table).where(table.c.name == name).order_by(table.c.position)
        with self.connection() as connection:
            return [Done(**row) for row in connection.execute(wanted).mappings()]

    def events(self, after: int = 0, subject: str = "", limit: int = 1000) -> list[Event]:
        """Events in sequence: those after a number, or of one subject."""
        table, store = self.schema["events"], self.schema["store"]
        wanted = select(table).where(table.c.number > after).order_by(table.c.number).limit(limit)
        if subject:
            wanted = wanted.where(table.c.subject == subject)
        with self.connection() as connection:
            if not subject:
                first, last = connection.execute(select(store.c.first_event, store.c.last_event)).one()
                if after + 1 < first:
                    raise DokimaError(f"events of {self.place} are kept from number {first} on (got after {after})")
                if after > last:
                    raise DokimaError(f"the last event of {self.place} has number {last} (got after {after})")
            rows = connection.execute(wanted).mappings().all()
        return [_event(dict(row)) for row in rows]

    def trim(self, before: int) -> int:
        """Forget the events before a number; how many that were."""
        table, store = self.schema["events"], self.schema["store"]

        def work(writing: DatabaseTransaction) -> int:
            first, last = writing.connection.execute(select(store.c.first_event, store.c.last_event)).one()
            upto = min(before, last + 1)
            gone = writing.connection.execute(delete(table).where(table.c.number < upto)).rowcount
            writing.connection.execute(update(store).values(first_event=max(first, upto)))
            return gone

        return self.transact("", work)


def _event(row: Mapping[str, Any]) -> Event:
    about = (row["type"], row["subject"], row["by"], row["revision"], json.loads(row["data"]))
    return Event(*about, row["digest"], row["number"], row["time"])
