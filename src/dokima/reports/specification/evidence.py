"""The cases that verify each part of a rulebook, as they came out when the specification was made."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.shown import shown
from dokima.errors import DokimaError, NotFound, nearest
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Step
from dokima.proving.cases import Case
from dokima.proving.coverage import Coverage, covered
from dokima.proving.proof import Outcome
from dokima.proving.reaching import reached, refusals
from dokima.proving.running_cases import Batch
from dokima.proving.target import Target
from dokima.reports import language
from dokima.reports.language import N_, _, counted
from dokima.reports.specification.content import (
    FAILED,
    NOT_RUN,
    UNCONFIRMED,
    VERIFIED,
    Example,
    Examples,
    Figure,
    Note,
)
from dokima.reports.specification.speech import amount_text, value_text

MOST_EXAMPLES = 2
"""Cases that are shown beside one part."""
MOST_WORKED = 4
"""Lines of the order that is worked out at the end."""
MOST_LINES = 3
"""Lines of an order that are told."""
MOST_RESULTS = 4
"""Results of a case that are told."""
WHOLE = ("net", "without_tax", "with_tax", "tax", "payable", "amount")
"""Figures that hold only if every step before them holds."""
_NUMBER = re.compile(r"-?\d{1,30}\.\d{1,30}")
_REFERENCE = re.compile(r"\{([^{}:]+):\s*([^{}]+)\}")


class Evidence:
    """What each case reaches, and what it is worth.

    Args:
        program: The rulebook.
        outcomes: What came of its cases.
        batches: The cases as they ran together.
    """

    def __init__(self, program: Program, outcomes: Sequence[Outcome], batches: Sequence[Batch]) -> None:
        self.program = program
        self.outcomes = outcomes
        self._place = {id(outcome.case): at for at, outcome in enumerate(outcomes)}
        self._hits: dict[Target, list[int]] = {}
        self._pricing: dict[int, tuple[Batch, str]] = {}
        for batch in batches:
            self._add(batch)
        for at, outcome in enumerate(outcomes):
            for target in refusals(program, outcome.refused_by):
                self._hit(target, at)
            for before, after in outcome.moves:
                self._hit(Target("moves", f"{before} to {after}"), at)
        self._breadth = Counter(at for places in self._hits.values() for at in places)
        sound = [each for each in outcomes if each.passed and each.is_confirmed]
        self.coverage: Coverage = covered(program, sound, batches)

    @property
    def is_there(self) -> bool:
        """Whether any case was run."""
        return bool(self.outcomes)

    def _add(self, batch: Batch) -> None:
        places = {
            at: self._place[id(batch.cases[number])]
            for at, number in enumerate(batch.orders.numbers)
            if number in batch.cases
        }
        for at, place in places.items():
            self._pricing[place] = (batch, batch.orders.numbers[at])
        for target, orders in reached(batch, np.ones(batch.orders.count, bool)):
            for at in np.unique(orders).tolist():
                if at in places:
                    self._hit(target, places[at])

    def _hit(self, target: Target, place: int) -> None:
        known = self._hits.setdefault(target, [])
        if place not in known:
            known.append(place)

    # -- examples -----------------------------------------------------------------------------------------------------

    def of_rule(self, rule: str) -> Examples:
        """A case in which a rule speaks, and one in which it passes; with a change order only if there is no other."""
        chosen: list[Example] = []
        for what, said in (("fired", N_("speaks")), ("passed", N_("passes"))):
            found = self._best(self._hits.get(Target("rules", rule, what), []))
            found.sort(key=lambda at: bool(self.outcomes[at].case.change))
            for at in found[:1]:
                shown_here = self.example(at, ("findings", "refused", "no_findings"))
                chosen.append(replace(shown_here, results=[(_("the rule"), _(said)), *shown_here.results]))
        every = {at for what in ("fired", "passed") for at in self._hits.get(Target("rules", rule, what), [])}
        return Examples(chosen, max(0, len(every) - len(chosen)))

    def of_step(self, routine: str, step: Step) -> Examples:
        """Cases in which a step moves money, or gives a figure."""
        path = f"{routine}.{step.name}"
        hits = [at for target, places in self._hits.items() for at in places
                if target.name == path or target.name.startswith(f"{path}.options.")]  # fmt: skip
        if step.way.is_level or not step.way.is_amount:
            hits = [at for at in self._pricing if self._routine_of(at) == routine]
        hits = list(dict.fromkeys(hits))  # each case once, in the sequence of its files
        return self._first([at for at in hits if self._proves(at, step)], lambda at: self._of_step(at, step))

    def of(self, targets: Iterable[Target], paths: Sequence[str] = ()) -> Examples:
        """Cases that reach one of some targets."""
        hits = dict.fromkeys(at for target in targets for at in self._hits.get(target, []))
        return self._first(hits, lambda at: self.example(at, paths))

    def of_changes(self) -> Examples:
        """Cases that change an order once it is agreed."""
        changing = [at for at, each in enumerate(self.outcomes) if each.case.change]
        return self._first(changing, self.example, 2 * MOST_EXAMPLES)

    def of_table(self, table: str) -> Examples:
        """Cases for which a row of a table answers."""
        won = [each for each in self._hits if (each.kind, each.name, each.what) == ("tables", table, "won")]
        return self.of(won, ("price", table, "payable"))

    def worked(self) -> tuple[Case, PricedOrder] | None:
        """A verified case that prices a short order, the one that most steps move; None if there is none."""
        best: tuple[tuple[int, int, int], Case, PricedOrder] | None = None
        for at, (batch, number) in self._pricing.items():
            outcome, order = self.outcomes[at], batch.pricing.calculation[number]
            edited = outcome.case.edit or outcome.case.change or outcome.case.set
            if status_of(outcome) != VERIFIED or edited or order.routine is None or len(order.lines) > MOST_WORKED:
                continue
            if order.totals.payable is None:
                continue
            steps = [step for step in order.routine.steps if step.way.is_amount and not step.way.is_level]
            moved = sum(bool(order.total(step.name)) for step in steps if not step.way.is_price)
            rank = (moved, -len(order.lines), -at)
            if best is None or rank > best[0]:
                best = rank, outcome.case, order
        return None if best is None else best[1:]

    def _first(self, places: Iterable[int], example: Callable[[int], Example], most: int = MOST_EXAMPLES) -> Examples:
        """The best of some cases as examples, and how many more there are."""
        best = self._best(places)
        return Examples([example(at) for at in best[:most]], max(0, len(best) - most))

    def _best(self, places: Iterable[int]) -> list[int]:
        """Cases, those that verify first, and of them those that are about the fewest things."""
        worth = {VERIFIED: 0, UNCONFIRMED: 1, FAILED: 2}
        return sorted(places, key=lambda at: (worth[status_of(self.outcomes[at])], self._breadth[at], at))

    def example(self, at: int, paths: Sequence[str] = ()) -> Example:
        """A case and what came of it; the results of some paths first."""
        outcome = self.outcomes[at]
        named = [path for path in outcome.values if path in paths or path.rpartition(".")[2] in paths]
        chosen = (named or list(outcome.values))[:MOST_RESULTS]
        results = [(path.replace("no_findings", "findings"), self._result(outcome, path)) for path in chosen]
        if outcome.error:
            results = [(_("error"), outcome.error)]
        return Example(outcome.case.name, status_of(outcome), given(outcome.case), results, outcome.case.file)

    def _of_step(self, at: int, step: Step) -> Example:
        outcome = self.outcomes[at]
        batch, number = self._pricing[at]
        order = batch.pricing.calculation[number]
        name = "price" if step.way.is_price else step.name
        if step.way.is_amount and not step.way.is_price:
            results = [(step.definition.shown, amount_text(order.total(name), order.places))]
        elif name in order.figures:
            results = [(step.definition.shown, value_text(order.figures[name]))]
        else:
            leaves = [line for line in order.lines if not line.is_parent][:MOST_LINES]
            values = [(line.number, line.figure(name)) for line in leaves]
            results = [
                (_("{figure} of line {line}").format(figure=step.definition.shown, line=number), value_text(value))
                for number, value in values
                if value is not None
            ]
        told = [(path, self._result(outcome, path)) for path in outcome.values if path in ("payable", "without_tax")]
        return Example(
            outcome.case.name, status_of(outcome), given(outcome.case), [*results, *told[:1]], outcome.case.file
        )

    def _result(self, outcome: Outcome, path: str) -> str:
        expected = next((each.value for each in outcome.case.expect if each.path == path), None)
        came = _result_text(outcome.values[path])
        if isinstance(expected, str) and expected and isinstance(outcome.values[path], Decimal) and outcome.passed:
            came = _written(expected)  # the same number, with the places that somebody wrote
        wrong = next((each for each in outcome.differences if each.path == path), None)
        if wrong is None:
            return came
        return _("{got}, expected {expected}").format(got=wrong.got, expected=wrong.expected)

    def _routine_of(self, at: int) -> str:
        batch, number = self._pricing[at]
        routine = batch.pricing.calculation[number].routine
        return routine.name if routine is not None else ""

    def _proves(self, at: int, step: Step) -> bool:
        """Whether a case expects anything that would come out otherwise without a step."""
        tails = {path.rpartition(".")[2] for path in self.outcomes[at].values}
        if step.name in tails:
            return at in self._pricing
        moves = step.way.is_amount and not step.way.is_level and step.definition.kind != "advance"
        return moves and at in self._pricing and bool(tails & {*WHOLE, *(["price"] if step.way.is_price else [])})

    # -- what the author says -----------------------------------------------------------------------------------------

    def note(self, text: str, where: str) -> Note | None:
        """An author's text, its figures taken from cases: ``{a frozen order: payable}``; None if it is blank.

        Args:
            text: The text.
            where: Path of the setting.

        Raises:
            NotFound: A figure names a case that is not there.
            DokimaError: The case does not say what the figure names.
        """
        if not text.strip():
            return None
        parts: list[str | Figure] = []
        start = 0
        for found in _REFERENCE.finditer(text):
            parts += [text[start : found.start()], self._figure(found[1].strip(), found[2].strip(), where)]
            start = found.end()
        parts.append(text[start:])
        return Note([each for each in parts if each != ""])

    def _figure(self, name: str, path: str, where: str) -> Figure:
        known = {outcome.case.name: outcome for outcome in self.outcomes}
        if name not in known:
            if not self.outcomes:
                said = _("({figure} of the case “{case}”)").format(figure=path, case=name)
                return Figure(name, path, said, NOT_RUN)
            raise NotFound(f"{where}.note: there is no case '{name}' to take {path} from{nearest(name, known)}")
        outcome = known[name]
        if path not in outcome.values:
            raise DokimaError(
                f"{where}.note: the case '{name}' expects no '{path}'{nearest(path, outcome.values)}, "
                "so it cannot stand for the figure"
            )
        return Figure(name, path, _result_text(outcome.values[path]), status_of(outcome))


def status_of(outcome: Outcome) -> str:
    """What a case is worth: verified, unconfirmed, or failed."""
    return FAILED if not outcome.passed else VERIFIED if outcome.is_confirmed else UNCONFIRMED


def given(case: Case) -> str:
    """What is ordered and done in a case, in words."""
    order: Mapping[str, Any] = case.order if isinstance(case.order, Mapping) else {}
    lines = order.get("lines") or []
    head = [f"{_(name.replace('_', ' '))} {_value(value)}" for name, value in order.items()
            if name not in ("lines", "number", "terms") and not isinstance(value, list | Mapping)]  # fmt: skip
    told = [_line(line) for line in lines[:MOST_LINES]]
    left = len(lines) - MOST_LINES
    more = [counted(left, "and {count} line more", "and {count} lines more")] if left > 0 else []
    parts = ["; ".join([", ".join(head[:6]), ", ".join([*told, *more])]).strip("; ")]
    becomes = _("{what} becomes {value}")
    parts += [becomes.format(what=name, value=_value(value)) for name, value in case.set.items()]
    parts += [_operation(each) for each in (*case.edit, *case.change)]
    if case.at:
        parts.append(_("asked at {moment}").format(moment=case.at))
    return "; ".join(part for part in parts if part)


def _line(line: Mapping[str, Any]) -> str:
    rest = {name: value for name, value in line.items() if not isinstance(value, list | Mapping)}
    number, quantity, item = rest.pop("number", None), rest.pop("quantity", None), rest.pop("item", None)
    start = " × ".join(_value(each) for each in (quantity, item) if each is not None)
    more = ", ".join(f"{_(name.replace('_', ' '))} {_value(value)}" for name, value in list(rest.items())[:3]
                     if name != "description")  # fmt: skip
    said = f"{start} ({more})" if start and more else start or more
    return _("line {line}: {what}").format(line=number, what=said) if number is not None and said else said


def _operation(each: Mapping[str, Any]) -> str:
    said = [f"{name.replace('_', ' ')} {_value(value)}" for name, value in each.items() if name != "do"]
    return f"{str(each['do']).replace('_', ' ')}{' (' + ', '.join(said) + ')' if said else ''}"


def _value(value: Any) -> str:
    if value in (None, ""):
        return _("blank")
    if isinstance(value, bool):
        return _("yes") if value else _("no")
    return _written(shown(value))


def _written(text: str) -> str:
    """What somebody wrote: a number with its places, as the language writes it."""
    is_number = bool(language.locale()) and _NUMBER.fullmatch(text) is not None
    return language.number(Decimal(text)) if is_number else text


def _result_text(value: Any) -> str:
    """A result of a case in words."""
    if isinstance(value, list | tuple):
        return ", ".join(_result_text(each) for each in value) or _("none")
    if isinstance(value, Mapping):
        return ", ".join(f"{name} {_result_text(each)}" for name, each in value.items())
    return value_text(value)
