"""Splicing: the columns of an order of which a few lines have been read again. Every edit changes a line of many."""

from __future__ import annotations

from collections.abc import Mapping
from typing import cast

import numpy as np

from dokima.exact import Decimals, Quotient, stored
from dokima.exact.integers import Integers, Mask, some
from dokima.model.columns import Column, Dates, Flags, Texts, Words
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
    columns = {name: _replaced(before.line(name), at, read.line(name).take(rows)) for name in names}
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


def _replaced(column: Column, at: Integers, values: Column) -> Column:
    """A column with other values, of a column of the same kind, at some positions."""
    if isinstance(column, Texts):
        return _replaced_texts(column, at, cast(Texts, values))
    if isinstance(column, Decimals | Quotient):
        return stored(column).replaced(at, stored(cast(Decimals, values)))
    missing = some(_put(column.is_missing(), at, values.is_missing()))
    if isinstance(column, Dates):
        return Dates(_put(column.days, at, cast(Dates, values).days), missing)
    return Flags(_put(column.values, at, cast(Flags, values).values), missing)


def _replaced_texts(column: Texts, at: Integers, values: Texts) -> Texts:
    words = column.words
    codes = values.in_words(words)
    new = [word for word in values.to_list() if word is not None and word not in words.index]
    if new:
        words = Words([*words.items, *dict.fromkeys(new)])
        codes = values.in_words(words)
    codes = _put(column.codes, at, codes)
    # Words that no line has any more are forgotten before there are many of them.
    return Texts(codes, words) if len(words) <= 2 * len(codes) + 16 else Texts.of(Texts(codes, words).to_list())


def _put(array: Integers, at: Integers, values: Integers) -> Integers:
    found = array.copy()
    found[at] = values
    return found
