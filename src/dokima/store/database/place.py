"""`DatabaseDocuments`: a database as a place that keeps documents."""

from __future__ import annotations

import datetime
import json
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from itertools import groupby
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine, Select, and_, bindparam, delete, func, insert, select, update
from sqlalchemy.exc import DBAPIError

from dokima.errors import Conflict, DokimaError
from dokima.formats.json_files import dumped
from dokima.model.intake import read_all
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.model.parsing import parse_json
from dokima.rulebook.book import Rulebook
from dokima.store.database.engines import again, reading, told, writing
from dokima.store.database.rows import OrderRows, Row, document_of, rows_of, text_of
from dokima.store.database.schema import SCHEMA_VERSION, TOTAL, Schema
from dokima.store.documents import Event, Kind, Written
from dokima.store.selecting import EQUAL, Selection, number_key

T = TypeVar("T")
MANY = 500
"""Orders that one statement names."""


class DatabaseDocuments:
    """Documents in a database.

    Args:
        engine: Where it is.
        book: The rulebook, for fields and figures.
        schema: Its tables.
        clock: Tells the time.
    """

    keeps_events = True

    def __init__(
        self, engine: Engine, book: Rulebook, schema: Schema, clock: Callable[[], datetime.datetime] | None = None
    ) -> None:
        self.engine = engine
        self.book = book
        self.schema = schema
        self.clock = clock or (lambda: datetime.datetime.now(datetime.UTC))
        self._mine = threading.local()
        self._source = ""

    @property
    def place(self) -> str:
        """Where it is, without user and password."""
        url = self.engine.url
        return f"'{url.database}'" if url.host is None else f"'{url.database}' on {url.host}"

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
        try:
            with reading(self.engine) as connection, connection.begin():
                yield connection
        except DBAPIError as error:
            raise told(error, self.place) from None

    @contextmanager
    def using(self, connection: Connection) -> Iterator[None]:
        """Do everything of this thread in a transaction of the caller's own, who commits or rolls back."""
        before = getattr(self._mine, "connection", None)
        self._mine.connection = connection
        try:
            yield
        finally:
            self._mine.connection = before

    def transact(self, by: str, work: Callable[[Any], T]) -> T:  # noqa: ARG002 (a folder tells who is writing)
        """Do work as one transaction, again if others were in its way."""
        mine: Connection | None = getattr(self._mine, "connection", None)
        if mine is not None:
            return work(_Writing(self, mine))

        def once() -> T:
            with writing(self.engine) as connection, connection.begin(), self.using(connection):
                self.check_version(connection)
                return work(_Writing(self, connection))

        return again(once, self.place)

    def check_version(self, connection: Connection) -> None:
        """Refuse to write to a store of another version.

        Raises:
            DokimaError: It is of another version; says which command helps.
        """
        version = connection.execute(select(self.schema["store"].c.version)).scalar_one()
        if version != SCHEMA_VERSION:
            raise DokimaError(
                f"{self.place} has tables of version {version}, not {SCHEMA_VERSION}: dokima store upgrade"
            )

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

    def settlements(self) -> int:
        """How many settlements have become true."""
        with self.connection() as connection:
            return int(connection.execute(select(func.max(self.schema["change_orders"].c.sequence))).scalar() or 0)

    def headers(self, selection: Selection, size: int) -> Iterator[Sequence[Any]]:
        """Rows of headers of a selection, page after page by number; each page sees its own state."""
        if len(selection.numbers) > MANY:  # a statement names only so many
            numbers = sorted(selection.numbers)
            for start in range(0, len(numbers), MANY):
                yield from self.headers(replace(selection, numbers=tuple(numbers[start : start + MANY])), size)
            return
        orders = self.schema["orders"]
        after = selection.after
        while True:
            page = self._where(select(orders), replace(selection, after=after)).order_by(orders.c.number).limit(size)
            with self.connection() as connection:
                found = connection.execute(page).mappings().all()
            if found:
                yield found
            if len(found) < size:
                return
            after = str(found[-1]["number"])

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
        self, selection: Selection, size: int, whole: bool
    ) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
        """The orders of a selection with the totals that are kept, without their lines unless they are wanted whole."""
        for headers in self.headers(selection, size):
            if whole:
                with self.connection() as connection:
                    documents = list(self._whole(connection, headers).values())
            else:
                documents = [document_of(header, [], None, self.schema) for header in headers]
            totals = [{name: header[TOTAL + name] for name in self.schema.totals} for header in headers]
            yield self.orders_of(documents), totals

    def select(self, selection: Selection, size: int) -> Iterator[Orders]:
        """The orders of a selection, in the sequence of their numbers, in pieces of so many orders."""
        for headers in self.headers(selection, size):
            with self.connection() as connection:
                found = self._whole(connection, headers)
            yield self.orders_of(list(found.values()))

    def orders_of(self, documents: Sequence[Mapping[str, Any]]) -> Orders:
        """Documents as columns.

        Raises:
            DocumentError: With every problem.
        """
        return read_all([Order.from_dict(document) for document in documents], self.book.program.fields)

    # -- events -----------------------------------------------------------------------------------------------

    def events(self, after: int = 0, subject: str = "", operation: str = "", limit: int = 1000) -> list[Event]:
        """Events in sequence: those after a number, of one subject, or of one operation."""
        table, store = self.schema["events"], self.schema["store"]
        wanted = select(table).where(table.c.number > after).order_by(table.c.number).limit(limit)
        if subject:
            wanted = wanted.where(table.c.subject == subject)
        if operation:
            wanted = wanted.where(table.c.operation == operation)
        with self.connection() as connection:
            if not subject and not operation:
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

        def work(writing: _Writing) -> int:
            first, last = writing.connection.execute(select(store.c.first_event, store.c.last_event)).one()
            upto = min(before, last + 1)
            gone = writing.connection.execute(delete(table).where(table.c.number < upto)).rowcount
            writing.connection.execute(update(store).values(first_event=max(first, upto)))
            return gone

        return self.transact("", work)


