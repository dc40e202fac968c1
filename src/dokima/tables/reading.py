"""From rows as they were given to columns: kinds declared, kinds inferred, every bad cell reported."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.columns.column import Column, Kind, blanks, kind_of
from dokima.errors import RulebookProblem
from dokima.model.fields import Field
from dokima.model.raw import ColumnValues
from dokima.model.values import BadValue, no_column
from dokima.tables.definition import TableDefinition, TableSource


def read_columns(
    definition: TableDefinition, source: TableSource, kinds: Mapping[str, Kind]
) -> tuple[dict[str, Field], dict[str, Column], list[RulebookProblem]]:
    """The fields and columns of a table.

    Args:
        definition: What the rulebook says about it.
        source: Its rows.
        kinds: Kinds that follow from use: dates of windows, numbers of breaks, the kinds that keys are compared in.

    Returns:
        Fields and columns by name, and a problem for each cell that cannot be read and each column that is missing.
    """
    fields: dict[str, Field] = {}
    columns: dict[str, Column] = {}
    problems: list[RulebookProblem] = []
    by_heading = {each.heading: name for name, each in definition.columns.items() if each.heading}
    for heading in source.columns:
        name = by_heading.get(heading, heading)
        spec = definition.columns.get(name)
        kind = kinds.get(name)
        if spec is None:
            spec = Field(name, kind) if kind else _inferred(name, heading, source)
        elif kind and name in definition.conditions:
            spec = spec.with_changes(kind=kind)
        fields[name] = spec
        columns[name] = _read(definition, spec, heading, source, problems)
    for name in dict.fromkeys([*definition.columns, *kinds]):
        if name not in fields and not source.columns:
            # A table given as no rows at all still has the columns it is used by.
            fields[name] = definition.columns.get(name) or Field(name, kinds[name])
            columns[name] = blanks(kinds.get(name, fields[name].kind), 0)
        elif name not in fields:
            wanted = definition.columns[name].heading if name in definition.columns else ""
            message = no_column(wanted or name, source.columns)
            problems.append(RulebookProblem(source.file, f"table.{definition.name}", message))
    return fields, columns, problems


def _inferred(name: str, heading: str, source: TableSource) -> Field:
    """The kind a source says itself; else a decimal column if every filled cell is a number, or text."""
    trial = Field(name, "decimal")
    values = source.columns[heading].values
    if isinstance(values, ColumnValues):
        if (kind := kind_of(values.column)) != "text":
            return Field(name, kind)
    elif any(isinstance(value, float) for value in values):
        return trial  # a number all the same; reading it will say why a binary float will not do
    try:
        for value in values:
            source.reader.read(trial, value)
    except BadValue:
        return Field(name, "text")
    return trial


def first_text(source: TableSource, heading: str) -> str:
    """The first cell of a column that is no number, and where it stands; blank if there is none."""
    column, trial = source.columns[heading], Field(heading, "decimal")
    for place, value in enumerate(column.values):
        try:
            source.reader.read(trial, value)
        except BadValue:
            row = source.row_number(int(column.rows_of([place])[0]))
            return f"{source.file or 'its'} row {row} says '{value}'{source.reader.hint(value)}"
    return ""


def _read(
    definition: TableDefinition, spec: Field, heading: str, source: TableSource, problems: list[RulebookProblem]
) -> Column:
    raw = source.columns[heading]
    column, bad = raw.read(spec, source.reader)
    for row in raw.rows_of(list(bad)).tolist() if bad else []:
        place, number = raw.place(row), source.row_number(row)
        problems.append(RulebookProblem(source.file, f"table.{definition.name}", bad[place], number, heading))
    if spec.required:
        for row, gone in enumerate(column.is_missing().tolist()):
            if gone and raw.place(row) not in bad:
                message = "expected a value (the cell is empty)"
                number = source.row_number(row)
                problems.append(RulebookProblem(source.file, f"table.{definition.name}", message, number, heading))
    return column
