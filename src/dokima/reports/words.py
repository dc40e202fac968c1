"""Words and numbers as reports write them."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.engine.program import Program
from dokima.model.columns import shown
from dokima.routines.routine import Routine, Step

MINUS = "\u2212"
BLANK = "\u2013"
"""What stands for a value that is not there."""

SIGNS = {"discount": MINUS, "charge": "+", "tax": "+", "subtotal": "="}
"""What a step does to the running amount."""

TOTAL_WORDS = {
    "line_net": "sum of line net",
    "allowances": "allowances on the order",
    "charges": "charges on the order",
    "without_tax": "total without tax",
    "tax": "tax",
    "with_tax": "total with tax",
    "prepaid": "prepaid",
    "rounding": "rounding",
    "payable": "payable",
}
"""The totals of the EN 16931 semantic model, in words."""

FIGURE_WORDS = {
    "price": "unit price",
    "unit_cost": "unit cost",
    "without_tax": "without tax",
    "with_tax": "with tax",
    "quantity_effect": "by quantity",
    "price_effect": "by price",
}


def number(value: Any) -> str:
    """A value for a column of figures: amounts with their places, a dash for a blank."""
    if value is None:
        return BLANK
    text = format(value, "f") if isinstance(value, Decimal) else shown(value)
    return text.replace("-", MINUS) if isinstance(value, Decimal) else text


def signed(value: Decimal | None) -> str:
    """A variance: with its sign, a dash for a blank."""
    if value is None:
        return BLANK
    return f"+{number(value)}" if value > 0 else number(value)


def figure_word(program: Program, name: str) -> str:
    """The word for a figure."""
    return FIGURE_WORDS.get(name) or program.label(f"line.{name}")


def step_heading(step: Step) -> str:
    """The word for a step with what it does: ``− quantity discount``, ``= goods net``."""
    sign = SIGNS.get(step.kind, "")
    return f"{sign} {step.definition.shown}".strip()


def figure_heading(routine: Routine | None, program: Program, name: str) -> str:
    """The heading of a figure's column."""
    step = routine.step(name) if routine else None
    if step is not None and name != "price":
        return step_heading(step)
    return "= net" if name == "net" else figure_word(program, name)


def plural(count: int, word: str) -> str:
    """``1 order``, ``2 orders``."""
    return f"{count} {word}{'' if count == 1 else 's'}"
