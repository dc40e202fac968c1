"""What a waterfall shows: where an amount starts, what each step adds or takes, and where it ends."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal

from dokima.errors import DokimaError
from dokima.pricing.calculation.calculation import PricedLine, PricedOrder
from dokima.pricing.steps.routine import Routine
from dokima.reports.language import _


@dataclass(frozen=True)
class Bar:
    """One bar: a level it stands at (``is_level``), or a move from the level before it.

    Attributes:
        name: The figure.
        label: The word shown to people.
        kind: price, discount, charge, subtotal, tax or total.
        amount: The level, or the move with its sign.
        level: The level after it.
    """

    name: str
    label: str
    kind: str
    amount: Decimal
    level: Decimal

    @property
    def is_level(self) -> bool:
        """Whether the bar stands on the ground."""
        return self.kind in ("price", "subtotal", "total")


def line_bars(line: PricedLine) -> list[Bar]:
    """The waterfall of a line: its price, each discount, charge and tax, and what it comes to with tax.

    Raises:
        DokimaError: One of its figures is unknown.
    """
    return _bars(line.order, line.figure, f"line {line.number}")


def order_bars(order: PricedOrder) -> list[Bar]:
    """The waterfall of an order: the sums of its lines step by step, up to the total with tax.

    Raises:
        DokimaError: One of its figures is unknown.
    """
    return _bars(order, order.total, "the order")


def _bars(order: PricedOrder, figure: Callable[[str], Decimal | None], what: str) -> list[Bar]:
    routine = order.routine
    if routine is None:
        raise DokimaError(f"order {order.number} has no routine, so there is nothing to draw")
    moving = [step for step in routine.steps if step.sign]
    taxes = [step for step in routine.steps if step.way.is_tax and not order.prices_include_tax]
    amounts = {step.name: figure(step.name) for step in [*moving, *taxes]}
    end, whole = figure("amount"), figure("with_tax")
    blank = [name for name, amount in amounts.items() if amount is None]
    if end is None or whole is None or blank:
        raise DokimaError(f"a figure of {what} of order {order.number} is unknown, so there is nothing to draw")
    signs = {step.name: step.sign for step in moving}
    level = end - sum((sign * _known(amounts[name]) for name, sign in signs.items()), Decimal(0))
    bars = [Bar(routine.steps[0].name, _first_word(routine), "price", level, level)]
    for step in routine.steps[1:]:
        if step.name in amounts:
            amount = signs.get(step.name, 1) * _known(amounts[step.name])
            level += amount
            kind = {-1: "discount", 1: "charge"}.get(step.sign, "tax")
            bars.append(Bar(step.name, step.definition.shown, kind, amount, level))
        elif step.way.is_level and bars[-1].level == level and not bars[-1].is_level:
            bars.append(Bar(step.name, step.definition.shown, "subtotal", level, level))
    bars.append(Bar("with_tax", _("with tax"), "total", whole, whole))
    return bars


def _known(amount: Decimal | None) -> Decimal:
    return Decimal(0) if amount is None else amount


def _first_word(routine: Routine) -> str:
    """What the amount by price is called: the subtotal right after it, else the price step."""
    following = routine.steps[1] if len(routine.steps) > 1 else routine.steps[0]
    return following.definition.shown if following.way.is_level else routine.steps[0].definition.shown
