"""Verdicts: ``not when or require``, and the findings of those that did not pass."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed
from dokima.exact.integers import Integers, Mask, everywhere
from dokima.formulas import Formula, FormulaKind, Frame, Level, Names, compile_formula
from dokima.formulas.failures import first_of, only
from dokima.formulas.operators import flags, logical_not, logical_or
from dokima.model.content import ACCEPTANCE_FORM
from dokima.model.finding import Finding
from dokima.model.finding_columns import FEW, Found, Refusals
from dokima.model.orders import Orders
from dokima.model.said import Said
from dokima.model.source import source_of
from dokima.rules.accepting import acceptance, acceptances, rule_digest
from dokima.rules.messages import Message, read_message
from dokima.rules.python import PythonRule, ask
from dokima.rules.rule import ASKS_ALSO, IS_CHANGE, OF_A_CHANGE, Rule, RuleDefinition
from dokima.rules.telling import RefusedRows, UndecidedRows, could_not_be_decided, values_seen, whys_undecided

_FLAG: Sequence[FormulaKind] = ("flag",)


def build_rule(definition: RuleDefinition, names: Names, moments: Sequence[str]) -> Rule:
    """Check a rule.

    Raises:
        RulebookError: With every problem of its formulas and its moments.
    """
    problems: list[RulebookProblem] = []
    path = f"rule.{definition.key}"

    def formula(key: str, source: object) -> Formula | None:
        if source is None:
            return None
        try:
            return compile_formula(source, names, _FLAG, what=f"'{key}'")
        except FormulaError as error:
            problems.append(RulebookProblem("", f"{path}.{key}", error.pointed()))
            return None

    for moment in definition.at:
        if moment not in moments:
            problems.append(RulebookProblem("", f"{path}.at", f"expected moments: {listed(moments)} (got '{moment}')"))
    if "edit" in definition.at and not definition.field:
        problems.append(RulebookProblem("", f"{path}.field", "a rule at 'edit' names the field whose change asks it"))
    if definition.acknowledge and definition.severity != "warning":
        problems.append(
            RulebookProblem("", f"{path}.acknowledge", "only a warning can be accepted; say severity = 'warning'")
        )
    when, require = formula("when", definition.when), formula("require", definition.require)
    used = [part for part in (when, require) if part is not None]
    by_line = definition.python is not None and definition.python.by_line
    # What a formula with a problem reads is unknown, so that the message may read lines: it has no problem of its own.
    is_broken = len(used) < sum(part is not None for part in (definition.when, definition.require))
    level = Level.LINE if by_line or is_broken else max([Level.HEADER, *(part.level for part in used)])
    message = Message((Said("{rule} does not hold.", rule=definition.id),), ())
    try:
        message = read_message(definition.message, names, level) if definition.message else message
    except FormulaError as error:
        problems.append(RulebookProblem("", f"{path}.message", error.pointed()))
    valid = None
    if definition.valid is not None:
        valid = compile_formula(definition.valid.formula, names, _FLAG, Level.HEADER, "'valid'")
    problems += _of_other_moments(definition, path, [*used, *(part.formula for part in message.parts)])
    if problems:
        raise RulebookError(problems)
    return Rule(
        definition=definition,
        when=when,
        require=require,
        message=message,
        level=level,
        reads={name: at for part in used for name, at in part.reads.items()},
        whole=frozenset(name for part in used for name in part.gathered),
        reads_of_records=tuple(dict.fromkeys(name for part in used for name in part.reads_of_records)),
        fingerprint=_fingerprint(definition, [*used, *(part.formula for part in message.parts)]),
        valid=valid,
    )


def _of_other_moments(definition: RuleDefinition, path: str, formulas: Sequence[Formula]) -> list[RulebookProblem]:
    """Names that are known at one moment alone, in a rule that is asked at others."""
    reads = [name for formula in formulas for name in (*formula.reads, *formula.reads_of_records)]
    of_change = next((name for name in reads if name.startswith(OF_A_CHANGE)), "")
    if definition.python is not None and definition.python.of_change:
        of_change = "change"
    leaving = next((name for name in reads if name.startswith("leaving.")), "")
    return [
        RulebookProblem(
            "", f"{path}.at", f"'{name}' is known to rules of '{moment}' only (got {listed(definition.at)})"
        )
        for name, moment in ((of_change, "approve"), (leaving, "remove"))
        if name and set(definition.at) != {moment}
    ]


def _fingerprint(definition: RuleDefinition, formulas: Sequence[Formula]) -> str:
    said = [definition.id, str(definition.when), str(definition.require), definition.message]
    # What a named formula says is said by the rule that names it.
    said += [formula.source for formula in formulas if formula.written not in ("", formula.source)]
    if definition.valid is not None:
        said.append(str(definition.valid))
    if definition.python is not None:
        said.append(source_of(definition.python.work))
    return hashlib.sha256("\n".join(said).encode()).hexdigest()


def asked_at(rules: Sequence[Rule], moment: str) -> list[tuple[Rule, str]]:
    """The rules asked at a moment, each once, with the moment it speaks at."""
    asked: dict[str, tuple[Rule, str]] = {}
    for each in (*ASKS_ALSO.get(moment, ()), moment):
        for rule in rules:
            if each in rule.definition.at:
                asked.setdefault(rule.key, (rule, each))
    return list(asked.values())


@dataclass(eq=False)  # one for each rule of each document: a frozen one takes four times as long to make
class Verdicts:
    """How a rule was answered, once per order or line.

    Attributes:
        asked: True where it was asked.
        applies: True where its ``when`` is not false.
        refused: True where what it requires does not hold.
        undecided: True where that could not be told, nowhere that it is refused.
        said: Messages of a rule in Python, and own functions that failed, by position.
        seen: What a rule in Python read, by position.
        counts: How many orders or lines were asked about, refused and undecided.
    """

    asked: Mask
    applies: Mask
    refused: Mask
    undecided: Mask
    said: Mapping[int, str] = field(default_factory=dict)
    seen: Mapping[int, Mapping[str, Any]] = field(default_factory=dict)
    counts: tuple[int, int, int] = field(init=False)

    def __post_init__(self) -> None:
        count = np.count_nonzero
        self.counts = int(count(self.asked)), int(count(self.refused)), int(count(self.undecided))


def judge(rule: Rule, frame: Frame, only: Mask | None = None) -> Verdicts:
    """Kleene's ``not when or require`` for every order or line.

    Lines with sub-lines are left out unless the rule asks for them, and a rule about the state before an edit does not
    apply where there is none.

    Args:
        rule: The rule.
        frame: The columns it sees.
        only: For a rule of line level, the lines to ask.
    """
    length = len(frame.order_of) if rule.level is Level.LINE else frame.order_count
    asked = everywhere(length)
    if rule.level is Level.LINE:
        parent = flags(frame.column("line.is_parent")).values
        if only is not None:
            asked = asked & only
        match rule.definition.parents:
            case "":
                asked = asked & ~parent
            case "only":
                asked = asked & parent
    if rule.wants_before is not None:
        had = frame.had(rule.level)
        asked = asked & had if had is not None else np.zeros(length, bool)
    if rule.wants_change:
        asked = asked & bool(flags(frame.column(IS_CHANGE)).values.all())
    valid = None
    if rule.valid is not None:
        valid = flags(rule.valid.evaluate(frame, rule.level)).spread(length)
        asked = asked & ~valid.is_false()
    if rule.definition.python is not None:
        verdicts = _judge_python(rule.definition.python, frame, rule.level, asked)
    else:
        verdicts = _judge_formulas(rule, frame, asked)
    if valid is None or valid.missing is None:
        return verdicts
    # Nobody knows whether it counts: what it refuses is undecided, what it lets pass passes either way.
    unknown = verdicts.refused & valid.missing
    return replace(verdicts, refused=verdicts.refused & ~unknown, undecided=verdicts.undecided | unknown)


def _judge_formulas(rule: Rule, frame: Frame, asked: Mask) -> Verdicts:
    """The verdict of a rule in formulas; one that depends on an own function that failed is undecided."""
    assert rule.require is not None
    applies = asked
    when, failed_when = None, None
    if rule.when is not None:
        when = flags(rule.when.evaluate(frame, rule.level))
        failed_when = rule.when.failures(frame, rule.level)
        applies = asked & ~when.is_false()
        if failed_when is None and not np.count_nonzero(applies):
            return Verdicts(asked, applies, applies, applies)  # it asks nothing of anybody
    required = verdict = flags(rule.require.evaluate(frame, rule.level))
    failed = rule.require.failures(frame, rule.level)
    if when is not None:
        verdict = logical_or(logical_not(when), required)
        if failed is not None or failed_when is not None:
            # A side that fails does not count where the other has decided alone.
            passes = required.is_true() if failed is None else required.is_true() & failed.is_missing()
            silent = when.is_false() if failed_when is None else when.is_false() & failed_when.is_missing()
            failed = first_of(only(failed_when, ~passes), only(failed, ~silent))
    if failed is None:
        return Verdicts(asked, applies, verdict.is_false() & asked, verdict.is_missing() & asked)
    broken = asked & ~failed.is_missing()
    said = {at: value_at(failed, at) for at in np.flatnonzero(broken).tolist()}
    undecided = (verdict.is_missing() & asked) | broken
    return Verdicts(asked, applies | broken, verdict.is_false() & asked & ~broken, undecided, said)


def _judge_python(declared: PythonRule, frame: Frame, level: Level, asked: Mask) -> Verdicts:
    refused, undecided = np.zeros(len(asked), bool), np.zeros(len(asked), bool)
    said: dict[int, str] = {}
    seen: dict[int, Mapping[str, Any]] = {}
    places = np.flatnonzero(asked).tolist()
    where = [(int(frame.order_of[at]), at) if level is Level.LINE else (at, None) for at in places]
    for at, (verdict, message, read) in zip(places, ask(declared, frame, where), strict=True):
        refused[at], undecided[at], seen[at] = verdict is False, verdict is None, read
        if message:
            said[at] = message
    return Verdicts(asked, asked, refused, undecided, said, seen)


@dataclass(eq=False)
class Asking:
    """Asking one rule at one moment.

    Attributes:
        rule: The rule.
        moment: The moment it speaks at.
        frame: The columns it sees.
        orders: The orders, for their numbers and acceptances.
        verdicts: How it was answered.
    """

    rule: Rule
    moment: str
    frame: Frame
    orders: Orders
    verdicts: Verdicts

    @classmethod
    def of(cls, rule: Rule, moment: str, frame: Frame, orders: Orders, only: Mask | None = None) -> Asking:
        """Ask a rule; ``only`` limits a rule of line level to some lines."""
        return cls(rule, moment, frame, orders, judge(rule, frame, only))

    def found(self, few: int = FEW) -> Iterator[Found]:
        """One finding for each order or line that did not pass; many that differ in what they saw only, as columns.

        Args:
            few: Up to how many refusals are made into findings at once.
        """
        verdicts = self.verdicts
        _, refused, undecided = verdicts.counts
        if verdicts.said or verdicts.seen or refused + undecided <= few:
            yield from self.findings()
            return
        if self.rule.definition.acknowledge:  # whoever may accept a refusal accepts what stands in it
            yield from self._singly(np.flatnonzero(verdicts.refused))
        elif refused:
            yield self._in_columns(np.flatnonzero(verdicts.refused), undecided=False)
        if undecided:
            yield self._in_columns(np.flatnonzero(verdicts.undecided), undecided=True)

    def findings(self) -> Iterator[Finding]:
        """One finding for each order or line that did not pass."""
        return self._singly((self.verdicts.refused | self.verdicts.undecided).nonzero()[0])

    def _in_columns(self, rows: Integers, *, undecided: bool) -> Refusals:
        """Rows that did not pass as columns; what they say is put together where somebody asks."""
        definition = self.rule.definition
        common = Finding(
            rule=self.rule.id,
            severity="error" if undecided else definition.severity,
            message="",
            field=definition.field,
            undecided=undecided,
            moment=self.moment,
            help=definition.help,
        )
        places = self._places(rows)
        told = (UndecidedRows if undecided else RefusedRows)(self.rule, self.frame, *places)
        return Refusals.of(common, self.orders, *places, told)

    def _singly(self, spoken: Integers) -> Iterator[Finding]:
        if not len(spoken):
            return
        orders, lines = self._places(spoken)
        messages = self.rule.message.written(self.frame, orders, lines)
        values = values_seen(self.rule.reads, self.frame, orders, lines)
        numbers = self.orders.numbers_at(orders)
        line_numbers = [""] * len(spoken) if lines is None else self.orders.line_numbers_at(lines)
        open_at = np.flatnonzero(self.verdicts.undecided[spoken])
        causes = whys_undecided(self.rule, self.frame, orders[open_at], None if lines is None else lines[open_at])
        whys = dict(zip(spoken[open_at].tolist(), causes, strict=True))
        places = zip(spoken.tolist(), orders.tolist(), numbers, line_numbers, strict=True)
        for (position, order, number, line), message, seen in zip(places, messages, values, strict=True):
            yield self._finding(position, order, number, line, message, seen, whys.get(position, ""))

    def _places(self, positions: Integers) -> tuple[Integers, Integers | None]:
        """The orders and lines that positions of the verdicts are about; no lines for a rule of the order."""
        if self.rule.level is Level.LINE:
            return self.frame.order_of[positions], positions
        return positions, None

    def _finding(
        self,
        position: int,
        order: int,
        number: str,
        line_number: str,
        message: str,
        values: dict[str, Any],
        why: str,
    ) -> Finding:
        rule, definition, verdicts = self.rule, self.rule.definition, self.verdicts
        if not (definition.acknowledge or verdicts.undecided[position] or verdicts.said or verdicts.seen):
            # What nearly every finding of a large batch is: nothing about it needs looking up.
            return Finding(rule.id, definition.severity, message, number, line_number, definition.field, values,
                           False, self.moment, definition.help)  # fmt: skip
        line = position if rule.level is Level.LINE else None
        undecided = bool(verdicts.undecided[position])
        said = verdicts.said.get(position, "")
        if undecided:
            message = could_not_be_decided(message, said or why)
        elif said:
            message = said
        digest = rule_digest(rule, self.frame, order, line) if definition.acknowledge and not undecided else ""
        return Finding(
            rule=rule.id,
            severity="error" if undecided else definition.severity,
            message=message,
            order=number,
            line=line_number,
            field=definition.field,
            values={**values, **verdicts.seen[position]} if position in verdicts.seen else values,
            undecided=undecided,
            moment=self.moment,
            help=self._help(order, line_number, digest) if digest else definition.help,
            acknowledge=definition.acknowledge and not undecided,
            digest=digest,
            accepted=acceptance(self.orders, order, rule.id, line_number, digest) if digest else "",
        )

    def _help(self, order: int, line: str, digest: str) -> str:
        """What to do about it; an acceptance of another form cannot be compared, and that is said."""
        kept = acceptances(self.orders, order, self.rule.id, line) if digest else ()
        if all(str(each.get("digest")).partition(":")[0] == ACCEPTANCE_FORM for each in kept):
            return self.rule.definition.help
        again = Said("it was accepted before, in the form of another version of Dokima, and must be accepted again")
        return Said("{help} ({again})", help=self.rule.definition.help, again=again)

    def answers(self) -> Iterator[RuleAnswer]:
        """What came of asking at every order and line, for finding out why a rule did or did not speak."""
        verdicts = self.verdicts
        numbers, line_numbers = self.orders.numbers, self.orders.line_numbers
        every = np.arange(len(verdicts.asked))
        orders, lines = self._places(every)
        messages = self.rule.message.written(self.frame, orders, lines)
        values = values_seen(self.rule.reads, self.frame, orders, lines)
        for position, order, written, seen in zip(every.tolist(), orders.tolist(), messages, values, strict=True):
            result: Result = "passed"
            message = verdicts.said.get(position) or written
            reason = ""
            if not verdicts.asked[position]:
                result, reason, message = "does not apply", self._not_asked(position), ""
            elif not verdicts.applies[position]:
                result, reason = "does not apply", "its 'when' is false"
            elif verdicts.undecided[position]:
                result = "undecided"
            elif verdicts.refused[position]:
                result = "refused"
            line = "" if lines is None else line_numbers[position]
            read = {**seen, **verdicts.seen.get(position, {})}
            yield RuleAnswer(self.rule.key, self.moment, numbers[order], line, result, read, message, reason)

    def _is_outside(self, position: int) -> bool:
        """Whether the date of an order is none on which the rule counts."""
        assert self.rule.valid is not None
        return value_at(self.rule.valid.evaluate(self.frame, self.rule.level), position) is False

    def _not_asked(self, position: int) -> str:
        """Why the rule is not asked about an order or line."""
        if self.rule.valid is not None and self._is_outside(position):
            order = int(self.frame.order_of[position]) if self.rule.level is Level.LINE else position
            return f"it is not valid on {shown(value_at(self.frame.column('header.date'), order))}"
        had = None if self.rule.wants_before is None else self.frame.had(self.rule.level)
        if self.rule.wants_before is not None and (had is None or not had[position]):
            return "it compares with what was before, and there is no before (try --set was.10.quantity=4)"
        if self.rule.wants_change:
            return "it asks about a change being approved, and there is none"
        if self.rule.definition.parents == "only":
            return "it asks parent lines only"
        return "it does not ask parent lines; parents = 'also' or 'only' would"


Result = Literal["refused", "undecided", "passed", "does not apply"]


@dataclass(frozen=True)
class RuleAnswer:
    """What came of asking a rule about one order or line.

    Attributes:
        rule: Id of the rule.
        moment: Moment it speaks at.
        order: Order number, blank for a rule of another moment.
        line: Line number, blank for a rule of the order.
        result: What came of it.
        values: The values it saw.
        message: What it says, or would say if it refused.
        reason: Why it does not apply, blank where it does.
    """

    rule: str
    moment: str
    order: str
    line: str
    result: Result
    values: Mapping[str, Any]
    message: str = ""
    reason: str = ""


class RuleAnswers(list[RuleAnswer]):
    """What came of every rule, one answer for each order or line it was asked about."""
