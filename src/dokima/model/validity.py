"""`Validity`: from when until when a rule or a step of a routine counts."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from dokima.model.said import Said
from dokima.model.settings import Day, setting

FIRST, LAST = datetime.date.min, datetime.date.max


@dataclass(frozen=True)
class Validity:
    """From when until when it counts, against the date of the order, never the clock."""

    start: Day | None = setting("The first day; open if left out.", default=None, key="from")
    until: Day | None = setting("The last day, that day included; open if left out.", default=None)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if self.start is None and self.until is None:
            return "expected 'from', 'until' or both, as days such as \"2026-04-01\""
        if self.start is not None and self.until is not None and self.start > self.until:
            return f"expected 'from' on or before 'until' (got {self.start} and {self.until})"
        return ""

    @property
    def formula(self) -> str:
        """The condition as a formula of an order: blank where the order has no date."""
        ends = ((">=", self.start), ("<=", self.until))
        return " and ".join(f"header.date {sign} date('{day}')" for sign, day in ends if day is not None)

    @property
    def days(self) -> tuple[datetime.date, datetime.date]:
        """The first and the last day."""
        return self.start or FIRST, self.until or LAST

    def __contains__(self, day: datetime.date) -> bool:
        first, last = self.days
        return first <= day <= last

    def __str__(self) -> str:
        return str(self.said)

    @property
    def said(self) -> Said:
        """Its days in words."""
        if self.start is None:
            return Said("until {until}", until=str(self.until))
        if self.until is None:
            return Said("from {start} on", start=str(self.start))
        return Said("from {start} until {until}", start=str(self.start), until=str(self.until))


def gaps(validities: Sequence[Validity]) -> list[tuple[datetime.date, datetime.date]]:
    """Days between the first and the last of several on which none of them counts, as (first, last).

    Args:
        validities: Which do not overlap, in any sequence.
    """
    days = sorted(each.days for each in validities)
    one = datetime.timedelta(days=1)
    return [
        (before[1] + one, after[0] - one)
        for before, after in pairwise(days)
        if before[1] < LAST and before[1] + one < after[0]
    ]


def overlaps(one: Validity | None, other: Validity | None) -> bool:
    """Whether there is a day on which both count; what says nothing of days counts on all."""
    (a, b), (c, d) = (each.days if each is not None else (FIRST, LAST) for each in (one, other))
    return a <= d and c <= b
