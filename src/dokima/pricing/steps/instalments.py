"""Instalments: an amount of an order split exactly, each part with the day it is due."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.exact import Decimals, Grouping, Number, choose, group_sums, share_groups, stored
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import distinct
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import numbers


@dataclass(frozen=True)
class Instalment:
    """One instalment of a routine: what it is called, its share of the whole, and when it is due."""

    label: str
    share: Formula
    due: Formula | None


@dataclass(frozen=True)
class InstalmentPlan:
    """Instalments of orders.

    Attributes:
        orders: Positions of the orders.
        labels: What each instalment is called.
        due: For each instalment the day it is due, one value per order; None for one without a day.
        amounts: For each instalment its amount, one value per order.
        mixed: Per order, True if its shares have both signs, and there is something to split.
        weightless: Per order, True if all of its shares are 0, and there is something to split.
    """

    orders: Integers
    labels: Sequence[str]
    due: Sequence[Column | None]
    amounts: Sequence[Decimals]
    mixed: Mask
    weightless: Mask


def split(instalments: Sequence[Instalment], amounts: Decimals, places: int, frame: Frame) -> InstalmentPlan:
    """Split an amount of each order by shares, so that the parts add up to it exactly.

    Args:
        instalments: The instalments, one or more.
        amounts: What is split, one amount per order.
        places: Decimal places of the currency. Of an amount that has more, the parts have as many as it needs.
        frame: The orders.
    """
    orders, count = frame.order_count, len(instalments)
    rows = np.arange(orders * count)
    every, of = rows % max(orders, 1), rows // max(orders, 1)
    weights: Number = Decimals.zeros(1)
    for at, each in enumerate(instalments):
        share = numbers(each.share.evaluate(frame, Level.HEADER)).spread(orders)
        weights = choose(of == at, share.take(every), weights)
    parts, mixed, weightless = Decimals.blanks(len(rows)), np.zeros(orders, bool), np.zeros(orders, bool)
    needed = _places_needed(amounts, places)
    for least in distinct(needed).tolist():
        mine = np.flatnonzero(needed == least)
        theirs = np.flatnonzero(np.isin(every, mine))
        groups = Grouping(np.searchsorted(mine, every[theirs]), len(mine))
        shared = share_groups(amounts.take(mine), weights.take(theirs), least, groups)
        parts = parts.replaced(theirs, shared.parts)
        mixed[mine], weightless[mine] = shared.mixed, shared.weightless
    return InstalmentPlan(
        orders=np.arange(orders),
        labels=[each.label for each in instalments],
        due=[
            None if each.due is None else each.due.evaluate(frame, Level.HEADER).spread(orders) for each in instalments
        ],
        amounts=[parts.take(rows[of == at]) for at in range(count)],
        mixed=mixed,
        weightless=weightless,
    )


def what_is_split(
    of: str, totals: Mapping[str, Decimals], figures: Mapping[str, Column], by_order: Grouping
) -> Decimals:
    """What instalments split: a figure; ``with_tax`` with the rounding of cash, so that it is what is to be paid.

    Args:
        of: Its name.
        totals: The totals of orders.
        figures: Their line figures.
        by_order: The lines of each order together.
    """
    if of == "with_tax":
        return totals["with_tax"] + totals["rounding"]
    return group_sums(stored(numbers(figures[of])), by_order)


def _places_needed(amounts: Decimals, places: int) -> Integers:
    """For each amount the decimal places it needs, but at least those of its currency."""
    units = amounts.filled().units
    needed = np.full(len(units), places, np.int64)
    for fewer in range(places, amounts.places):
        needed[units % 10 ** (amounts.places - fewer) != 0] = fewer + 1
    return needed
