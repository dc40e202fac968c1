"""Instalments: an amount of an order split exactly, each part with the day it is due."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.exact import Decimals, Grouping, Number, choose, compare, group_sums, share_groups, stored
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import distinct
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import numbers


@dataclass(frozen=True)
class EarlyTerms:
    """What may be deducted from an instalment that is paid early: so many percent, until a day."""

    percent: Formula
    by: Formula


@dataclass(frozen=True)
class Instalment:
    """One instalment of a routine: what it is called, its share of the whole, when it is due, and what an early payment
    may deduct.
    """

    label: str
    share: Formula
    due: Formula | None
    early: EarlyTerms | None = None

    def formulas(self) -> list[Formula]:
        """All its formulas."""
        early = [] if self.early is None else [self.early.percent, self.early.by]
        return [each for each in (self.share, self.due, *early) if each is not None]


@dataclass(frozen=True)
class EarlyPayment:
    """What an instalment comes to if it is paid early, one value per order; blank where nothing may be deducted.

    Attributes:
        asked: The percentage as the rulebook gives it, whether or not it can be.
        by: The last day.
        percent: So much of a hundred.
        discount: What may be deducted.
        amount: What is paid then.
    """

    asked: Decimals
    by: Column
    percent: Decimals
    discount: Decimals
    amount: Decimals


@dataclass(frozen=True)
class InstalmentPlan:
    """Instalments of orders.

    Attributes:
        orders: Positions of the orders.
        labels: What each instalment is called.
        due: For each instalment the day it is due, one value per order; None for one without a day.
        amounts: For each instalment its amount, one value per order.
        early: For each instalment what it comes to if it is paid early; None for one without such terms.
        mixed: Per order, True if its shares have both signs, and there is something to split.
        weightless: Per order, True if all of its shares are 0, and there is something to split.
    """

    orders: Integers
    labels: Sequence[str]
    due: Sequence[Column | None]
    amounts: Sequence[Decimals]
    early: Sequence[EarlyPayment | None]
    mixed: Mask
    weightless: Mask


def split(instalments: Sequence[Instalment], amounts: Decimals, places: int, mode: str, frame: Frame) -> InstalmentPlan:
    """Split an amount of each order by shares, so that the parts add up to it exactly.

    Args:
        instalments: The instalments, one or more.
        amounts: What is split, one amount per order.
        places: Decimal places of the currency. Of an amount that has more, the parts have as many as it needs.
        mode: Rounding mode of what an early payment deducts.
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
    own = [parts.take(rows[of == at]) for at in range(count)]
    return InstalmentPlan(
        orders=np.arange(orders),
        labels=[each.label for each in instalments],
        due=[
            None if each.due is None else each.due.evaluate(frame, Level.HEADER).spread(orders) for each in instalments
        ],
        amounts=own,
        early=[
            _paid_early(each.early, amount, places, mode, frame) for each, amount in zip(instalments, own, strict=True)
        ],
        mixed=mixed,
        weightless=weightless,
    )


def _paid_early(
    terms: EarlyTerms | None, amount: Decimals, places: int, mode: str, frame: Frame
) -> EarlyPayment | None:
    """What an instalment comes to if it is paid early; nothing for 0 percent, and for what is no share of it."""
    if terms is None:
        return None
    percent = stored(numbers(terms.percent.evaluate(frame, Level.HEADER)).spread(frame.order_count))
    by = terms.by.evaluate(frame, Level.HEADER).spread(frame.order_count)
    zero, whole = Decimals.zeros(1), Decimals.constant(100)
    is_share = (compare(percent, zero) > 0) & (compare(percent, whole) <= 0) & ~percent.is_missing()
    gone = ~is_share | by.is_missing() | amount.is_missing()
    discount = (amount * percent.shifted(2)).round(places, mode).without(gone)
    return EarlyPayment(percent, by.without(gone), percent.without(gone), discount, amount - discount)


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
