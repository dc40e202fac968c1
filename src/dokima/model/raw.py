"""Values as they were given, before fields have read them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final, Literal

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.positions import take_or_blank
from dokima.columns.texts import Texts
from dokima.columns.word_keys import Digests, digests_of_texts
from dokima.columns.words import Words
from dokima.exact import Decimals
from dokima.exact.integers import Integers, Mask
from dokima.model.arguments import is_halved
from dokima.model.fields import Field
from dokima.model.values import BadValue, ValueReader, number_shown

Rising = Literal["text", "length"]
"""How order numbers rise: as texts (O-08, O-09, O-10), or by their length and then as texts (O9, O10)."""
RISES: Mapping[Rising, Callable[[str], Any]] = {"text": str, "length": lambda text: (len(text.encode()), text)}
"""What a number is compared by in each of them."""
SMALL = 2**62
"""Whole numbers below it are kept as they are."""
_TEXTS = {str, type(None)}
ABSENT: Final = object()
"""Stands for a field that was not given at all, as opposed to one given as blank."""


class ColumnValues(Sequence[Any]):
    """Values that their source has as a column already; as Python values they are made when somebody asks for them.

    Attributes:
        column: The values as a column, none of them blank text.
    """

    def __init__(self, column: Column) -> None:
        self.column = column

    def pick(self, places: Integers) -> list[Any]:
        """The values at some places."""
        return [self[at] for at in places.tolist()]


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
        absent = [value is ABSENT for value in rows]
        if True not in absent:
            return cls(rows)
        return cls([None if value is ABSENT else value for value in rows], None, np.array(absent, bool))

    @property
    def size(self) -> int:
        """How many rows there are."""
        return len(self.values) if self.codes is None else len(self.codes)

    @property
    def is_text(self) -> bool:
        """Whether all values are known to be texts, and need no look."""
        return False

    @property
    def is_plain(self) -> bool:
        """Whether it is known that no text in it holds the character NUL, or its texts are looked at one by one."""
        return True

    def blank(self) -> Mask | None:
        """True for each row without a value; None if there is none."""
        if self.codes is not None:
            return self.codes < 0
        if isinstance(self.values, ColumnValues):
            return self.values.column.missing
        return np.fromiter((value is None for value in self.values), bool, len(self.values))

    def changes(self) -> Mask:
        """For each row but the first whether its value differs from that of the row before."""
        keys = self.keys()
        moved: Mask = keys[1:] != keys[:-1]
        return moved

    def taken(self, rows: Integers) -> RawColumn:
        """The values of some rows."""
        codes = rows if self.codes is None else self.codes[rows]
        return RawColumn(self.values, codes, None if self.absent is None else self.absent[rows])

    @cached_property
    def rising(self) -> frozenset[Rising]:
        """The orders in which each value is known to be above the one before it; so each is there once, none blank."""
        column = self.values.column if isinstance(self.values, ColumnValues) and self.codes is None else None
        if not isinstance(column, Decimals) or column.places or column.missing is not None:
            return frozenset()
        units = column.units
        is_rising = not len(units) or (int(units[0]) >= 0 and bool((units[1:] > units[:-1]).all()))
        return frozenset({"length"} if is_rising else ())

    def distinct(self) -> RawColumn | None:
        """The same column if each value is known to be there once and none is blank; None if that is not known."""
        return self if self.rising else None

    def digests(self) -> Digests:
        """Eight bytes for the value of each row, equal for equal texts; 0 for a blank."""
        words = np.append(digests_of_texts([number_shown(value) for value in self.values]), np.uint64(0))
        return words[:-1] if self.codes is None else words[self.codes]

    def rows_of(self, places: Sequence[int]) -> Integers:
        """The rows whose value stands at one of the given places."""
        if self.codes is None:
            return np.array(places, np.int64)
        return np.flatnonzero(np.isin(self.codes, np.array(places)))

    def place(self, row: int) -> int:
        """The place of a row's value."""
        return row if self.codes is None else int(self.codes[row])

    def is_blank(self, row: int) -> bool:
        """Whether a row has no value, or the empty text."""
        place = self.place(row)
        return place < 0 or self.values[place] in (None, "")

    def read(self, spec: Field, reader: ValueReader) -> tuple[Column, dict[int, str]]:
        """The values as a field wants them, and for each place that it cannot read what is wrong with it."""
        column = _as_they_are(self.values, spec, is_distinct=self.codes is not None) if self.is_plain else None
        if column is not None:
            return self._row_by_row(column), {}
        read: list[Any] = []
        bad: dict[int, str] = {}
        for place, value in enumerate(self.values):
            try:
                read.append(reader.read(spec, value))
            except BadValue as error:
                read.append(None)
                bad[place] = str(error)
        return self._row_by_row(column_of(spec.kind, read)), bad

    def places(self) -> list[int]:
        """For each row the place of its value, -1 for a blank."""
        return list(range(len(self.values))) if self.codes is None else self.codes.tolist()

    def keys(self) -> Integers:
        """For each row a number, equal where values are equal, as far as that can be said without reading them."""
        if self.codes is not None:
            return self.codes
        keys: Integers = np.arange(len(self.values))
        if isinstance(self.values, ColumnValues):
            match self.values.column:
                case Decimals(units=found) | Dates(days=found) | Flags(values=found):
                    missing = self.values.column.missing
                    # Two blanks are equal, and differ from every value: their key is one that no value has.
                    lowest = int(np.min(found, initial=0)) - 1
                    keys = found if missing is None else np.where(missing, lowest, found)
                case Texts(codes=found):
                    keys = found
        return keys

    def coded(self) -> RawColumn:
        """The same values, each distinct one once and with a code for each row."""
        if self.codes is not None:
            return self
        if not isinstance(self.values, ColumnValues):
            return RawColumn(self.values, np.arange(len(self.values)), self.absent)
        found, first, codes = np.unique(self.keys(), return_index=True, return_inverse=True)
        gone = self.values.column.missing
        if gone is not None and len(found) and gone[first[0]]:
            return RawColumn(self.values.pick(first[1:]), codes.reshape(-1) - 1, self.absent)  # its key is the lowest
        return RawColumn(self.values.pick(first), codes.reshape(-1), self.absent)

    def _row_by_row(self, column: Column) -> Column:
        """A column of the distinct values as one of all rows."""
        if self.codes is None:
            return column
        if isinstance(column, Texts) and bool((column.codes == np.arange(len(column))).all()):
            return Texts(self.codes, column.words)  # the distinct values are the words themselves
        return take_or_blank(column, self.codes)


