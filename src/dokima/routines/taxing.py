"""Tax: per category and rate on the document and apportioned to the lines, or line by line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.exact import Decimals, Number, apportion_groups, group_sums, ranks
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import dense
from dokima.model.columns import Texts, take_or_blank


@dataclass(frozen=True)
class TaxGroups:
    """The tax breakdown: one row per order, step, category and rate.

    Attributes:
        step: Name of the tax step.
        order: Position of the order of each row.
        category: Tax category (UN/ECE 5305) of each row, missing if the step names none.
        rate: Percent.
        taxable: Sum of the amounts without tax.
        tax: The tax on it.
        reason: Why there is none, for exempt and reverse-charge rows; missing elsewhere.
    """

    step: str
    order: Integers
    category: Texts
    rate: Number
    taxable: Decimals
    tax: Decimals
    reason: Texts


@dataclass(frozen=True)
class TaxBase:
    """What a tax step works on, one value per line: amounts, percents, categories, reasons, and which lines it meets."""

    amount: Decimals
    percent: Number
    category: Texts
    reason: Texts
    included: Mask


def tax_on_document(
    step: str, base: TaxBase, order_of: Integers, orders: int, places: int, mode: str
) -> tuple[TaxGroups, Decimals]:
    """Tax rounded once per order, category and rate; each line's part, which add up to it.

    A line without percent is in no group and has no part; a line without amount leaves its whole group without tax.
    """
    return _taxed(step, base, order_of, orders, places, mode, per_line=False)


def tax_on_lines(
    step: str, base: TaxBase, order_of: Integers, orders: int, places: int, mode: str
) -> tuple[TaxGroups, Decimals]:
    """Tax rounded on each line; a group's tax is the sum of its lines'."""
    return _taxed(step, base, order_of, orders, places, mode, per_line=True)


def _taxed(
    step: str, base: TaxBase, order_of: Integers, orders: int, places: int, mode: str, *, per_line: bool
) -> tuple[TaxGroups, Decimals]:
    blank = base.percent.is_missing()
    inside = base.included & ~blank
    lines = np.flatnonzero(inside) if not inside.all() else np.arange(len(order_of))
    amount, percent = base.amount.take(lines), base.percent.take(lines)
    category, of = base.category.take(lines), order_of[lines]
    rates = ranks(percent)
    width, kinds = int(rates.max(initial=0)) + 1, len(category.words.items) + 1
    groups = dense((of * kinds + category.codes + 1) * width + rates)
    count = int(groups.max(initial=-1)) + 1
    first = np.zeros(count, np.int64)
    first[groups[::-1]] = np.arange(len(groups))[::-1]
    rate = percent.take(first)
    taxable = group_sums(amount, groups, count)
    exact = amount * percent.shifted(2)
    if per_line:
        part = exact.round(places, mode)
        tax = group_sums(part, groups, count)
    else:
        tax = (taxable * rate.shifted(2)).round(places, mode)
        part = apportion_groups(exact, tax, places, groups)
    place = np.full(len(order_of), -1, np.int64)
    place[lines] = np.arange(len(lines))
    parts = part if len(lines) == len(order_of) else take_or_blank(part, place)
    if not base.included.all():
        parts = Decimals.choose(base.included, parts, Decimals.zeros(1))
    reason = base.reason.take(lines).take(first)
    return TaxGroups(step, of[first], category.take(first), rate, taxable, tax, reason), parts
