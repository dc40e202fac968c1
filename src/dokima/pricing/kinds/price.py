"""The price step: the first of several places that has a price, times the quantity."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from dokima.exact import Decimals, Number, choose
from dokima.exact.integers import Integers, Mask, everywhere
from dokima.formulas.operators import numbers
from dokima.pricing.kinds.kind import PLACES, ROUNDING, Setting, StepKind
from dokima.pricing.steps.results import LINE_AMOUNT

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Option, Step
    from dokima.pricing.steps.running import Run


class Price(StepKind):
    """Where a price comes from; what the line comes to by it starts the amount of the line."""

    name = "price"
    settings = {"options": Setting("where a price may come from"), "places": PLACES, "rounding": ROUNDING}
    needs = "options"
    is_price = True

    def leaves_amounts(self, name: str) -> Sequence[str]:
        """The amount so far, and its own figure unless the step is called price, which is that of the unit."""
        return ("amount", "net", "without_tax", *([] if name == "price" else [name]))

    def run(self, run: Run, step: Step) -> None:
        """Find the unit price of each line, and what the line comes to by it."""
        unit, run.result.options = _unit_price(run, step.options)
        if step.definition.places is not None:
            unit = unit.round(step.definition.places, step.rounding)
        exact = numbers(run.frame.column("line.quantity")) * unit
        for place, option in enumerate(step.options, start=1):
            if option.is_amount and (run.result.options == place).any():
                # What the whole line comes to needs no unit price, which a quantity of 0 does not have.
                exact = choose(run.result.options == place, numbers(run.evaluate(option.value)), exact)
        amount = run.agreed_or(step, LINE_AMOUNT, exact.round(run.places, step.rounding))
        run.note_blanks(step, amount.is_missing())
        kept = run.frame.kept_figure("price")
        run.leave("price", unit if kept is None else choose(kept[0], kept[1], unit))
        if step.name != "price":
            run.leave(step.name, amount)
        run.result.line_amount = amount
        run.start(amount)

    def describe(self, step: StepDefinition) -> str:
        """The places a price may come from, in their order."""
        ways = [f"{o.value}{f' per {o.base}' if o.base is not None else ''}" for o in step.options]
        return f"the manual price, else {', else '.join(ways)}"


def _unit_price(run: Run, options: Sequence[Option]) -> tuple[Number, Integers]:
    """The first price that is not blank, the manual one before all others, and which it was."""
    priced: list[tuple[Mask, Number]] = []
    still_open = everywhere(run.length)
    for place in range(len(options) + 1):
        value, price = _option(run, options[place - 1]) if place else _manual(run)
        there = ~value.is_missing()
        priced.append((there, price))
        still_open = still_open & ~there
        if not np.count_nonzero(still_open):
            break  # no line asks for what comes after
    chosen = np.full(run.length, -1, np.int16)
    unit: Number = Decimals.blanks(run.length)
    for place in reversed(range(len(priced))):
        there, price = priced[place]
        count = np.count_nonzero(there)
        if count == len(there):
            unit, chosen = price.spread(run.length), np.full(run.length, place, np.int16)
        elif count:
            # In arithmetic: to choose a number at each place takes ten times as long.
            unit, chosen = choose(there, price, unit), chosen + (np.int16(place) - chosen) * there
    return unit, chosen


def _manual(run: Run) -> tuple[Number, Number]:
    value = numbers(run.frame.column("line.price_override"))
    base = numbers(run.frame.column("line.price_base"))
    if value.is_missing().all() or base.is_missing().all():
        return value, value
    return value, value / choose(~base.is_missing(), base, Decimals.constant(1))


def _option(run: Run, option: Option) -> tuple[Number, Number]:
    """A value and the unit price it makes; an amount for the whole line makes that of one unit of it, exactly."""
    value = numbers(run.evaluate(option.value))
    if option.is_amount:
        return value, value / numbers(run.frame.column("line.quantity"))
    price = value
    if option.factor is not None:
        price = price * numbers(run.evaluate(option.factor))
    if option.base is not None:
        price = price / numbers(run.evaluate(option.base))
    return value, price
