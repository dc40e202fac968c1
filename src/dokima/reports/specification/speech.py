"""How a specification speaks: formulas, values and labels in the language of reports."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.columns.shown import shown
from dokima.explaining.phrases import Speech
from dokima.model.fields import Field
from dokima.model.said import Said
from dokima.pricing.program import Program
from dokima.reports import language
from dokima.reports.language import N_, _, told
from dokima.reports.translations import Wording

STANDARD = (
    N_("number"), N_("ship to country"), N_("tax number"), N_("state before"), N_("stated sum of line net"),
    N_("stated total without tax"), N_("stated tax"), N_("stated total with tax"), N_("stated payable"),
    N_("override by"), N_("override time"), N_("price base"), N_("stated unit price"), N_("stated net"),
)  # fmt: skip
"""Standard fields that no other paper names, by their labels."""


def speech_of(program: Program) -> Speech:
    """How the language of reports says formulas of a rulebook.

    Args:
        program: The rulebook, whose own words and labels come before ours.
    """
    words = Wording.of(program)

    def label(field: Field) -> str:
        if language.language() == "en":
            return field.shown
        said = words.label(field)
        return _(said) if said in STANDARD else said

    return Speech(told, value_text, label)


def value_text(value: Any) -> str:
    """A value as the language writes it; plain where no locale was asked for."""
    if value is None or isinstance(value, bool):
        return _(shown(value))
    if language.locale() and not isinstance(value, str):
        return told(Said("{value}", value=Decimal(shown(value)) if isinstance(value, Decimal | int) else value))
    return shown(value)


def amount_text(value: Decimal | None, places: int) -> str:
    """An amount with the places of its currency."""
    if value is None:
        return _("blank")
    digits = format(value, f".{places}f")
    return language.number(Decimal(digits)) if language.locale() else digits
