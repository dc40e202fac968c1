"""Aggregates: one value out of the lines of an order, or of a group of its lines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.positions import take_or_blank
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Grouping, any_in, group_counts, group_extremes, group_sums, marked, ranks
from dokima.exact.integers import Integers, Mask, everywhere, some
from dokima.exact.ranking import dense, distinct
from dokima.formulas.names import FormulaKind, Frame
from dokima.formulas.operators import flags, logical_and, logical_not, logical_or, numbers


@dataclass(frozen=True)
class Aggregate:
    """What an aggregate accepts and gives, and how the lines that count make a value."""

    takes: tuple[FormulaKind, ...]
    gives: FormulaKind | None
    work: Callable[[Column, Grouping], Column]
    argument_optional: bool = False


def value_codes(column: Column) -> Integers:
    """For each value a number from 0, equal for equal values; -1 where missing."""
    if isinstance(column, Texts):
        return column.codes
    if isinstance(column, Dates):
        codes = dense(column.days)
    elif isinstance(column, Flags):
        codes = column.values.astype(np.int64)
    else:
        codes = ranks(column)
    return codes if column.missing is None else np.where(column.is_missing(), -1, codes)


def grouped(frame: Frame, by: Column | None) -> Grouping:
    """The lines by order, or by order and value; lines without a value are in no group (-1) and must be left out."""
    if by is None:
        return frame.by_order
    codes = value_codes(by.spread(len(frame.order_of)))
    keys = codes if frame.order_count == 1 else frame.order_of * (int(codes.max(initial=0)) + 1) + codes
    if by.missing is None:
        ids = dense(keys)
        return Grouping(ids, int(ids.max(initial=-1)) + 1)
    ids = dense(np.where(codes < 0, 0, keys))
    return Grouping(np.where(codes < 0, -1, ids), int(ids.max(initial=-1)) + 1)


def aggregate(kind: Aggregate, frame: Frame, argument: Column | None, where: Flags | None, by: Column | None) -> Column:
    """The aggregate of each order (no ``by``), or for each line that of its group."""
    length = len(frame.order_of)
    groups = grouped(frame, by)
    value = Flags(everywhere(length)) if argument is None else argument.spread(length)
    counted = groups.of >= 0 if by is not None and by.missing is not None else None
    if frame.leaf is not None:
        counted = frame.leaf if counted is None else counted & frame.leaf
    unknown: Mask | None = None
    if where is not None:
        where = where.spread(length)
        if kind.work in (_any, _all):
            value = (
                logical_and(flags(value), where) if kind.work is _any else logical_or(logical_not(where), flags(value))
            )
        else:
            unknown = where.missing if counted is None or where.missing is None else where.missing & counted
            counted = where.is_true() if counted is None else counted & where.is_true()
    if counted is None:
        result = kind.work(value, groups)
    else:
        at = np.flatnonzero(counted)
        result = kind.work(value.take(at), groups.at(at))
    if unknown is not None:
        at = np.flatnonzero(unknown)
        result = result.without(any_in(np.ones(len(at), bool), groups.at(at)))
    return result if by is None else take_or_blank(result, groups.of)


def _sum(value: Column, groups: Grouping) -> Column:
    return group_sums(numbers(value), groups)


def _average(value: Column, groups: Grouping) -> Column:
    return group_sums(numbers(value), groups) / group_counts(groups)


def _count(value: Column, groups: Grouping) -> Column:
    true = flags(value)
    counted = groups if true.values.all() else groups.at(np.flatnonzero(true.is_true()))
    return group_counts(counted).without(any_in(true.missing, groups))


def _any(value: Column, groups: Grouping) -> Column:
    true, missing = flags(value).is_true(), value.missing
    yes = marked(true, groups)
    unsure = any_in(missing, groups)
    return Flags(yes, None if unsure is None else some(unsure & ~yes))


def _all(value: Column, groups: Grouping) -> Column:
    return logical_not(flags(_any(logical_not(flags(value)), groups)))


def _extreme(highest: bool) -> Callable[[Column, Grouping], Column]:
    def work(value: Column, groups: Grouping) -> Column:
        if isinstance(value, Dates):
            days = group_extremes(Decimals(value.days, 0, value.missing), groups, highest)
            return Dates(days.units, days.missing)
        return group_extremes(numbers(value), groups, highest)

    return work


def _distinct(value: Column, groups: Grouping) -> Column:
    codes = value_codes(value)
    width = int(codes.max(initial=0)) + 1
    keys = distinct(groups.of * width + np.where(codes < 0, 0, codes))
    counts = group_counts(Grouping(keys // width, groups.count))
    return Decimals(counts.units, 0, any_in(value.missing, groups), len(codes))


_NUMBER: tuple[FormulaKind, ...] = ("decimal", "integer")
_ANY: tuple[FormulaKind, ...] = ("text", "decimal", "integer", "date", "flag")

AGGREGATES: dict[str, Aggregate] = {
    "sum": Aggregate(_NUMBER, None, _sum),
    "count": Aggregate(("flag",), "integer", _count, argument_optional=True),
    "any": Aggregate(("flag",), "flag", _any),
    "all": Aggregate(("flag",), "flag", _all),
    "lowest": Aggregate((*_NUMBER, "date"), None, _extreme(False)),
    "highest": Aggregate((*_NUMBER, "date"), None, _extreme(True)),
    "average": Aggregate(_NUMBER, "decimal", _average),
    "distinct": Aggregate(_ANY, "integer", _distinct),
}
"""Over no lines sum, count and distinct are 0, any is false, all is true, the rest blank. A blank argument or ``where``
makes the result blank, unless any or all is already decided."""
