"""The amounts that taxes are taken of: those of the lines, and those of steps with a tax of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dokima.columns.texts import Texts
from dokima.exact import Decimals, Grouping, choose, compare, group_sums
from dokima.exact.integers import Integers, Mask
from dokima.formulas.operators import pick
from dokima.pricing.steps.results import TaxTerms
from dokima.pricing.steps.routine import Step


@dataclass(frozen=True)
class OwnTax:
    """What a step with a tax of its own has moved.

    Attributes:
        step: The step.
        amount: What it moved on each line, with its sign.
        terms: What that is taxed with; included are lines on which it moved something.
    """

    step: Step
    amount: Decimals
    terms: TaxTerms


class TaxEntries:
    """Amounts that are taxed by themselves, as entries: one for each line, then one for each line a step moved.

    A line whose own amount and whose freight are taxed alike is one in its group of the breakdown: ``line_of`` says
    which entries are of one line.

    Args:
        amount: What each line is taxed of, without the amounts that have a tax of their own.
        order_of: For each line the position of its order.
        own: Those amounts, in the order of their steps.
    """

    def __init__(self, amount: Decimals, order_of: Integers, own: Sequence[OwnTax]) -> None:
        self.lines = len(order_of)
        self.own = own
        self.amount = amount
        self.order_of = order_of
        self.line_of: Integers | None = None
        self._owner = np.zeros(0, np.int64)
        if not own:
            return
        moved = [np.flatnonzero(each.terms.included) for each in own]
        self.line_of = np.concatenate([np.arange(self.lines), *moved])
        self._owner = np.repeat(np.arange(-1, len(own)), [self.lines, *(len(lines) for lines in moved)])
        self.order_of = order_of[self.line_of]
        self.amount = amount.spread(self.lines).take(self.line_of)
        for at, each in enumerate(own):
            self.amount = Decimals.choose(self._owner == at, each.amount.take(self.line_of), self.amount)

    def taxed_by(self, step: Step, of_lines: TaxTerms) -> TaxTerms:
        """What a tax step taxes each entry with.

        An amount with a tax of its own is taxed by the tax that it joins, at its own rate, and by those on top of that
        one which it names, as its line is.

        Args:
            step: The tax step.
            of_lines: What it taxes the lines with.
        """
        if self.line_of is None:
            return of_lines
        percent = of_lines.percent.spread(self.lines).take(self.line_of)
        category, reason = (each.spread(self.lines).take(self.line_of) for each in (of_lines.category, of_lines.reason))
        included = of_lines.included[self.line_of]
        for at, each in enumerate(self.own):
            mine = self._owner == at
            joined, *following = each.step.joins
            if step.name == joined:
                terms = each.terms
                percent = choose(mine, terms.percent.spread(self.lines).take(self.line_of), percent)
                category = self._picked(mine, terms.category, category)
                reason = self._picked(mine, terms.reason, reason)
                included = included | mine
            elif step.name not in following:
                percent = choose(mine, Decimals.zeros(1), percent)
                included = included & ~mine
        return TaxTerms(percent, category, reason, included)

    def _picked(self, mine: Mask, own: Texts, others: Texts) -> Texts:
        assert self.line_of is not None
        found = pick(mine, own.spread(self.lines).take(self.line_of), others)
        assert isinstance(found, Texts)
        return found

    def at_entries(self, of_lines: Mask) -> Mask:
        """What holds of the lines, for the entries."""
        return of_lines if self.line_of is None else of_lines[self.line_of]

    def any_of_line(self, of_entries: Mask) -> Mask:
        """For each line whether it holds of one of its entries."""
        if self.line_of is None:
            return of_entries
        found = np.zeros(self.lines, bool)
        found[self.line_of[of_entries]] = True
        return found

    def by_line(self, of_entries: Decimals) -> Decimals:
        """The sum of the entries of each line."""
        return of_entries if self.line_of is None else group_sums(of_entries, Grouping(self.line_of, self.lines))

    def moved_to(self, parts: Decimals, whole: Decimals) -> Decimals:
        """Parts of entries such that those of each line come to a figure; what is different falls to the line itself.

        Args:
            parts: One part per entry.
            whole: What they are to come to, one figure per line.
        """
        if self.line_of is None:
            return whole
        rest = whole - self.by_line(parts)
        if not bool((compare(rest, Decimals.zeros(1)) != 0).any()):
            return parts
        return Decimals.choose(self._owner < 0, parts + rest.take(self.line_of), parts)
