"""What each order of a batch reaches of a rulebook: rules, conditions, options, steps, tables."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.checking.rule_columns import rule_context
from dokima.columns.column import values_of
from dokima.compiling.places import formula_places
from dokima.exact import Decimals, decimals, stored
from dokima.exact.integers import Integers, Mask
from dokima.explaining.written_formulas import Traced
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import compared, flags, numbers
from dokima.formulas.tree import OWN, Node
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import Part
from dokima.pricing.steps.routine import Routine, Step
from dokima.proving.conditions import AT, BEYOND, conditions_of, is_countable, met, sides, thresholds_of
from dokima.proving.running_cases import Batch
from dokima.proving.tables_reached import MOST_LINES, tables_reached
from dokima.proving.target import Reached, Target
from dokima.rules.rule import Rule
from dokima.rules.verdicts import judge


def reached(
    batch: Batch, kept: Mask, most: int = MOST_LINES, wanted: Collection[Target] | None = None
) -> Iterator[Reached]:
    """What the orders of a batch reach.

    Args:
        batch: The orders, priced.
        kept: Whether the rows of tables are looked at, one flag for each order.
        most: The most lines, over all orders, of which they are.
        wanted: The targets that matter: of rules and formulas no others are looked at; all if None.

    Yields:
        Targets, each with the places of the orders in the batch: one for each line or order that reaches it.
    """
    names = None if wanted is None else {each.name for each in wanted}
    yield from rules_reached(batch, names)
    yield from _routines_chosen(batch)
    for part in batch.pricing.parts:
        yield from _part(batch, part, kept, most, names)


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


@dataclass(frozen=True)
class Asked:
    """A formula as it was asked of orders of a batch.

    Attributes:
        path: The path of its setting.
        formula: The formula.
        frame: The columns it was worked out on.
        orders: Whether it was asked of each order of the frame.
        lines: Whether of each line; None for all lines of those orders.
        at: The place in the batch of each order of the frame.
    """

    path: str
    formula: Formula
    frame: Frame
    orders: Mask
    lines: Mask | None
    at: Integers

    def conditions(self) -> Iterator[Reached]:
        """Its conditions, where they decided, and where the numbers that one compares were equal."""
        for place, what, places in met(self.formula, self.frame, self.orders, self.lines):
            yield Target("conditions", self.path, what, place), self.at[places]
        for place, left, right, places in sides(self.formula, self.frame, self.orders, self.lines):
            for what, met_there in _thresholds(conditions_of(self.formula)[place].node, left, right):
                yield Target("thresholds", self.path, what, place), self.at[places[met_there]]


def _thresholds(node: Node, left: Decimals, right: Decimals) -> Iterator[tuple[str, Mask]]:
    """Where two numbers are equal, and where they are just beyond, so that the condition is the other way.

    Two nothings tell nothing, unless nothing is what the condition names.
    """
    equal = compared(left, right, "==").is_true()
    if not any(side.level is Level.CONSTANT for side in node.operands):
        equal &= compared(left, decimals([0]), "!=").is_true()
    yield AT, equal
    if BEYOND in thresholds_of(node):
        near = compared(abs(left - right), decimals([1]), "<=").is_true()
        holds = compared(left, right, node.role)
        yield BEYOND, near & (holds.is_false() if node.role in ("<=", ">=") else holds.is_true())


def differences_met(batch: Batch, target: Target) -> dict[int, Decimal]:
    """How far the numbers are apart that a condition compares: for each order that asks it, of its first line.

    Args:
        batch: The orders.
        target: The condition, by path and place.
    """
    found: dict[int, Decimal] = {}
    for asked in _asked(batch, target.name):
        for place, left, right, places in sides(asked.formula, asked.frame, asked.orders, asked.lines):
            if place == target.place:
                for order, value in zip(asked.at[places].tolist(), values_of(left - right), strict=True):
                    if value is not None:
                        found.setdefault(order, value)
    return found


def _asked(batch: Batch, path: str) -> Iterator[Asked]:
    """A formula as it was asked of a batch."""
    if path.startswith("rule."):
        rules, context = _asking(batch, [path])
        for rule in rules:
            yield from (asked for asked in _of_rule(rule, context) if asked.path == path)
        return
    for part in batch.pricing.parts:
        if part.context is not None:
            routine = batch.program.routines[int(batch.pricing.calculation.routine_of[part.orders[0]])]
            yield from (asked for asked in _of_routine(batch.program, routine, part, [path]) if asked.path == path)


def rules_reached(batch: Batch, names: Collection[str] | None = None) -> Iterator[Reached]:
    """What came of each rule of the moments that were asked, and its conditions where they were asked.

    Args:
        batch: The orders.
        names: The rules that matter, by id or by the path of one of their formulas; all if None.
    """
    rules, context = _asking(batch, names)
    for rule in rules:
        yield from _verdicts(rule, context)
        for asked in _of_rule(rule, context):
            yield from asked.conditions()


def _asking(batch: Batch, names: Collection[str] | None = None) -> tuple[list[Rule], Any]:
    """The rules of the moments that were asked, and the columns they were asked with."""
    moments = [*([batch.moment] if batch.moment else []), *batch.also]
    rules = list(dict.fromkeys(rule for moment in moments for rule, _ in batch.program.rules_at[moment]))
    if names is not None:
        rules = [r for r in rules if {r.id, f"rule.{r.id}.when", f"rule.{r.id}.require"} & {*names}]
    if not rules:
        return [], None
    prepared = prepare(batch.program, batch.orders, batch.run)
    was = None
    if batch.was is not None:
        was = Before.of_one(prepare(batch.program, batch.was, batch.run), batch.orders.line_numbers)
    return rules, rule_context(batch.program, prepared, batch.run, rules, was)


def _verdicts(rule: Rule, context: Context) -> Iterator[Reached]:
    if rule.definition.built_in:
        return
    orders = context.orders.order_of if rule.level is Level.LINE else np.arange(context.orders.count)
    verdicts = judge(rule, context)
    silent = ~verdicts.applies
    undecided = verdicts.applies & verdicts.undecided
    fired = verdicts.applies & verdicts.refused & ~undecided
    said = {"fired": fired, "undecided": undecided, "does_not_apply": silent}
    for what, mask in {**said, "passed": ~silent & ~fired & ~undecided}.items():
        yield Target("rules", rule.key, what), orders[mask]


def _of_rule(rule: Rule, context: Context) -> Iterator[Asked]:
    """The formulas of a rule, its requirement where its condition holds."""
    if rule.definition.built_in or (context.before is None and rule.wants_before is not None):
        return  # of the rules that compare with before: nothing was edited
    by_line, count = rule.level is Level.LINE, context.orders.count
    orders = context.orders.order_of if by_line else np.arange(count)
    every, lines = np.ones(count, bool), None
    for key, formula in (("valid", rule.valid), ("when", rule.when), ("require", rule.require)):
        if formula is None:
            continue
        if key != "valid":  # days are no condition that somebody wrote
            yield Asked(f"rule.{rule.key}.{key}", formula, context, every, lines, np.arange(count))
        asked = flags(formula.evaluate(context, rule.level)).spread(len(orders)).is_true()
        lines = asked if by_line else None
        every = np.isin(np.arange(count), orders[asked])


def refusals(program: Program, rules: Collection[str]) -> Iterator[Target]:
    """What a refused edit reaches, of which no order is left: its rules fired, so their ``require`` was false.

    Which of several versions of a rule it was nobody can tell afterwards, so none of them is reached by that.

    Args:
        program: The rulebook.
        rules: The rules that refused it, by id.
    """
    for rule in program.rules:
        if rule.id in rules and not rule.definition.built_in and not rule.definition.version:
            yield Target("rules", rule.key, "fired")
            for key, formula, value in (("when", rule.when, True), ("require", rule.require, False)):
                if formula is not None:
                    known = dict(_implied(formula.root, value=value))
                    for place, each in enumerate(conditions_of(formula)):
                        if each.node in known:
                            yield Target("conditions", f"rule.{rule.key}.{key}", str(known[each.node]).lower(), place)


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


def _part(batch: Batch, part: Part, kept: Mask, most: int, names: Collection[str] | None = None) -> Iterator[Reached]:
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
    yield from _conditions(batch.program, routine, part, names)
    yield from tables_reached(batch, part, context, kept, most)


def _routines_chosen(batch: Batch) -> Iterator[Reached]:
    """The conditions by which orders take their routine."""
    if not batch.orders.count:
        return
    context = Context(batch.program, prepare(batch.program, batch.orders, batch.run), batch.run)
    every = np.ones(context.order_count, bool)
    for routine in batch.program.routines:
        if routine.when is not None:
            path = f"routine.{routine.name}.when"
            yield from Asked(path, routine.when, context, every, None, np.arange(context.order_count)).conditions()


def _conditions(program: Program, routine: Routine, part: Part, names: Collection[str] | None) -> Iterator[Reached]:
    """The conditions of the routine and of what it is made from, and its functions in Python."""
    for asked in _of_routine(program, routine, part, names):
        formula, frame = asked.formula, asked.frame
        yield from asked.conditions()
        for node in formula.root.walk() if formula.own else ():
            if node.role == OWN:
                answered = ~formula.part(node, frame).is_missing()
                of = frame.order_of if node.level is Level.LINE else np.arange(frame.order_count)
                yield Target("functions", node.facts["function"]), part.orders[of[np.broadcast_to(answered, of.shape)]]
        yield from _raised(formula, frame, part)


def _of_routine(
    program: Program, routine: Routine, part: Part, names: Collection[str] | None = None
) -> Iterator[Asked]:
    """The formulas of a routine on the columns that each step saw, and those of what it is made from."""
    context = part.context
    assert context is not None
    seen = {trace.step.name: Traced(context, trace.columns) for trace in part.result.trace}
    every = np.ones(context.order_count, bool)
    for place in formula_places(program):
        if place.rule or place.routine not in ("", routine.name) or place.formula is routine.when:
            continue  # what chooses a routine is asked of all orders, those of other routines too
        if place.formula.own or (is_countable(place) and (names is None or place.path in names)):
            step = place.path.split(".")[3] if ".step." in place.path else ""
            frame = seen.get(step, context) if step else context
            orders, lines = every, None
            own = routine.step(step)
            when = own.parts.get("when") if own is not None else None
            if when is not None and place.formula is not when:  # the rest of a step is asked where the step applies
                lines = flags(when.evaluate(frame, Level.LINE)).spread(len(frame.order_of)).is_true()
                orders = np.isin(np.arange(frame.order_count), frame.order_of[lines])
            yield Asked(place.path if is_countable(place) else "", place.formula, frame, orders, lines, part.orders)


def _raised(formula: Formula, frame: Frame, part: Part) -> Iterator[Reached]:
    """Where functions in Python failed that a formula calls."""
    failed = formula.failures(frame) if formula.own else None
    if failed is None:
        return
    of = frame.order_of if formula.level is Level.LINE else np.arange(frame.order_count)
    at = part.orders[of[np.broadcast_to(~failed.is_missing(), of.shape)]]
    for name in dict.fromkeys(node.facts["function"] for node in formula.root.walk() if node.role == OWN):
        yield Target("raised", name), at


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
