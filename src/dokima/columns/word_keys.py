"""Texts as whole numbers of 64 bits, so that a hundred thousand of them are compared and looked up at once.

The bytes of a text in UTF-8, eight at a time, are its parts; a text of up to eight bytes is one number. Of longer ones
the parts are mixed into one number to sort and search by, and compared in full wherever two of those are equal.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dokima.exact.integers import Integers, Mask

MOST_PARTS = 8
"""Parts a text may have; longer ones are compared as Python texts."""
_MIX = 0x9E3779B97F4A7C15  # 2**64 by the golden ratio: odd, and its bits are spread evenly
_ALL = np.uint64(2**64 - 1)

_STIRRED = ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB))

Digests = np.ndarray[Any, np.dtype[np.uint64]]
Parts = Sequence[Any]
"""For each place in the texts, eight bytes wide, a column of unsigned 64-bit numbers, 0 beyond a text's end."""


@dataclass(frozen=True, eq=False)
class WordKeys:
    """Distinct texts as numbers.

    Attributes:
        parts: Their parts.
        mixed: One number for each; no two are equal.
        in_order: Where each stands when they are sorted, and the sorted numbers; None to find out when it is asked.
    """

    parts: Parts
    mixed: Any
    in_order: tuple[Integers, Any] | None = None

    @cached_property
    def _sorted(self) -> tuple[Integers, Any]:
        if self.in_order is not None:
            return self.in_order
        order = np.argsort(self.mixed)
        return order, self.mixed[order]

    def places_in(self, other: WordKeys) -> Integers:
        """For each text its place among others, -2 for none."""
        order, mixed = other._sorted
        if not len(mixed):
            return np.full(len(self.mixed), -2, np.int64)
        at = np.searchsorted(mixed, self.mixed)
        at[at == len(mixed)] = 0
        found = mixed[at] == self.mixed
        place = order[at]
        for number in range(max(len(self.parts), len(other.parts))):
            mine = self.parts[number] if number < len(self.parts) else np.uint64(0)
            theirs = other.parts[number][place] if number < len(other.parts) else np.uint64(0)
            found &= mine == theirs
        return np.where(found, place, -2)


def parts_of(offsets: Any, data: Any, missing: Mask | None = None) -> Parts | None:
    """The parts of texts that lie one after the other, as in Arrow; None where they cannot be told apart by them.

    Args:
        offsets: Where each text begins, and where the last one ends.
        data: The bytes.
        missing: Texts that are not there, which count as empty.
    """
    start, size = offsets[:-1].astype(np.int64), np.diff(offsets).astype(np.int64)
    if missing is not None:
        size = np.where(missing, 0, size)
    longest, shortest = int(size.max(initial=0)), int(size.min()) if len(size) else 0
    used = data[int(offsets[0]) : int(offsets[-1])]
    if longest > 8 * MOST_PARTS or not used.all():
        return None  # a byte of 0 could not be told from the end of a text
    count = max(1, -(-longest // 8))
    padded = np.zeros(len(data) + 8 * count, np.uint8)
    padded[: len(data)] = data
    eight = np.ndarray((len(padded) - 7,), np.uint64, padded, 0, (1,))
    parts = []
    for number in range(count):
        if shortest == longest:
            left = min(longest - 8 * number, 8)  # all texts are as long as each other, as keys often are
            part = eight[start + 8 * number]
            parts.append(part if left == 8 else part & np.uint64(256**left - 1))
            continue
        rest = np.clip(size - 8 * number, 0, 8).astype(np.uint64)
        mask = np.where(rest == 8, _ALL, (np.uint64(1) << (rest % np.uint64(8) * np.uint64(8))) - np.uint64(1))
        parts.append(eight[start + 8 * number * (rest > 0)] & mask)
    return parts


def digests_of(parts: Parts) -> Digests:
    """A digest of 64 bits for each text, well mixed (the finalizer of SplitMix64), whatever stands beside it."""
    found = np.zeros(len(parts[0]), np.uint64)
    for number, part in enumerate(parts):
        mixed = part * np.uint64(_MIX * (2 * number + 1) % 2**64)  # 0, beyond the end of a text, stays 0
        for shift, factor in _STIRRED:
            mixed = (mixed ^ (mixed >> np.uint64(shift))) * np.uint64(factor)
        found ^= mixed ^ (mixed >> np.uint64(31))
    return found


def digests_of_texts(texts: Sequence[str]) -> Digests:
    """The same digests, of texts in Python and of any length."""
    coded = [text.encode("utf-8", "surrogatepass") for text in texts]
    offsets = np.cumsum([0, *map(len, coded)])
    parts = parts_of(offsets, np.frombuffer(b"".join(coded), np.uint8))
    if parts is not None:
        return digests_of(parts)
    return np.concatenate([np.zeros(0, np.uint64), *map(_digest_of_long, coded)])


def _digest_of_long(text: bytes) -> Digests:
    padded = np.frombuffer(text + bytes(-len(text) % 8 or (0 if text else 8)), np.uint64)
    return digests_of([padded[at : at + 1] for at in range(len(padded))])


def keys_of_texts(texts: Sequence[str]) -> WordKeys | None:
    """The keys of distinct texts; None where they have none."""
    coded = [text.encode() for text in texts]
    offsets = np.cumsum([0, *map(len, coded)])
    parts = parts_of(offsets, np.frombuffer(b"".join(coded), np.uint8))
    if parts is None:
        return None
    keys = WordKeys(parts, _mixed(parts))
    mixed = keys._sorted[1]
    return None if (mixed[1:] == mixed[:-1]).any() else keys


def coded(parts: Parts) -> tuple[Integers, Integers, WordKeys] | None:
    """Texts by their distinct ones: a code for each, -1 for an empty one; where each distinct one stands; its keys.

    None in the rare case that two different texts mix into the same number.
    """
    mixed = _mixed(parts)
    order = np.argsort(mixed)
    in_order = mixed[order]
    is_new = np.append(True, in_order[1:] != in_order[:-1])[: len(order)]
    # As keys of a table are: each there once. Then they stay in their sequence, and are sorted already.
    if len(order) and is_new.all() and any(part[order[0]] for part in parts):
        every = np.arange(len(order))
        return every, every, WordKeys(parts, mixed, (order, in_order))
    codes = np.empty(len(order), np.int64)
    codes[order] = np.cumsum(is_new) - 1
    first = order[is_new]
    distinct = [part[first] for part in parts]
    if len(parts) > 1 and any((part != each[codes]).any() for part, each in zip(parts, distinct, strict=True)):
        return None
    if len(first) and not any(part[0] for part in distinct):
        # The empty text is the lowest of all.
        codes, first, distinct = codes - 1, first[1:], [part[1:] for part in distinct]
    return codes, first, WordKeys(distinct, _mixed(distinct))


def _mixed(parts: Parts) -> Any:
    mixed = parts[0]
    for number, part in enumerate(parts[1:], start=1):
        mixed = mixed ^ part * np.uint64(_MIX * (2 * number + 1) % 2**64)
    return mixed
