"""What each order of a batch reaches of a rulebook: rules, conditions, options, steps, rows of tables."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from dokima.checking.rule_columns import rule_context
from dokima.columns.column import value_at
from dokima.compiling.places import formula_places
from dokima.exact import decimals, stored
from dokima.exact.integers import Integers, Mask
from dokima.explaining.written_formulas import Traced
from dokima.formulas import Level
from dokima.formulas.operators import compared, flags, numbers
from dokima.formulas.tree import OWN, Node
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import Part
from dokima.pricing.steps.routine import Routine, Step
from dokima.proving.conditions import conditions_of, is_countable, met
from dokima.proving.running_cases import Batch
from dokima.proving.usage import read_tables
from dokima.rules.rule import Rule
from dokima.rules.verdicts import judge
from dokima.tables.candidates import candidates
from dokima.tables.table import Table

MOST_LINES = 500
"""Lines of a batch whose rows are looked at one by one; more tell nothing new of a table."""
SIDES = ("below", "at", "above")
"""Where a value may be that meets a break."""
ENDS = ("first day", "last day")
"""The ends of a window."""


@dataclass(frozen=True)
class Target:
    """One thing that an order may reach.

    Attributes:
        kind: What it is, as `Coverage` names it: rules, conditions, options, steps, limits, winners, tables.
        name: Which one: an id, the path of a formula, routine and step, a table.
        what: What was met there: ``fired``, ``true``, ``won``, ``below`` ...; blank where there is one thing only.
        place: Of a condition its place in the formula, of a table the number of the row.
    """

    kind: str
    name: str
    what: str = ""
    place: int = 0


Reached = tuple[Target, Integers]
"""A target, and the place in the batch of the order of each line, or of each order, that reaches it."""


def reached(batch: Batch, kept: Mask, most: int = MOST_LINES) -> Iterator[Reached]:
    """What the orders of a batch reach.

    Args:
        batch: The orders, priced.
        kept: Whether the rows of tables are looked at, one flag for each order.
        most: The most lines, over all orders, of which they are.

    Yields:
        Targets, each with the places of the orders in the batch: one for each line or order that reaches it.
    """
    yield from rules_reached(batch)
    yield from _routines_chosen(batch)
    for part in batch.pricing.parts:
        yield from _part(batch, part, kept, most)


def may_miss(program: Program) -> list[str]:
    """The tables that formulas read and that may have no row for an order: one without a row is not always an error."""
    read = read_tables(program)
    return [
        name for name, table in program.tables.items()
        if name in read and table.definition.required is not True and table.assemblies is None
    ]  # fmt: skip


def option_path(routine: Routine, at: int) -> str:
    """What an option of a routine is called: its place, and its formula."""
    step = routine.steps[0]
    return f"{routine.name}.{step.name}.options.{at} ({step.options[at].value.source})"


def setting_of(target: Target) -> str:
    """The path of the setting that a target is in, as the rulebook's text has it: of a step below its routine.

    Args:
        target: A condition, or what is reached of a step: an option, its figure, its limits.
    """
    if target.kind == "conditions":
        return target.name
    routine, _, rest = target.name.partition(".")
    return f"routine.{routine}.step.{rest}"


def rules_reached(batch: Batch) -> Iterator[Reached]:
    """What came of each rule of the moments that were asked, and its conditions where they were asked."""
    moments = [*([batch.moment] if batch.moment else []), *batch.also]
    rules = list(dict.fromkeys(rule for moment in moments for rule, _ in batch.program.rules_at[moment]))
    if rules:
        prepared = prepare(batch.program, batch.orders, batch.run)
        was = None
        if batch.was is not None:
            was = Before.of_one(prepare(batch.program, batch.was, batch.run), batch.orders.line_numbers)
        context = rule_context(batch.program, prepared, batch.run, rules, was)
        for rule in rules:
            yield from _rule(rule, context)


def _rule(rule: Rule, context: Context) -> Iterator[Reached]:
    by_line = rule.level is Level.LINE
    orders = context.orders.order_of if by_line else np.arange(context.orders.count)
    verdicts = judge(rule, context)
    if not rule.definition.built_in:
        silent = ~verdicts.applies
        undecided = verdicts.applies & verdicts.undecided
        fired = verdicts.applies & verdicts.refused & ~undecided
        said = {"fired": fired, "undecided": undecided, "does_not_apply": silent}
        for what, mask in {**said, "passed": ~silent & ~fired & ~undecided}.items():
            yield Target("rules", rule.id, what), orders[mask]
    if context.before is None and (rule.wants_before is not None):
        return  # nothing was edited
    every = np.ones(context.orders.count, bool)
    lines: Mask | None = None
    for key, formula in (("when", rule.when), ("require", rule.require)):
        if formula is None or rule.definition.built_in:
            continue
        for place, what, places in met(formula, context, every, lines):
            yield Target("conditions", f"rule.{rule.id}.{key}", what, place), places
        asked = flags(formula.evaluate(context, rule.level)).spread(len(orders)).is_true()
        lines = asked if by_line else None
        every = np.isin(np.arange(context.orders.count), orders[asked])


def refusals(program: Program, rules: Collection[str]) -> Iterator[Target]:
    """What a refused edit reaches, of which no order is left: its rules fired, so their ``require`` was false.

    Args:
        program: The rulebook.
        rules: The rules that refused it, by id.
    """
    for rule in program.rules:
        if rule.id in rules and not rule.definition.built_in:
            yield Target("rules", rule.id, "fired")
            for key, formula, value in (("when", rule.when, True), ("require", rule.require, False)):
                if formula is not None:
                    known = dict(_implied(formula.root, value=value))
                    for place, each in enumerate(conditions_of(formula)):
                        if each.node in known:
                            yield Target("conditions", f"rule.{rule.id}.{key}", str(known[each.node]).lower(), place)


def _implied(node: Node, *, value: bool) -> Iterator[tuple[Node, bool]]:
    """The conditions of which it is known what they were, where it is known of the whole."""
    if node.role == "not":
        yield from _implied(node.operands[0], value=not value)
    elif node.role in ("and", "or"):
        if value == (node.role == "and") or len(node.operands) == 1:
            for operand in node.operands:
                yield from _implied(operand, value=value)
    else:
        yield node, value


def _part(batch: Batch, part: Part, kept: Mask, most: int) -> Iterator[Reached]:
    """Options, steps, limits, winners and rows of the orders of one routine."""
    context = part.context
    if context is None:
        return
    routine = batch.program.routines[int(batch.pricing.calculation.routine_of[part.orders[0]])]
    orders = part.orders[context.order_of]
    for place in np.unique(part.result.options).tolist():
        if place > 0:
            yield Target("options", option_path(routine, place - 1)), orders[part.result.options == place]
    for step in routine.steps:
        yield from _step(routine, step, part, orders, context)
    yield from _conditions(batch.program, routine, part, context)
    for name in may_miss(batch.program):
        by_line = batch.program.tables[name].level is Level.LINE
        yield Target("misses", name), (orders if by_line else part.orders)[context.rows(name) < 0]
    yield from _tables(batch, part, context, kept, most)


def _routines_chosen(batch: Batch) -> Iterator[Reached]:
    """The conditions by which orders take their routine."""
    if not batch.orders.count:
        return
    context = Context(batch.program, prepare(batch.program, batch.orders, batch.run), batch.run)
    every = np.ones(context.order_count, bool)
    for routine in batch.program.routines:
        for place, what, places in met(routine.when, context, every) if routine.when is not None else ():
            yield Target("conditions", f"routine.{routine.name}.when", what, place), places


def _conditions(program: Program, routine: Routine, part: Part, context: Context) -> Iterator[Reached]:
    """The conditions of the routine, on the columns that each step saw, and of what it is made from."""
    seen = {trace.step.name: Traced(context, trace.columns) for trace in part.result.trace}
    every = np.ones(context.order_count, bool)
    for formula_place in formula_places(program):
        if formula_place.rule or formula_place.routine not in ("", routine.name):
            continue
        if formula_place.formula is routine.when:
            continue  # asked of all orders, those of other routines too
        step = formula_place.path.split(".")[3] if ".step." in formula_place.path else ""
        frame = seen.get(step, context) if step else context
        if is_countable(formula_place):
            for place, what, places in met(formula_place.formula, frame, every):
                yield Target("conditions", formula_place.path, what, place), part.orders[places]
        for node in formula_place.formula.root.walk() if formula_place.formula.own else ():
            if node.role == OWN:
                answered = ~formula_place.formula.part(node, frame).is_missing()
                of = frame.order_of if node.level is Level.LINE else np.arange(frame.order_count)
                yield Target("functions", node.facts["function"]), part.orders[of[np.broadcast_to(answered, of.shape)]]


def _tables(batch: Batch, part: Part, context: Context, kept: Mask, most: int) -> Iterator[Reached]:
    """The rows of every table that the routine asked."""
    lines = kept[part.orders[context.order_of]]
    for name in dict.fromkeys(name for trace in part.result.trace for name in trace.rows):
        yield from _rows(batch.program.tables[name], context, part.orders, lines, most)


def _step(routine: Routine, step: Step, part: Part, orders: Integers, context: Context) -> Iterator[Reached]:
    path = f"{routine.name}.{step.name}"
    if step.way.is_amount and not step.way.is_price and step.name in part.result.lines:
        amount = stored(numbers(part.result.lines[step.name]))
        moved = compared(amount, decimals([0]), "!=").is_true()
        yield Target("steps", path), orders[moved]
        for key in ("cap", "keep_above"):
            limited = amount if key == "cap" else _after(part, step)
            if key in step.parts and limited is not None:
                limit = numbers(step.parts[key].evaluate(context, Level.LINE))
                yield Target("limits", f"{path}.{key}"), orders[compared(limited, limit, "==").is_true() & moved]
    if step.definition.best_of and step.name in part.result.winners:
        rivals = [each for each in routine.steps if each.definition.best_of == step.definition.best_of]
        yield Target("winners", path), orders[part.result.winners[step.name] == rivals.index(step)]


def _after(part: Part, step: Step) -> Any:
    """The amount of the lines once a step has moved it, as the next step saw it; None if no step follows."""
    trace = part.result.trace
    at = next((place for place, each in enumerate(trace) if each.step.name == step.name), -1)
    following = trace[at + 1 :] if at >= 0 else []
    return next((numbers(each.columns["line.amount"]) for each in following if "line.amount" in each.columns), None)


def _rows(table: Table, context: Context, orders: Integers, lines: Mask, most: int) -> Iterator[Reached]:
    """The rows that won, those that lost and by what, and the values that met breaks and windows."""
    rows = context.rows(table.name)
    at_header = table.level is Level.HEADER
    chosen = np.unique(context.order_of[lines]) if at_header else np.flatnonzero(lines)
    order_at = orders if at_header else orders[context.order_of]
    for row in np.unique(rows[chosen][rows[chosen] >= 0]).tolist():
        won = chosen[rows[chosen] == row]
        yield Target("tables", table.name, "won", table.source.row_number(row)), order_at[won]
    if table.definition.is_master:
        return
    met: dict[Target, list[int]] = {}
    for position in chosen[:most].tolist():
        for what, row in _met(table, context, position, int(rows[position])):
            met.setdefault(Target("tables", table.name, what, row), []).append(int(order_at[position]))
    for target, mine in met.items():
        yield target, np.array(mine, np.int64)


def _met(table: Table, context: Context, position: int, winner: int) -> Iterator[tuple[str, int]]:
    """What one line meets of the rows that come near to it, by their numbers."""
    values = [value_at(each.value.evaluate(context, table.level), position) for each in table.breaks]
    day = None if table.window is None else value_at(table.window.on.evaluate(context, table.level), position)
    for each in candidates(table, context, position, winner):
        if each.reason != "won":
            yield each.reason, each.number
        if each.reason == "match":
            continue
        for column, value in zip(table.breaks, values, strict=True):
            least = each.cells.get(column.column)
            if least is not None and value is not None:
                yield SIDES[1] if abs(value) == least else SIDES[2] if abs(value) > least else SIDES[0], each.number
        if table.window is not None:
            for name, end in zip(table.window.names, ENDS, strict=True):
                if name and day is not None and each.cells.get(name) == day:
                    yield end, each.number


def rows_met(batch: Batch) -> Iterator[tuple[str, str, int]]:
    """The rows that orders of a batch have met: the table, what happened to the row, its number."""
    kept = np.ones(batch.orders.count, bool)
    for part in batch.pricing.parts:
        if part.context is not None:
            for target, _ in _tables(batch, part, part.context, kept, MOST_LINES):
                yield target.name, target.what, target.place
