"""Suggestions as cases: with today's results, unconfirmed, under a name that nobody else has."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dokima.model.finding import Finding
from dokima.model.said import SHOWN
from dokima.pricing.program import Program
from dokima.proving.cases import ONLY, OPEN, Case, Expected, line_paths, written
from dokima.proving.coverage import Coverage, covered
from dokima.proving.running_cases import number_of, run_cases
from dokima.proving.target import Target

STOPPED = "it was stopped"
"""Why suggestions ended, where somebody stopped them."""
NUMBER = "S-1"
"""The number of an order whose findings name it."""


@dataclass(frozen=True)
class Suggestion:
    """A case that somebody may want, with today's results; it is unconfirmed until a person says that they are right.

    Attributes:
        case: The case.
        reaches: What it reaches that no case had reached before, in words.
        kills: The ids of survivors of mutation that it would notice.
    """

    case: Case
    reaches: Sequence[str] = ()
    kills: Sequence[str] = ()

    def __repr__(self) -> str:
        return f"<Suggestion {self.case.name}: reaches {len(self.reaches)}, kills {len(self.kills)}; {SHOWN}>"

    def to_dict(self) -> dict[str, Any]:
        """The suggestion as plain data; its case as a case file has it."""
        return {"case": entry_of(self.case), "reaches": list(self.reaches), "kills": list(self.kills)}


@dataclass(frozen=True)
class Suggestions:
    """Cases for what no case has reached.

    Attributes:
        items: The cases.
        left: What no order that was tried reaches, in words.
        alike: The ids of survivors of mutation that no order that was tried tells from the rulebook as it is: perhaps
            they are equivalent.
        tried: How many orders were tried.
        waiting: How many cases there are already that nobody has confirmed; what they reach is not suggested again.
        ended: Why it ended before all was looked for; blank if it did not.
    """

    items: Sequence[Suggestion]
    left: Sequence[str] = ()
    alike: Sequence[str] = ()
    tried: int = 0
    waiting: int = 0
    ended: str = ""

    @property
    def was_stopped(self) -> bool:
        """Whether somebody stopped it before all was looked for."""
        return self.ended == STOPPED

    def __len__(self) -> int:
        return len(self.items)

    def __iter__(self) -> Iterator[Suggestion]:
        return iter(self.items)

    def __repr__(self) -> str:
        return f"<Suggestions: {len(self.items)} of {self.tried} orders tried; {SHOWN}>"

    def to_dict(self) -> dict[str, Any]:
        """The suggestions as plain data."""
        return {
            "suggestions": [each.to_dict() for each in self.items],
            "not_reached": list(self.left),
            "not_told_apart": list(self.alike),
            "orders_tried": self.tried,
            "unconfirmed_cases": self.waiting,
        }


def recorded(program: Program, case: Case, paths: Sequence[str] = ()) -> tuple[Case, Coverage] | None:
    """A case with today's results, and what it reaches; None if it gives none.

    Args:
        program: The rulebook.
        case: What it is of.
        paths: What is written down; prices, the total and findings if nothing is said.
    """
    figures = [*line_paths(case), "payable", "tax"] if program.routines else []
    usual = [*figures, "findings"]
    open_ = replace(case, expect=[Expected(path, OPEN) for path in paths or usual], recorded=True)
    (outcome,), _ = run_cases([open_], lambda _: program, lambda _: {})
    if outcome.error or len(outcome.values) != len(open_.expect):
        return None
    if isinstance(case.order, Mapping) and "number" not in case.order:
        said = " ".join(str(each.message) for each in outcome.findings)
        if number_of(case) in said:  # the case will have another name, and its order so another number
            return recorded(program, replace(case, order={**case.order, "number": NUMBER}), paths)
    kept = {path: value for path, value in outcome.values.items() if path not in ("findings", "tax") or value}
    for path in ("findings", "refused"):  # with what a person would look at, and not the rule's name alone
        if isinstance(kept.get(path), list) and kept[path]:
            facts = [_facts(each) for each in outcome.findings]
            kept[path] = {ONLY: facts} if path == "findings" else facts
    if case.at and "findings" not in kept:
        kept["no_findings"] = True
    made = replace(case, expect=[Expected(path, value) for path, value in kept.items()], recorded=True)
    outcomes, batches = run_cases([made], lambda _: program, lambda _: {})
    return (made, covered(program, outcomes, batches).with_unconfirmed) if outcomes[0].passed else None


def _facts(finding: Finding) -> dict[str, Any]:
    names = ("rule", "line", "severity", "message", "acknowledge")
    facts = {name: getattr(finding, name) for name in names}
    return {name: value if isinstance(value, bool) else str(value) for name, value in facts.items() if value}


def is_reached(coverage: Coverage, target: Target) -> bool:
    """Whether a case reaches a target."""
    match target.kind:
        case "rules":
            return bool(getattr(coverage.rules[target.name], target.what))
        case "conditions":
            return bool(getattr(coverage.conditions[target.name][target.place], target.what))
        case "thresholds":
            return target.what in coverage.thresholds[target.name][target.place]
        case "tables":
            return target.what in coverage.tables[target.name].breaks.get(target.place, ())
    return bool(getattr(coverage, target.kind)[target.name])


def named(made: Sequence[Suggestion], taken: set[str]) -> list[Suggestion]:
    """Suggestions under names that no case has."""
    found: list[Suggestion] = []
    for each in made:
        base = each.reaches[0] if each.reaches else f"notices {each.kills[0].rpartition(':')[0]}"
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} ({count})"
        taken.add(name)
        found.append(replace(each, case=replace(each.case, name=name)))
    return found


def entry_of(case: Case) -> dict[str, Any]:
    """A case as a file of cases has it."""
    said: dict[str, Any] = {
        "name": case.name,
        "note": case.note,
        "order": case.order,
        "edit": [dict(each) for each in case.edit],
        "change": [dict(each) for each in case.change],
        "at": case.at,
        "today": case.today,
        "recorded": case.recorded,
    }
    expect = {each.path: written(each.value) for each in case.expect}
    return {**{name: value for name, value in said.items() if value}, "expect": expect}
