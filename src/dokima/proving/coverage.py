"""What the cases that pass have reached of a rulebook, and what no case has touched."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dokima.engine.program import Program
from dokima.engine.running.checking import answers
from dokima.engine.running.context import Context
from dokima.engine.running.pricing import Part
from dokima.exact import decimals, stored
from dokima.exact.integers import Mask
from dokima.formulas import Formula, Level
from dokima.formulas.nodes import Node
from dokima.formulas.operators import compared, flags, numbers
from dokima.model.columns import value_at
from dokima.model.said import SHOWN
from dokima.proving.proof import Outcome
from dokima.proving.running_cases import Batch
from dokima.routines.routine import Routine, Step
from dokima.rules.rule import ASKS_ALSO
from dokima.tables.candidates import candidates
from dokima.tables.table import Table

MOST_LINES = 500
"""Lines of a batch whose rows are looked at one by one; more tell nothing new of a table."""


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
    """A condition that is true or false by itself: whether cases have seen it so."""

    text: str
    true: bool = False
    false: bool = False

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
    """

    rows: int
    won: set[int] = field(default_factory=set)
    lost: dict[int, set[str]] = field(default_factory=dict)
    breaks: dict[int, set[str]] = field(default_factory=dict)
    edges: dict[int, set[str]] = field(default_factory=dict)


