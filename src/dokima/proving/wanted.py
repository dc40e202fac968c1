"""What no case has reached, as targets: how much each counts, what it reads, what it is called."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from dokima.formulas import Formula
from dokima.model.said import Said
from dokima.pricing.program import Program
from dokima.proving.conditions import AT, countable
from dokima.proving.coverage import COUNTED, Coverage
from dokima.proving.tables_reached import SIDES
from dokima.proving.target import Target
from dokima.tables.candidates import row_terms

MOST_BREAKS = 12
"""Rows of a table whose breaks are aimed at, at most."""
KILL = "kill"
"""The kind of a target that is a survivor of mutation."""
OUTSIDE = ("tables", "thresholds", "together")
"""Kinds that are outside the headline of coverage: orders are looked for that reach them, and none need do so."""
HEADLINE, KILLS, ROWS = 4, 3, 1
"""How much a target counts: the headline of coverage more than rows of tables."""


def wanted_of(coverage: Coverage) -> dict[Target, int]:
    """What no case has reached, and how much each thing counts."""
    found: dict[Target, int] = {}
    for name, rule in coverage.rules.items():
        found |= {Target("rules", name, what): HEADLINE for what in ("fired", "passed") if not getattr(rule, what)}
    for path, leaves in coverage.conditions.items():
        for place, leaf in enumerate(leaves):
            for what in ("true", "false"):
                if not getattr(leaf, what):
                    found[Target("conditions", path, what, place)] = HEADLINE
    for kind in COUNTED:
        worth = ROWS if kind == "edges" else HEADLINE
        found |= {Target(kind, name): worth for name, count in getattr(coverage, kind).items() if not count}
    for path, places in coverage.thresholds.items():
        for place, seen in places.items():
            missing = [what for what in coverage.conditions[path][place].thresholds if what not in seen]
            found |= {Target("thresholds", path, what, place): ROWS for what in missing}
    found |= {Target("together", name): ROWS for name, count in coverage.together.items() if not count}
    for name, table in coverage.tables.items():
        for row in table.break_rows[:MOST_BREAKS]:
            met = table.breaks.get(row, set())
            found |= {Target("tables", name, what, row): ROWS for what in SIDES if what not in met}
    return found


def rule_of(target: Target) -> str:
    """The rule that must be asked for a target, blank for none; a survivor names the one it is in."""
    if target.kind == "rules":
        return target.name
    if target.kind == KILL:
        return target.what
    if target.kind in ("conditions", "thresholds") and target.name.startswith("rule."):
        return target.name.removeprefix("rule.").rpartition(".")[0]
    return ""


class Readings:
    """What each part of a rulebook reads.

    Args:
        program: The rulebook.
    """

    def __init__(self, program: Program) -> None:
        self.program = program
        self._names = dict(_readings(program))

    def of(self, target: Target) -> set[str]:
        """The names that decide whether a target is reached."""
        if target.kind in ("tables", "misses", "edges", "together"):
            return set(self.program.tables[target.name.partition(" ")[0]].behind)
        known = [name for name in self._names if target.name == name or target.name.startswith(f"{name}.")]
        return self._names[max(known, key=len)] if known else set()

    def gathers(self, target: Target) -> bool:
        """Whether it depends on several lines together."""
        rule = next((each for each in self.program.rules if each.key == rule_of(target)), None)
        parts = [part for part in (rule.when, rule.require) if part is not None] if rule is not None else []
        return any(node.gathers for part in parts for node in part.root.walk())


def _readings(program: Program) -> Iterator[tuple[str, set[str]]]:
    for rule in program.rules:
        parts = [each for each in (rule.when, rule.require) if each is not None]
        for name in (rule.key, f"rule.{rule.key}.when", f"rule.{rule.key}.require"):
            yield name, _names(parts)
    for routine in program.routines:
        whole = _names([routine.when] if routine.when is not None else [])
        for step in routine.steps:
            mine = whole | _names(formula for _, formula in step.formulas())
            yield f"{routine.name}.{step.name}", mine
            yield f"routine.{routine.name}.step.{step.name}", mine
    for place, _ in countable(program):
        if not place.rule and ".step." not in place.path:
            yield place.path, _names([place.formula])


def _names(formulas: Iterable[Formula]) -> set[str]:
    return {name for formula in formulas for name in formula.reads}


def target_words(program: Program, target: Target) -> Said:
    """A target in words, as a case is called that is made for it."""
    name, what = target.name, target.what
    place = rule_of(target) or name.partition(".")[2]
    match target.kind:
        case "rules":
            return Said("{rule} speaks", rule=name) if what == "fired" else Said("{rule} passes", rule=name)
        case "conditions":
            facts = {"place": place, "condition": _condition(program, target)}
            if what == "true":
                return Said("{place}: {condition} is true", **facts)
            return Said("{place}: {condition} is false", **facts)
        case "thresholds":
            beside = "with both equal" if what == AT else "with one just beyond the other"
            return _outside(f"{place}: {_condition(program, target)} {beside}")
        case "options":
            return Said("price by {name}", name=name)
        case "tables":
            return _outside(f"{name} {_row_words(program, target)}: {what} it")
        case "moves":
            return Said("from {move}", move=name)
        case "misses":
            return Said("no row of {table}", table=name)
        case "together":
            return _outside(f"several lines reach a break of {name} together")
        case "edges":
            return Said("on the day of {table}", table=name)
        case "functions":
            return Said("{function}() answers", function=name)
        case "limits":
            return Said("limit {name}", name=name)
        case "winners":
            return Said("best of {name}", name=name)
    return Said("step {name}", name=name)


def _outside(text: str) -> Said:
    """What stands outside the headline, and so in no report: it is said in English only."""
    return Said(text)


def _condition(program: Program, target: Target) -> str:
    formulas = {place.path: conditions for place, conditions in countable(program)}
    return formulas[target.name][target.place].text


def _row_words(program: Program, target: Target) -> Said | str:
    table = program.tables[target.name]
    rows = (row for row in range(table.size) if table.source.row_number(row) == target.place)
    return next((row_terms(table, row) for row in rows), "")
