"""A variance summed by any field: by item, by customer, by a column of a table that the lines lead to."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from dokima.changes.variance import Variance
from dokima.columns.column import Column, concat, value_at
from dokima.columns.positions import take_or_blank
from dokima.errors import NotFound, nearest
from dokima.exact import Grouping, added, group_sums
from dokima.exact.integers import Integers
from dokima.formulas.aggregates import value_codes
from dokima.formulas.operators import alike
from dokima.model.said import Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.calculation.summing import LeftOut, reason_of, unpriced
from dokima.pricing.names.context import Context
from dokima.pricing.program import Run


@dataclass(frozen=True)
class VarianceGroup:
    """Lines with one value of a field, taken together.

    Attributes:
        value: The value; None for lines where it is blank.
        currency: Their currency: amounts of two are never added up.
        lines: How many of its lines changed.
        figures: By figure before, after and variance; None where one of them is unknown.
    """

    value: Any
    currency: str
    lines: int
    figures: dict[str, tuple[Any, Any, Any]]


@dataclass(frozen=True)
class Unpriced:
    """A pair of orders that cannot be compared: its place and number, whether the later one is at fault, and why."""

    pair: int
    order: str
    is_after: bool
    why: str


@dataclass(frozen=True)
class CurrencyBlock:
    """The groups of one currency, the largest variance first, and their total."""

    currency: str
    groups: Sequence[VarianceGroup]
    total: VarianceGroup


@dataclass(frozen=True)
class GroupedVariance:
    """The changed lines of a variance by a field; before and after are sums of those lines, not of whole orders.

    Attributes:
        by: The field.
        blocks: The groups, each currency by itself.
        left_out: Orders that could not be priced before or after, and are in no group.
        mix: Whether effects are split in quantity, price and mix.
    """

    by: str
    blocks: Sequence[CurrencyBlock]
    left_out: Sequence[LeftOut] = ()
    mix: bool = False

    @property
    def groups(self) -> list[VarianceGroup]:
        """The groups of all currencies."""
        return [group for block in self.blocks for group in block.groups]


def grouped(variance: Variance, by: str) -> GroupedVariance:
    """The changed lines of a variance by a field: ``item``, ``customer``, ``item.family``. The largest variance first.

    A line is counted where it stands after the change, a removed one where it stood before. Orders that cannot be
    priced are left out and named.

    Raises:
        NotFound: There is no such field or column; names the nearest.
    """
    left = list(unpriced_pairs(variance))
    known = ~np.isin(variance.pair_of, [each.pair for each in left]) if left else np.ones(len(variance), bool)
    changed = np.flatnonzero((variance.status != 0) & known)
    groups, currencies = _groups(variance, by, changed), dict[str, list[VarianceGroup]]()
    for group in groups:
        currencies.setdefault(group.currency, []).append(group)
    blocks = [CurrencyBlock(currency, mine, _total(mine, currency)) for currency, mine in sorted(currencies.items())]
    return GroupedVariance(by, blocks, [_left_out(each) for each in left], variance.mix)


def _left_out(each: Unpriced) -> LeftOut:
    why = each.why
    return LeftOut(each.order, Said("after: {why}", why=why) if each.is_after else Said("before: {why}", why=why))


def unpriced_pairs(variance: Variance) -> Iterator[Unpriced]:
    """The pairs of orders of which one side has no total, and why."""
    sides = (variance.before, variance.after)
    missing = [set(np.flatnonzero(unpriced(side)).tolist()) for side in sides]
    if not any(missing):
        return
    for at, (number, *places) in enumerate(variance.pairs):
        for side, place, gone, is_after in zip(sides, places, missing, (False, True), strict=True):
            if place in gone:
                yield Unpriced(at, number, is_after, reason_of(side, side.orders.numbers[place]))
                break


def _total(groups: Sequence[VarianceGroup], currency: str) -> VarianceGroup:
    """All groups of a currency together."""
    figures = {
        name: tuple(_added([group.figures[name][at] for group in groups]) for at in range(3))
        for name in groups[0].figures
    }
    return VarianceGroup("total", currency, sum(group.lines for group in groups), figures)


def _added(values: Sequence[Any]) -> Any:
    return None if None in values else added(values)


def _groups(variance: Variance, by: str, changed: Integers) -> list[VarianceGroup]:
    before, after = (_column(side, by) for side in (variance.before, variance.after))
    values = _chosen(before, after, variance.at_before[changed], variance.at_after[changed])
    before, after = (_column(side, "header.currency") for side in (variance.before, variance.after))
    money = _chosen(before, after, variance.at_before[changed], variance.at_after[changed])
    kinds = value_codes(money) + 1
    both = (value_codes(values) + 1) * (int(kinds.max(initial=0)) + 1) + kinds
    codes = np.unique(both, return_inverse=True)[1].reshape(-1)
    together = Grouping(codes, int(np.max(codes, initial=-1)) + 1)
    first = together.first(np.arange(len(codes)), 0)
    places = [variance.after.program.definition.minor_units.get(value_at(money, at) or "", 2) for at in first.tolist()]
    names = ["quantity", *(name for name, columns in variance.figures.items() if columns.is_amount)]
    sums = {
        name: [group_sums(part.take(changed), together) for part in (columns.before, columns.after, columns.variance)]
        for name in names
        for columns in [variance.figures[name]]
    }
    lines = together.sizes
    groups = [
        VarianceGroup(
            value_at(values, int(first[at])),
            value_at(money, int(first[at])) or "",
            int(lines[at]),
            {
                name: tuple(amount_at(part, at, 0 if name == "quantity" else places[at]) for part in parts)
                for name, parts in sums.items()
            },
        )
        for at in range(together.count)
    ]
    return sorted(groups, key=lambda group: -abs(group.figures.get("without_tax", (0, 0, 0))[2] or 0))


def _chosen(before: Column, after: Column, at_before: Integers, at_after: Integers) -> Column:
    """The value of each line: after the change, before it where it is gone."""
    one, two = alike(after, before)
    place = np.where(at_after >= 0, at_after, np.where(at_before >= 0, at_before + len(one), -1))
    return take_or_blank(concat([one, two]), place)


def _column(side: Calculation, by: str) -> Column:
    """A field of lines, of headers at their lines, or a column of a table, one value per line."""
    program, orders = side.program, side.orders
    context = Context(program, orders, Run())
    head, dot, tail = by.partition(".")
    if not dot:
        if by in program.fields.line:
            return orders.line(by)
        if by in program.fields.header:
            return orders.header(by).take(orders.order_of)
        holding = [name for name, table in program.tables.items() if by in table.fields]
        # What an item or a customer is, its own table says; others only ask for it.
        holding = [name for name in holding if program.tables[name].definition.is_master] or holding
        if len(holding) == 1:
            return _column(side, f"{holding[0]}.{by}")
        hint = f"; say which: {', '.join(f'{name}.{by}' for name in holding)}" if holding else ""
        known = [*program.fields.line, *program.fields.header, *(f for t in program.tables.values() for f in t.fields)]
        raise NotFound(
            f"expected a field such as item, customer or item.family (got '{by}'{hint or nearest(by, known)})"
        )
    if head == "line" and tail in program.fields.line:
        return orders.line(tail)
    if head == "header" and tail in program.fields.header:
        return orders.header(tail).take(orders.order_of)
    table = program.tables.get(head)
    if table is None or tail not in table.fields:
        known = [f"{name}.{field}" for name, each in program.tables.items() for field in each.fields]
        raise NotFound(f"there is no '{by}'{nearest(by, known)}")
    return context.line_column(by)
