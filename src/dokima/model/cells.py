"""Single values of results as text."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.model.columns import shown


def cell(value: Any, places: int | None = None) -> str | None:
    """A value as text: numbers in full, amounts with their places, a blank as None."""
    if value is None:
        return None
    if isinstance(value, Decimal) and places is not None:
        return format(value, "f")
    return shown(value)
