"""Tax: per category and rate on the document and apportioned to the lines, or line by line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.columns.positions import take_or_blank
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Grouping, Number, apportion_groups, compare, group_sums, ranks
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import dense


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
    """What a tax step works on, one value per line.

    Attributes:
        amount: The amounts taxed; with tax where prices include it.
        percent: Rate of each line.
        category: Tax category of each line.
        reason: Reason of each line.
        included: Lines the step meets.
        fraction: What part of the amount is the tax, where that is not percent / 100 on every line; None elsewhere.
    """

    amount: Decimals
    percent: Number
    category: Texts
    reason: Texts
    included: Mask
    fraction: Number | None = None


@dataclass(frozen=True)
class Taxed:
    """What a tax step gave: the breakdown, each line's part, and which lines (``lines``) are in which of its groups."""

    groups: TaxGroups
    parts: Decimals
    lines: Integers
    by_group: Grouping


def tax_lines(
    step: str,
    base: TaxBase,
    order_of: Integers,
    places: int,
    mode: str,
    *,
    per_line: bool,
    line_of: Integers | None = None,
) -> Taxed:
    """Tax per order, category and rate, and each line's part of it.

    The breakdown of an order is in the sequence of its categories and rates, whatever other orders are taxed with it.
    On the document it is rounded once per group and apportioned to the lines; per line it is rounded on each line and
    a group's tax is their sum. Either way the parts add up to the tax of their group. A line without percent is in no
    group and has no part; a line without amount leaves its whole group without tax.

    Args:
        step: Name of the tax step.
        base: What it works on.
        order_of: For each line the position of its order.
        places: Decimal places of the currency.
        mode: Rounding mode.
        per_line: Round on each line instead of on the document.
        line_of: For each place of the base its line, where several may be of one; they are rounded as one in a group.
    """
    inside = base.included & ~base.percent.is_missing()
    every = bool(inside.all())
    lines = np.arange(len(inside)) if every else np.flatnonzero(inside)
    amount, percent, category, of, reason = base.amount, base.percent, base.category, order_of, base.reason
    fraction = base.fraction
    if not every:
        amount, percent, category = amount.take(lines), percent.take(lines), category.take(lines)
        of, reason = of[lines], reason.take(lines)
        fraction = None if fraction is None else fraction.take(lines)
    rates = ranks(percent)
    width, kinds = int(rates.max(initial=0)) + 1, len(category.words) + 1
    codes = dense((of * kinds + category.ranks() + 1) * width + rates)
    groups = Grouping(codes, int(codes.max(initial=-1)) + 1)
    first = groups.first(np.arange(len(codes)), 0)
    rate = percent.take(first)
    taxable = group_sums(amount, groups)
    part_of = percent.shifted(2) if fraction is None else fraction
    exact = amount * part_of
    of_group: Number | None = part_of.take(first)
    if fraction is not None and bool((compare(part_of, part_of.take(first).take(codes)) != 0).any()):
        of_group = None  # lines that share a rate may bear other taxes beside it, and so hold different parts of it
    together = None if per_line else (group_sums(exact, groups) if of_group is None else taxable * of_group)
    tax, part = _rounded(exact, together, groups, None if line_of is None else line_of[lines], places, mode)
    parts = part
    if not every:
        place = np.full(len(order_of), -1, np.int64)
        place[lines] = np.arange(len(lines))
        parts = take_or_blank(part, place)
    if not base.included.all():
        parts = Decimals.choose(base.included, parts, Decimals.zeros(1))
    breakdown = TaxGroups(step, of[first], category.take(first), rate, taxable, tax, reason.take(first))
    return Taxed(breakdown, parts, lines, groups)


def _rounded(
    exact: Number, together: Number | None, groups: Grouping, line_of: Integers | None, places: int, mode: str
) -> tuple[Decimals, Decimals]:
    """The tax of each group, and the part of each place.

    Args:
        exact: The exact tax of each place.
        together: That of each group, which is rounded once; None to round on each line.
        groups: The places in groups.
        line_of: For each place its line, where several may be of one; they are rounded as one in a group.
        places: Decimal places of the currency.
        mode: Rounding mode.
    """
    of_line, by_line = groups, None
    if line_of is not None:
        by_line, of_line = _lines_of_groups(line_of, groups)
    whole: Number = exact if by_line is None else group_sums(exact, by_line)
    if together is None:
        part = whole.round(places, mode)
        tax = group_sums(part, of_line)
    else:
        tax = together.round(places, mode)
        part = apportion_groups(whole, tax, places, of_line)
    return tax, part if by_line is None else apportion_groups(exact, part, places, by_line)


def _lines_of_groups(line_of: Integers, groups: Grouping) -> tuple[Grouping, Grouping]:
    """What is of one line in one group together, in the sequence of lines, and which group each of these is in."""
    codes = dense(line_of * max(groups.count, 1) + groups.of)
    together = Grouping(codes, int(codes.max(initial=-1)) + 1)
    return together, Grouping(together.first(groups.of, 0), groups.count)
