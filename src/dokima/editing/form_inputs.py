"""Inputs of a form that a person left empty: they leave a field as it is, instead of making it blank."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum
from typing import Any, Final


class Leave(Enum):
    """What `LEAVE` is."""

    LEAVE = "leave"

    def __repr__(self) -> str:
        return "dokima.LEAVE"


LEAVE: Final = Leave.LEAVE
"""Given for a field, it leaves the field as it is; None makes it blank. A form hands its empty inputs over as LEAVE:
``editor.change_line(20, **{name: text or dokima.LEAVE for name, text in form.items()})``."""


def given(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The fields without those that are to be left as they are."""
    return {name: value for name, value in fields.items() if value is not LEAVE}
