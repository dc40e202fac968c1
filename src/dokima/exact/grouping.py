"""Lines in groups: those of an order, of one rate of tax, below one parent line."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from dokima.exact.integers import Integers


class Grouping:
    """Which group each line is in; what follows from that is worked out once, for all sums over the same groups.

    Attributes:
        of: For each line the number of its group, 0 to ``count - 1``.
        count: Number of groups.
    """

    def __init__(self, of: Integers, count: int) -> None:
        self.of = of
        self.count = count

    @classmethod
    def one(cls, length: int) -> Grouping:
        """All lines in one group."""
        return cls(np.zeros(length, np.intp), 1)

    def __len__(self) -> int:
        return len(self.of)

    def at(self, lines: Integers) -> Grouping:
        """The same groups with only some of the lines.

        Args:
            lines: Their places, ascending, each once.
        """
        return self if len(lines) == len(self.of) else Grouping(self.of[lines], self.count)

    def first(self, values: Integers, of_none: int) -> Integers:
        """For each group the value of its first line.

        Args:
            values: One whole number per line.
            of_none: What a group without any line has.
        """
        found = np.full(self.count, of_none, values.dtype)
        found[self.of[::-1]] = values[::-1]  # the last one written stays
        return found

    @cached_property
    def sizes(self) -> Integers:
        """How many lines each group has."""
        return np.bincount(self.of, minlength=self.count)

    @cached_property
    def largest(self) -> int:
        """How many lines the largest group has."""
        return int(self.sizes.max(initial=0))

    @cached_property
    def ranges(self) -> Integers:
        """Where each group begins once the lines stand group by group, and at the end where the last one ends."""
        found = np.zeros(self.count + 1, np.int64)
        np.cumsum(self.sizes, out=found[1:])
        return found

    def members(self, group: int) -> Sequence[int]:
        """The places of the lines of one group, found without a look at those of the others."""
        start, stop = int(self.ranges[group]), int(self.ranges[group + 1])
        return range(start, stop) if self.in_sequence else self._by_group[start:stop].tolist()

    @cached_property
    def _by_group(self) -> Integers:
        return np.argsort(self.of, kind="stable")

    @cached_property
    def in_sequence(self) -> bool:
        """Whether the lines stand group by group already."""
        return bool((self.of[1:] >= self.of[:-1]).all())
