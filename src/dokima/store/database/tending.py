"""Tending a store: making its tables, adding what a rulebook has won, comparing both."""

from __future__ import annotations

import json
import re
import uuid
from collections.abc import Iterator
from typing import Any

from sqlalchemy import Connection, inspect, select
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.exc import DBAPIError
from sqlalchemy.schema import CreateIndex, CreateSchema, CreateTable

from dokima.columns.column import value_at
from dokima.errors import DocumentError, DokimaError
from dokima.model.orders import Orders
from dokima.model.selecting import Selection
from dokima.pricing.defaults.delivering import open_lines
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Run
from dokima.rulebook.book import Rulebook
from dokima.store.database.column_names import quoted
from dokima.store.database.engines import engine_of, told, writing
from dokima.store.database.place import DatabaseDocuments
from dokima.store.database.redrawing import draw_in_old_orders
from dokima.store.database.schema import SCHEMA_VERSION, approximate_views, declared, schema_of
from dokima.store.database.store import DatabaseStore, parts_of
from dokima.store.database.upgrading import retired, upgraded

PAGE = 1000
_SCALE = re.compile(r"scale\(\(?(?:\"(?:[^\"]|\"\")*\"|\w+)\)?\)\s*<=\s*(\d+)")


def written_sql(book: Rulebook, dialect: str, schema: str, prefix: str) -> str:
    """The statements that make the tables; see `store_sql`."""
    made = schema_of(book.program, schema, prefix)
    kind: Any = postgresql.dialect() if dialect == "postgresql" else sqlite.dialect()  # type: ignore[no-untyped-call]
    parts = []
    for table in made.metadata.sorted_tables:
        parts.append(str(CreateTable(table).compile(dialect=kind)).strip())
        parts += [
            str(CreateIndex(index).compile(dialect=kind)).strip()
            for index in sorted(table.indexes, key=lambda index: str(index.name))
        ]
    if dialect == "sqlite":
        parts += [f"CREATE VIEW {quoted(name)} AS {query}" for name, query in approximate_views(made).items()]
    return ";\n\n".join(parts) + ";\n"


def create(place: str, book: Rulebook, schema: str, prefix: str) -> DatabaseStore:
    """Make the tables of a store; see `create_store`."""
    where, schema, prefix = parts_of(place, schema, prefix)
    made = schema_of(book.program, schema, prefix)
    engine = engine_of(where)
    try:
        with where.quietly(), writing(engine) as connection, connection.begin():
            if schema and connection.dialect.name == "postgresql":
                connection.execute(CreateSchema(schema, if_not_exists=True))
            there = set(inspect(connection).get_table_names(schema=schema or None))
            taken = sorted(table.name for table in made.metadata.tables.values() if table.name in there)
            if taken:
                raise DokimaError(f"{where} has a table '{taken[0]}' already; --prefix or --schema keep stores apart")
            made.metadata.create_all(connection, checkfirst=False)
            if connection.dialect.name == "sqlite":
                for name, query in approximate_views(made).items():
                    connection.exec_driver_sql(f"CREATE VIEW {quoted(name)} AS {query}")
            fields = json.dumps(declared(made), sort_keys=True)
            about = {"version": SCHEMA_VERSION, "uuid": str(uuid.uuid4()), "last_event": 0, "first_event": 1}
            connection.execute(made["store"].insert().values(**about, fields=fields, rulebook=book.name))
    finally:
        engine.dispose()
    return DatabaseStore(place, book, schema=schema, prefix=prefix)


def upgrade(place: str, book: Rulebook, schema: str, prefix: str, dry_run: bool, adopt: bool) -> list[str]:
    """Add what a changed rulebook needs; see `upgrade_store`."""
    store = DatabaseStore(place, book, schema=schema, prefix=prefix, tended=True, adopted=adopt)
    documents = store.documents
    try:
        with writing(documents.engine) as connection, connection.begin():
            written = upgraded(connection, documents, store.kept, dry_run=dry_run)
        if not dry_run:
            draw_in_old_orders(documents)
    except DBAPIError as error:
        raise told(error, documents.database) from None
    finally:
        store.close()
    return written


def check(place: str, book: Rulebook, schema: str, prefix: str) -> Iterator[str]:
    """What is wrong with a store; see `check_store`."""
    with DatabaseStore(place, book, schema=schema, prefix=prefix) as store:
        yield from _problems(store)


def _problems(store: DatabaseStore) -> Iterator[str]:
    documents = store.documents
    with documents.connection() as connection:
        yield from _schema_problems(connection, documents)
        table, about = documents.schema["events"], documents.schema["store"]
        first, last = connection.execute(select(about.c.first_event, about.c.last_event)).one()
        numbers = [n for (n,) in connection.execute(select(table.c.number).order_by(table.c.number))]
    if numbers != list(range(first, last + 1)):
        yield f"events: expected the numbers {first} to {last}, each once (there are {len(numbers)})"
    for headers in documents.headers(Selection(), PAGE):
        yield from _order_problems(documents, [dict(row) for row in headers])
    for number in documents.numbers("changes"):
        try:
            store.change(number)
        except DokimaError as error:
            yield f"change order {number}: {error}"


def _schema_problems(connection: Connection, documents: DatabaseDocuments) -> Iterator[str]:
    found = inspect(connection)
    for table in documents.schema.metadata.sorted_tables:
        there = {column["name"]: column["type"] for column in found.get_columns(table.name, schema=table.schema)}
        for column in table.columns:
            if column.name not in there:
                yield f"{table.name}.{column.name} is missing: dokima store upgrade"
                continue
            wanted = str(column.type.compile(dialect=connection.dialect)).partition(" COLLATE")[0]
            kept = str(there[column.name].compile(dialect=connection.dialect)).partition(" COLLATE")[0]
            same = {"VARCHAR": "TEXT", "BIGSERIAL": "BIGINT"}
            if same.get(wanted, wanted) != same.get(kept, kept):
                yield f"{table.name}.{column.name} has been altered: expected {wanted} (got {kept})"
        known = {*(column.name for column in table.columns), *retired(documents.schema, table.name)}
        for name in sorted(set(there) - known):
            yield f"{table.name}.{name} belongs to no field of the rulebook; it is left as it is"


def _order_problems(documents: DatabaseDocuments, headers: list[dict[str, Any]]) -> Iterator[str]:
    with documents.connection() as connection:
        whole = documents.documents(connection, [str(header["number"]) for header in headers])
    for header in headers:
        number = str(header["number"])
        try:
            orders = documents.orders_of([whole[number]])
        except (DocumentError, KeyError) as error:
            yield f"order {number}: {error}"
            continue
        yield from _still_open(documents, number, orders)
        if header["fingerprint"] != documents.book.fingerprint:
            continue
        totals = documents.book.price(orders)[number].totals
        for name in documents.schema.totals:
            kept = header[documents.schema.names["total"][name]]
            now = getattr(totals, name, kept)
            if kept != now:
                yield f"order {number}: {name} is kept as {kept}, and comes to {now}"


def _still_open(documents: DatabaseDocuments, number: str, orders: Orders) -> Iterator[str]:
    """What is still to come of an order that is said to be finished."""
    program = documents.book.program
    prepared = prepare(program, orders, Run())
    if value_at(prepared.header("state"), 0) != program.definition.lifecycle.finished:
        return
    leaf = prepared.leaf
    for at, left in enumerate(open_lines(prepared)):
        if left and (leaf is None or leaf[at]):
            yield f"order {number} is finished, and {left} of line {prepared.line_numbers[at]} are still open"
