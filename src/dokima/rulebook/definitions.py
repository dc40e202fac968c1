"""From a checked specification to the definition that the engine compiles."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import cache
from typing import Any

from dokima.changes.policy import is_policy
from dokima.engine.program import ProgramDefinition, ReportTerms
from dokima.exact import decimals
from dokima.formats.layouts import Layout
from dokima.formulas.custom import own_function
from dokima.model.columns import Column, Dates, Flags, Texts
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field, Fields
from dokima.model.states import ChangeTerms, Lifecycle, OverrideTerms, State
from dokima.model.values import ValueReader
from dokima.routines.definition import InstalmentDefinition, OptionDefinition, RoutineDefinition, StepDefinition
from dokima.routines.kinds.kind import StepKind
from dokima.rulebook.spec_routines import RoutineSpec, StepSpec
from dokima.rulebook.spec_tables import LayoutSpec, TableSpec
from dokima.rulebook.spec_types import ColumnSpec, Marks
from dokima.rulebook.specification import ChangesSpec, ReportSpec, RulebookSpec, RuleSpec, StatesSpec
from dokima.rules.declaring import declared_rule
from dokima.rules.rule import MOMENTS, RuleDefinition
from dokima.tables.definition import TableDefinition, TableSource


def program_definition(
    spec: RulebookSpec,
    sources: Mapping[str, TableSource],
    python: Sequence[object] = (),
    kinds: Sequence[StepKind | type[StepKind]] = (),
) -> ProgramDefinition:
    """What the engine compiles, out of a specification, the rows of its tables, and functions marked in Python."""
    standard = {"header": {f.name: f for f in HEADER_FIELDS}, "line": {f.name: f for f in LINE_FIELDS}}
    header = [_field(name, column, standard["header"].get(name)) for name, column in spec.header.items()]
    line = [_field(name, column, standard["line"].get(name)) for name, column in spec.line.items()]
    lifecycle = _lifecycle(spec.states)
    state = Field("state", choices=tuple(lifecycle.deliveries))
    delivery = [state, *(_field(name, column, None) for name, column in spec.delivery.items())]
    payment = [_field(name, column, None) for name, column in spec.payment.items()]
    currency, reporting = spec.rulebook.currency, spec.rulebook.reporting
    if currency and "currency" not in spec.header:
        header.append(Field("currency", default=f"'{currency}'"))
    declared = [found for body in python if (found := declared_rule(body))]
    rules = [*(_rule(rule) for rule in spec.rule), *declared]
    return ProgramDefinition(
        name=spec.rulebook.name,
        fields=Fields.standard(header, line, delivery, payment),
        values={name: column_of_value(value) for name, value in spec.value.items()},
        tables=[_table(name, table) for name, table in spec.table.items()],
        sources=sources,
        rules=[*rules, *(rule for rule in BUILT_IN if rule.id not in {each.id for each in rules})],
        routines=[_routine(name, routine) for name, routine in spec.routine.items()],
        moments=[*MOMENTS, *spec.rulebook.moments],
        minor_units={**minor_units(), **{code: each.places for code, each in spec.currency.items()}},
        policy=next((body for body in python if is_policy(body)), None),  # type: ignore[arg-type]
        kinds=[kind() if isinstance(kind, type) else kind for kind in kinds],
        changes=_changes(spec.changes),
        letterhead=spec.letterhead,
        texts=spec.texts,
        report=_report(spec.report),
        stated_tolerance=spec.stated.tolerance,
        stated_severity=spec.stated.severity,
        reporting=None if reporting is None else (reporting.currency, reporting.rate),
        functions={getattr(body, "__name__", ""): own for body in python if (own := own_function(body))},
        lifecycle=lifecycle,
        overrides=OverrideTerms(**spec.editing.override.model_dump()),
        reprice_on=[name if "." in name else f"line.{name}" for name in spec.terms.reprice_on],
    )


@cache
def minor_units() -> Mapping[str, int]:
    """Decimal places of every currency of ISO 4217, from the Unicode data that Babel carries."""
    from babel.numbers import get_currency_precision, list_currencies

    return {code: get_currency_precision(code) for code in sorted(list_currencies())}


def _field(name: str, spec: ColumnSpec, standard: Field | None) -> Field:
    kind = spec.kind or (standard.kind if standard else "text" if spec.places is None else "decimal")
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
        money=standard is not None and standard.money,
    )


def column_of_value(value: Any) -> Column:
    """A named value as a column of length 1."""
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
        graduated=spec.graduated,
        roll_up=spec.roll_up,
        convert=spec.convert,
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
        help=spec.help,
        acknowledge=spec.acknowledge,
        parents=spec.parents,
    )


BUILT_IN: Sequence[RuleDefinition] = (
    RuleDefinition(
        id="not-below-delivered",
        at=("enter",),
        when="not blank(line.delivered)",
        require="abs(line.quantity) >= abs(line.delivered)",
        message="{line.delivered} are delivered already; the quantity cannot be {line.quantity}.",
        field="line.quantity",
    ),
    RuleDefinition(
        id="paid-order",
        at=("cancel",),
        severity="warning",
        acknowledge=True,
        require="sum(payment.amount) == 0",
        message="{sum(payment.amount)} has been paid on {header.number}.",
        help="Accept it once it is settled who pays it back.",
    ),
    RuleDefinition(
        id="delivered-stays",
        at=("remove",),
        require="blank(line.delivered) or line.delivered == 0",
        message="{line.delivered} are delivered already; the line cannot be removed.",
    ),
)
"""Rules every rulebook has; one that declares a rule with such an id puts its own in the place."""


def _changes(spec: ChangesSpec) -> ChangeTerms:
    if isinstance(spec.settle, str):
        return ChangeTerms(spec.settle, {}, spec.budget_of)
    return ChangeTerms("amend", spec.settle, spec.budget_of)


def _report(spec: ReportSpec) -> ReportTerms:
    given = {name: getattr(spec, name) for name in ("customer", "supplier", "ship_to")}
    return ReportTerms(spec.locale, {name: lines for name, lines in given.items() if lines}, spec.valid_days)


def _lifecycle(spec: StatesSpec | None) -> Lifecycle:
    if spec is None:
        return Lifecycle()
    known = Lifecycle()
    if spec.order:
        known = replace(
            known,
            states={name: State(tuple(state.to), tuple(state.permits)) for name, state in spec.order.items()},
            asks={name: state.asks for name, state in spec.order.items() if state.asks},
            finished=spec.finished,
        )
    return replace(
        known,
        change_when_paid=spec.change_when_paid,
        deliveries=spec.delivery or known.deliveries,
        payments=spec.payments,
    )


def _routine(name: str, spec: RoutineSpec) -> RoutineDefinition:
    return RoutineDefinition(
        name=name,
        steps=[_step(step) for step in spec.step],
        when=spec.when,
        rounding=spec.rounding,
        tax_per=spec.tax_per,
        prices_include_tax=spec.prices_include_tax,
        payable_step=spec.payable_step,
        instalments=[InstalmentDefinition(each.label, each.share, each.due) for each in spec.instalments],
        instalments_of=spec.instalments_of,
    )


def _step(spec: StepSpec) -> StepDefinition:
    own = spec.model_extra or {}
    settings = {key: value for key, value in spec.model_dump().items() if key != "options" and key not in own}
    options = [OptionDefinition(option.value, option.base, option.factor, option.amount) for option in spec.options]
    return StepDefinition(**settings, options=tuple(options), own=own)


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
