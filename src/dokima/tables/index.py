"""Finding rows by equality: one look-up for each pattern of filled columns, for all lines at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final, TypeAlias

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.columns.words import Words
from dokima.exact import Decimals, compare, stored
from dokima.exact.integers import Integers, Mask, either, narrow, widen
from dokima.exact.ranking import begins, distinct
from dokima.formulas.operators import numbers

SEPARATOR = "|"
"""Between several values in one cell of a match column."""

_SPARSEST = 16
"""Possible keys per key that is there, up to which a list of all of them is kept: a look-up beats a search."""
_MOST_SLOTS = 2**26
"""Possible keys of such a list, at most (256 MB)."""
_WIDEST = 2**62

EVERYWHERE: Final = np.ones(1, bool)
"""Stands for the mask of a value that no line has: then nothing needs to be looked up."""
Absence: TypeAlias = "Mask | None"
"""Lines whose value is blank or not in the table: None if there are none, `EVERYWHERE` if all are."""


class Coder:
    """Numbers the distinct values of a table column, and finds those numbers for the values of lines."""

    def __init__(self, column: Column) -> None:
        self.words: Words | None = None
        self.places = 0
        if isinstance(column, Texts):
            self.words = column.words
            self.size = len(column.words.items)
            return
        self.places = column.places if isinstance(column, Decimals) else 0
        self.values = distinct(self._raw(column)[~column.is_missing()])
        self.size = len(self.values)

    def word_codes(self, words: Words) -> Integers:
        """For each word of another dictionary its number here, -2 for none, then -1; for a coder of text."""
        assert self.words is not None
        return words.numbers_in(self.words)

    def _raw(self, column: Column) -> Integers:
        if isinstance(column, Dates):
            return column.days
        if isinstance(column, Flags):
            return column.values.astype(np.int64)
        return stored(numbers(column)).at(self.places).units

    def codes(self, column: Column) -> Integers:
        """For each value its number, negative for a blank or a value the table does not have."""
        if self.words is not None:
            assert isinstance(column, Texts)
            return column.in_words(self.words)
        missing = column.is_missing()
        if not isinstance(column, Dates | Flags):
            number = numbers(column)
            short = number.round(self.places, "down")
            differs = compare(number, short) != 0
            missing = missing | np.broadcast_to(differs, missing.shape)
            raw = short.at(self.places).units
        else:
            raw = self._raw(column)
        if self.size == 0:
            return np.full(len(raw), -2, np.int64)
        values = self.values
        if raw.dtype != values.dtype:
            raw, values = widen(raw), widen(values)
        at = np.searchsorted(values, raw)
        at = np.where(at == self.size, 0, at)
        return np.where(missing | (values[at] != raw), -2, at)


@dataclass(frozen=True)
class Pattern:
    """The rows that fill the same columns, sorted by key and then by preference.

    Attributes:
        filled: Places of the conditions that the rows fill.
        strides: What the code of each of them is multiplied with to make one key.
        keys: Distinct keys, ascending.
        starts: For each key the place of its first row in ``rows``.
        stops: For each key the place after its last row.
        rows: Row numbers.
        slots: For each possible key its place in ``keys``, -1 for none; None where keys are too many to list.
    """

    filled: tuple[int, ...]
    strides: tuple[int, ...]
    keys: Integers
    starts: Integers
    stops: Integers
    rows: Integers
    slots: Integers | None

    @cached_property
    def first_rows(self) -> Integers:
        """For each key its most preferred row; at the end -1, which answers for a key that is not there."""
        return np.append(self.rows[self.starts], -1)

    def find(self, codes: Sequence[Integers], absent: Sequence[Absence], length: int) -> Integers | None:
        """For each line the place of its key, -1 where there is none; None if there is for none of them.

        Args:
            codes: For each condition the codes of the lines.
            absent: What `absence` says of each.
            length: How many lines there are.
        """
        if not self.filled:
            return np.zeros(length, np.int64)
        unknown: Mask | None = None
        key: Integers | None = None
        for at, stride in zip(self.filled, self.strides, strict=True):
            if absent[at] is EVERYWHERE:
                return None
            unknown = either(unknown, absent[at])
            part = codes[at] * stride if stride > 1 else codes[at]
            key = part if key is None else key + part
        assert key is not None
        if self.slots is not None:
            # As 64 bits: whoever looks something up by fewer waits twice as long for it.
            found = self.slots[key if unknown is None else key * ~unknown].astype(np.int64)
        else:
            place = np.searchsorted(self.keys, key)
            place = np.where(place == len(self.keys), 0, place)
            found = np.where(self.keys[place] == key, place, -1)
        return found if unknown is None else np.where(unknown, -1, found)


def absence(code: Integers) -> Absence:
    """The lines whose value is blank or not in the table, by the codes of a condition."""
    mask = code < 0
    count = np.count_nonzero(mask)
    return mask if 0 < count < len(mask) else EVERYWHERE if count else None


def build_patterns(conditions: Sequence[Column], preference: Integers) -> tuple[list[Coder], list[Pattern]]:
    """Index the rows of a table by the patterns of columns they fill.

    Args:
        conditions: Key or match columns of the table.
        preference: For each row its place by ``choose``.

    Returns:
        A coder for each condition, and the patterns.
    """
    rows = np.arange(len(preference))
    single: list[Column] = []
    for column in conditions:
        if isinstance(column, Texts) and SEPARATOR in "\0".join(column.words.items):
            rows, single, column = _one_value_each(column, rows, single)  # noqa: PLW2901 - split into single values
        else:
            column = column.take(rows)  # noqa: PLW2901
        single.append(column)
    coders = [Coder(column) for column in single]
    codes = [np.where(c.is_missing(), -1, coder.codes(c)) for coder, c in zip(coders, single, strict=True)]
    bits = sum(((code >= 0).astype(np.int64) << at for at, code in enumerate(codes)), np.zeros(len(rows), np.int64))
    patterns = [
        _pattern(tuple(at for at in range(len(codes)) if bit >> at & 1), coders, codes, rows, preference, bits == bit)
        for bit in distinct(bits).tolist()
    ]
    return coders, patterns


def _one_value_each(column: Texts, rows: Integers, before: list[Column]) -> tuple[Integers, list[Column], Texts]:
    """Rows repeated so that each has one value of a cell that lists several."""
    parts = [[part for part in word.split(SEPARATOR) if part] for word in column.words.items]
    words = Words(list(dict.fromkeys(part for group in parts for part in group)))
    codes = [[words.index[part] for part in group] for group in parts]
    per_row = [codes[code] if code >= 0 else [-1] for code in column.codes[rows].tolist()]
    repeat = np.repeat(np.arange(len(rows)), [len(group) for group in per_row])
    single = Texts(np.array([code for group in per_row for code in group], np.int64), words)
    return rows[repeat], [each.take(repeat) for each in before], single


def _pattern(
    filled: tuple[int, ...],
    coders: Sequence[Coder],
    codes: Sequence[Integers],
    rows: Integers,
    preference: Integers,
    mine: Integers,
) -> Pattern:
    space, strides = 1, []
    for at in reversed(filled):
        strides.append(space)
        space *= max(coders[at].size, 1)
    strides.reverse()
    key: Integers = np.zeros(int(mine.sum()), np.int64 if space < _WIDEST else object)
    for at, stride in zip(filled, strides, strict=True):
        key = key + (codes[at][mine] if space < _WIDEST else codes[at][mine].astype(object)) * stride
    here = rows[mine]
    if (key[1:] > key[:-1]).all():
        order = np.arange(len(key))  # each key is there once, and they rise: as those of most tables do
    elif key.dtype != object:
        order = np.lexsort((preference[here], key))
    else:
        order = np.array(sorted(range(len(key)), key=lambda i: (key[i], preference[here[i]])), np.int64)
    key = key[order]
    first = np.flatnonzero(begins(key))
    slots = None
    if space <= min(_SPARSEST * len(key) + 4096, _MOST_SLOTS):
        # 32 bits are plenty for the number of a key, and twice as many of them stay in the processor's cache.
        slots = np.full(space, -1, np.int32)
        slots[key[first]] = np.arange(len(first))
    stops = np.append(first[1:], len(key)) if len(first) else first
    return Pattern(filled, tuple(strides), narrow(key[first], _WIDEST * 4)[0], first, stops, here[order], slots)
