"""Upgrading the tables of a store: what a rulebook has won, and what an earlier version of Dokima made otherwise."""

from __future__ import annotations

import io
import json
import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

from alembic.migration import MigrationContext
from alembic.operations import Operations
from sqlalchemy import CheckConstraint, Connection, Table, column, insert, inspect, select, table, update

from dokima.errors import DokimaError
from dokima.store.database.column_names import quoted
from dokima.store.database.kept import Kept
from dokima.store.database.place import DatabaseDocuments
from dokima.store.database.schema import (
    FIGURE,
    SCHEMA_VERSION,
    TOTAL,
    Kinds,
    Schema,
    declared,
    literally,
    names_by_level,
)

_SCALE = re.compile(r"scale\(\(?(?:\"(?:[^\"]|\"\")*\"|\w+)\)?\)\s*<=\s*(\d+)")
_LEVELS = {"header": "orders", "total": "orders", "line": "order_lines", "figure": "order_lines"}
"""The table of each level."""
_MARKS = {"total": TOTAL, "figure": FIGURE}
_NEW = {1: ("operations",)}
"""Tables that a version does not have."""
_RETIRED = {"events": ("operation",)}
"""Columns of earlier versions that are left as they are, and that nobody writes any more."""
_PART = re.compile(r"(.+) \((\d+)\)", re.DOTALL)
"""How version 1 named an operation at its second order, and all others."""


class _Statements(io.StringIO):
    """What is written, a text a statement."""

    def __init__(self) -> None:
        super().__init__()
        self.all: list[str] = []

    def write(self, said: str) -> int:
        if said.strip():
            self.all.append(said.strip().removesuffix(";"))
        return len(said)


@dataclass(frozen=True)
class _Renamed:
    table: Table
    old: str
    new: str


def retired(made: Schema, name: str) -> Collection[str]:
    """Columns of a table that an earlier version made, and nobody writes any more."""
    return _RETIRED.get(name.removeprefix(made.prefix), ())


def upgraded(connection: Connection, documents: DatabaseDocuments, kept: Kept, *, dry_run: bool) -> list[str]:
    """Bring the tables up to date.

    Args:
        connection: Has begun to write.
        documents: The store.
        kept: The store as it says it is.
        dry_run: Only say what would be done.

    Returns:
        The statements.

    Raises:
        DokimaError: A table is missing, or a newer version has made them.
    """
    made = documents.schema
    if kept.version > SCHEMA_VERSION:
        kept.refuse_other_version(documents.place)
    written = _Statements()
    options = {"as_sql": True, "output_buffer": written, "literal_binds": True}
    dry = Operations(MigrationContext.configure(dialect=connection.dialect, opts=options))
    real = Operations(MigrationContext.configure(connection))
    plan = _Plan(connection, made, kept)
    for operations in (dry,) if dry_run else (dry, real):
        plan.carry_out(operations)
    if not dry_run:
        if kept.version < 2:
            _keep_operations(connection, made)
        wanted = declared(made)
        merged = json.dumps({level: {**kept.fields[level], **wanted[level]} for level in wanted}, sort_keys=True)
        values = {"fields": merged, "version": SCHEMA_VERSION, "rulebook": documents.book.name}
        connection.execute(update(made["store"]).values(values))
    return written.all


class _Plan:
    """What is to be done, as it was found before anything of it is.

    Args:
        connection: To the store.
        made: The tables as they are to be.
        kept: The store as it says it is.
    """

    def __init__(self, connection: Connection, made: Schema, kept: Kept) -> None:
        found, schema = inspect(connection), made.metadata.schema
        there = set(found.get_table_names(schema=schema))
        self.schema = schema
        self.renamed = list(_renamed(made, kept))
        self.tables: list[Table] = []
        self.columns: list[tuple[Table, Any]] = []
        self.checks: list[tuple[Table, CheckConstraint, bool]] = []
        for each in made.metadata.sorted_tables:
            if each.name not in there:
                if each.name.removeprefix(made.prefix) not in _NEW.get(kept.version, ()):
                    raise DokimaError(f"table '{each.name}' is missing; restore it from a copy of the database")
                self.tables.append(each)
                continue
            names = {renamed.old: renamed.new for renamed in self.renamed if renamed.table is each}
            columns = {name for one in found.get_columns(each.name, schema=schema) for name in [one["name"]]}
            columns = {names.get(name, name) for name in columns}
            self.columns += [(each, added) for added in each.columns if added.name not in columns]
            if connection.dialect.name == "postgresql":
                checks = found.get_check_constraints(each.name, schema)
                self.checks += _other_checks(each, {str(one["name"]): one["sqltext"] for one in checks})

    def carry_out(self, operations: Operations) -> None:
        """Do it, or write it down."""
        for each in self.tables:
            operations.create_table(each.name, *(part._copy() for part in each.columns), schema=self.schema)
        for renamed in self.renamed:
            whole = ".".join(quoted(part) for part in (self.schema, renamed.table.name) if part)
            said = f"ALTER TABLE {whole} RENAME COLUMN {quoted(renamed.old)} TO {quoted(renamed.new)}"
            operations.execute(literally(said))
        for each, added in self.columns:
            operations.add_column(each.name, added._copy(), schema=self.schema)
        for each, check, is_there in self.checks:
            if is_there:
                operations.drop_constraint(str(check.name), each.name, schema=self.schema)
            operations.create_check_constraint(str(check.name), each.name, check.sqltext, schema=self.schema)


def _renamed(made: Schema, kept: Kept) -> Iterator[_Renamed]:
    """Columns of fields whose name is somebody else's by now: version 1 took every name as it was."""
    were: Kinds = {level: {name: _MARKS.get(level, "") + name for name in of} for level, of in kept.fields.items()}
    if kept.version > 1:
        were = names_by_level(kept.fields)
    for level, names in made.names.items():
        for name, new in names.items():
            old = were.get(level, {}).get(name, new)
            if old != new:
                yield _Renamed(made[_LEVELS[level]], old, new)


def _other_checks(each: Table, kept: dict[str, str]) -> Iterator[tuple[Table, CheckConstraint, bool]]:
    """The checks of exact columns: those of new columns, and those whose decimal places are others now."""
    for check in each.constraints:
        if not isinstance(check, CheckConstraint) or not str(check.name).endswith("_exact"):
            continue
        was = kept.get(str(check.name))
        if was is None or _SCALE.findall(was) != _SCALE.findall(str(check.sqltext)):
            yield each, check, was is not None


def _keep_operations(connection: Connection, made: Schema) -> None:
    """The operations whose names version 1 kept with their events; what they gave was not kept then."""
    events = made["events"]
    names = ("number", "operation", "digest", "subject", "by", "time")
    old = table(events.name, *map(column, names), schema=made.metadata.schema)
    wanted = select(old).where(old.c.operation.is_not(None)).order_by(old.c.number)
    of_name: dict[str, list[Any]] = {}
    for event in connection.execute(wanted).mappings():
        part = _PART.fullmatch(event["operation"])
        first = of_name.get(part[1], []) if part else []
        # The parts of one operation stand one after the other, and have one digest.
        is_part = part is not None and bool(first) and int(part[2]) == len(first) + 1
        name = part[1] if part is not None and is_part and first[0]["digest"] == event["digest"] else event["operation"]
        of_name.setdefault(name, []).append(event)
    rows = [
        {"name": name, "position": at, "result": None, **{n: event[n] for n in ("digest", "subject", "by", "time")}}
        for name, mine in of_name.items()
        for at, event in enumerate(mine)
    ]
    if rows:
        connection.execute(insert(made["operations"]), rows)
