"""What each step of the routine adds to the variance of a line: together they are the variance without tax."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from dokima.changes.deltas import Delta
from dokima.changes.dividing import figure_of, has_line
from dokima.changes.documents import money, total
from dokima.changes.variance import LineVariance, Variance
from dokima.errors import NotFound, nearest
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.steps.results import LINE_AMOUNT


@dataclass(frozen=True)
class StepMove:
    """What a step leaves of a line before and after, with the sign by which it counts.

    Attributes:
        step: Name of the step; that of the price for what the price comes to, ``tax`` where prices include it.
        moved: Before, after, and the variance; discounts are below 0.
        is_price: Whether it is what the line comes to by its price.
    """

    step: str
    moved: Delta
    is_price: bool = False


ALL = "all"
"""Stands for every line that changed."""


def lines_with_steps(variance: Variance, steps: str) -> set[str]:
    """The numbers of the lines whose steps are wanted.

    Args:
        variance: The variance.
        steps: Number of a line, or `ALL`; blank for none.

    Raises:
        NotFound: There is no such line; names the nearest.
    """
    if not steps:
        return set()
    known = {line.line for line in variance.lines(every=steps != ALL)}
    if steps == ALL:
        return known
    if steps not in known:
        raise NotFound(f"there is no line {steps} in this variance{nearest(steps, known)}")
    return {steps}


def step_moves(variance: Variance, line: LineVariance) -> Sequence[StepMove]:
    """What each step adds to the variance of a line, in the sequence of the routine.

    Args:
        variance: The variance.
        line: One of its lines.
    """
    pair = next(each for each in variance.pairs if each[0] == line.order)
    sides = [
        PricedOrder(side, at) if at >= 0 else None
        for side, at in zip((variance.before, variance.after), pair[1:], strict=True)
    ]
    signs: dict[str, int] = {}
    names: dict[str, str] = {}
    for side in reversed(sides):
        routine = None if side is None else side.routine
        for step in () if routine is None else routine.steps:
            if step.way.is_price:
                signs.setdefault(LINE_AMOUNT, 1)
                names.setdefault(LINE_AMOUNT, step.name)
            elif step.sign:
                signs.setdefault(step.name, step.sign)
    places = max(side.places for side in sides if side is not None)
    found = []
    for name, sign in signs.items():
        values = [_signed(side, line.line, name, sign) for side in sides]
        found.append(StepMove(names.get(name, name), _between(values, places), name == LINE_AMOUNT))
    inside = [side is not None and side.prices_include_tax for side in sides]
    if any(inside):
        values = [
            _signed(side, line.line, "tax", -1) if of_prices else Decimal(0)
            for side, of_prices in zip(sides, inside, strict=True)
        ]
        found.append(StepMove("tax", _between(values, places)))
    return found


def _signed(side: PricedOrder | None, line: str, name: str, sign: int) -> Decimal | None:
    if side is None or not has_line(side, line):
        return Decimal(0)
    if name != LINE_AMOUNT and name not in side.calculation.figures:
        return Decimal(0)
    value = figure_of(side, line, name)
    return None if value is None else value * sign


def _between(values: Sequence[Decimal | None], places: int) -> Delta:
    before, after = (None if value is None else money(value, places) for value in values)
    return Delta(before, after, None if before is None or after is None else money(total([after, -before]), places))
