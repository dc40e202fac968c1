"""The tables of a store, made of what a rulebook declares. They are for people who write SQL."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
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
    TextClause,
    UniqueConstraint,
    text,
)

from dokima.columns.column import Kind
from dokima.errors import DokimaError
from dokima.formulas.names import Level
from dokima.model.fields import RECORDS, Field
from dokima.pricing.program import Program
from dokima.pricing.steps.totals import TOTALS
from dokima.store.database.column_names import name_of_check, names_of_columns, quoted, refuse_unless_name
from dokima.store.database.column_types import Exact, Words, column_of

SCHEMA_VERSION = 2
"""Of the tables. Version 1 kept the name of an operation with its event, and not what it gave."""
FIGURE, TOTAL = "figure_", "total_"
"""What the names of columns of figures and totals begin with: a field of an order may have the name of a figure."""
LISTED = ("kind", "state", "customer", "supplier", "requested_by", "date")
"""Header fields that lists filter by."""
_OF_ORDERS = ("id", "number_key", "absent", *RECORDS, "routine", "fingerprint", "priced_at")
_OF_LINES = ("order_id", "place", "absent")
"""Columns that are the store's own."""


Kinds = dict[str, dict[str, str]]
"""Kinds of fields, by level (header, line, figure, total) and name."""


@dataclass(frozen=True)
class Schema:
    """The tables of a store.

    Attributes:
        tables: By their names without prefix.
        header: Declared header fields, those of records aside.
        line: Declared line fields.
        figures: Figures of lines.
        totals: Totals and figures of orders.
        names: The name of the column of each of them, by level (header, line, figure, total) and name.
        metadata: All tables together.
        prefix: What the names of all tables begin with.
    """

    metadata: MetaData
    prefix: str
    header: Mapping[str, Field]
    line: Mapping[str, Field]
    figures: Mapping[str, Field]
    totals: Mapping[str, Field]
    names: Mapping[str, Mapping[str, str]]
    tables: dict[str, Table] = field(default_factory=dict)

    def __getitem__(self, name: str) -> Table:
        return self.tables[name]

    def add(self, name: str, *columns: Any) -> None:
        """Add a table.

        Raises:
            DokimaError: A name is longer than PostgreSQL keeps.
        """
        found = Table(self.prefix + name, self.metadata, *columns)
        for each in (found.name, *(column.name for column in found.columns)):
            refuse_unless_name(each, "column or table")
        self.tables[name] = found

    def index(self, name: str, column: Column[Any]) -> None:
        """Add an index on a column.

        Raises:
            DokimaError: Its name is longer than PostgreSQL keeps.
        """
        refuse_unless_name(self.prefix + name, "index")
        Index(self.prefix + name, column)


def schema_of(program: Program, schema: str = "", prefix: str = "", kept: Kinds | None = None) -> Schema:
    """The tables for a rulebook.

    Args:
        program: The rulebook.
        schema: Schema of the database, blank for the usual one.
        prefix: What the names of all tables begin with.
        kept: The fields that a store keeps already: their columns stay, also where the rulebook does not know them.

    Raises:
        DokimaError: A name is longer than PostgreSQL keeps, or none for a database.
    """
    refuse_unless_name(schema, "schema")
    refuse_unless_name(prefix, "prefix")
    header = {name: each for name, each in program.definition.fields.header.items() if name not in RECORDS}
    line = dict(program.definition.fields.line)
    figures, totals = figures_of(program)
    wanted: Mapping[str, Mapping[str, Field]] = {"header": header, "line": line, "figure": figures, "total": totals}
    every = names_by_level({level: [*of, *(kept or {}).get(level, ())] for level, of in wanted.items()})
    names = {level: {name: every[level][name] for name in of} for level, of in wanted.items()}
    made = Schema(MetaData(schema=schema or None), prefix, header, line, figures, totals, names)
    _add_orders(made)
    _add_changes(made)
    _add_work(made)
    return made


def names_by_level(fields: Mapping[str, Collection[str]]) -> dict[str, dict[str, str]]:
    """The names of the columns of fields and figures, by level (header, line, figure, total) and name."""
    found: dict[str, dict[str, str]] = {}
    for level, of, mark, own in (("header", "total", TOTAL, _OF_ORDERS), ("line", "figure", FIGURE, _OF_LINES)):
        marked = names_of_columns(own, [mark + name for name in fields[of]])
        found[of] = {name: marked[mark + name] for name in fields[of]}
        found[level] = names_of_columns({*own, *marked.values()}, fields[level])
    return found


