"""`Words`: the distinct texts of a column, numbered."""

from __future__ import annotations

from collections.abc import Callable
from itertools import repeat
from typing import Any, Literal
from weakref import WeakKeyDictionary

import numpy as np

from dokima.columns.word_keys import WordKeys, keys_of_texts
from dokima.exact.integers import Integers

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
