"""Parent lines: which stand above a line, level by level, and the sums of the lines below them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.columns.positions import take_or_blank
from dokima.columns.shown import shown
from dokima.exact import Decimals, stored
from dokima.exact.integers import Integers
from dokima.formulas.operators import numbers
from dokima.model.finding import Finding
from dokima.model.orders import Orders
from dokima.model.said import Said


class Under:
    """A frame whose ``parent.x`` is a field of the parent lines at one level; everything else is the frame's own.

    Args:
        frame: The frame.
        whole: The orders with their parent lines.
        parent: For each line the position of its parent line among all lines, -1 for none.
    """

    def __init__(self, frame: Any, whole: Orders, parent: Integers) -> None:
        self._frame = frame
        self._whole = whole
        self._parent = parent

    def column(self, name: str) -> Column:
        """The column of a dotted name, at its own level."""
        if name.startswith("parent."):
            return take_or_blank(self._whole.line(name.partition(".")[2]), self._parent)
        found: Column = self._frame.column(name)
        return found

    def line_column(self, name: str) -> Column:
        """The column of a dotted name, one value per line."""
        found: Column = self.column(name) if name.startswith("parent.") else self._frame.line_column(name)
        return found

    def __getattr__(self, name: str) -> Any:
        return getattr(self._frame, name)


def priced_parents(orders: Orders) -> list[Finding]:
    """A warning for each parent line with a manual price: its sub-lines make its amount, the price counts for nothing.

    Args:
        orders: The orders.
    """
    leaf = orders.leaf
    if leaf is None or "price_override" not in orders.lines:
        return []
    prices = orders.line("price_override")
    found = []
    for at in np.flatnonzero(~leaf & ~prices.is_missing()).tolist():
        price = shown(value_at(prices, at))
        message = Said("its sub-lines make its amount: the manual price of {price} counts for nothing", price=price)
        order = orders.numbers[int(orders.order_of[at])]
        found.append(Finding("parent-line", "warning", message, order, orders.line_numbers[at], "price_override"))
    return found


def parents_above(whole: Orders, places: Integers) -> Iterator[Integers]:
    """For each level of parent lines, from the top, the parent line of each line at that level, -1 for none.

    Args:
        whole: The orders with their parent lines.
        places: The lines asked about.
    """
    parent = whole.parent
    if parent is None:
        return
    depth = np.zeros(whole.line_count, np.int64)
    at = parent
    while (at >= 0).any():
        depth += at >= 0
        at = np.where(at < 0, -1, parent[np.where(at < 0, 0, at)])
    for level in range(int(np.max(depth[places], initial=0))):
        found = np.full(len(places), -1, np.int64)
        above = parent[places]
        while (above >= 0).any():
            here = (above >= 0) & (depth[np.where(above < 0, 0, above)] == level)
            found[here] = above[here]
            above = np.where(above < 0, -1, parent[np.where(above < 0, 0, above)])
        yield found


def summed_into_parents(column: Column, orders: Orders) -> Column:
    """Amounts of lines without sub-lines, and on each parent line the sum of those below it."""
    leaf = orders.leaf
    if leaf is None or orders.parent is None:
        return column
    amounts = stored(numbers(column)).filled()
    units = np.where(leaf, amounts.units, 0).astype(object)
    missing = column.is_missing() & leaf
    above, carried, unknown = orders.parent[leaf], units[leaf], missing[leaf]
    while (above >= 0).any():
        up = above >= 0
        np.add.at(units, above[up], carried[up])
        np.logical_or.at(missing, above[up], unknown[up])
        carried, unknown, above = carried[up], unknown[up], orders.parent[above[up]]
    return Decimals(units, amounts.places, missing if missing.any() else None).compact()
