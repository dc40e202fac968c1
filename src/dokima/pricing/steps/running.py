"""Running a routine over the lines of many orders at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from dokima.columns.flags import Flags
from dokima.exact import Decimals, any_in, compare, group_sums, magnitude
from dokima.exact.integers import Mask, either, everywhere
from dokima.formulas import Level
from dokima.formulas.operators import flags, logical_and, numbers
from dokima.model.said import Said
from dokima.pricing.kinds.kind import Working
from dokima.pricing.steps.groups import Groups
from dokima.pricing.steps.limits import capped, cut_to
from dokima.pricing.steps.results import BlankStep, RoutineResult, Workings
from dokima.pricing.steps.routine import Routine, Step
from dokima.pricing.steps.spreading import Spread, spread_amount, spread_exact
from dokima.pricing.steps.tax_steps import TaxSteps

_WEIGHTLESS = Said("there is no line, or only lines of weight 0, to share it over")


def run_routine(
    routine: Routine, frame: Workings, places: int, *, traced: bool = False, first: int | None = None
) -> RoutineResult:
    """Run a routine.

    Args:
        routine: The routine.
        frame: Orders it fits, lines without sub-lines only, all in currencies with the same minor unit.
        places: Decimal places of that minor unit.
        traced: Keep what each step saw, for explanations.
        first: Run only so many of the first steps.
    """
    return Run(routine, frame, places, traced).run(routine.steps[:first])


class Run(TaxSteps):
    """A running routine: what kinds of steps need to work themselves out, and steps that compete."""

    def run(self, steps: Sequence[Step]) -> RoutineResult:
        """Work all steps out, one after the other."""
        for rivals in _together(steps):
            if self.traced:
                for step in rivals:
                    self._keep_trace(step)
            if len(rivals) > 1:
                self._compete(rivals)
            else:
                rivals[0].way.run(self, rivals[0])
        self._leave_tax()
        self._break_down()
        self._close_errors()
        return self.result

    # -- steps ------------------------------------------------------------------------------------------------

    def adjust(self, step: Step) -> None:
        """Work out what each line bears of a step, and move its amount by that."""
        match step.definition.over:
            case "order":
                figure = self._of_order(step)
            case "parent":
                figure = self._of_parents(step)
            case _:
                figure = self.agreed_or(step, step.name, self._moved_by(step))
                self.note_blanks(step, figure.is_missing())
        self.leave(step.name, figure)
        self.take_own_tax(step, figure)
        self._move(step, figure)

    def apportion(self, step: Step) -> None:
        """Work a step out once for the order and apportion it; it moves no amount."""
        spread = self._share_out(step, Groups.by_order(self.frame))
        # Like tax it follows from the amounts that stand, for this document; it is only compared.
        parts = self._frozen(step.name, spread.parts)
        self.agreed_or(step, step.name, parts)
        self._note_blank_orders(step, parts, spread)
        self.leave(step.name, parts)

    def _of_order(self, step: Step) -> Decimals:
        """Each line's part of a figure worked out once for the order."""
        spread = self._share_out(step, Groups.by_order(self.frame))
        parts = self.agreed_or(step, step.name, self._keeping(step, spread))
        self._note_blank_orders(step, parts, spread)
        return parts

    def _of_parents(self, step: Step) -> Decimals:
        """Each line's part of the figures of the parent lines above it, each worked out once for its parent line."""
        # A line below two parent lines, one above the other, bears a part of both.
        parts, mixed, weightless = Decimals.zeros(self.length), self._nowhere(), self._nowhere()
        reached = self._nowhere()
        for groups in self.frame.parents():
            spread = self._share_out(step, groups)
            assert groups.inside is not None
            parts = parts + Decimals.choose(groups.inside, spread.parts, Decimals.zeros(1))
            reached |= groups.inside & (True if spread.reached is None else spread.reached)
            mixed |= groups.inside & spread.mixed[groups.lines.of]
            weightless |= groups.inside & spread.weightless[groups.lines.of]
        parts = self.agreed_or(step, step.name, self._keeping(step, Spread(parts, mixed, weightless, reached)))
        for line in np.flatnonzero((mixed | weightless) & ~self.failed).tolist():
            self.result.blank_steps.append(BlankStep(step, line, _mixed(step) if mixed[line] else _WEIGHTLESS))
        self.failed = self.failed | mixed | weightless
        self.note_blanks(step, parts.is_missing())
        return parts

    def _nowhere(self) -> Mask:
        return np.zeros(self.length, bool)

    def _share_out(self, step: Step, groups: Groups) -> Spread:
        """Each line's part of a figure worked out once for its group."""
        places = self.places if step.definition.places is None else step.definition.places
        where = flags(self._part(step, "where", groups.frame) or Flags(everywhere(self.length)))
        included, of, count = where.is_true(), groups.lines.of, groups.lines.count
        included = included if groups.inside is None else included & groups.inside
        cap = numbers(self._once(groups, step.parts["cap"])) if "cap" in step.parts else None
        if "amount" in step.parts:
            amount = numbers(self._once(groups, step.parts["amount"]))
            amount = amount if cap is None else capped(amount, cap)
            # Where nobody says what to share by, it is the amount each line has come to so far.
            weights = numbers(self._part(step, "share") or self.running)
            equal = step.definition.if_no_share == "equal"
            spread = spread_amount(amount, weights, included, groups.lines, places, step.rounding, equal=equal)
        else:
            exact = Working(self, step, groups.frame).exact()
            spread = spread_exact(exact, included, cap, groups.lines, places, step.rounding)
        parts = spread.parts
        # Whether one line takes part decides what every other line gets, so one that is unknown makes all unknown.
        unknown = any_in(where.missing, groups.lines)
        if unknown is not None:
            parts = parts.without(unknown[of])
        blank = self._blank_once(step, groups)
        when = self._condition(step, groups)
        if when is None:
            return replace(spread, parts=parts, reached=included, blank=blank)
        when = when.spread(count)
        applies = when.is_true()
        parts = Decimals.choose(applies[of], parts, Decimals.zeros(1))
        parts = parts.without(None if when.missing is None else when.missing[of])
        blank = either(None if blank is None else blank & applies, when.missing)
        return Spread(parts, spread.mixed & applies, spread.weightless & applies, included & applies[of], blank)

    def _blank_once(self, step: Step, groups: Groups) -> Mask | None:
        """The groups for which a formula that is worked out once for them is blank."""
        found: Mask | None = None
        for key in ("amount", "percent", "cap"):
            if key in step.parts and step.parts[key].level is not Level.LINE:
                found = either(found, self._once(groups, step.parts[key]).missing)
        return found

    def _keeping(self, step: Step, spread: Spread) -> Decimals:
        """The parts of a figure, each cut to what its line must keep where the step meets it."""
        least = self._part(step, "keep_above")
        if least is None:
            return spread.parts
        cut = cut_to(spread.parts, self.running - numbers(least), self.places)
        return cut if spread.reached is None else Decimals.choose(spread.reached, cut, spread.parts)

    def _note_blank_orders(self, step: Step, parts: Decimals, spread: Spread) -> None:
        """One finding for each order whose figure came out blank for a reason of its own."""
        wrong = any_in(parts.missing, self.frame.by_order)
        nowhere = np.zeros(self.frame.order_count, bool) if wrong is None else wrong
        # Without a line that takes part there is nothing to blank, but what is unknown or nobody bears is lost.
        lost = spread.weightless if spread.blank is None else spread.weightless | spread.blank
        lost = lost & ~nowhere
        emptied = self.frame.emptied()
        lost = lost if emptied is None else lost & ~emptied
        failed = any_in(self.failed, self.frame.by_order)
        before = self.lost if failed is None else self.lost | failed
        reasons = self.reasons()
        orders = np.flatnonzero((nowhere | lost) & ~before)
        for order, reason in zip(orders.tolist(), reasons.of_orders(step, orders), strict=True):
            lines = self.frame.by_order.members(order) if self.broken is not None else ()
            broken = next((found for line in lines if (found := self._broken_at(line))), None)
            reason = broken or reason  # noqa: PLW2901 - a call that failed is the better one
            shared = _mixed(step) if spread.mixed[order] else _WEIGHTLESS
            self.result.blank_steps.append(BlankStep(step, -1, shared if reason is None else reason.text, order))
        self.lost = self.lost | lost
        self.failed = self.failed | parts.is_missing()

    def _moved_by(self, step: Step) -> Decimals:
        """The figure of a discount or charge: capped, rounded, cut, and 0 where it does not apply."""
        exact = Working(self, step).exact()
        if (cap := self._part(step, "cap")) is not None:
            exact = capped(exact, numbers(cap))
        places = self.places if step.definition.places is None else step.definition.places
        figure = exact.round(places, step.rounding).spread(self.length)
        if (least := self._part(step, "keep_above")) is not None:
            figure = cut_to(figure, self.running - numbers(least), self.places)
        return self._where(step, figure)

    def _compete(self, rivals: Sequence[Step]) -> None:
        """Steps with one ``best_of``: the largest stays, the others are 0, a tie goes to the first.

        Steps of the order compete once for the order, by the sums of their parts.
        """
        by_order = rivals[0].definition.over == "order"
        figures, blank = self._rival_figures(rivals)
        sizes = [group_sums(each, self.frame.by_order) for each in figures]
        if not by_order:
            sizes = figures
        largest, winner = sizes[0], np.zeros(len(sizes[0]), np.int64)
        for place, size in enumerate(sizes[1:], start=1):
            larger = compare(magnitude(size), magnitude(largest)) > 0
            largest, winner = Decimals.choose(larger, size, largest), np.where(larger, place, winner)
        winner = winner[self.frame.order_of] if by_order else winner
        best = figures[0]
        for place, figure in enumerate(figures[1:], start=1):
            best = Decimals.choose(winner == place, figure, best)
        best = best.without(blank if blank.any() else None)
        zero = Decimals.zeros(self.length)
        moved: list[Decimals] = []
        for place, step in enumerate(rivals):
            figure = Decimals.choose(winner == place, best, zero).without(best.missing)
            figure = self.agreed_or(step, step.name, figure)
            self.leave(step.name, figure)
            self.result.winners[step.name] = np.where(best.is_missing(), -1, winner)
            moved.append(figure)
        if any(step.joins for step in rivals):
            for step, figure in zip(rivals, moved, strict=True):
                self.take_own_tax(step, figure)
                self._move(step, figure)
            return
        # Agreed figures may name another winner than today's rates; the amount moves by what was agreed.
        self._move(rivals[0], best if self.frame.agreed() is None else sum(moved[1:], moved[0]))

    def _rival_figures(self, rivals: Sequence[Step]) -> tuple[list[Decimals], Mask]:
        """What each step that competes would move by itself, and the lines on which one of them is blank."""
        figures: list[Decimals] = []
        blank = self._nowhere()
        failed, lost = self.failed, self.lost
        for step in rivals:
            if step.definition.over == "order":
                spread = self._share_out(step, Groups.by_order(self.frame))
                figures.append(self._keeping(step, spread))
                self._note_blank_orders(step, figures[-1], spread)
                wrong = any_in(figures[-1].missing, self.frame.by_order)
                blank |= self._nowhere() if wrong is None else wrong[self.frame.order_of]
            else:
                figures.append(self._moved_by(step))
                self.note_blanks(step, figures[-1].is_missing())
                blank |= figures[-1].is_missing()
        # One blank rival leaves open which would have won, so the step is in error wherever it could have moved a line.
        self.failed, self.lost = failed | blank, self.lost | lost
        return figures, blank

    def _condition(self, step: Step, groups: Groups | None = None) -> Flags | None:
        """Where a step applies: on the days on which it counts, where its ``when`` holds; None for everywhere."""
        found: Flags | None = None
        for key in ("valid", "when"):
            if key in step.parts:
                formula = step.parts[key]
                each = flags(self.evaluate(formula) if groups is None else self._once(groups, formula))
                found = each if found is None else logical_and(found, each)
        return found

    def _where(self, step: Step, figure: Decimals) -> Decimals:
        """The figure, but 0 where the step does not apply and blank where nobody knows that."""
        when = self._condition(step)
        if when is None:
            return figure
        return Decimals.choose(when.is_true(), figure, Decimals.zeros(self.length)).without(when.missing)


def _together(steps: Sequence[Step]) -> list[list[Step]]:
    """The steps one by one, those that compete for being the best together."""
    groups: list[list[Step]] = []
    for step in steps:
        name = step.definition.best_of
        if name is not None and groups and groups[-1][0].definition.best_of == name:
            groups[-1].append(step)
        else:
            groups.append([step])
    return groups


def _mixed(step: Step) -> Said:
    """Returns beside goods: nobody but the rulebook can say what they bear."""
    return Said(
        'it cannot be shared by weights of both signs; share = "abs({weight})", share = "max({weight}, 0)" or "where" '
        "says which lines bear how much",
        weight=step.definition.share or "line.amount",
    )
