"""Tending a store: making its tables, adding what a rulebook has won, comparing both."""

from __future__ import annotations

import io
import json
import re
import uuid
from collections.abc import Iterator, Mapping
from typing import Any

from alembic.migration import MigrationContext
from alembic.operations import Operations
from sqlalchemy import CheckConstraint, Connection, inspect, select, text, update
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.exc import DBAPIError
from sqlalchemy.schema import CreateIndex, CreateTable

from dokima.engine.program import Run
from dokima.engine.running.delivering import open_lines
from dokima.engine.running.preparing import prepare
from dokima.errors import DocumentError, DokimaError
from dokima.model.columns import value_at
from dokima.model.orders import Orders
from dokima.model.selecting import Selection
from dokima.rulebook.book import Rulebook
from dokima.store.database.engines import engine_of, told, writing
from dokima.store.database.place import DatabaseDocuments
from dokima.store.database.redrawing import draw_in_old_orders
from dokima.store.database.schema import SCHEMA_VERSION, TOTAL, Schema, approximate_views, declared, schema_of
from dokima.store.database.store import DatabaseStore, parts_of

PAGE = 1000
_SCALE = re.compile(r"scale\(\(?\"?\w+\"?\)?\)\s*<=\s*(\d+)")


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
        parts += [f'CREATE VIEW "{name}" AS {query}' for name, query in approximate_views(made).items()]
    return ";\n\n".join(parts) + ";\n"


def create(place: str, book: Rulebook, schema: str, prefix: str) -> DatabaseStore:
    """Make the tables of a store; see `create_store`."""
    url, schema, prefix = parts_of(place, schema, prefix)
    engine, made = engine_of(url), schema_of(book.program, schema, prefix)
    where = DatabaseDocuments(engine, book, made).place
    try:
        with writing(engine) as connection, connection.begin():
            if schema and connection.dialect.name == "postgresql":
                connection.execute(text(f'CREATE SCHEMA IF NOT EXISTS "{schema}"'))
            there = set(inspect(connection).get_table_names(schema=schema or None))
            taken = sorted(table.name for table in made.metadata.tables.values() if table.name in there)
            if taken:
                raise DokimaError(f"{where} has a table '{taken[0]}' already; --prefix or --schema keep stores apart")
            made.metadata.create_all(connection, checkfirst=False)
            if connection.dialect.name == "sqlite":
                for name, query in approximate_views(made).items():
                    connection.execute(text(f'CREATE VIEW "{name}" AS {query}'))
            fields = json.dumps(declared(made), sort_keys=True)
            about = {"version": SCHEMA_VERSION, "uuid": str(uuid.uuid4()), "last_event": 0, "first_event": 1}
            connection.execute(made["store"].insert().values(**about, fields=fields))
    except DBAPIError as error:
        raise told(error, where) from None
    finally:
        engine.dispose()
    return DatabaseStore(place, book, schema=schema, prefix=prefix)


def upgrade(place: str, book: Rulebook, schema: str, prefix: str, dry_run: bool) -> list[str]:
    """Add what a changed rulebook needs; see `upgrade_store`."""
    store = DatabaseStore(place, book, schema=schema, prefix=prefix)
    documents = store.documents
    schema = documents.schema.metadata.schema or ""
    try:
        with writing(documents.engine) as connection, connection.begin():
            documents.check_version(connection)
            kept = json.loads(connection.execute(select(documents.schema["store"].c.fields)).scalar_one())
            written = io.StringIO()
            options = {"as_sql": True, "output_buffer": written, "literal_binds": True}
            dry = Operations(MigrationContext.configure(dialect=connection.dialect, opts=options))
            real = Operations(MigrationContext.configure(connection))
            for operations in (dry,) if dry_run else (dry, real):
                _add_missing(operations, connection, documents.schema, schema)
            if not dry_run:
                merged = _merged(kept, declared(documents.schema))
                connection.execute(update(documents.schema["store"]).values(fields=merged))
        if not dry_run:
            draw_in_old_orders(documents)
    except DBAPIError as error:
        raise told(error, documents.place) from None
    finally:
        store.close()
    return [part.strip() for part in written.getvalue().split(";") if part.strip()]


def _merged(kept: Mapping[str, Any], wanted: Mapping[str, Any]) -> str:
    return json.dumps({level: {**kept[level], **wanted[level]} for level in wanted}, sort_keys=True)


def _add_missing(operations: Operations, connection: Connection, made: Schema, schema: str) -> None:
    found = inspect(connection)
    there = set(found.get_table_names(schema=schema or None))
    postgres = connection.dialect.name == "postgresql"
    for table in made.metadata.sorted_tables:
        if table.name not in there:
            raise DokimaError(f"table '{table.name}' is missing; restore it from a copy of the database")
        columns = {column["name"] for column in found.get_columns(table.name, schema=schema or None)}
        added = [column for column in table.columns if column.name not in columns]
        for column in added:
            operations.add_column(table.name, column._copy(), schema=schema or None)
        if postgres:
            _renew_checks(operations, connection, table, schema)


def _renew_checks(operations: Operations, connection: Connection, table: Any, schema: str) -> None:
    """The checks of exact columns: those of new columns, and those whose decimal places are others now."""
    kept = {
        each["name"]: each["sqltext"] for each in inspect(connection).get_check_constraints(table.name, schema or None)
    }
    for check in table.constraints:
        if not isinstance(check, CheckConstraint) or not str(check.name).endswith("_exact"):
            continue
        wanted = str(check.sqltext)
        if check.name in kept:
            if _SCALE.findall(kept[check.name]) == _SCALE.findall(wanted):
                continue
            operations.drop_constraint(str(check.name), table.name, schema=schema or None)
        operations.create_check_constraint(str(check.name), table.name, text(wanted), schema=schema or None)


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
        for name in sorted(set(there) - {column.name for column in table.columns}):
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
            kept, now = header[TOTAL + name], getattr(totals, name, header[TOTAL + name])
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
