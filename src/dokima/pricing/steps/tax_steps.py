"""Tax steps: rates and categories per line, tax in the price, and the breakdown."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dokima.columns.column import blanks
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number, any_in, choose, compare, group_sums, stored
from dokima.exact.integers import Mask, everywhere
from dokima.formulas.failures import first_of, only
from dokima.formulas.operators import compared, flags, numbers, pick
from dokima.pricing.steps.results import OtherTax, TaxTerms
from dokima.pricing.steps.routine import Step
from dokima.pricing.steps.run_state import Running
from dokima.pricing.steps.taxing import TaxBase, Taxed, tax_lines


class TaxSteps(Running):
    """A running routine that can work out its taxes."""

    def add_tax(self, step: Step) -> None:
        """Work out the tax of each category and rate, and each line's part of it."""
        terms = self._tax_terms(step)
        percent = terms.percent
        amount = self.taxable
        for name in step.definition.on_top_of:
            amount = amount + stored(numbers(self.result.lines[name]))
        fraction: Number | None = None
        inside = self._includes_tax()
        if inside is not None:
            share, whole = self._tax_shares(step, inside)
            fraction = choose(inside, share / whole, percent.shifted(2))
            # In one price all taxes are known, or none is.
            percent = percent.without(fraction.missing)
            amount = Decimals.choose(inside, self.taxable, amount)
        base = TaxBase(amount, percent, terms.category, terms.reason, terms.included, fraction)
        per_line = self.routine.definition.tax_per == "line"
        taxed = tax_lines(step.name, base, self.frame.order_of, self.places, step.rounding, per_line=per_line)
        taxed = self._as_frozen(step, taxed)
        unknown = percent.is_missing() & terms.included
        self.note_blanks(step, unknown)
        taxed = replace(taxed, parts=taxed.parts.without(self._without_rate(unknown)))
        self.failed = self.failed | taxed.parts.is_missing()
        # Tax is that of the amounts that stand, worked out for this document; it is only compared.
        self.agreed_or(step, step.name, taxed.parts)
        self.result.tax_terms[step.name] = terms
        self._taxed.append((step, taxed))
        self.leave(step.name, taxed.parts)
        self.tax = taxed.parts if len(self._taxed) == 1 else self.tax + taxed.parts
        self._leave_tax()

    def _without_rate(self, unknown: Mask) -> Mask | None:
        """The lines of orders in which a rate is unknown, for this tax and all that follow; None if there are none.

        The tax of an order is that of all its lines: where one has no rate, nobody knows the tax of the others' order.
        """
        orders = any_in(unknown & ~self._untaxed, self.frame.by_order)
        if orders is not None:
            self._untaxed = self._untaxed | orders[self.frame.order_of]
        return self._untaxed if self._untaxed.any() else None

    def _as_frozen(self, step: Step, taxed: Taxed) -> Taxed:
        """The tax, but where it was frozen as it was then, in the breakdown too."""
        parts = self._frozen(step.name, taxed.parts)
        if parts is taxed.parts:
            return taxed
        groups = taxed.groups
        whole = group_sums(parts.take(taxed.lines), taxed.by_group)
        return Taxed(replace(groups, tax=whole), parts, taxed.lines, taxed.by_group)

    def _tax_terms(self, step: Step) -> TaxTerms:
        """What a step taxes each line with: by agreement where a line keeps that, else by the rulebook of today."""
        today = self._tax_terms_today(step)
        kept = self.frame.kept_tax(step.name)
        if kept is None:
            return today
        there = kept.there
        terms = TaxTerms(
            choose(there, kept.percent, today.percent.spread(self.length)),
            self._picked(there, kept.category, today.category),
            self._picked(there, kept.reason, today.reason),
            np.where(there, kept.applies, today.included),
        )
        same = (compare(terms.percent, today.percent.spread(self.length)) == 0) & ~today.percent.is_missing()
        same &= compared(terms.category, today.category, "==").is_true() | (
            terms.category.is_missing() & today.category.is_missing()
        )
        same = np.where(terms.included & today.included, same, terms.included == today.included)
        other = np.flatnonzero(there & ~same)
        if len(other) and step.name not in self.result.tax_terms:
            self.result.other_taxes.append(OtherTax(step, other, terms, today))
        return terms

    @staticmethod
    def _picked(there: Mask, kept: Texts, today: Texts) -> Texts:
        found = pick(there, kept, today.spread(len(kept)))
        assert isinstance(found, Texts)
        return found

    def _tax_terms_today(self, step: Step) -> TaxTerms:
        percent = numbers(self.evaluate(step.parts["percent"]))
        category = self._texts(step, "category")
        if "category" in step.parts:
            percent = percent.without(category.missing)
        when = flags(self._part(step, "when") or Flags(everywhere(self.length)))
        percent = percent.without(when.missing)
        if self.routine.includes_tax is not None:
            percent = percent.without(self.evaluate(self.routine.includes_tax).missing)
        return TaxTerms(percent, category, self._texts(step, "reason"), when.is_true() | when.is_missing())

    def _includes_tax(self) -> Mask | None:
        """True for lines of orders whose prices include tax; None if there are none."""
        if self.routine.includes_tax is None:
            return None
        inside = flags(self.evaluate(self.routine.includes_tax)).is_true()
        return inside if inside.any() else None

    def _tax_shares(self, step: Step, inside: Mask) -> tuple[Number, Number]:
        """Where prices include tax: this tax as a share of the amount without it, and 1 plus the shares of all taxes.

        A share is rate / 100 x (1 + the shares of the taxes it stands on).
        """
        one: Number = Decimals.constant(1)
        shares: dict[str, Number] = {}
        before, self.broken = self.broken, None
        for each in self.routine.steps:
            if each.way.is_tax:
                terms = self._tax_terms(each)
                below = sum((shares[name] for name in each.definition.on_top_of), one)
                share = terms.percent.shifted(2) * below
                shares[each.name] = choose(terms.included, share.spread(self.length), Decimals.zeros(1))
        # Elsewhere a call that fails for another tax says nothing of this one.
        self.broken = first_of(before, only(self.broken, inside))
        return shares[step.name], sum(shares.values(), one)

    def _leave_tax(self) -> None:
        """The figures that end a routine; where prices include tax, the amount without it is what is left of them."""
        if self._ended is not None and self._ended[0] is self.running and self._ended[1] is self.tax:
            return  # nothing has moved since
        self._ended = self.running, self.tax
        self.leave("tax", self.tax)
        inside = self._includes_tax()
        with_tax = self.running + self.tax
        if inside is not None:
            with_tax = Decimals.choose(inside, self.running, with_tax)
            with_tax = with_tax.without(self._untaxed) if self._untaxed.any() else with_tax
            self.leave("without_tax", Decimals.choose(inside, self.running - self.tax, self.running))
        self.leave("with_tax", with_tax)

    def _break_down(self) -> None:
        """The breakdown of all taxes; where prices include them, its base is what is left without them."""
        inside = self._includes_tax()
        for step, taxed in self._taxed:
            groups = taxed.groups
            if inside is not None:
                base = self.taxable - self.tax
                for name in step.definition.on_top_of:
                    base = base + stored(numbers(self.result.lines[name]))
                left = group_sums(base.take(taxed.lines), taxed.by_group)
                included = any_in(inside, self.frame.by_order)
                assert included is not None
                groups = replace(groups, taxable=Decimals.choose(included[groups.order], left, groups.taxable))
            self.result.taxes.append(groups)
        if inside is not None:
            included = any_in(inside, self.frame.by_order)
            self.result.inclusive = included if included is not None else self.result.inclusive

    def _texts(self, step: Step, key: str) -> Texts:
        column = self._part(step, key)
        if column is None:
            column = blanks("text", self.length)
        assert isinstance(column, Texts)
        return column
