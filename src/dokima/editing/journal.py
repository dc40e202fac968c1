"""The journal of an editor: what was done, by whom and when. It only grows."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from dokima.columns.shown import shown


@dataclass(frozen=True)
class JournalEntry:
    """One thing that was done.

    Attributes:
        action: Name of the operation, such as ``change_line``.
        by: Who did it.
        time: When, None if nobody looked at a clock.
        details: What exactly: line, fields, reason.
        operation: Id of the operation, blank if it has none.
    """

    action: str
    by: str
    time: datetime.datetime | None
    details: Mapping[str, Any]
    operation: str = ""

    def __str__(self) -> str:
        details = ", ".join(f"{name} {_plain(value)}" for name, value in self.details.items())
        return f"{self.action.replace('_', ' ')}{': ' if details else ''}{details}"


def _plain(value: Any) -> str:
    if isinstance(value, list) and all(isinstance(each, Mapping) for each in value):
        return ", ".join(_moved(each) for each in value)
    if isinstance(value, Mapping):
        return ", ".join(f"{name} = {shown(each)}" for name, each in value.items())
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else shown(value)


def _moved(value: Mapping[str, Any]) -> str:
    """A value that was drawn again."""
    place = f"{value['line']}." if value["line"] else ""
    return f"{place}{value['field']} {shown(value['from'])} -> {shown(value['to'])}"
