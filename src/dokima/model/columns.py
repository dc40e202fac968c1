"""Columns of text, dates and flags; numbers are `exact.Decimals`.

All columns share one small set of methods: ``len``, ``take``, ``spread``, ``is_missing``, ``without`` and the attribute
``missing``. A column of length 1 meets a column of any length by broadcast.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from functools import lru_cache
from itertools import repeat
from typing import Any, Literal, TypeVar
from weakref import WeakKeyDictionary

import numpy as np

from dokima.exact import Decimals, Quotient, decimal_of, from_pairs, stored
from dokima.exact.integers import SHORT, Integers, Mask, either, mask_of, mask_of_column
from dokima.exact.ranking import distinct
from dokima.model.word_keys import WordKeys, keys_of_texts

Kind = Literal["text", "decimal", "integer", "date", "flag"]
"""What a field or a column holds."""

EPOCH = datetime.date(1970, 1, 1).toordinal()


HANDFUL = 20
"""Words up to which they are looked up anew each time."""
FEW_WORDS = 1000
"""Words that are looked up one at a time sooner than all at once."""


class Words:
    """The distinct texts of a column, numbered from 0; shared by the columns taken from it.

    Args:
        items: The texts; or what makes them, called when somebody first reads one. Of a million order numbers most runs
            read none.
        index: Number of each text, if it is known already.
        size: How many there are, if ``items`` is to be called.
        keys: The texts as numbers, if they are known as such.
        arrow: Gives the texts as an Arrow array, if they came as one.
    """

    __slots__ = ("__weakref__", "_index", "_items", "_keys", "_make", "_numbers_in", "_size", "arrow")

    def __init__(
        self,
        items: list[str] | Callable[[], list[str]],
        index: dict[str, int] | None = None,
        size: int = 0,
        keys: WordKeys | None = None,
        arrow: Callable[[], Any] | None = None,
    ) -> None:
        self.arrow = arrow
        self._keys: WordKeys | Literal["unknown"] | None = "unknown" if keys is None else keys
        self._items: list[str] | None = None if callable(items) else items
        self._make: Callable[[], list[str]] | None = items if callable(items) else None
        self._size = size if self._items is None else len(self._items)
        self._index = index
        self._numbers_in: WeakKeyDictionary[Words, Integers] | None = None

    @property
    def items(self) -> list[str]:
        """The texts."""
        items = self._items
        if items is None:
            make = self._make
            # Another thread may have made them since: then there is nothing to make them from, but there they are.
            items = self._items if make is None else make()
            assert items is not None
            self._items = items
            self._make = None
        return items

    def __len__(self) -> int:
        return self._size

    @property
    def index(self) -> dict[str, int]:
        """Number of each word, made when first asked for."""
        if self._index is None:
            self._index = {word: number for number, word in enumerate(self.items)}
        return self._index

    def __reduce__(self) -> tuple[type[Words], tuple[list[str]]]:
        return Words, (self.items,)

    def numbers_in(self, other: Words) -> Integers:
        """For each word its number in another dictionary, -2 for none, and at the end -1, which answers for code -1.

        Kept as long as both dictionaries are there: every piece of many orders asks the same.
        """
        if self._size <= HANDFUL:
            return self._look_up(other)  # to remember it would take longer
        if self._numbers_in is None:
            self._numbers_in = WeakKeyDictionary()
        found = self._numbers_in.get(other)
        if found is None:
            found = self._numbers_in[other] = self._look_up(other)
        return found

    def _look_up(self, other: Words) -> Integers:
        if self._size > FEW_WORDS and isinstance(self._keys, WordKeys):
            if other._keys == "unknown":
                other._keys = keys_of_texts(other.items)
            if isinstance(other._keys, WordKeys):
                return np.append(self._keys.places_in(other._keys), -1)
        found = list(map(other.index.get, self.items, repeat(-2)))
        found.append(-1)
        return np.array(found, np.int64)


class Texts:
    """A column of text, dictionary-coded: ``codes`` point into ``words``, -1 is missing."""

    __slots__ = ("_complete", "codes", "words")

    def __init__(self, codes: Integers, words: Words) -> None:
        self.codes = codes
        self.words = words
        self._complete: bool | None = None

    @classmethod
    def of(cls, values: Iterable[str | None]) -> Texts:
        """A column out of texts; None and the empty text are missing."""
        index: dict[str, int] = {}
        codes = [index.setdefault(value, len(index)) if value else -1 for value in values]
        return cls(np.array(codes, np.int64), Words(list(index), index))

    @property
    def missing(self) -> Mask | None:
        """True where there is no text, None if there is text everywhere."""
        if self._complete is None:
            self._complete = not len(self.codes) or int(self.codes.min()) >= 0
        return None if self._complete else self.codes < 0

    def __len__(self) -> int:
        return len(self.codes)

    def take(self, positions: Integers) -> Texts:
        """The values at the given positions."""
        return Texts(self.codes[positions], self.words)

    def spread(self, length: int) -> Texts:
        """A column of the given length out of one of that length or length 1."""
        return self if len(self.codes) == length else Texts(np.broadcast_to(self.codes, (length,)), self.words)

    def is_missing(self) -> Mask:
        """True where the value is missing."""
        return self.codes < 0

    def without(self, gone: Mask | None) -> Texts:
        """The same column with more values missing."""
        return self if gone is None else Texts(np.where(gone, -1, self.codes), self.words)

    def in_words(self, words: Words) -> Integers:
        """Codes in another dictionary; -1 for missing texts, -2 for texts it does not have."""
        if words is self.words or not len(self.words):
            return self.codes  # of a dictionary without texts everything is missing
        answer: Integers = self.words.numbers_in(words)[self.codes]
        return answer

    def distinct(self) -> dict[int, str]:
        """The texts there are by their codes; a missing one, of code -1, is blank."""
        items = self.words.items
        return {code: items[code] if code >= 0 else "" for code in distinct(self.codes).tolist()}

    def ranks(self) -> Integers:
        """For each value the place of its text among all texts of the dictionary in their sequence; -1 if missing."""
        items = self.words.items
        if len(items) <= 1:
            return self.codes
        places = np.full(len(items) + 1, -1, np.int64)
        places[sorted(range(len(items)), key=items.__getitem__)] = np.arange(len(items))
        ranks: Integers = places[self.codes]
        return ranks

    def mapped(self, number: Callable[[str], int]) -> Integers:
        """A number for each value, asked once for each distinct text."""
        known = self.distinct()
        numbers = np.array([number(word) for word in known.values()], np.int64)
        answer: Integers = numbers[np.searchsorted(np.array(list(known), np.int64), self.codes)]
        return answer

    def to_list(self) -> list[str | None]:
        """The values, None where missing."""
        items = self.words.items
        return [items[code] if code >= 0 else None for code in self.codes.tolist()]


class Dates:
    """A column of dates: ``days`` since 1970-01-01, in the proleptic Gregorian calendar, years 1 to 9999."""

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


class Flags:
    """A column of flags: true, false or missing (unknown, in Kleene's logic)."""

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


Column = Decimals | Quotient | Texts | Dates | Flags
"""Any column."""

C = TypeVar("C", bound=Column)


def blanks(kind: Kind | Literal["blank"], length: int) -> Column:
    """A column of a kind in which everything is missing."""
    return _kept_blanks(kind, length) if length <= SHORT else _blanks(kind, length)


def _blanks(kind: Kind | Literal["blank"], length: int) -> Column:
    if kind == "text":
        return Texts(np.full(length, -1, np.int64), Words([]))
    if kind == "date":
        return Dates(np.zeros(length, np.int64), np.ones(length, bool))
    if kind == "flag":
        return Flags(np.zeros(length, bool), np.ones(length, bool))
    return Decimals.blanks(length)


_kept_blanks = lru_cache(maxsize=SHORT)(_blanks)


class Positions:
    """Places in columns, negative for none; looked through once for all columns that are read there.

    Attributes:
        at: The places.
        gone: True where there is none; None if there is one everywhere.
    """

    __slots__ = ("_held", "at", "gone")

    def __init__(self, at: Integers) -> None:
        self.at = at
        gone = at < 0
        count = np.count_nonzero(gone)
        self.gone: Mask | None = gone if count else None
        # Somewhere to read where there is no place; None where there is none at all.
        self._held = at if not count else at * ~gone if count < len(at) else None

    def of(self, column: C) -> C:
        """The values of a column there, blank where there is no place."""
        if self._held is None or not len(column):
            return blanks(kind_of(column), len(self.at))  # type: ignore[return-value]
        taken = column.take(self._held)
        return taken if self.gone is None else taken.without(self.gone)  # type: ignore[return-value]


def take_or_blank(column: C, positions: Integers) -> C:
    """The values at the given positions; missing where the position is negative."""
    return Positions(positions).of(column)


def kind_of(column: Column) -> Kind:
    """The kind of a column; whole numbers are not told apart from other decimals."""
    match column:
        case Texts():
            return "text"
        case Dates():
            return "date"
        case Flags():
            return "flag"
    return "decimal"


class LazyColumns(Mapping[str, C]):
    """Columns by name, each made when it is first read, so that nobody pays for what nobody reads.

    Args:
        names: Names in their order.
        make: Makes the column of a name.
        made: Those that there are already, by name.
    """

    def __init__(self, names: Iterable[str], make: Callable[[str], C], made: Mapping[str, C] | None = None) -> None:
        self._names = dict.fromkeys(names)
        self._make = make
        self._made: dict[str, C] = {} if made is None else dict(made)

    def __getitem__(self, name: str) -> C:
        found = self._made.get(name)
        if found is None:
            if name not in self._names:
                raise KeyError(name)
            found = self._made[name] = self._make(name)
        return found

    def get(self, name: str, default: Any = None) -> Any:
        """The column of a name, or the default if there is none."""
        found = self._made.get(name)
        return found if found is not None else self[name] if name in self._names else default

    def __contains__(self, name: object) -> bool:
        return name in self._names

    def __reduce__(self) -> tuple[Any, ...]:
        """To another process they go as they are: what makes them stays."""
        return dict, (dict(self),)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def laid_over(below: Mapping[str, Column], above: Mapping[str, Column]) -> Mapping[str, Column]:
    """Both sets of columns, those above first, without making any of them."""
    if not above:
        return below
    made = {name: column for name, column in _made(below).items() if name not in above}
    made.update(_made(above))
    return LazyColumns([*below, *above], lambda name: above[name] if name in above else below[name], made)


def _made(columns: Mapping[str, C]) -> Mapping[str, C]:
    """Those of some columns that are there already."""
    return columns._made if isinstance(columns, LazyColumns) else columns


def concat(columns: Sequence[Column]) -> Column:
    """Columns of one kind, one after the other."""
    if len(columns) == 1:
        return columns[0]
    missing = None
    if any(column.missing is not None for column in columns):
        missing = np.concatenate([column.is_missing() for column in columns])
    match columns[0]:
        case Texts():
            parts = [column for column in columns if isinstance(column, Texts)]
            words = Words(list(dict.fromkeys(word for part in parts for word in part.words.items)))
            return Texts(np.concatenate([part.in_words(words) for part in parts]), words)
        case Dates():
            return Dates(np.concatenate([column.days for column in columns if isinstance(column, Dates)]), missing)
        case Flags():
            return Flags(np.concatenate([column.values for column in columns if isinstance(column, Flags)]), missing)
    return Decimals.concat([stored(column) for column in columns if isinstance(column, Decimals | Quotient)])


def column_of(kind: Kind, values: Sequence[Any]) -> Column:
    """A column out of values that `values.ValueReader` has read: None is missing."""
    match kind:
        case "text":
            return Texts.of(values)
        case "date":
            return Dates.of(values)
        case "flag":
            return Flags.of(values)
    return from_pairs(values)


def value_at(column: Column, position: int, least_places: int = 0) -> Any:
    """One value as Python sees it: `Decimal`, text, date, flag, or None where missing.

    Args:
        column: The column; one of length 1 answers for every position.
        position: Which value.
        least_places: A number has the fewest decimal places it needs, but at least these.
    """
    at = position if len(column) > 1 else 0
    if isinstance(column, Quotient):
        column, at = stored(column.take(np.array([at]))), 0
    if not isinstance(column, Decimals):
        return column.take(np.array([at])).to_list()[0]
    if column.missing is not None and column.missing[at]:
        return None
    return decimal_of(int(column.units[at]), column.places, least_places)


def values_of(column: Column) -> list[Any]:
    """All values as `value_at` gives them, each number with the fewest places it needs."""
    if not isinstance(column, Decimals | Quotient):
        return list(column.to_list())
    exact = stored(column)
    missing = exact.is_missing().tolist()
    known: dict[int, Any] = {}
    values = []
    for units, gone in zip(exact.units.tolist(), missing, strict=True):
        if not gone and units not in known:
            known[units] = decimal_of(units, exact.places)  # few values are all different; each is taken apart once
        values.append(None if gone else known[units])
    return values


def shown(value: Any) -> str:
    """A value as plain text for messages: ``44.25``, ``2026-03-02``, ``true``, ``blank``."""
    if value is None:
        return "blank"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        digits = format(value, "f")
        digits = digits.rstrip("0").rstrip(".") if "." in digits else digits
        return "0" if digits == "-0" else digits
    return str(value)
