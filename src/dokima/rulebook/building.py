"""From a checked specification to the definition that the engine compiles."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from decimal import Decimal
from functools import cache
from typing import Any

from dokima.engine.program import ProgramDefinition
from dokima.exact import decimals
from dokima.formats.layouts import Layout
from dokima.model.columns import Column, Dates, Flags, Texts
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field, Fields
from dokima.model.values import ValueReader
from dokima.routines.definition import OptionDefinition, RoutineDefinition, StepDefinition
from dokima.rulebook.specification import (
    ColumnSpec,
    LayoutSpec,
    Marks,
    RoutineSpec,
    RulebookSpec,
    RuleSpec,
    StepSpec,
    TableSpec,
)
from dokima.rules.rule import MOMENTS, RuleDefinition
from dokima.tables.definition import TableDefinition, TableSource


def program_definition(spec: RulebookSpec, sources: Mapping[str, TableSource]) -> ProgramDefinition:
    """What the engine compiles, out of a specification and the rows of its tables."""
    standard = {"header": {f.name: f for f in HEADER_FIELDS}, "line": {f.name: f for f in LINE_FIELDS}}
    header = [_field(name, column, standard["header"].get(name)) for name, column in spec.header.items()]
    line = [_field(name, column, standard["line"].get(name)) for name, column in spec.line.items()]
    currency = spec.rulebook.currency
    if currency and "currency" not in spec.header:
        header.append(Field("currency", default=f"'{currency}'"))
    return ProgramDefinition(
        name=spec.rulebook.name,
        fields=Fields.standard(header, line),
        values={name: _value(value) for name, value in spec.value.items()},
        tables=[_table(name, table) for name, table in spec.table.items()],
        sources=sources,
        rules=[_rule(rule) for rule in spec.rule],
        routines=[_routine(name, routine) for name, routine in spec.routine.items()],
        moments=[*MOMENTS, *spec.rulebook.moments],
        minor_units=minor_units(),
    )


@cache
def minor_units() -> Mapping[str, int]:
    """Decimal places of every currency of ISO 4217, from the Unicode data that Babel carries."""
    from babel.numbers import get_currency_precision, list_currencies

    return {code: get_currency_precision(code) for code in sorted(list_currencies())}


def _field(name: str, spec: ColumnSpec, standard: Field | None) -> Field:
    kind = spec.kind or (standard.kind if standard else "text")
    return Field(
        name=name,
        kind=kind,
        places=spec.places,
        required=spec.required,
        default=spec.default,
        choices=tuple(spec.choices),
        label=spec.label or (standard.label if standard else ""),
        heading=spec.from_,
        codes=spec.codes,
        floats=spec.floats,
        blank_is_absent=spec.empty == "absent",
    )


def _value(value: Any) -> Column:
    if isinstance(value, bool):
        return Flags.of([value])
    if isinstance(value, int | Decimal):
        return decimals([value])
    if isinstance(value, datetime.date):
        return Dates.of([value])
    return Texts.of([value])


def reader_of(marks: Marks) -> ValueReader:
    """How values are written in a file."""
    return ValueReader(marks.decimal, marks.thousands, marks.dates)


def _table(name: str, spec: TableSpec) -> TableDefinition:
    window = (
        {} if spec.window is None else {"from": spec.window.from_, "until": spec.window.until, "on": spec.window.on}
    )
    return TableDefinition(
        name=name,
        conditions=spec.key if spec.key is not None else spec.match or {},
        is_key=spec.key is not None,
        window={role: column for role, column in window.items() if column},
        breaks=spec.breaks,
        choose=tuple(spec.choose),
        columns={column: _field(column, each, None) for column, each in spec.columns.items()},
        required=spec.required,
        label=spec.label,
    )


def _rule(spec: RuleSpec) -> RuleDefinition:
    return RuleDefinition(
        id=spec.id,
        at=tuple(spec.at),
        require=spec.require,
        when=spec.when,
        message=spec.message,
        severity=spec.severity,
        field=spec.field,
        outlines=spec.outlines,
    )


def _routine(name: str, spec: RoutineSpec) -> RoutineDefinition:
    return RoutineDefinition(name, [_step(step) for step in spec.step], spec.when, spec.rounding, spec.tax_per)


def _step(spec: StepSpec) -> StepDefinition:
    settings = {key: value for key, value in spec.model_dump().items() if key != "options"}
    options = [OptionDefinition(option.value, option.base, option.factor) for option in spec.options]
    return StepDefinition(**settings, options=tuple(options))


def layout_of(name: str, spec: LayoutSpec) -> Layout:
    """A layout, ready to read with."""
    files = spec.files
    return Layout(
        name=name,
        header={field: _field(field, each, None) for field, each in spec.header.items()},
        line={field: _field(field, each, None) for field, each in spec.line.items()},
        separator=spec.separator,
        encoding=spec.encoding,
        reader=reader_of(spec),
        headers_file=files.headers if files else "",
        lines_file=files.lines if files else "",
        link=files.link if files else "order",
    )
