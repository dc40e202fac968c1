"""Putting the columns of all pieces together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dokima.columns.column import Column, concat
from dokima.columns.lazy import LazyColumns
from dokima.columns.positions import take_or_blank
from dokima.exact.integers import Integers


def joined(parts: Sequence[tuple[Integers, Mapping[str, Column]]], length: int) -> Mapping[str, Column]:
    """Columns of all parts by name, each part at its positions (ascending, each once), blank where no part has one."""
    if len(parts) == 1 and len(parts[0][0]) == length:
        return parts[0][1]  # the one part is all there is
    places: dict[tuple[int, ...], Integers | None] = {}  # most columns are those of all parts, so this is found once
    known: dict[tuple[tuple[int, int], ...], Column] = {}  # a line's amount, net and total are mostly one column

    def join(name: str) -> Column:
        having = tuple(at for at, (_, columns) in enumerate(parts) if name in columns)
        same = tuple((at, id(parts[at][1][name])) for at in having)
        if same not in known:
            if having not in places:
                places[having] = _places([parts[at][0] for at in having], length)
            column, place = concat([parts[at][1][name] for at in having]), places[having]
            known[same] = column if place is None else take_or_blank(column, place)
        return known[same]

    return LazyColumns((name for _, columns in parts for name in columns), join)


def _places(positions: Sequence[Integers], length: int) -> Integers | None:
    """For each position its place in the parts laid end to end, -1 for none; None if they are in sequence and whole."""
    laid = np.concatenate(positions)
    if len(laid) == length and bool((laid[1:] > laid[:-1]).all()):
        return None
    place = np.full(length, -1, np.int64)
    place[laid] = np.arange(len(laid))
    return place
