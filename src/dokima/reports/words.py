"""Words and numbers as reports write them."""

from __future__ import annotations

import datetime
from contextvars import ContextVar
from decimal import Decimal
from typing import Any

from dokima.engine.program import Program
from dokima.errors import DokimaError
from dokima.model.columns import shown
from dokima.routines.routine import Routine, Step

MINUS = "\u2212"
BLANK = "\u2013"
"""What stands for a value that is not there."""

TOTAL_FACTS = ("allowances", "charges", "prepaid", "rounding")
"""Totals that are left out where they are 0."""

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
    "mix_effect": "mix",
}


_locale: ContextVar[str] = ContextVar("locale", default="")
"""How numbers and dates are written; blank for plain digits with a point and ISO dates."""


def use_locale(locale: str) -> None:
    """Write numbers and dates as a locale does (``de_DE``, ``en-GB``), with the data of Unicode CLDR.

    Raises:
        DokimaError: There is no such locale.
    """
    from babel import Locale, UnknownLocaleError

    try:
        if locale:
            Locale.parse(locale.replace("-", "_"))
    except (UnknownLocaleError, ValueError):
        raise DokimaError(f"expected a locale such as de_DE or en_GB (got '{locale}')") from None
    _locale.set(locale.replace("-", "_"))


def number(value: Any) -> str:
    """A value for a column of figures: amounts with their places, a dash for a blank."""
    if value is None:
        return BLANK
    if isinstance(value, datetime.date):
        return date(value)
    if not isinstance(value, Decimal):
        return shown(value)
    return _in_locale(value).replace("-", MINUS)


def _in_locale(value: Decimal) -> str:
    text = format(value, "f")
    if not (locale := _locale.get()):
        return text
    from babel.numbers import format_decimal

    places = len(text.partition(".")[2])
    return format_decimal(value, f"#,##0.{'0' * places}" if places else "#,##0", locale, decimal_quantization=False)


def date(value: datetime.date) -> str:
    """A date: ISO 8601, or in words of the locale asked for."""
    if not (locale := _locale.get()):
        return value.isoformat()
    from babel.dates import format_date

    return format_date(value, "medium", locale)


def signed(value: Decimal | None) -> str:
    """A variance: with its sign, a dash for a blank."""
    if value is None:
        return BLANK
    return f"+{number(value)}" if value > 0 else number(value if value else abs(value))


def figure_word(program: Program | None, name: str) -> str:
    """The word for a figure; without a rulebook only those that every routine leaves have one of their own."""
    return FIGURE_WORDS.get(name) or (name.replace("_", " ") if program is None else program.label(f"line.{name}"))


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
