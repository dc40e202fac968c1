"""Tax steps: rates and categories per line, tax in the price, and the breakdown."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from dokima.columns.column import blanks
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number, any_in, choose, compare, group_sums
from dokima.exact.integers import Mask, everywhere
from dokima.formulas.failures import first_of, only
from dokima.formulas.operators import compared, flags, numbers, pick
from dokima.pricing.steps.results import OtherTax, TaxTerms
from dokima.pricing.steps.routine import OWN_TAX, Step
from dokima.pricing.steps.run_state import Running
from dokima.pricing.steps.tax_entries import OwnTax, TaxEntries
from dokima.pricing.steps.taxing import TaxBase, Taxed, tax_lines


class TaxSteps(Running):
    """A running routine that can work out its taxes."""

    def take_own_tax(self, step: Step, figure: Decimals) -> None:
        """Note what a discount or charge with a tax of its own has moved, and what that is taxed with."""
        if not step.joins:
            return
        figure = figure.spread(self.length)
        moves = (compare(figure, Decimals.zeros(1)) != 0) & ~figure.is_missing()
        terms = self._tax_terms(step)
        terms = replace(terms, percent=terms.percent.spread(self.length), included=moves)
        unknown = terms.percent.is_missing() & moves
        self.note_blanks(step, unknown)
        self.result.tax_terms[step.name] = terms
        self.own_taxes.append(OwnTax(step, -figure if step.sign < 0 else figure, terms))

    @cached_property
    def _entries(self) -> TaxEntries:
        """The amounts that are taxed: no step that stands after a tax moves them."""
        return TaxEntries(self.taxable, self.frame.order_of, self.own_taxes)

    def add_tax(self, step: Step) -> None:
        """Work out the tax of each category and rate, and each line's part of it."""
        entries, of_lines = self._entries, self._tax_terms(step)
        terms = entries.taxed_by(step, of_lines)
        percent, amount = terms.percent, entries.amount
        for name in step.definition.on_top_of:
            amount = amount + self.tax_parts[name]
        fraction: Number | None = None
        inside = self._includes_tax()
        if inside is not None:
            inside = entries.at_entries(inside)
            share, whole = self._tax_shares(step, inside)
            fraction = choose(inside, share / whole, percent.shifted(2))
            # In one price all taxes are known, or none is.
            percent = percent.without(fraction.missing)
            amount = Decimals.choose(inside, entries.amount, amount)
        base = TaxBase(amount, percent, terms.category, terms.reason, terms.included, fraction)
        per_line = self.routine.definition.tax_per == "line"
        order_of, line_of = entries.order_of, entries.line_of
        taxed = tax_lines(step.name, base, order_of, self.places, step.rounding, per_line=per_line, line_of=line_of)
        taxed = self._as_frozen(step, taxed)
        unknown = entries.any_of_line(percent.is_missing() & terms.included)
        self.note_blanks(step, unknown)
        without = self._without_rate(unknown)
        parts = taxed.parts.without(None if without is None else entries.at_entries(without))
        taxed, mine = replace(taxed, parts=parts), entries.by_line(parts)
        self.failed = self.failed | mine.is_missing()
        # Tax is that of the amounts that stand, worked out for this document; it is only compared.
        self.agreed_or(step, step.name, mine)
        self.result.tax_terms[step.name] = of_lines
        self._taxed.append((step, taxed))
        self.tax_parts[step.name] = parts
        self.leave(step.name, mine)
        self.tax = mine if len(self._taxed) == 1 else self.tax + mine
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
        mine = self._entries.by_line(taxed.parts)
        kept = self._frozen(step.name, mine)
        if kept is mine:
            return taxed
        parts = self._entries.moved_to(taxed.parts, kept)
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
        own = OWN_TAX if step.joins else ""
        percent = numbers(self.evaluate(step.parts[f"{own}percent"]))
        category = self._texts(step, f"{own}category")
        if f"{own}category" in step.parts:
            percent = percent.without(category.missing)
        if own:
            return TaxTerms(percent, category, self._texts(step, f"{own}reason"), everywhere(self.length))
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
                terms = self._entries.taxed_by(each, self._tax_terms(each))
                below = sum((shares[name] for name in each.definition.on_top_of), one)
                share = terms.percent.shifted(2) * below
                shares[each.name] = choose(terms.included, share.spread(len(inside)), Decimals.zeros(1))
        # Elsewhere a call that fails for another tax says nothing of this one.
        self.broken = first_of(before, only(self.broken, inside[: self.length]))
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
                base = self._entries.amount
                for name, parts in self.tax_parts.items():
                    base = base if name in step.definition.on_top_of else base - parts
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
