"""Texts that a spreadsheet would take for a formula."""

from __future__ import annotations

from decimal import Decimal

STARTS = "=+@\t\r-＝＋＠－"
"""What a text begins with that may be a formula; with a Japanese keyboard the wide signs begin one too."""


def neutral(text: str) -> str:
    """Text that a spreadsheet would take for a formula, with an apostrophe before it; numbers stay as they are."""
    if not text or text[0] not in STARTS or (text[0] == "-" and _is_number(text)):
        return text
    return f"'{text}"


def _is_number(text: str) -> bool:
    try:
        Decimal(text)
    except ArithmeticError:
        return False
    return True
