"""What the cases that verify have reached of a rulebook, and what none has touched.

A case verifies what it reaches if it passes and a person stands behind it: it was worked out by hand, or recorded and
confirmed, and nothing of it has changed since. What only others reach is told beside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.model.said import SHOWN
from dokima.pricing.program import Program
from dokima.proving.conditions import countable, thresholds_of
from dokima.proving.proof import Outcome
from dokima.proving.reaching import option_path, reached, refusals
from dokima.proving.running_cases import Batch
from dokima.proving.tables_reached import ENDS, SIDES, edges_of, may_miss, summed
from dokima.proving.target import Target
from dokima.tables.table import Table

COUNTED = ("options", "steps", "limits", "winners", "misses", "edges", "functions")
"""What is counted by lines or orders that reach it."""


@dataclass
class RuleReached:
    """How often a rule fired, passed, and did not apply."""

    fired: int = 0
    passed: int = 0
    does_not_apply: int = 0

    @property
    def is_covered(self) -> bool:
        """Whether a case shows it speaking, and another one silent."""
        return self.fired > 0 and self.passed > 0


@dataclass
class Leaf:
    """A condition that is true or false by itself: whether cases have seen it so.

    Attributes:
        text: As it is written.
        true: Whether it decided being true.
        false: Whether it decided being false.
        thresholds: What may be met of its threshold, if it compares numbers.
    """

    text: str
    true: bool = False
    false: bool = False
    thresholds: tuple[str, ...] = ()

    @property
    def is_covered(self) -> bool:
        """Whether both were seen."""
        return self.true and self.false


@dataclass
class TableReached:
    """What cases have met of the rows of a table, by row number in its file.

    Attributes:
        rows: How many rows it has.
        won: Rows that answered.
        lost: Rows that were looked at and lost, and by what.
        breaks: For rows with a break whether values below, at and above it were met.
        edges: For rows with a window whether its first and its last day were met.
        break_rows: Rows with a break, the first of each value.
    """

    rows: int
    won: set[int] = field(default_factory=set)
    lost: dict[int, set[str]] = field(default_factory=dict)
    breaks: dict[int, set[str]] = field(default_factory=dict)
    edges: dict[int, set[str]] = field(default_factory=dict)
    break_rows: tuple[int, ...] = ()

    def add(self, what: str, row: int) -> None:
        """Note what a row has met: it won, it lost by something, a side of its break, an end of its window."""
        if what == "won":
            self.won.add(row)
        else:
            met = self.breaks if what in SIDES else self.edges if what in ENDS else self.lost
            met.setdefault(row, set()).add(what)


@dataclass
class Coverage:
    """What cases have reached that pass and that a person stands behind.

    Attributes:
        rules: By id.
        conditions: By the path of their formula.
        thresholds: For each condition that compares two numbers, by path and place, whether any case had them equal
            (``at``), and whether any had them just beyond, where the condition changes (``beyond``); outside the
            headline, since they may never be.
        together: For each table with breaks on a sum how many lines reached a break only with others beside them;
            outside the headline.
        options: How many lines took their price from each option, by routine and option.
        steps: How many lines each step moved, by routine and step.
        limits: How many lines a cap or a floor held, by routine and step.
        winners: How often each step that competes won, by routine and step.
        misses: How many lines or orders had no row of a table that may be without one.
        edges: How many lines or orders a row answered on the first or the last day of its window, by table, column and
            day.
        functions: How many lines or orders each function in Python answered for.
        raised: How many it failed for; outside the headline, since it may never do.
        moves: Moves from one state to another, whether any case makes each.
        tables: What was met of each table; outside the headline.
        unreachable: What no order can reach, which is out of the count, and why.
        unconfirmed: What is reached if passing cases count too that nobody has confirmed; None if there are none.
    """

    rules: dict[str, RuleReached] = field(default_factory=dict)
    conditions: dict[str, list[Leaf]] = field(default_factory=dict)
    thresholds: dict[str, dict[int, set[str]]] = field(default_factory=dict)
    together: dict[str, int] = field(default_factory=dict)
    options: dict[str, int] = field(default_factory=dict)
    steps: dict[str, int] = field(default_factory=dict)
    limits: dict[str, int] = field(default_factory=dict)
    winners: dict[str, int] = field(default_factory=dict)
    misses: dict[str, int] = field(default_factory=dict)
    edges: dict[str, int] = field(default_factory=dict)
    functions: dict[str, int] = field(default_factory=dict)
    raised: dict[str, int] = field(default_factory=dict)
    moves: dict[str, bool] = field(default_factory=dict)
    tables: dict[str, TableReached] = field(default_factory=dict)
    unreachable: dict[str, str] = field(default_factory=dict)
    unconfirmed: Coverage | None = None

    @property
    def with_unconfirmed(self) -> Coverage:
        """What is reached by all cases that pass."""
        return self if self.unconfirmed is None else self.unconfirmed

    def waiting(self) -> dict[str, int]:
        """How many of each kind only cases reach that nobody has confirmed."""
        every = self.with_unconfirmed.headline()
        return {name: every[name][0] - done for name, (done, _) in self.headline().items()}

    def __repr__(self) -> str:
        said = ", ".join(f"{name} {done} of {all_}" for name, (done, all_) in self.headline().items() if all_)
        return f"<Coverage: {said}; {SHOWN}>"

    def headline(self) -> dict[str, tuple[int, int]]:
        """How many of each kind are covered, and how many there are."""
        leaves = [leaf for mine in self.conditions.values() for leaf in mine]
        counted = {kind: getattr(self, kind) for kind in COUNTED}
        return {
            "rules": (sum(each.is_covered for each in self.rules.values()), len(self.rules)),
            "conditions": (sum(leaf.is_covered for leaf in leaves), len(leaves)),
            **{name: (sum(count > 0 for count in mine.values()), len(mine)) for name, mine in counted.items()},
            "moves": (sum(self.moves.values()), len(self.moves)),
        }

    def add(self, target: Target, count: int) -> None:
        """Note that lines or orders reach something."""
        if not count:
            return
        kind, name, what = target.kind, target.name, target.what
        if kind == "rules":
            if name in self.rules:
                rule, what = self.rules[name], "fired" if what == "undecided" else what
                setattr(rule, what, getattr(rule, what) + count)
        elif kind == "conditions":
            if name in self.conditions:
                setattr(self.conditions[name][target.place], what, True)
        elif kind == "thresholds":
            if target.place in self.thresholds.get(name, ()):
                self.thresholds[name][target.place].add(what)
        elif kind == "tables":
            self.tables[name].add(what, target.place)
        elif name in (counts := getattr(self, kind)):
            counts[name] += count

    def percent(self, name: str) -> int:
        """How many percent of a kind are covered, rounded down; 100 where there are none."""
        done, every = self.headline()[name]
        return 100 if not every else 100 * done // every

    def to_dict(self) -> dict[str, Any]:
        """The coverage as plain data."""
        return {
            "headline": {
                name: {"covered": done, "unconfirmed": self.waiting()[name], "of": every}
                for name, (done, every) in self.headline().items()
            },
            "rules": {
                name: {"fired": each.fired, "passed": each.passed, "does_not_apply": each.does_not_apply}
                for name, each in self.rules.items()
            },
            "conditions": {
                path: [{"text": leaf.text, "true": leaf.true, "false": leaf.false} for leaf in leaves]
                for path, leaves in self.conditions.items()
            },
            "thresholds": {
                path: {self.conditions[path][at].text: sorted(seen) for at, seen in mine.items()}
                for path, mine in self.thresholds.items()
            },
            "together": self.together,
            "options": self.options,
            "steps": self.steps,
            "limits": self.limits,
            "winners": self.winners,
            "misses": self.misses,
            "edges": self.edges,
            "unreachable": self.unreachable,
            "functions": self.functions,
            "raised": self.raised,
            "moves": self.moves,
            "tables": {
                name: {
                    "rows": each.rows,
                    "won": sorted(each.won),
                    "lost": {str(row): sorted(why) for row, why in sorted(each.lost.items())},
                    "breaks": {str(row): sorted(met) for row, met in sorted(each.breaks.items())},
                    "window_edges": {str(row): sorted(met) for row, met in sorted(each.edges.items())},
                }
                for name, each in self.tables.items()
            },
        }


def covered(program: Program, outcomes: Sequence[Outcome], batches: Sequence[Batch]) -> Coverage:
    """What the cases that passed have reached: those that a person stands behind, and beside it all of them.

    Args:
        program: The rulebook.
        outcomes: What came of each case.
        batches: The cases as they ran together.
    """
    passed = [outcome for outcome in outcomes if outcome.passed]
    verifying = [outcome for outcome in passed if outcome.is_confirmed]
    found = _reached_by(program, verifying, batches)
    if len(verifying) < len(passed):
        found.unconfirmed = _reached_by(program, passed, batches)
    return found


def _reached_by(program: Program, outcomes: Sequence[Outcome], batches: Sequence[Batch]) -> Coverage:
    found = nothing_reached(program)
    passed = {id(outcome.case) for outcome in outcomes}
    for outcome in outcomes:
        for before, after in outcome.moves:
            found.moves[f"{before} to {after}"] = True
        for target in refusals(program, outcome.refused_by):
            found.add(target, 1)
    for batch in batches:
        kept = np.array([id(batch.cases.get(number)) in passed for number in batch.orders.numbers], bool)
        if kept.any():
            for target, orders in reached(batch, kept):
                found.add(target, int(kept[orders].sum()))
    return found


def nothing_reached(program: Program) -> Coverage:
    """Everything there is to reach, and nothing reached."""
    found = Coverage()
    for rule in [each for each in program.rules if not each.definition.built_in]:
        found.rules[rule.key] = RuleReached()
    for routine in program.routines:
        for step in routine.steps:
            path = f"{routine.name}.{step.name}"
            for at in range(len(step.options)):
                found.options[option_path(routine, at)] = 0
            if step.way.is_amount and not step.way.is_price:
                found.steps[path] = 0
            for key in ("cap", "keep_above"):
                if key in step.parts:
                    found.limits[f"{path}.{key}"] = 0
            if step.definition.best_of:
                found.winners[path] = 0
    for place, conditions in countable(program):
        leaves = [Leaf(each.text, thresholds=thresholds_of(each.node)) for each in conditions]
        found.conditions[place.path] = leaves
        if any(leaf.thresholds for leaf in leaves):
            found.thresholds[place.path] = {at: set() for at, leaf in enumerate(leaves) if leaf.thresholds}
    found.misses = dict.fromkeys(may_miss(program), 0)
    edges = edges_of(program)
    found.edges = {name: 0 for name, never in edges.items() if not never}
    found.unreachable = {name: never for name, never in edges.items() if never}
    found.together = {table.name: 0 for table in program.tables.values() if summed(table)}
    found.raised = dict.fromkeys(program.definition.functions, 0)
    found.functions = dict.fromkeys(program.definition.functions, 0)
    states = program.definition.lifecycle.states
    found.moves = {f"{name} to {after}": False for name, state in states.items() for after in state.to}
    found.tables = {
        name: TableReached(table.size, break_rows=_first_of_breaks(table)) for name, table in program.tables.items()
    }
    return found


def _first_of_breaks(table: Table) -> tuple[int, ...]:
    """For each value of each break the first row that has it, by its number."""
    first: dict[tuple[str, Any], int] = {}
    for each in table.breaks:
        for row in range(table.size):
            least = value_at(each.least, row)
            if least is not None:
                first.setdefault((each.column, least), table.source.row_number(row))
    return tuple(sorted(set(first.values())))
