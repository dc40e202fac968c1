"""Aggregates: one value out of the lines of an order, or of a group of its lines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dokima.exact import Decimals, any_in, group_counts, group_extremes, group_sums, marked, ranks
from dokima.exact.integers import Integers, Mask, some
from dokima.exact.ranking import dense, distinct
from dokima.formulas.names import FormulaKind, Frame
from dokima.formulas.operators import flags, logical_and, logical_not, logical_or, numbers
from dokima.model.columns import Column, Dates, Flags, Texts, take_or_blank


@dataclass(frozen=True)
class Groups:
    """Lines and the group each belongs to.

    Attributes:
        ids: For each line the number of its group, -1 for none.
        count: Number of groups.
    """

    ids: Integers
    count: int


@dataclass(frozen=True)
class Aggregate:
    """What an aggregate accepts and gives, and how the lines that count make a value."""

    takes: tuple[FormulaKind, ...]
    gives: FormulaKind | None
    work: Callable[[Column, Groups], Column]
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


def grouped(frame: Frame, by: Column | None) -> Groups:
    """The lines by order, or by order and value."""
    if by is None:
        return Groups(frame.order_of, frame.order_count)
    codes = value_codes(by.spread(len(frame.order_of)))
    keys = frame.order_of * (int(codes.max(initial=0)) + 1) + codes
    ids = dense(np.where(codes < 0, 0, keys))
    return Groups(np.where(codes < 0, -1, ids), int(ids.max(initial=-1)) + 1)


def aggregate(kind: Aggregate, frame: Frame, argument: Column | None, where: Flags | None, by: Column | None) -> Column:
    """The aggregate of each order (no ``by``), or for each line that of its group."""
    length = len(frame.order_of)
    groups = grouped(frame, by)
    value = Flags(np.ones(length, bool)) if argument is None else argument.spread(length)
    counted = groups.ids >= 0 if by is not None else None
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
        result = kind.work(value.take(at), Groups(groups.ids[at], groups.count))
    if unknown is not None:
        at = np.flatnonzero(unknown)
        result = result.without(any_in(np.ones(len(at), bool), groups.ids[at], groups.count))
    return result if by is None else take_or_blank(result, groups.ids)


def _sum(value: Column, groups: Groups) -> Column:
    return group_sums(numbers(value), groups.ids, groups.count)


def _average(value: Column, groups: Groups) -> Column:
    return group_sums(numbers(value), groups.ids, groups.count) / group_counts(groups.ids, groups.count)


def _count(value: Column, groups: Groups) -> Column:
    true = flags(value)
    ids = groups.ids if true.values.all() else groups.ids[true.is_true()]
    return group_counts(ids, groups.count).without(any_in(true.missing, groups.ids, groups.count))


def _any(value: Column, groups: Groups) -> Column:
    true, missing = flags(value).is_true(), value.missing
    yes = marked(true, groups.ids, groups.count)
    unsure = any_in(missing, groups.ids, groups.count)
    return Flags(yes, None if unsure is None else some(unsure & ~yes))


def _all(value: Column, groups: Groups) -> Column:
    return logical_not(flags(_any(logical_not(flags(value)), groups)))


def _extreme(highest: bool) -> Callable[[Column, Groups], Column]:
    def work(value: Column, groups: Groups) -> Column:
        if isinstance(value, Dates):
            days = group_extremes(Decimals(value.days, 0, value.missing), groups.ids, groups.count, highest)
            return Dates(days.units, days.missing)
        return group_extremes(numbers(value), groups.ids, groups.count, highest)

    return work


def _distinct(value: Column, groups: Groups) -> Column:
    codes = value_codes(value)
    width = int(codes.max(initial=0)) + 1
    keys = distinct(groups.ids * width + np.where(codes < 0, 0, codes))
    counts = group_counts(keys // width, groups.count)
    return Decimals(counts.units, 0, any_in(value.missing, groups.ids, groups.count), len(codes))


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
