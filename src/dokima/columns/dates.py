"""`Dates`: a column of dates."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from dokima.exact.integers import Integers, Mask, either, mask_of, mask_of_column, missing_of, put, some

EPOCH = datetime.date(1970, 1, 1).toordinal()


class Dates:
    """A column of dates: ``days`` since 1970-01-01, in the proleptic Gregorian calendar, years 1 to 9999."""

    kind: ClassVar[Literal["date"]] = "date"
    __slots__ = ("days", "missing")

    def __init__(self, days: Integers, missing: Mask | None = None) -> None:
        self.days = days
        self.missing = None if missing is None else mask_of_column(missing, len(days))

    @classmethod
    def of(cls, values: Sequence[datetime.date | None]) -> Dates:
        """A column out of dates; None is missing."""
        missing = [value is None for value in values]
        days = np.array([0 if value is None else value.toordinal() - EPOCH for value in values], np.int64)
        return cls(days, np.array(missing) if True in missing else None)

    @classmethod
    def blanks(cls, length: int) -> Dates:
        """A column in which everything is missing."""
        return cls(np.zeros(length, np.int64), np.ones(length, bool))

    @staticmethod
    def concat(columns: Sequence[Dates]) -> Dates:
        """The columns one after the other."""
        missing = None
        if any(part.missing is not None for part in columns):
            missing = np.concatenate([part.is_missing() for part in columns])
        return Dates(np.concatenate([part.days for part in columns]), missing)

    @staticmethod
    def choose(condition: Mask, yes: Dates, no: Dates) -> Dates:
        """``yes`` where the condition holds, ``no`` elsewhere."""
        missing = missing_of(condition, yes.missing, no.missing)
        return Dates(np.where(condition, yes.days, no.days), missing)

    def replaced(self, at: Integers, values: Dates) -> Dates:
        """The same column with other days at some positions."""
        missing = some(put(self.is_missing(), at, values.is_missing()))
        return Dates(put(self.days, at, values.days), missing)

    def __len__(self) -> int:
        return len(self.days)

    def take(self, positions: Integers) -> Dates:
        """The values at the given positions."""
        return Dates(self.days[positions], None if self.missing is None else self.missing[positions])

    def spread(self, length: int) -> Dates:
        """A column of the given length out of one of that length or length 1."""
        if len(self.days) == length:
            return self
        missing = None if self.missing is None else np.broadcast_to(self.missing, (length,))
        return Dates(np.broadcast_to(self.days, (length,)), missing)

    def is_missing(self) -> Mask:
        """True where the value is missing."""
        return mask_of(self.missing, len(self))

    def without(self, gone: Mask | None) -> Dates:
        """The same column with more values missing."""
        return self if gone is None else Dates(self.days, either(self.missing, gone))

    def to_list(self) -> list[datetime.date | None]:
        """The values, None where missing."""
        missing = self.is_missing().tolist()
        return [
            None if gone else datetime.date.fromordinal(day + EPOCH)
            for day, gone in zip(self.days.tolist(), missing, strict=True)
        ]
