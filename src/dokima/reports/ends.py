"""The first and the last of many: a screen shows no more of them, and says how many stand between."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

Each = TypeVar("Each")
Part = TypeVar("Part")

MOST_LINES, FIRST_LINES, LAST_LINES = 500, 300, 100
"""Lines of an order that a terminal shows; of a longer one its first and last."""
MOST_ORDERS, FIRST_ORDERS, LAST_ORDERS = 100, 60, 20
"""Orders that a terminal shows, and of more of them how many of the first and last."""


def ends_of(every: Sequence[Each], most: int, first: int, last: int) -> tuple[Sequence[Each], int, Sequence[Each]]:
    """The first of some things, how many are left out, and the last.

    Args:
        every: All of them.
        most: So many are all shown: none is left out.
        first: Of more so many of the first.
        last: Of more so many of the last.
    """
    if len(every) <= most:
        return every, 0, every[:0]
    return every[:first], len(every) - first - last, every[-last:]


def ends_of_orders(every: Sequence[Each]) -> tuple[Sequence[Each], int, Sequence[Each]]:
    """The same for orders."""
    return ends_of(every, MOST_ORDERS, FIRST_ORDERS, LAST_ORDERS)


def shown_ends(
    every: Sequence[Each], show: Callable[[Each], Sequence[Part]], more: Callable[[int], Sequence[Part]]
) -> list[Part]:
    """What is shown of orders, or of something else of which there is one an order.

    Args:
        every: All of them.
        show: What is shown of one.
        more: Says between the first and the last how many are left out.
    """
    first, left_out, last = ends_of_orders(every)
    between: Sequence[Part] = more(left_out) if left_out else ()
    return [*(part for each in first for part in show(each)), *between, *(part for each in last for part in show(each))]
