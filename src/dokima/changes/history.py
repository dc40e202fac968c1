"""What was done to a change order, by whom and when: the entries of its record."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Any


def last_entry(record: Mapping[str, Any], *actions: str) -> Mapping[str, Any]:
    """The last entry of some actions, such as ``submitted``: action, by, time and reason; empty if there is none."""
    entries = [entry for entry in record.get("history", ()) if entry.get("action") in actions]
    return entries[-1] if entries else {}


def offered_until(record: Mapping[str, Any], days: int | None) -> datetime.date | None:
    """The day until which a submitted change is offered; None where it is not submitted or nothing limits it.

    Args:
        record: What the change order keeps of people and times.
        days: For how many days after its submission.
    """
    day = day_of(last_entry(record, "submitted").get("time")) if record.get("state") == "submitted" else None
    return None if days is None or day is None else day + datetime.timedelta(days=days)


def day_of(time: Any) -> datetime.date | None:
    """The day of a time in ISO 8601; None for none."""
    return datetime.date.fromisoformat(str(time)[:10]) if time else None
