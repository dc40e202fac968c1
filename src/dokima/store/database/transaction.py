"""`DatabaseTransaction`: documents, numbers and events written to a database, all of them or none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from sqlalchemy import ColumnElement, Connection, Table, and_, bindparam, delete, func, insert, select, update
from sqlalchemy.exc import DBAPIError

from dokima.errors import Conflict
from dokima.formats.json_files import dumped
from dokima.model.parsing import parse_json
from dokima.model.selecting import number_key
from dokima.store.database.rows import OrderRows, Row, rows_of
from dokima.store.documents import Done, Event, Written

if TYPE_CHECKING:
    from dokima.store.database.place import DatabaseDocuments

MANY = 500
"""Orders that one statement names."""
SETTLEMENTS = "settlements of change orders"
"""The series that settlements are counted by."""


class DatabaseTransaction:
    """A transaction of a database.

    Args:
        place: The place it is of.
        connection: Its connection, on which it has begun.
    """

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
        done: Sequence[Done] = (),
    ) -> None:
        """Write several documents; they become true when the transaction does."""
        orders = [parse_json(text) for (kind, _), text in documents.items() if kind == "orders"]
        self.write_orders(orders)
        for (kind, number), text in documents.items():
            if kind == "changes":
                self._write_change(number, text)
            elif kind == "baselines":
                self._put("baselines", {"number": number, "text": text})
        if done:
            time = self._time()
            rows = [{**asdict(each), "time": time} for each in done]
            self.connection.execute(insert(self.schema["operations"]), rows)
        self.write_events(events)

    def _time(self) -> str:
        return self.place.clock().isoformat(timespec="milliseconds")

    def settled(self) -> int:
        """The next settlement's place among all; whoever wants the one after waits for the end of this transaction."""
        table = self.schema["change_orders"]
        last = self.connection.execute(select(func.max(table.c.sequence))).scalar() or 0
        return self.draw(SETTLEMENTS, int(last) + 1)

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
        priced = self.place.book.price(orders)
        rows = rows_of(documents, orders, priced, self.schema, self.place.clock())
        table = self.schema["orders"]
        there = self._there(rows.headers)
        new = [row for row in rows.headers if row["number_key"] not in there]
        old = [row for row in rows.headers if row["number_key"] in there]
        added: dict[str, int] = {}
        if new:
            fresh = insert(table).returning(table.c.number_key, table.c.id)
            added = dict(self.connection.execute(fresh, new).all())
        if old:
            self.change_orders(old, {row["number_key"]: row["revision"] - 1 for row in old})
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
            self.change(lines, ("order_id", "number"), changed)
        added = [line for line in given if (line["order_id"], line["number"]) not in known]
        kept_terms = [{"order_id": order, "text": text} for order, text in zip(ids, rows.terms, strict=True) if text]
        for table, fresh in ((lines, added), (terms, kept_terms)):
            if fresh:
                self.connection.execute(insert(table), fresh)
        self.write_taxes(rows, ids, old)

    def change_orders(self, rows: Sequence[Row], seen: Mapping[str, int]) -> None:
        """Change headers that are there, as long as they are of the revision that was seen.

        Args:
            rows: Their rows, all with the same columns.
            seen: The revision that each was read with, by key.

        Raises:
            Conflict: One is of another revision by now.
        """
        table = self.schema["orders"]
        seen_then = func.coalesce(table.c.revision, 0) == bindparam("seen_revision")
        marked = [{"seen_revision": seen[row["number_key"]]} for row in rows]
        if self.change(table, ("number_key",), rows, seen_then, marked) != len(rows):
            moved = [f"order {row['number']}" for row in rows if "number" in row]
            raise Conflict("somebody else has saved meanwhile", moved)

    def change(
        self,
        table: Table,
        keys: Sequence[str],
        rows: Sequence[Row],
        only: ColumnElement[bool] | None = None,
        more: Sequence[Row] = (),
    ) -> int:
        """Change rows that are there, all columns but their keys, in one statement.

        Args:
            table: Their table.
            keys: Names of the columns that say which row.
            rows: The rows, all with the same columns.
            only: Leaves alone what it does not hold of.
            more: Values for parameters of ``only``, a mapping a row.

        Returns:
            How many rows were changed.
        """
        where = [table.c[name] == bindparam(f"its_{name}") for name in keys]
        where += [] if only is None else [only]
        values: dict[str, Any] = {name: bindparam(f"new_{name}") for name in rows[0] if name not in keys}
        given = [{f"{'its' if name in keys else 'new'}_{name}": value for name, value in row.items()} for row in rows]
        given = [{**row, **each} for row, each in zip(given, more, strict=True)] if more else given
        return self.connection.execute(update(table).where(*where).values(values), given).rowcount

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
        time = self._time()
        rows = [
            {
                "number": last - len(events) + 1 + at,
                "time": time,
                "type": each.type,
                "subject": each.subject,
                "revision": each.revision,
                "by": each.by,
                "digest": each.digest,
                "data": dumped(each.data),
            }
            for at, each in enumerate(events)
        ]
        self.connection.execute(insert(table), rows)
        if self.connection.dialect.name == "postgresql":
            self.connection.execute(select(func.pg_notify("dokima", "")))
