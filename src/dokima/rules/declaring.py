"""``@dokima.rule``: a Python function declared as a rule of a rulebook."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from dokima.model.finding import Severity
from dokima.model.source import note_source
from dokima.rules.python import PythonRule
from dokima.rules.rule import Parents, RuleDefinition

Body = TypeVar("Body", bound=Callable[..., Any])


def rule(
    id: str,
    *,
    at: str | Sequence[str],
    severity: Severity = "error",
    field: str = "",
    help: str = "",
    acknowledge: bool = False,
    columns: bool = False,
    parents: Parents = "",
    version: str = "",
) -> Callable[[Body], Body]:
    """Mark a Python function as a rule.

    A function of ``(line, order)`` is asked about every line, one of ``(order)`` once per order; values are read as
    attributes (``line.quantity``) or by dotted name (``line["item.family"]``). With ``columns=True`` it is called once
    with all lines, ``columns["line.quantity"]`` is a list with a value per line, and it returns True, False or None for
    each of them.

    Args:
        id: Id of the rule.
        at: Moment or moments at which it speaks.
        severity: error, warning or notice.
        field: The field it is about.
        help: What to do about it.
        acknowledge: A warning that stops until somebody accepts it.
        columns: See above.
        parents: "also" asks parent lines (lines with sub-lines) too, "only" asks no others.
        version: What the rulebook's fingerprint tells the function apart by, in the place of its source.
    """

    def mark(work: Body) -> Body:
        note_source(work, version)
        work.__dokima_rule__ = RuleDefinition(  # type: ignore[attr-defined]
            id=id,
            at=(at,) if isinstance(at, str) else tuple(at),
            severity=severity,
            field=field,
            help=help,
            acknowledge=acknowledge,
            parents=parents,
            python=PythonRule(work, columns),
        )
        return work

    return mark


def declared_rule(work: object) -> RuleDefinition | None:
    """What `rule` has marked, None for anything else."""
    return getattr(work, "__dokima_rule__", None)
