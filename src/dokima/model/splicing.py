"""Splicing: the columns of an order of which a few lines have been read again. Every edit changes a line of many."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from dokima.columns.column import replaced
from dokima.exact.integers import Mask
from dokima.model.orders import Orders


def spliced(before: Orders, read: Orders, places: Mapping[int, int]) -> Orders:
    """The columns of one order, some lines of it as they have been read again.

    All columns are made at once: those that nobody reads would else hold the columns before each of many edits.

    Args:
        before: The order as it was.
        read: An order of the same fields among whose lines those are.
        places: For each line that changes its position, and its position in ``read``.
    """
    at, rows = np.array(list(places), np.int64), np.array(list(places.values()), np.int64)
    names = dict.fromkeys(name for name in (*before.lines, *read.lines) if name != "number")
    columns = {name: replaced(before.line(name), at, read.line(name).take(rows)) for name in names}
    absent: dict[tuple[str, str], Mask] = {key: mask for key, mask in before.absent.items() if key[0] == "header"}
    for key in {*before.absent, *read.absent}:
        if key[0] == "line":
            mask = before.absent[key].copy() if key in before.absent else np.zeros(before.line_count, bool)
            mask[at] = read.absent[key][rows] if key in read.absent else False
            if np.count_nonzero(mask):
                absent[key] = mask
    return Orders(
        fields=before.fields,
        headers=before.headers,
        lines={**columns, "number": before.line("number")},
        order_of=before.order_of,
        count=before.count,
        absent=absent,
        records=before.records,
        parent=before.parent,
        given=np.arange(before.line_count),
    )