def _as_they_are(values: Sequence[Any], spec: Field, *, is_distinct: bool) -> Column | None:
    """Values that need no reading: of the field's kind, within its places and choices; None for all others."""
    if spec.codes or spec.pattern or not len(values):
        return None
    if isinstance(values, ColumnValues):
        return _fitting(values.column, spec)
    if spec.choices:
        return None
    kinds = set(map(type, values))
    if spec.kind == "text" and kinds <= _TEXTS and _is_whole("".join(filter(None, values))):
        if is_distinct and kinds == {str} and "" not in values:
            return Texts(np.arange(len(values)), Words(list(values)))
        return Texts.of(values)
    if spec.kind in ("decimal", "integer") and kinds == {int}:
        largest = max(map(abs, values))
        if largest < SMALL:
            return Decimals(np.array(values, np.int64), 0, None, largest)
    return None


def _is_whole(text: str) -> bool:
    """Whether a text holds neither the character NUL nor half of another one."""
    return "\0" not in text and not is_halved(text)


def _fitting(column: Column, spec: Field) -> Column | None:
    """A column as a field wants it; None if it is of another kind, or something in it is not as it should be."""
    match column:
        case Texts() if spec.kind == "text":
            return column if not spec.choices or set(column.words.items) <= set(spec.choices) else None
        case Dates() if spec.kind == "date" and not spec.choices:
            return column
        case Flags() if spec.kind == "flag" and not spec.choices:
            return column
        case Decimals() if spec.kind in ("decimal", "integer") and not spec.choices:
            compact = column.compact()
            most = 0 if spec.kind == "integer" else spec.places
            return compact if most is None or compact.places <= most else None
    return None
