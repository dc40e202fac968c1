"""From the sections of a rulebook to the definition that the engine compiles."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import cache
from typing import Any

from dokima.changes.policy import is_policy
from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.errors import ExactError, RulebookError, RulebookProblem
from dokima.exact import decimals
from dokima.formulas.custom import own_function
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field, Fields
from dokima.model.states import Lifecycle
from dokima.pricing.kinds.kind import StepKind
from dokima.pricing.program import ProgramDefinition
from dokima.rulebook.sections import RulebookSections
from dokima.rules.declaring import declared_rule
from dokima.rules.rule import MOMENTS, RuleDefinition, with_versions
from dokima.tables.definition import TableSource


def program_definition(
    sections: RulebookSections,
    given: Mapping[str, Collection[str]],
    sources: Mapping[str, TableSource],
    python: Sequence[object] = (),
    kinds: Sequence[StepKind | type[StepKind]] = (),
) -> ProgramDefinition:
    """What the engine compiles.

    Args:
        sections: What the rulebook says.
        given: By level (header, line) the fields that say of what kind they are.
        sources: The rows of its tables.
        python: Functions marked in Python.
        kinds: Kinds of steps beside those that are built in.
    """
    header, line = list(sections.header.values()), list(sections.line.values())
    lifecycle = _lifecycle(sections.states)
    state = Field("state", choices=tuple(lifecycle.deliveries))
    currency = sections.rulebook.currency
    header = [_like_standard(field, HEADER_FIELDS, given["header"]) for field in header]
    line = [_like_standard(field, LINE_FIELDS, given["line"]) for field in line]
    if currency and "currency" not in sections.header:
        header.append(Field("currency", default=f"'{currency}'"))
    declared = [found for body in python if (found := declared_rule(body))]
    rules = [*sections.rule, *declared]
    return ProgramDefinition(
        name=sections.rulebook.name,
        fields=Fields.standard(header, line, [state, *sections.delivery.values()], sections.payment.values()),
        values={name: _named_value(name, value) for name, value in sections.value.items()},
        formulas=dict(sections.formula),
        tables=list(sections.table.values()),
        sources=sources,
        questions=[each for each in sections.question if each.is_open],
        context=list(sections.context.values()),
        rules=with_versions([*rules, *(rule for rule in BUILT_IN if rule.id not in {each.id for each in rules})]),
        routines=list(sections.routine.values()),
        moments=[*MOMENTS, *sections.rulebook.moments],
        minor_units={**minor_units(), **{code: each.places for code, each in sections.currency.items()}},
        policy=next((body for body in python if is_policy(body)), None),  # type: ignore[arg-type]
        kinds=[kind() if isinstance(kind, type) else kind for kind in kinds],
        changes=sections.changes,
        letterhead=sections.letterhead,
        texts=sections.texts,
        report=sections.report,
        stated=sections.stated,
        reporting=sections.rulebook.reporting,
        functions={getattr(body, "__name__", ""): own for body in python if (own := own_function(body))},
        lifecycle=lifecycle,
        numbering=sections.numbering,
        databases=sections.source,
        overrides=sections.editing.override,
        reprice_on=[name if "." in name else f"line.{name}" for name in sections.terms.reprice_on],
        note=sections.rulebook.note,
        papers=list(sections.paper.values()),
        status=sections.rulebook.status,
    )


def _like_standard(field: Field, standard: Sequence[Field], given: Collection[str]) -> Field:
    """A field that is declared anew, with what the standard one says as far as it says nothing of that itself."""
    known = next((each for each in standard if each.name == field.name), None)
    if known is None:
        return field
    return replace(
        field,
        kind=field.kind if field.name in given else known.kind,
        label=field.label or known.label,
        money=known.money,
        internal=field.internal or known.internal,
    )


def _lifecycle(said: Lifecycle) -> Lifecycle:
    """The states, with the usual ones where a rulebook says nothing of them."""
    usual = Lifecycle()
    return replace(said, states=said.states or usual.states, deliveries=said.deliveries or usual.deliveries)


@cache
def minor_units() -> Mapping[str, int]:
    """Decimal places of every currency of ISO 4217, from the Unicode data that Babel carries."""
    from babel.numbers import get_currency_precision, list_currencies

    return {code: get_currency_precision(code) for code in sorted(list_currencies())}


def _named_value(name: str, value: Any) -> Column:
    """A named value as a column; what it cannot be is told with its place."""
    try:
        return column_of_value(value)
    except ExactError as error:
        raise RulebookError([RulebookProblem("", f"value.{name}", str(error))]) from None


def column_of_value(value: Any) -> Column:
    """A named value as a column of length 1."""
    if isinstance(value, bool):
        return Flags.of([value])
    if isinstance(value, int | Decimal):
        return decimals([value])
    if isinstance(value, datetime.date):
        return Dates.of([value])
    return Texts.of([value])


BUILT_IN: Sequence[RuleDefinition] = (
    RuleDefinition(
        id="not-below-delivered",
        at=("enter",),
        when="not blank(line.delivered)",
        require="abs(line.quantity) >= abs(line.delivered)",
        message="{line.delivered} are delivered already; the quantity cannot be {line.quantity}.",
        field="line.quantity",
        built_in=True,
    ),
    RuleDefinition(
        id="paid-order",
        at=("cancel",),
        severity="warning",
        acknowledge=True,
        require="sum(payment.amount) == 0",
        message="{sum(payment.amount)} has been paid on {header.number}.",
        help="Accept it once it is settled who pays it back.",
        built_in=True,
    ),
    RuleDefinition(
        id="delivered-stays",
        at=("remove",),
        require="blank(line.delivered) or line.delivered == 0",
        message="{line.delivered} are delivered already; the line cannot be removed.",
        built_in=True,
    ),
)
"""Rules every rulebook has; one that declares a rule with such an id puts its own in the place."""