def _add_orders(made: Schema) -> None:
    """Orders: headers, lines, taxes, and what they keep from when they were agreed."""
    made.add(
        "orders",
        Column("id", BigInteger().with_variant(Integer(), "sqlite"), primary_key=True, autoincrement=True),
        Column("number_key", Words(), nullable=False),
        *_fields(made, "orders", "header", made.header),
        Column("absent", Words(), nullable=False),
        *(Column(name, Words()) for name in RECORDS if name != "terms"),
        Column("routine", Words()),
        Column("fingerprint", Words()),
        Column("priced_at", DateTime(timezone=True)),
        *(column_of(made.names["total"][name], each) for name, each in made.totals.items()),
        UniqueConstraint("number_key"),
        CheckConstraint("number IS NOT NULL", name=name_of_check(f"{made.prefix}orders", "number", "given")),
    )
    made.add(
        "order_lines",
        Column("order_id", ForeignKey(made["orders"].c.id), primary_key=True),
        Column("place", Integer, nullable=False),
        *(
            Column("number", Words(), primary_key=True) if column.name == "number" else column
            for column in _fields(made, "order_lines", "line", made.line)
        ),
        Column("absent", Words(), nullable=False),
        *(column_of(made.names["figure"][name], each) for name, each in made.figures.items()),
    )
    made.add(
        "order_taxes",
        Column("order_id", ForeignKey(made["orders"].c.id), primary_key=True),
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
        Column("order_id", ForeignKey(made["orders"].c.id), primary_key=True),
        Column("text", Words(), nullable=False),
    )
    orders, lines = made["orders"], made["order_lines"]
    for name in LISTED:
        if name in made.header:
            made.index(f"orders_by_{name}", orders.c[name])
    made.index("orders_by_number", orders.c.number)
    made.index("lines_by_item", lines.c.item)


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
    made.index("changes_by_order", made["change_orders"].c.order_number)


def _add_work(made: Schema) -> None:
    """What the store keeps of itself: its identity, counters, events and jobs."""
    made.add(
        "store",
        Column("version", Integer, nullable=False),
        Column("uuid", Words(), nullable=False),
        Column("last_event", BigInteger, nullable=False),
        Column("first_event", BigInteger, nullable=False),
        Column("fields", Words(), nullable=False),
        Column("rulebook", Words()),
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
        Column("digest", Words(), nullable=False),
        Column("data", Words(), nullable=False),
    )
    made.add(
        "operations",
        Column("name", Words(), primary_key=True),
        Column("position", Integer, primary_key=True, autoincrement=False),
        Column("digest", Words(), nullable=False),
        Column("subject", Words(), nullable=False),
        Column("by", Words(), nullable=False),
        Column("time", Words(), nullable=False),
        Column("result", Words()),
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
        Column("job", ForeignKey(made["jobs"].c.name), primary_key=True),
        Column("number", Words(), primary_key=True),
        Column("revision", BigInteger, nullable=False),
        Column("outcome", Words()),
        Column("why", Words()),
    )
    made.index("events_by_subject", made["events"].c.subject)


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


def _fields(made: Schema, table: str, level: str, fields: Mapping[str, Field]) -> Iterator[Any]:
    """Columns of declared fields, and the checks that keep what is no value of them out, whoever writes."""
    for name, declared in fields.items():
        column = column_of(made.names[level][name], declared)
        yield column
        if isinstance(column.type, Exact):
            places = 0 if declared.kind == "integer" else declared.places
            said, of = quoted(column.name), made.prefix + table
            scale = "" if places is None else f" AND scale({said}) <= {places}"
            # Of what is not a number PostgreSQL says that it is above everything.
            finite = literally(f"{said} > '-Infinity' AND {said} < 'Infinity'{scale}")
            yield CheckConstraint(finite, name=name_of_check(of, column.name, "exact")).ddl_if(dialect="postgresql")
            # SQLite would keep any text as a number.
            digits = literally(f"{said} NOT GLOB '*[^0-9.-]*'")
            yield CheckConstraint(digits, name=name_of_check(of, column.name, "digits")).ddl_if(dialect="sqlite")


def literally(condition: str) -> TextClause:
    """A condition in which no colon begins a parameter."""
    return text(condition.replace(":", r"\:"))


def approximate_views(made: Schema) -> dict[str, str]:
    """Views of SQLite that show exact texts as binary floats, for sums by eye; by name what they select."""
    views = {}
    for name in ("orders", "order_lines"):
        table = made[name]
        columns = [
            f"CAST({quoted(c.name)} AS REAL) AS {quoted(c.name)}" if isinstance(c.type, Exact) else quoted(c.name)
            for c in table.columns
        ]
        views[f"{table.name}_approximate"] = f"SELECT {', '.join(columns)} FROM {quoted(table.name)}"
    return views


def declared(made: Schema) -> Kinds:
    """What the columns were made for: the kind of each field, by level and name."""
    levels = {"header": made.header, "line": made.line, "figure": made.figures, "total": made.totals}
    return {level: {name: each.kind for name, each in of.items()} for level, of in levels.items()}


def refuse_other_kinds(kept: Kinds, made: Schema, place: str) -> None:
    """Refuse a store whose columns were made for fields of other kinds: their values could not be read.

    Whole numbers and decimals are kept alike.

    Args:
        kept: What they were made for: what `declared` says.
        made: The columns that the rulebook wants.
        place: Where the store is.

    Raises:
        DokimaError: One was made for another kind.
    """
    for level, fields in declared(made).items():
        for name, kind in fields.items():
            was = kept[level].get(name, kind)
            if was != kind and not {was, kind} <= {"integer", "decimal"}:
                message = f"{level} '{name}' is kept as {was} (the rulebook says {kind}): give the field another name"
                raise DokimaError(f"{place}: {message}")
