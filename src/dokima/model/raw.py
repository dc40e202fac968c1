"""Values as they were given, before fields have read them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from dokima.exact import Decimals
from dokima.exact.integers import Integers, Mask
from dokima.model.columns import Column, Texts, Words, column_of, take_or_blank
from dokima.model.fields import Field
from dokima.model.values import BadValue, ValueReader

SMALL = 2**62
"""Whole numbers below it are kept as they are."""
ABSENT: Final = object()
"""Stands for a field that was not given at all, as opposed to one given as blank."""


@dataclass(frozen=True)
class RawColumn:
    """Values as they were given, each distinct one once.

    Attributes:
        values: Distinct values; None is blank.
        codes: For each row the place of its value, -1 for a blank; None if ``values`` are the rows themselves.
        absent: True where the field was not given; None if it was given everywhere.
    """

    values: Sequence[Any]
    codes: Integers | None = None
    absent: Mask | None = None

    @classmethod
    def of(cls, rows: Sequence[Any]) -> RawColumn:
        """One value per row, `ABSENT` where it was not given."""
        absent = np.fromiter((value is ABSENT for value in rows), bool, len(rows))
        if not absent.any():
            return cls(rows)
        return cls([None if value is ABSENT else value for value in rows], None, absent)

    def rows_of(self, places: Sequence[int]) -> Integers:
        """The rows whose value stands at one of the given places."""
        if self.codes is None:
            return np.array(places, np.int64)
        return np.flatnonzero(np.isin(self.codes, np.array(places)))

    def place(self, row: int) -> int:
        """The place of a row's value."""
        return row if self.codes is None else int(self.codes[row])

    def read(self, spec: Field, reader: ValueReader) -> tuple[Column, dict[int, str]]:
        """The values as a field wants them, and for each place that it cannot read what is wrong with it."""
        if (column := self._as_they_are(spec)) is not None:
            return column, {}
        read: list[Any] = []
        bad: dict[int, str] = {}
        for place, value in enumerate(self.values):
            try:
                read.append(reader.read(spec, value))
            except BadValue as error:
                read.append(None)
                bad[place] = str(error)
        column = column_of(spec.kind, read)
        return (column if self.codes is None else take_or_blank(column, self.codes)), bad

    def places(self) -> list[int]:
        """For each row the place of its value, -1 for a blank."""
        return list(range(len(self.values))) if self.codes is None else self.codes.tolist()

    def _as_they_are(self, spec: Field) -> Column | None:
        """Texts of a text field and whole numbers of a number field, which need no reading; None for all else."""
        if self.codes is None or spec.codes or spec.choices or not len(self.values):
            return None
        kinds = set(map(type, self.values))
        if spec.kind == "text" and kinds == {str} and "" not in self.values:
            return Texts(self.codes, Words(list(self.values)))
        if spec.kind in ("decimal", "integer") and kinds == {int}:
            units = np.array(self.values, object)
            if max(abs(int(units.max())), abs(int(units.min()))) < SMALL:
                return take_or_blank(Decimals(units.astype(np.int64), 0), self.codes)
        return None
