"""`Flags`: a column of flags."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from dokima.exact.integers import Integers, Mask, either, mask_of, mask_of_column, missing_of, put, some


class Flags:
    """A column of flags: true, false or missing (unknown, in Kleene's logic)."""

    kind: ClassVar[Literal["flag"]] = "flag"
    __slots__ = ("missing", "values")

    def __init__(self, values: Mask, missing: Mask | None = None) -> None:
        self.values = values
        self.missing = None if missing is None else mask_of_column(missing, len(values))

    @classmethod
    def of(cls, values: Sequence[bool | None]) -> Flags:
        """A column out of flags; None is missing."""
        missing = [value is None for value in values]
        true = np.array([value is True for value in values], bool)
        return cls(true, np.array(missing) if True in missing else None)

    @classmethod
    def blanks(cls, length: int) -> Flags:
        """A column in which everything is missing."""
        return cls(np.zeros(length, bool), np.ones(length, bool))

    @staticmethod
    def concat(columns: Sequence[Flags]) -> Flags:
        """The columns one after the other."""
        missing = None
        if any(part.missing is not None for part in columns):
            missing = np.concatenate([part.is_missing() for part in columns])
        return Flags(np.concatenate([part.values for part in columns]), missing)

    @staticmethod
    def choose(condition: Mask, yes: Flags, no: Flags) -> Flags:
        """``yes`` where the condition holds, ``no`` elsewhere."""
        missing = missing_of(condition, yes.missing, no.missing)
        return Flags(np.where(condition, yes.values, no.values), missing)

    def replaced(self, at: Integers, values: Flags) -> Flags:
        """The same column with other flags at some positions."""
        missing = some(put(self.is_missing(), at, values.is_missing()))
        return Flags(put(self.values, at, values.values), missing)

    def __len__(self) -> int:
        return len(self.values)

    def take(self, positions: Integers) -> Flags:
        """The values at the given positions."""
        return Flags(self.values[positions], None if self.missing is None else self.missing[positions])

    def spread(self, length: int) -> Flags:
        """A column of the given length out of one of that length or length 1."""
        if len(self.values) == length:
            return self
        missing = None if self.missing is None else np.broadcast_to(self.missing, (length,))
        return Flags(np.broadcast_to(self.values, (length,)), missing)

    def is_missing(self) -> Mask:
        """True where the value is missing."""
        return mask_of(self.missing, len(self.values))

    def without(self, gone: Mask | None) -> Flags:
        """The same column with more values missing."""
        return self if gone is None else Flags(self.values, either(self.missing, gone))

    def is_true(self) -> Mask:
        """True where the flag is known to be true."""
        return self.values if self.missing is None else self.values & ~self.missing

    def is_false(self) -> Mask:
        """True where the flag is known to be false."""
        return ~self.values if self.missing is None else ~self.values & ~self.missing

    def to_list(self) -> list[bool | None]:
        """The values, None where missing."""
        missing = self.is_missing().tolist()
        return [None if gone else value for value, gone in zip(self.values.tolist(), missing, strict=True)]