def _event(row: Mapping[str, Any]) -> Event:
    data, operation = json.loads(row["data"]), row["operation"] or ""
    about = (row["type"], row["subject"], row["by"], row["revision"], data, operation)
    return Event(*about, row["digest"], row["number"], row["time"])


class _Writing:
    """A transaction of a database."""

    def __init__(self, place: DatabaseDocuments, connection: Connection) -> None:
        self.place = place
        self.connection = connection
        self.schema = place.schema

    def lock(self, orders: Sequence[str]) -> None:
        """Keep other writers from these orders; in the sequence of their numbers, so that none wait in a circle."""
        table = self.schema["orders"]
        keys = sorted(number_key(number) for number in orders)
        for start in range(0, len(keys), MANY):
            wanted = table.c.number_key.in_(keys[start : start + MANY])
            self.connection.execute(
                select(table.c.id).where(wanted).order_by(table.c.number_key).with_for_update()
            ).all()

    def lock_change(self, number: str) -> None:
        """Keep other writers from the order that a change order is of."""
        table = self.schema["change_orders"]
        self.lock(list(self.connection.execute(select(table.c.order_number).where(table.c.number == number)).scalars()))

    def draw(self, series: str, start: int) -> int:
        """The next counter of a series; whoever draws the next one waits for the end of this transaction."""
        table = self.schema["numbering"]
        one_more = update(table).where(table.c.series == series).values(counter=table.c.counter + 1)
        found = self.connection.execute(one_more.returning(table.c.counter)).scalar()
        if found is not None:
            return int(found)
        savepoint = self.connection.begin_nested()
        try:
            self.connection.execute(insert(table).values(series=series, counter=start))
            savepoint.commit()
        except DBAPIError:  # somebody else has begun the series meanwhile
            savepoint.rollback()
            return int(self.connection.execute(one_more.returning(table.c.counter)).scalar_one())
        return start

    def commit(
        self,
        documents: Written,
        name: str = "",  # noqa: ARG002 (a folder calls its files so)
        *,
        settles: bool = False,  # noqa: ARG002 (a settlement is counted by its sequence)
        events: Sequence[Event] = (),
    ) -> None:
        """Write several documents; they become true when the transaction does."""
        orders = [parse_json(text) for (kind, _), text in documents.items() if kind == "orders"]
        self.write_orders(orders)
        for (kind, number), text in documents.items():
            if kind == "changes":
                self._write_change(number, text)
            elif kind == "baselines":
                self._put("baselines", {"number": number, "text": text})
        self.write_events(events)

    def _write_change(self, number: str, text: str) -> None:
        data = parse_json(text)
        row = {
            "number": number,
            "order_number": str(data.get("order", "")),
            "state": str(data.get("state", "")),
            "sequence": data.get("settled", {}).get("sequence"),
            "text": text,
        }
        self._put("change_orders", row)

    def _put(self, name: str, row: Row) -> None:
        """Insert a row, or replace that of the same number."""
        table = self.schema[name]
        changed = self.connection.execute(update(table).where(table.c.number == row["number"]).values(row))
        if not changed.rowcount:
            self.connection.execute(insert(table).values(row))

    def write_orders(self, documents: Sequence[Mapping[str, Any]]) -> None:
        """Write orders whole: headers, lines, taxes, agreed terms. The number of statements depends on nothing.

        Raises:
            Conflict: An order is not of the revision that it was when it was read.
        """
        if not documents:
            return
        orders = self.place.orders_of(documents)
        rows = rows_of(orders, self.place.book.price(orders), self.schema, self.place.clock())
        table = self.schema["orders"]
        there = self._there(rows.headers)
        new = [row for row in rows.headers if row["number_key"] not in there]
        old = [row for row in rows.headers if row["number_key"] in there]
        added: dict[str, int] = {}
        if new:
            fresh = insert(table).returning(table.c.number_key, table.c.id)
            added = dict(self.connection.execute(fresh, new).all())
        if old:
            values: dict[str, Any] = {name: bindparam(f"new_{name}") for name in old[0] if name != "number_key"}
            self.connection.execute(
                update(table).where(table.c.number_key == bindparam("its_key")).values(values),
                [{"its_key": row["number_key"]} | {f"new_{name}": row[name] for name in values} for row in old],
            )
        ids = [(there | added)[row["number_key"]] for row in rows.headers]
        self._write_parts(rows, ids, [there[row["number_key"]] for row in old])

    def identities(self, rows: Sequence[Row]) -> dict[str, int]:
        """The identities of orders by key, whatever their revision."""
        return self._there(rows, any_revision=True)

    def _there(self, rows: Sequence[Row], *, any_revision: bool = False) -> dict[str, int]:
        """The identities of those orders that are there, by key, kept from other writers until the end.

        Raises:
            Conflict: One of them is not of the revision before that of its row.
        """
        table = self.schema["orders"]
        found: dict[str, int] = {}
        moved = []
        for start in range(0, len(rows), MANY):
            some = {row["number_key"]: row for row in rows[start : start + MANY]}
            wanted = select(table.c.number_key, table.c.id, table.c.revision).where(table.c.number_key.in_(list(some)))
            for key, identity, revision in self.connection.execute(wanted.with_for_update()):
                found[key] = identity
                if not any_revision and (revision or 0) + 1 != some[key]["revision"]:
                    moved.append(f"order {some[key]['number']} is of revision {revision or 0}")
        if moved:
            raise Conflict("somebody else has saved meanwhile", moved)
        return found

    def _write_parts(self, rows: OrderRows, ids: Sequence[int], old: Sequence[int]) -> None:
        """Lines, taxes and agreed terms.

        Lines that are there already are changed in their place: columns of fields that the rulebook does not know any
        more keep what they hold.
        """
        lines, terms = self.schema["order_lines"], self.schema["agreed_terms"]
        given = [{**line, "order_id": order} for order, mine in zip(ids, rows.lines, strict=True) for line in mine]
        known: set[tuple[int, str]] = set()
        for start in range(0, len(old), MANY):
            some = old[start : start + MANY]
            found = select(lines.c.order_id, lines.c.number).where(lines.c.order_id.in_(some))
            known |= {(order, number) for order, number in self.connection.execute(found)}
            self.connection.execute(delete(terms).where(terms.c.order_id.in_(some)))
        kept = {(line["order_id"], line["number"]) for line in given}
        gone = [{"its_order": order, "its_number": number} for order, number in sorted(known - kept)]
        mine = and_(lines.c.order_id == bindparam("its_order"), lines.c.number == bindparam("its_number"))
        if gone:
            self.connection.execute(delete(lines).where(mine), gone)
        changed = [line for line in given if (line["order_id"], line["number"]) in known]
        if changed:
            values: dict[str, Any] = {
                name: bindparam(f"new_{name}") for name in changed[0] if name not in ("order_id", "number")
            }
            self.connection.execute(
                update(lines).where(mine).values(values),
                [
                    {"its_order": line["order_id"], "its_number": line["number"]}
                    | {f"new_{name}": value for name, value in line.items() if name not in ("order_id", "number")}
                    for line in changed
                ],
            )
        added = [line for line in given if (line["order_id"], line["number"]) not in known]
        kept_terms = [{"order_id": order, "text": text} for order, text in zip(ids, rows.terms, strict=True) if text]
        for table, fresh in ((lines, added), (terms, kept_terms)):
            if fresh:
                self.connection.execute(insert(table), fresh)
        self.write_taxes(rows, ids, old)

    def write_taxes(self, rows: OrderRows, ids: Sequence[int], old: Sequence[int]) -> None:
        """The taxes of orders, in the place of those that are kept of the old ones."""
        taxes = self.schema["order_taxes"]
        for start in range(0, len(old), MANY):
            self.connection.execute(delete(taxes).where(taxes.c.order_id.in_(old[start : start + MANY])))
        levied = [{**tax, "order_id": order} for order, each in zip(ids, rows.taxes, strict=True) for tax in each]
        if levied:
            self.connection.execute(insert(taxes), levied)

    def write_events(self, events: Sequence[Event]) -> None:
        """Number and insert events, as the last thing before the commit.

        The counter row is held from here to the commit, so that numbers are gapless and in the sequence of the commits:
        a sequence of the database would let a reader pass a number whose transaction commits later.
        """
        if not events:
            return
        store, table = self.schema["store"], self.schema["events"]
        raised = update(store).values(last_event=store.c.last_event + len(events)).returning(store.c.last_event)
        last = int(self.connection.execute(raised).scalar_one())
        time = self.place.clock().isoformat(timespec="milliseconds")
        rows = [
            {
                "number": last - len(events) + 1 + at,
                "time": time,
                "type": each.type,
                "subject": each.subject,
                "revision": each.revision,
                "by": each.by,
                "operation": each.operation or None,
                "digest": each.digest,
                "data": dumped(each.data),
            }
            for at, each in enumerate(events)
        ]
        self.connection.execute(insert(table), rows)
        if self.connection.dialect.name == "postgresql":
            self.connection.execute(select(func.pg_notify("dokima", "")))
