"""Settings: definitions declare each of their settings once, with what it says; reading, JSON Schema and the reference
page are made from that."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from dataclasses import MISSING, Field, dataclass, field
from decimal import Decimal
from typing import Annotated, Any, Literal


def setting(
    says: str, *, default: Any = MISSING, default_factory: Callable[[], Any] | None = None, key: str = "", **notes: Any
) -> Any:
    """A field of a definition that a rulebook may set.

    Args:
        says: What it says, in a sentence.
        default: What it is if it is left out; it must be there without one.
        default_factory: Makes that.
        key: What it is called in a rulebook, where that is not the name of the field.
        notes: ``optional``: nothing stands in if it is left out, whatever the default of the field is.
    """
    metadata = {"says": says, "key": key, **notes}
    if default_factory is not None:
        return field(default_factory=default_factory, metadata=metadata)
    return field(metadata=metadata) if default is MISSING else field(default=default, metadata=metadata)


def is_setting(each: Field[Any]) -> bool:
    """Whether a field of a definition is a setting; its name and what is worked out are none."""
    return "says" in each.metadata


@dataclass(frozen=True)
class Reads:
    """How the value of a setting is read, where its type alone does not say that.

    Attributes:
        how: A formula, a rounding mode, a name ...; `rulebook.adapters` knows each.
    """

    how: Literal[
        "above zero", "anything exact", "break", "character", "day", "days", "formula", "heading", "kind of step",
        "locale", "mode", "name", "not negative", "places", "places of currency", "row", "spoken", "texts", "thousands",
        "url", "value",
    ]  # fmt: skip


FormulaText = Annotated[Any, Reads("formula")]
"""A formula as text; numbers and flags are formulas too."""
Mode = Annotated[str, Reads("mode")]
"""A rounding mode."""
Day = Annotated[datetime.date, Reads("day")]
"""A day, written as text."""
Name = Annotated[str, Reads("name")]
"""A name of letters, digits and ``_``."""
Texts = Annotated[Sequence[str], Reads("texts")]
"""Several texts, or one alone."""
Places = Annotated[int, Reads("places")]
"""Decimal places."""
AboveZero = Annotated[Decimal, Reads("above zero")]
NotNegative = Annotated[Decimal, Reads("not negative")]
