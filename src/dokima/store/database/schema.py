"""The tables of a store, made of what a rulebook declares. They are for people who write SQL."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, cast

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    Column,
    DateTime,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    Table,
    UniqueConstraint,
)

from dokima.engine.program import Program
from dokima.errors import DokimaError
from dokima.formulas.names import Level
from dokima.model.columns import Kind
from dokima.model.fields import RECORDS, Field
from dokima.routines.totals import TOTALS
from dokima.store.database.column_types import LONGEST_NAME, Exact, Words, column_of

SCHEMA_VERSION = 1
FIGURE, TOTAL = "figure_", "total_"
"""What the names of columns of figures and totals begin with: a field of an order may have the name of a figure."""
LISTED = ("kind", "state", "customer", "supplier", "requested_by", "date")
"""Header fields that lists filter by."""


@dataclass(frozen=True)
class Schema:
    """The tables of a store.

    Attributes:
        tables: By their names without prefix.
        header: Declared header fields, those of records aside.
        line: Declared line fields.
        figures: Figures of lines.
        totals: Totals and figures of orders.
        metadata: All tables together.
        prefix: What the names of all tables begin with.
    """

    metadata: MetaData
    prefix: str
    header: Mapping[str, Field]
    line: Mapping[str, Field]
    figures: Mapping[str, Field]
    totals: Mapping[str, Field]
    tables: dict[str, Table] = field(default_factory=dict)

    def __getitem__(self, name: str) -> Table:
        return self.tables[name]

    def name_of(self, name: str) -> str:
        """The full name of a table, for foreign keys."""
        schema = self.metadata.schema
        return f"{schema}.{self.prefix}{name}" if schema else self.prefix + name

    def add(self, name: str, *columns: Any) -> None:
        """Add a table.

        Raises:
            DokimaError: Two columns have one name, or a name is longer than PostgreSQL keeps.
        """
        names = [column.name.casefold() for column in columns if isinstance(column, Column)]
        twice = next((each for each in names if names.count(each) > 1), None)
        if twice is not None:
            raise DokimaError(f"the store has a column '{twice}' of its own in '{name}': give the field another name")
        found = Table(self.prefix + name, self.metadata, *columns)
        for each in (found.name, *(column.name for column in found.columns)):
            if len(each.encode()) > LONGEST_NAME:
                raise DokimaError(f"a name in a database has at most {LONGEST_NAME} bytes (got '{each}')")
        self.tables[name] = found


def schema_of(program: Program, schema: str = "", prefix: str = "") -> Schema:
    """The tables for a rulebook.

    Args:
        program: The rulebook.
        schema: Schema of the database, blank for the usual one.
        prefix: What the names of all tables begin with.

    Raises:
        DokimaError: A field has a name that the store has itself, or one longer than PostgreSQL keeps.
    """
    header = {name: each for name, each in program.definition.fields.header.items() if name not in RECORDS}
    figures, totals = figures_of(program)
    metadata = MetaData(schema=schema or None)
    made = Schema(metadata, prefix, header, dict(program.definition.fields.line), figures, totals)
    _add_orders(made)
    _add_changes(made)
    _add_work(made)
    return made


def _add_orders(made: Schema) -> None:
    """Orders: headers, lines, taxes, and what they keep from when they were agreed."""
    made.add(
        "orders",
        Column("id", BigInteger().with_variant(Integer(), "sqlite"), primary_key=True, autoincrement=True),
        Column("number_key", Words(), nullable=False),
        *_fields(made.prefix + "orders", made.header),
        Column("absent", Words(), nullable=False),
        *(Column(name, Words()) for name in RECORDS if name != "terms"),
        Column("routine", Words()),
        Column("fingerprint", Words()),
        Column("priced_at", DateTime(timezone=True)),
        *(column_of(TOTAL + name, each) for name, each in made.totals.items()),
        UniqueConstraint("number_key"),
        CheckConstraint("number IS NOT NULL", name=f"{made.prefix}orders_number"),
    )
    made.add(
        "order_lines",
        Column("order_id", ForeignKey(f"{made.name_of('orders')}.id"), primary_key=True),
        Column("place", Integer, nullable=False),
        *(
            Column("number", Words(), primary_key=True) if column.name == "number" else column
            for column in _fields(made.prefix + "order_lines", made.line)
        ),
        Column("absent", Words(), nullable=False),
        *(column_of(FIGURE + name, each) for name, each in made.figures.items()),
    )
    made.add(
        "order_taxes",
        Column("order_id", ForeignKey(f"{made.name_of('orders')}.id"), primary_key=True),
        Column("place", Integer, primary_key=True),
        Column("step", Words(), nullable=False),
        Column("category", Words()),
        Column("rate", Exact()),
        Column("taxable", Exact()),
        Column("tax", Exact()),
        Column("reason", Words()),
    )
    made.add(
        "agreed_terms",
        Column("order_id", ForeignKey(f"{made.name_of('orders')}.id"), primary_key=True),
        Column("text", Words(), nullable=False),
    )
    orders, lines = made["orders"], made["order_lines"]
    for name in LISTED:
        if name in orders.c:
            Index(f"{made.prefix}orders_by_{name}", orders.c[name])
    Index(f"{made.prefix}orders_by_number", orders.c.number)
    Index(f"{made.prefix}lines_by_item", lines.c.item)


def _add_changes(made: Schema) -> None:
    """Change orders and what they are measured against."""
    made.add(
        "change_orders",
        Column("number", Words(), primary_key=True),
        Column("order_number", Words(), nullable=False),
        Column("state", Words(), nullable=False),
        Column("sequence", BigInteger),
        Column("text", Words(), nullable=False),
    )
    made.add("baselines", Column("number", Words(), primary_key=True), Column("text", Words(), nullable=False))
    Index(f"{made.prefix}changes_by_order", made["change_orders"].c.order_number)


def _add_work(made: Schema) -> None:
    """What the store keeps of itself: its identity, counters, events and jobs."""
    made.add(
        "store",
        Column("version", Integer, nullable=False),
        Column("uuid", Words(), nullable=False),
        Column("last_event", BigInteger, nullable=False),
        Column("first_event", BigInteger, nullable=False),
        Column("fields", Words(), nullable=False),
    )
    made.add("numbering", Column("series", Words(), primary_key=True), Column("counter", BigInteger, nullable=False))
    made.add(
        "events",
        Column("number", BigInteger, primary_key=True, autoincrement=False),
        Column("time", Words(), nullable=False),
        Column("type", Words(), nullable=False),
        Column("subject", Words(), nullable=False),
        Column("revision", BigInteger, nullable=False),
        Column("by", Words(), nullable=False),
        Column("operation", Words(), unique=True),
        Column("digest", Words(), nullable=False),
        Column("data", Words(), nullable=False),
    )
    made.add(
        "jobs",
        Column("name", Words(), primary_key=True),
        Column("about", Words(), nullable=False),
        Column("by", Words(), nullable=False),
        Column("time", Words(), nullable=False),
    )
    made.add(
        "job_orders",
        Column("job", ForeignKey(f"{made.name_of('jobs')}.name"), primary_key=True),
        Column("number", Words(), primary_key=True),
        Column("revision", BigInteger, nullable=False),
        Column("outcome", Words()),
        Column("why", Words()),
    )
    Index(f"{made.prefix}events_by_subject", made["events"].c.subject)


def figures_of(program: Program) -> tuple[dict[str, Field], dict[str, Field]]:
    """Figures of lines, and totals and figures of orders: those of all routines, each with what it holds."""
    lines: dict[str, Field] = {}
    orders = {name: Field(name, "decimal") for name in TOTALS}
    for routine in program.routines:
        for dotted, about in routine.figures.items():
            name, kind = dotted.partition(".")[2], about.kind
            declared = Field(name, "decimal" if kind in ("integer", "blank") else cast("Kind", kind))
            if about.level is Level.LINE:
                lines[name] = declared
            elif f"line.{name}" not in routine.figures:  # what an order's lines come to is for SQL to sum
                orders[name] = declared
    return lines, orders


def _fields(table: str, fields: Mapping[str, Field]) -> Iterator[Any]:
    """Columns of declared fields, and the checks that keep what is no value of them out, whoever writes."""
    for name, declared in fields.items():
        column = column_of(name, declared)
        yield column
        if isinstance(column.type, Exact):
            places = 0 if declared.kind == "integer" else declared.places
            scale = "" if places is None else f" AND scale({name}) <= {places}"
            # Of what is not a number PostgreSQL says that it is above everything.
            finite = f"{name} > '-Infinity' AND {name} < 'Infinity'{scale}"
            yield CheckConstraint(finite, name=f"{table}_{name}_exact").ddl_if(dialect="postgresql")
            # SQLite would keep any text as a number.
            digits = f"{name} NOT GLOB '*[^0-9.-]*'"
            yield CheckConstraint(digits, name=f"{table}_{name}_digits").ddl_if(dialect="sqlite")


def approximate_views(made: Schema) -> dict[str, str]:
    """Views of SQLite that show exact texts as binary floats, for sums by eye; by name what they select."""
    views = {}
    for name in ("orders", "order_lines"):
        table = made[name]
        columns = [
            f'CAST("{c.name}" AS REAL) AS "{c.name}"' if isinstance(c.type, Exact) else f'"{c.name}"'
            for c in table.columns
        ]
        views[f"{table.name}_approximate"] = f'SELECT {", ".join(columns)} FROM "{table.name}"'
    return views


def declared(made: Schema) -> dict[str, dict[str, str]]:
    """What the columns were made for: the kind of each field, by level and name."""
    levels = {"header": made.header, "line": made.line, "figure": made.figures, "total": made.totals}
    return {level: {name: each.kind for name, each in of.items()} for level, of in levels.items()}


def refuse_other_kinds(kept: str, made: Schema, place: str) -> None:
    """Refuse a store whose columns were made for fields of other kinds: their values could not be read.

    Whole numbers and decimals are kept alike.

    Args:
        kept: What they were made for: what `declared` says, as JSON.
        made: The columns that the rulebook wants.
        place: Where the store is.

    Raises:
        DokimaError: One was made for another kind.
    """
    was_made_for = json.loads(kept)
    for level, fields in declared(made).items():
        for name, kind in fields.items():
            was = was_made_for[level].get(name, kind)
            if was != kind and not {was, kind} <= {"integer", "decimal"}:
                message = f"{level} '{name}' is kept as {was} (the rulebook says {kind}): give the field another name"
                raise DokimaError(f"{place}: {message}")