@dataclass
class Coverage:
    """What passing cases have reached.

    Attributes:
        rules: By id.
        conditions: By the path of their formula.
        options: How many lines took their price from each option, by routine and option.
        steps: How many lines each step moved, by routine and step.
        limits: How many lines a cap or a floor held, by routine and step.
        winners: How often each step that competes won, by routine and step.
        moves: Moves from one state to another, whether any case makes each.
        tables: What was met of each table; outside the headline.
    """

    rules: dict[str, RuleReached] = field(default_factory=dict)
    conditions: dict[str, list[Leaf]] = field(default_factory=dict)
    options: dict[str, int] = field(default_factory=dict)
    steps: dict[str, int] = field(default_factory=dict)
    limits: dict[str, int] = field(default_factory=dict)
    winners: dict[str, int] = field(default_factory=dict)
    moves: dict[str, bool] = field(default_factory=dict)
    tables: dict[str, TableReached] = field(default_factory=dict)

    def __repr__(self) -> str:
        said = ", ".join(f"{name} {done} of {all_}" for name, (done, all_) in self.headline().items() if all_)
        return f"<Coverage: {said}; {SHOWN}>"

    def headline(self) -> dict[str, tuple[int, int]]:
        """How many of each kind are covered, and how many there are."""
        leaves = [leaf for mine in self.conditions.values() for leaf in mine]
        counted = {"options": self.options, "steps": self.steps, "limits": self.limits, "winners": self.winners}
        return {
            "rules": (sum(each.is_covered for each in self.rules.values()), len(self.rules)),
            "conditions": (sum(leaf.is_covered for leaf in leaves), len(leaves)),
            **{name: (sum(count > 0 for count in mine.values()), len(mine)) for name, mine in counted.items()},
            "moves": (sum(self.moves.values()), len(self.moves)),
        }

    def percent(self, name: str) -> int:
        """How many percent of a kind are covered, rounded down; 100 where there are none."""
        done, every = self.headline()[name]
        return 100 if not every else 100 * done // every

    def to_dict(self) -> dict[str, Any]:
        """The coverage as plain data."""
        return {
            "headline": {name: {"covered": done, "of": every} for name, (done, every) in self.headline().items()},
            "rules": {
                name: {"fired": each.fired, "passed": each.passed, "does_not_apply": each.does_not_apply}
                for name, each in self.rules.items()
            },
            "conditions": {
                path: [{"text": leaf.text, "true": leaf.true, "false": leaf.false} for leaf in leaves]
                for path, leaves in self.conditions.items()
            },
            "options": self.options,
            "steps": self.steps,
            "limits": self.limits,
            "winners": self.winners,
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
    """What the cases that passed have reached.

    Args:
        program: The rulebook.
        outcomes: What came of each case.
        batches: The cases as they ran together.
    """
    found = _nothing(program)
    passed = {id(outcome.case) for outcome in outcomes if outcome.passed}
    for outcome in outcomes:
        if outcome.passed:
            for before, after in outcome.moves:
                found.moves[f"{before} to {after}"] = True
            for rule in outcome.refused_by:
                if rule in found.rules:
                    found.rules[rule].fired += 1
    for batch in batches:
        numbers_ = batch.orders.numbers
        kept = np.array([id(batch.cases.get(number)) in passed for number in numbers_], bool)
        if kept.any():
            _rules(found, batch, kept)
            for part in batch.pricing.parts:
                _part(found, batch, part, kept)
    return found


def _nothing(program: Program) -> Coverage:
    """Everything there is to reach, and nothing reached."""
    found = Coverage()
    for rule in [each for each in program.rules if not each.definition.built_in]:
        found.rules[rule.id] = RuleReached()
        for key, formula in (("when", rule.when), ("require", rule.require)):
            if formula is not None and (leaves := list(leaves_of(formula))):
                found.conditions[f"rule.{rule.id}.{key}"] = [Leaf(text) for text, _ in leaves]
    for routine in program.routines:
        for step in routine.steps:
            path = f"{routine.name}.{step.name}"
            for at, option in enumerate(step.options):
                found.options[f"{path}.options.{at} ({option.value.source})"] = 0
            if step.way.is_amount and not step.way.is_price:
                found.steps[path] = 0
            for key in ("cap", "keep_above"):
                if key in step.parts:
                    found.limits[f"{path}.{key}"] = 0
            if step.definition.best_of:
                found.winners[path] = 0
            if "when" in step.parts and (leaves := list(leaves_of(step.parts["when"]))):
                found.conditions[f"routine.{path}.when"] = [Leaf(text) for text, _ in leaves]
    states = program.definition.lifecycle.states
    found.moves = {f"{name} to {after}": False for name, state in states.items() for after in state.to}
    found.tables = {name: TableReached(table.size) for name, table in program.tables.items()}
    return found


def leaves_of(formula: Formula) -> Iterator[tuple[str, Node]]:
    """The conditions of a formula outside ``and``, ``or`` and ``not``, with their text."""
    yield from _leaves(formula.root, formula.source)


def _leaves(node: Node, source: str) -> Iterator[tuple[str, Node]]:
    text = source[node.start : node.stop]
    if node.role in ("and", "or", "not") or (
        node.kind == "flag" and len(node.operands) == 1 and text.startswith("not ")
    ):
        for operand in node.operands:
            yield from _leaves(operand, source)
    elif node.kind == "flag" and (node.name or node.operands):
        yield text, node


def _rules(found: Coverage, batch: Batch, kept: Mask) -> None:
    """What came of each rule of the moments that were asked, and its conditions where they were asked."""
    moments = dict.fromkeys([*([batch.moment] if batch.moment else []), *batch.also])
    asked_at = {each for moment in moments for each in (moment, *ASKS_ALSO.get(moment, ()))}
    rules = [rule for rule in batch.program.rules if set(rule.definition.at) & asked_at]
    if not rules:
        return
    numbers_ = batch.orders.numbers
    wanted = {numbers_[at] for at in np.flatnonzero(kept).tolist()}
    seen: set[tuple[str, str, str]] = set()
    for moment in moments:
        for answer in answers(batch.program, batch.orders, moment, batch.run):
            mine = found.rules.get(answer.rule)
            key = (answer.rule, answer.order, answer.line)
            if answer.order in wanted and mine is not None and key not in seen:
                seen.add(key)
                _count(mine, answer.result)
    context = _checked(batch)
    for rule in rules:
        asked = kept[context.orders.order_of] if rule.level is Level.LINE else kept
        if rule.when is not None:
            _see(found, f"rule.{rule.id}.when", rule.when, context, asked, rule.level)
            applies = flags(rule.when.evaluate(context, rule.level)).spread(len(asked)).is_true()
            asked = asked & applies
        if rule.require is not None:
            _see(found, f"rule.{rule.id}.require", rule.require, context, asked, rule.level)


def _count(mine: RuleReached, result: str) -> None:
    if result == "does not apply":
        mine.does_not_apply += 1
    elif result == "passed":
        mine.passed += 1
    else:
        mine.fired += 1


def _checked(batch: Batch) -> Context:
    from dokima.engine.running.preparing import prepare
    from dokima.engine.running.rule_columns import rule_context

    prepared = prepare(batch.program, batch.orders, batch.run)
    return rule_context(batch.program, prepared, batch.run, list(batch.program.rules), None)


def _see(found: Coverage, path: str, formula: Formula, context: Context, asked: Mask, level: Level) -> None:
    """Note which conditions of a formula were true and false where it was asked; a blank is neither."""
    leaves = found.conditions.get(path)
    if not leaves or not asked.any():
        return
    for leaf, (_, node) in zip(leaves, leaves_of(formula), strict=True):
        if any(name.startswith(("was.", "was_header.")) for name in formula.reads):
            continue  # what was before an edit is known only while it happens
        column = flags(node.evaluate(context))
        size = len(asked)
        if len(column) == 1:
            column = column.spread(size)
        elif level is Level.LINE and node.level is Level.HEADER:
            column = column.take(context.order_of)
        true, false = column.is_true() & asked, ~column.is_true() & ~column.is_missing() & asked
        leaf.true |= bool(true.any())
        leaf.false |= bool(false.any())


def _part(found: Coverage, batch: Batch, part: Part, kept: Mask) -> None:
    """Options, steps, limits, winners and rows of the orders of one routine."""
    context = part.context
    if context is None:
        return
    routine = batch.program.routines[int(batch.pricing.calculation.routine_of[part.orders[0]])]
    lines = kept[part.orders][context.order_of]
    for place in np.unique(part.result.options[lines]).tolist():
        if place > 0:
            option = routine.steps[0].options[place - 1]
            key = f"{routine.name}.{routine.steps[0].name}.options.{place - 1} ({option.value.source})"
            found.options[key] += int((part.result.options[lines] == place).sum())
    for step in routine.steps:
        _step(found, routine, step, part, lines, context)
    for name, table in _asked(batch.program, part).items():
        look_at_table(found.tables[name], table, context, lines)


def _step(found: Coverage, routine: Routine, step: Step, part: Part, lines: Mask, context: Context) -> None:
    path = f"{routine.name}.{step.name}"
    if path in found.steps and step.name in part.result.lines:
        amount = stored(numbers(part.result.lines[step.name]))
        moved = compared(amount, decimals([0]), "!=").is_true() & lines
        found.steps[path] += int(moved.sum())
        for key in ("cap", "keep_above"):
            if f"{path}.{key}" in found.limits:
                limit = numbers(step.parts[key].evaluate(context, Level.LINE))
                reached = amount if key == "cap" else _after(part, step)
                if reached is not None:
                    found.limits[f"{path}.{key}"] += int((compared(reached, limit, "==").is_true() & moved).sum())
    if path in found.winners and step.name in part.result.winners:
        rivals = [each for each in routine.steps if each.definition.best_of == step.definition.best_of]
        won = part.result.winners[step.name] == rivals.index(step)
        found.winners[path] += int((won & lines).sum())
    if "when" in step.parts:
        _see(found, f"routine.{path}.when", step.parts["when"], context, lines, Level.LINE)


def _after(part: Part, step: Step) -> Any:
    """The amount of the lines once a step has moved it, as the next step saw it; None if no step follows."""
    trace = part.result.trace
    at = next((place for place, each in enumerate(trace) if each.step.name == step.name), -1)
    following = trace[at + 1 :] if at >= 0 else []
    return next((numbers(each.columns["line.amount"]) for each in following if "line.amount" in each.columns), None)


def _asked(program: Program, part: Part) -> Mapping[str, Table]:
    names = dict.fromkeys(name for trace in part.result.trace for name in trace.rows)
    return {name: program.tables[name] for name in names}


def look_at_table(found: TableReached, table: Table, context: Context, lines: Mask) -> None:
    """The rows that won, those that lost and by what, and the values that met breaks and windows."""
    rows = context.rows(table.name)
    at_header = table.level is Level.HEADER
    chosen = np.unique(context.order_of[lines]) if at_header else np.flatnonzero(lines)
    won = rows[chosen]
    found.won |= {table.source.row_number(row) for row in np.unique(won[won >= 0]).tolist()}
    if table.definition.is_key:
        return
    for position in chosen[:MOST_LINES].tolist():
        winner = int(rows[position])
        reached = [value_at(each.value.evaluate(context, table.level), position) for each in table.breaks]
        day = None if table.window is None else value_at(table.window.on.evaluate(context, table.level), position)
        for each in candidates(table, context, position, winner):
            if each.reason != "won":
                found.lost.setdefault(each.number, set()).add(each.reason)
            if each.reason == "match":
                continue
            for column, value in zip(table.breaks, reached, strict=True):
                least = each.cells.get(column.column)
                if least is not None and value is not None:
                    side = "at" if abs(value) == least else "above" if abs(value) > least else "below"
                    found.breaks.setdefault(each.number, set()).add(side)
            if table.window is not None:
                for name, edge in zip(table.window.names, ("first day", "last day"), strict=True):
                    if name and day is not None and each.cells.get(name) == day:
                        found.edges.setdefault(each.number, set()).add(edge)
