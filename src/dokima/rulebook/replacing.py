"""A rulebook with other rows in some of its tables, or with other named values; it shares all the rest."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from dokima.columns.column import Kind, value_at
from dokima.compiling.program_builder import build_program
from dokima.errors import DokimaError, NotFound, RulebookError, RulebookProblem, nearest
from dokima.exact import from_pairs, to_decimals
from dokima.formats.frames import grid_of
from dokima.formats.grid import Grid
from dokima.model.databases import Database, Query
from dokima.model.fields import Field
from dokima.model.values import BadValue, ValueReader, no_column
from dokima.pricing.kinds import kinds_by_name
from dokima.pricing.program import Program
from dokima.rulebook.definitions import column_of_value
from dokima.tables.definition import TableDefinition, TableSource


def replaced_values(data: dict[str, Any], values: Mapping[str, Any]) -> list[RulebookProblem]:
    """Put other named values into the data of a rulebook; what is wrong with them.

    Args:
        data: The sections; its ``value`` is changed.
        values: The values by name; a text is read as what it replaces.
    """
    known = data.get("value", {})
    problems: list[RulebookProblem] = []
    for name, value in values.items():
        if name not in known:
            message = f"there is no such named value{nearest(name, known)}"
            problems.append(RulebookProblem("", f"value.{name}", message))
            continue
        try:
            known[name] = _read_as(known[name], name, value)
        except BadValue as error:
            problems.append(RulebookProblem("", f"value.{name}", str(error)))
    return problems


def _read_as(known: Any, name: str, value: Any) -> Any:
    """A value of the kind of the one that it replaces.

    Raises:
        BadValue: It is not of that kind.
    """
    kind: Kind = "flag" if isinstance(known, bool) else "decimal" if isinstance(known, int | Decimal) else "text"
    kind = "date" if isinstance(known, datetime.date) else kind
    read = ValueReader().read(Field(name, kind), value)
    return to_decimals(from_pairs([read]))[0] if kind == "decimal" else read


def with_values_of(program: Program, values: Mapping[str, Any]) -> Program:
    """A rulebook with other named values; a text is read as what it replaces.

    Raises:
        RulebookError: There is no such value, or it is of another kind.
    """
    data = {"value": {name: value_at(column, 0) for name, column in program.definition.values.items()}}
    problems = replaced_values(data, values)
    if problems:
        raise RulebookError(problems)
    changed = {name: column_of_value(data["value"][name]) for name in values}
    return build_program(replace(program.definition, values={**program.definition.values, **changed}))


def left_out(program: Program, names: Sequence[str]) -> Program:
    """A rulebook without some of its rules, and with discounts and charges that never apply.

    Args:
        program: The rulebook.
        names: Ids of rules, of one version or of all, and names of steps.

    Raises:
        NotFound: There is no such rule or step, or it is a step that cannot be left out.
    """
    definition, kinds = program.definition, kinds_by_name(program.definition.kinds)
    rules = {name for rule in definition.rules if not rule.built_in for name in (rule.id, rule.key)}
    steps = {step.name: kinds[step.kind].shared for each in definition.routines for step in each.steps}
    for name in names:
        if name in steps and not steps[name]:
            raise NotFound(f"expected a rule, a discount or a charge to leave out (got the step '{name}')")
        if name not in rules and name not in steps:
            near = nearest(name, [*rules, *(step for step, may in steps.items() if may)])
            raise NotFound(f"there is no rule, discount or charge '{name}'{near}")
    routines = [
        replace(each, steps=[replace(step, when=False) if step.name in names else step for step in each.steps])
        for each in definition.routines
    ]
    kept = [rule for rule in definition.rules if rule.id not in names and rule.key not in names]
    changed = replace(definition, rules=kept, routines=routines, left_out=[*definition.left_out, *names])
    return build_program(changed, dict(program.tables))


def with_tables(program: Program, tables: Mapping[str, Any]) -> Program:
    """A rulebook with other rows in some of its tables; all others are shared, not built again.

    Args:
        program: The rulebook.
        tables: Rows by table: a DataFrame, a table of Arrow, or a list of mappings.

    Raises:
        RulebookError: There is no such table, or its rows are not what it wants.
    """
    definition = program.definition
    sources = dict(definition.sources)
    problems: list[RulebookProblem] = []
    for name, rows in tables.items():
        if name not in sources:
            message = f"rows were given for '{name}', which is no table{nearest(name, sources)}"
            problems.append(RulebookProblem("", "table", message))
            continue
        file = ""
        try:
            if isinstance(rows, Query):
                grid, file = queried(name, definition.databases, rows)
            else:
                grid = grid_of(rows, f"rows of table '{name}'")
            grid = spread(next(each for each in definition.tables if each.name == name), grid)
        except DokimaError as error:
            problems.append(RulebookProblem("", f"table.{name}", str(error)))
            continue
        problems += [RulebookProblem("", f"table.{name}", each.message, each.row) for each in grid.problems]
        sources[name] = TableSource(grid.columns, grid.size, file, grid.rows, sources[name].reader)
    if problems:
        raise RulebookError(problems)
    # Values that are rolled up may come from what was replaced.
    kept = {name: table for name, table in program.tables.items() if name not in tables and table.assemblies is None}
    changed = replace(definition, sources=sources)
    found = build_program(changed, kept)
    if all(_kinds(program, name) == _kinds(found, name) for name in tables):
        return found
    # A column has changed its kind: what reads it must be checked anew.
    return build_program(changed)


def _kinds(program: Program, table: str) -> dict[str, str]:
    return {name: field.kind for name, field in program.tables[table].fields.items()}


def spread(table: TableDefinition, grid: Grid) -> Grid:
    """The rows of a table with headings that are values; rows that have these as a column already stay as they are.

    Raises:
        DokimaError: One of the headings is not there.
    """
    spread = table.spread
    if spread is None or (spread.cells in grid.columns and not set(spread.values) & set(grid.columns)):
        return grid
    for heading in spread.values:
        if heading not in grid.columns:
            raise DokimaError(no_column(heading, grid.columns))
    return grid.spread(spread.headings, spread.cells, spread.values)


def no_source(name: str, databases: Mapping[str, Database]) -> str:
    """What is said where a database is named that the rulebook does not have."""
    return f"there is no [source.{name}]{nearest(name, databases)}"


def queried(name: str, databases: Mapping[str, Database], query: Query) -> tuple[Grid, str]:
    """The rows of a query."""
    if query.source not in databases:
        raise DokimaError(no_source(query.source, databases))
    from dokima.formats.queries import rows_of_query

    what = f"rows of table '{name}' from {query.source}"
    return rows_of_query(databases[query.source], query.query, query.parameters, what), query.source
