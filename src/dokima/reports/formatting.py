"""Words and cells as reports write them."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from dokima.changes.step_moves import StepMove
from dokima.changes.variance import Variance
from dokima.columns.shown import shown
from dokima.pricing.calculation.order_amounts import TaxRow
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Routine, Step
from dokima.reports import language
from dokima.reports.language import N_, _, counted

BLANK = "\u2013"
"""What stands for a value that is not there."""

TOTAL_FACTS = ("allowances", "charges", "prepaid", "rounding")
"""Totals that are left out where they are 0."""

TOTAL_WORDS = {
    "line_net": N_("sum of line net"),
    "allowances": N_("allowances on the order"),
    "charges": N_("charges on the order"),
    "without_tax": N_("total without tax"),
    "tax": N_("tax"),
    "with_tax": N_("total with tax"),
    "prepaid": N_("prepaid"),
    "rounding": N_("rounding"),
    "payable": N_("payable"),
}
"""The totals of the EN 16931 semantic model, in words."""

FIGURE_WORDS = {
    "price": N_("unit price"),
    "unit_cost": N_("unit cost"),
    "net": N_("net"),
    "without_tax": N_("without tax"),
    "with_tax": N_("with tax"),
    "quantity_effect": N_("by quantity"),
    "price_effect": N_("by price"),
    "mix_effect": N_("mix"),
}


def number(value: Any) -> str:
    """A value for a column of figures: amounts with their places, a dash for a blank."""
    if value is None:
        return BLANK
    if isinstance(value, datetime.date):
        return language.date(value)
    if isinstance(value, bool):
        return _("true") if value else _("false")
    if isinstance(value, Decimal):
        return language.number(value)
    return language.told(value) if isinstance(value, str) else shown(value)


def signed(value: Decimal | None) -> str:
    """A variance: with its sign, a dash for a blank."""
    return BLANK if value is None else language.signed(value)


def total_word(name: str) -> str:
    """The word for a total."""
    return _(TOTAL_WORDS[name])


def tax_word(row: TaxRow) -> str:
    """What a tax is called: ``tax S 21 %``."""
    return " ".join(part for part in (_("tax"), row.category or "", f"{number(row.percent)} %") if part)


def tax_words(*breakdowns: Sequence[TaxRow], program: Program | None) -> dict[tuple[Any, ...], str]:
    """What each tax is called, by step, category and rate: with the name of its step where two would be called alike.

    Args:
        breakdowns: The taxes of one order, or of several states of it.
        program: The rulebook.
    """
    rows = {tax_key(row): row for breakdown in breakdowns for row in breakdown}
    called = Counter(tax_word(row) for row in rows.values())
    return {
        key: tax_word(row) + (f" ({figure_word(program, row.step)})" if called[tax_word(row)] > 1 else "")
        for key, row in rows.items()
    }


def tax_key(row: TaxRow) -> tuple[Any, ...]:
    """What tells a tax of an order from all others: its step, category and rate."""
    return row.step, row.category, row.percent


def step_word(move: StepMove, variance: Variance) -> str:
    """What a step of a variance is called; the price by what it is worked out from."""
    if move.is_price:
        return f"{_('quantity')} × {_('unit price')}"
    return figure_word(variance.after.program, move.step)


def figure_word(program: Program | None, name: str) -> str:
    """The word for a figure; without a rulebook only those that every routine leaves have one of their own."""
    if name in FIGURE_WORDS:
        return _(FIGURE_WORDS[name])
    return name.replace("_", " ") if program is None else program.label(f"line.{name}")


def step_heading(step: Step) -> str:
    """The word for a step with what it does: ``− quantity discount``, ``= goods net``."""
    return f"{step.way.symbol} {step.definition.shown}".strip()


def figure_heading(routine: Routine | None, program: Program, name: str) -> str:
    """The heading of a figure's column."""
    step = routine.step(name) if routine else None
    if step is not None and name != "price":
        return step_heading(step)
    return "= " + _("net") if name == "net" else figure_word(program, name)


def orders_counted(count: int) -> str:
    """``1 order``, ``2 orders``."""
    return counted(count, "{count} order", "{count} orders")


def lines_counted(count: int) -> str:
    """``1 line``, ``2 lines``."""
    return counted(count, "{count} line", "{count} lines")


def plural(count: int, word: str) -> str:
    """``1 row``, ``2 rows``, in English."""
    return f"{count} {word}{'' if count == 1 else 's'}"
