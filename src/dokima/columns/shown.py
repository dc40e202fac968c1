"""A value as plain text, for messages."""

from __future__ import annotations

from decimal import Decimal
from typing import Any


def shown(value: Any) -> str:
    """A value as plain text for messages: ``44.25``, ``2026-03-02``, ``true``, ``blank``."""
    if value is None:
        return "blank"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        digits = format(value, "f")
        digits = digits.rstrip("0").rstrip(".") if "." in digits else digits
        return "0" if digits == "-0" else digits
    return str(value)
