"""Texts that a spreadsheet would take for a formula."""

from __future__ import annotations

from decimal import Decimal

STARTS = "=+@\t\r-"
"""What a text begins with that may be a formula."""


def neutral(text: str) -> str:
    """Text that a spreadsheet would take for a formula, with an apostrophe before it; numbers stay as they are."""
    if text[:1] in ("=", "+", "@", "\t", "\r") or (text[:1] == "-" and not _is_number(text)):
        return f"'{text}"
    return text


def _is_number(text: str) -> bool:
    try:
        Decimal(text)
    except ArithmeticError:
        return False
    return True
