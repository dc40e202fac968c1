"""`Texts`: a column of text."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import ClassVar, Literal

import numpy as np

from dokima.columns.words import Words
from dokima.exact.integers import Integers, Mask, put
from dokima.exact.ranking import distinct


class Texts:
    """A column of text, dictionary-coded: ``codes`` point into ``words``, -1 is missing."""

    kind: ClassVar[Literal["text"]] = "text"
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

    @classmethod
    def blanks(cls, length: int) -> Texts:
        """A column in which everything is missing."""
        return cls(np.full(length, -1, np.int64), Words([]))

    @staticmethod
    def concat(columns: Sequence[Texts]) -> Texts:
        """The columns one after the other."""
        words = Words(list(dict.fromkeys(word for part in columns for word in part.words.items)))
        return Texts(np.concatenate([part.in_words(words) for part in columns]), words)

    @staticmethod
    def choose(condition: Mask, yes: Texts, no: Texts) -> Texts:
        """``yes`` where the condition holds, ``no`` elsewhere."""
        words = Words(list(dict.fromkeys([*yes.words.items, *no.words.items])))
        return Texts(np.where(condition, yes.in_words(words), no.in_words(words)), words)

    def replaced(self, at: Integers, values: Texts) -> Texts:
        """The same column with other texts at some positions."""
        words = self.words
        codes = values.in_words(words)
        new = [word for word in values.to_list() if word is not None and word not in words.index]
        if new:
            words = Words([*words.items, *dict.fromkeys(new)])
            codes = values.in_words(words)
        codes = put(self.codes, at, codes)
        # Words that no line has any more are forgotten before there are many of them.
        return Texts(codes, words) if len(words) <= 2 * len(codes) + 16 else Texts.of(Texts(codes, words).to_list())

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
