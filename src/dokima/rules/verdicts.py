"""Verdicts: ``not when or require``, and the findings of those that did not pass."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed
from dokima.exact.integers import Mask
from dokima.formulas import BlankSearch, Formula, FormulaKind, Frame, Level, Names, compile_formula
from dokima.formulas.operators import flags, logical_not, logical_or
from dokima.model.columns import value_at
from dokima.model.findings import Finding
from dokima.model.orders import Orders
from dokima.rules.messages import Message, read_message
from dokima.rules.rule import ASKS_ALSO, Rule, RuleDefinition

_FLAG: Sequence[FormulaKind] = ("flag",)


def build_rule(definition: RuleDefinition, names: Names, moments: Sequence[str]) -> Rule:
    """Check a rule.

    Raises:
        RulebookError: With every problem of its formulas and its moments.
    """
    problems: list[RulebookProblem] = []
    path = f"rule.{definition.id}"

    def formula(key: str, source: object) -> Formula | None:
        try:
            return compile_formula(source, names, _FLAG, what=f"'{key}'")
        except FormulaError as error:
            problems.append(RulebookProblem("", f"{path}.{key}", error.pointed()))
            return None

    for moment in definition.at:
        if moment not in moments:
            problems.append(RulebookProblem("", f"{path}.at", f"expected moments: {listed(moments)} (got '{moment}')"))
    when = None if definition.when is None else formula("when", definition.when)
    require = formula("require", definition.require)
    used = [part for part in (when, require) if part is not None]
    level = max([Level.HEADER, *(part.level for part in used)])
    message = Message(("",), ())
    try:
        message = read_message(definition.message or f"{definition.id} does not hold.", names, level)
    except FormulaError as error:
        problems.append(RulebookProblem("", f"{path}.message", error.pointed()))
    if problems or require is None:
        raise RulebookError(problems)
    reads = {name: level for part in used for name, level in part.reads.items()}
    return Rule(definition, when, require, message, level, reads)


def asked_at(rules: Sequence[Rule], moment: str) -> list[tuple[Rule, str]]:
    """The rules asked at a moment, each once, with the moment it speaks at."""
    asked: dict[str, tuple[Rule, str]] = {}
    for each in (*ASKS_ALSO.get(moment, ()), moment):
        for rule in rules:
            if each in rule.definition.at:
                asked.setdefault(rule.id, (rule, each))
    return list(asked.values())


@dataclass(frozen=True)
class Verdicts:
    """How a rule was answered, once per order or line.

    Attributes:
        refused: True where what it requires does not hold.
        undecided: True where that could not be told.
        asked: How many orders or lines were asked.
    """

    refused: Mask
    undecided: Mask
    asked: int


def judge(rule: Rule, frame: Frame) -> Verdicts:
    """Kleene's ``not when or require`` for every order or line. Lines with sub-lines are left out."""
    verdict = flags(rule.require.evaluate(frame, rule.level))
    if rule.when is not None:
        verdict = logical_or(logical_not(flags(rule.when.evaluate(frame, rule.level))), verdict)
    refused, undecided = verdict.is_false(), verdict.is_missing()
    if rule.level is Level.LINE and frame.leaf is not None and not rule.definition.outlines:
        refused, undecided = refused & frame.leaf, undecided & frame.leaf
    return Verdicts(refused, undecided, len(verdict))


def findings_of(rule: Rule, moment: str, frame: Frame, orders: Orders) -> Iterator[Finding]:
    """One finding for each order or line that did not pass.

    Args:
        rule: The rule.
        moment: The moment it speaks at.
        frame: The columns it sees.
        orders: The orders, for their numbers and those of their lines.
    """
    verdicts = judge(rule, frame)
    spoken = np.flatnonzero(verdicts.refused | verdicts.undecided).tolist()
    if not spoken:
        return
    write = rule.message.writer(frame)
    numbers, lines = orders.numbers, orders.line_numbers
    searches = [BlankSearch(formula, frame) for formula in (rule.when, rule.require) if formula is not None]
    for position in spoken:
        order, line = (int(frame.order_of[position]), position) if rule.level is Level.LINE else (position, None)
        undecided = bool(verdicts.undecided[position])
        message = write(order, line)
        if undecided:
            message += f" (could not be decided: {_why(searches, order, line)})"
        yield Finding(
            rule=rule.id,
            severity="error" if undecided else rule.definition.severity,
            message=message,
            order=numbers[order],
            line="" if line is None else lines[line],
            field=rule.definition.field,
            values=values_seen(rule.reads, frame, order, line),
            undecided=undecided,
            moment=moment,
        )


def _why(searches: Sequence[BlankSearch], order: int, line: int | None) -> str:
    for search in searches:
        at = line if search.formula.level is Level.LINE else None
        if search.is_blank(order, at):
            return search.at(order, at).text
    return "a value is blank"


def values_seen(reads: Mapping[str, Level], frame: Frame, order: int, line: int | None) -> dict[str, Any]:
    """The values behind the names a rule reads; for a rule of the whole order only those of the header."""
    seen: dict[str, Any] = {}
    for name, level in reads.items():
        if level is Level.LINE and line is None:
            continue
        position = {Level.CONSTANT: 0, Level.HEADER: order, Level.LINE: line or 0}[level]
        seen[name] = value_at(frame.column(name), position)
    return seen
