"""Dividing: each document's part of every figure that was approved, together exactly that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from dokima.changes.documents import total
from dokima.changes.plan import Plan, Share
from dokima.columns.shown import shown
from dokima.errors import DokimaError, Refused, listed
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.steps.results import LINE_AMOUNT
from dokima.pricing.steps.routine import Step


@dataclass(frozen=True)
class Dividing:
    """Divides the figures of a change over its documents.

    Attributes:
        change: Number of the change order.
        plan: Which document takes what of each line.
        was: The order before the change.
        priced: The order as it was approved.
        held: What counts of each document, with the figures it keeps.
    """

    change: str
    plan: Plan
    was: PricedOrder
    priced: PricedOrder
    held: Sequence[PricedOrder]

    def steps(self) -> list[tuple[str, Step | None]]:
        """The amounts a line keeps: what its price comes to, and every discount and charge."""
        routine = self.priced.routine
        steps = [] if routine is None else [step for step in routine.steps if step.sign]
        return [(LINE_AMOUNT, None), *((step.name, step) for step in steps)]

    def divide(self, number: str, shares: Sequence[Share]) -> None:
        """Give each document its part of every figure of a line.

        A figure that the change did not move stays on each document as it is. What has ended keeps its own. A document
        whose quantity, rate and base are what they were keeps its figure to the cent: its customer has seen it. Only
        what is left is shared, by the rule of the step's kind.

        Raises:
            Refused: It cannot be shared, because the documents hold quantities of both signs.
        """
        holding = [each for each in shares if each.holds]
        stays = all(each.after == each.before for each in shares)
        for name, step in self.steps():
            whole = figure_of(self.priced, number, name)
            if stays and figure_of(self.was, number, name) == whole:
                for each in holding:
                    each.figures[name] = self._held(each, name)
                continue
            free = [each for each in holding if not each.has_ended]
            for each in holding:
                if each.has_ended:
                    each.figures[name] = self._held(each, name)
            # An unknown figure stays unknown everywhere.
            fixed = [each.figures[name] for each in holding if each.has_ended]
            left = None if whole is None or None in fixed else total([whole, *(-part for part in fixed if part)])
            if left is None or len(free) <= 1:
                for each in free:
                    each.figures[name] = left
                continue
            self._share_out(number, name, step, left, free)

    def _share_out(self, number: str, name: str, step: Step | None, amount: Decimal, free: Sequence[Share]) -> None:
        same: dict[int, Decimal] = {}
        if self._rate_is_unchanged(number, step):
            same = {
                each.at: self._held(each, name) or Decimal(0)
                for each in free
                if each.after == each.before and self._base_is_unchanged(step, each)
            }
        rest = [each for each in free if each.at not in same]
        left = total([amount, *(-kept for kept in same.values())])
        if not rest or (left and (left > 0) != (amount > 0)):
            # What stays would take more than all of it: then nothing stays, and all of it is shared.
            same, rest, left = {}, list(free), amount
        for each in free:
            if each.at in same:
                each.figures[name] = same[each.at]
        for each, part in zip(rest, self._split(number, step, left, rest), strict=True):
            each.figures[name] = part

    def _split(self, number: str, step: Step | None, amount: Decimal, shares: Sequence[Share]) -> Sequence[Decimal]:
        """A figure divided over documents by the rule of its kind.

        Raises:
            Refused: They hold quantities of both signs; or the parts are not the figure, which only a kind of one's own
                can bring about.
        """
        if len(shares) == 1:
            return [amount]
        routine = self.priced.routine
        assert routine is not None  # without one there is no figure to divide
        way = routine.steps[0].way if step is None else step.way
        word = routine.steps[0].definition.shown if step is None else step.definition.shown
        held = listed(f"{shown(each.after)} on {self._named(each)}" for each in shares)
        signs = {each.after > 0 for each in shares if each.after}
        what = f"{self.plan.number} line {number}: {held}"
        if len(signs) > 1:
            raise Refused(
                f"{what} cannot share {word} of {shown(amount)} among quantities of both signs; make their "
                "quantities of one sign before the change is opened"
            )
        try:
            parts = way.split(amount, [each.after for each in shares], self.priced.places)
        except DokimaError:
            raise Refused(f"{what} cannot share {word} of {shown(amount)}") from None
        if len(parts) != len(shares) or total(parts) != amount:
            split = listed(map(str, parts))
            raise Refused(f"{self.change} cannot be settled: {way.name} {amount} was split into {split}")
        return parts

    def _named(self, share: Share) -> str:
        return "the new supplement" if share.at == self.plan.new else self.plan.documents[share.at].number

    def _held(self, share: Share, name: str) -> Decimal | None:
        """What counts of a figure on a document before the change; 0 where it does not hold the line."""
        return figure_of(self.held[share.at], share.line, name) if share.line else Decimal(0)

    # -- what stays -------------------------------------------------------------------------------------------

    def _base_is_unchanged(self, step: Step | None, mine: Share) -> bool:
        """Whether the amount that a percentage works on is on a document what it was there before."""
        if step is None or "percent" not in step.parts:
            return True
        routine = self.priced.routine
        assert routine is not None
        of = step.definition.of
        stop = next((each.name for each in routine.steps if each.name == of and each.way.is_level), step.name)
        if of is not None and of != stop and of in mine.figures:
            return mine.figures[of] == self._held(mine, of)
        before = [each.name for each in routine.steps]
        earlier = [name for name, each in self.steps() if each is None or before.index(name) < before.index(stop)]
        return all(mine.figures.get(name) == self._held(mine, name) for name in earlier)

    def _rate_is_unchanged(self, number: str, step: Step | None) -> bool:
        """Whether price or percent of a step are those of the baseline; an amount has neither."""
        old, new = (has_line(side, number) for side in (self.was, self.priced))
        if not old or not new:
            return False
        if step is None:
            prices = [side.line(number).figure("price") for side in (self.was, self.priced)]
            return bool(prices[0] == prices[1])
        key = next((each for each in ("percent", "per_unit") if each in step.parts), "")
        if not key or step.definition.cap is not None or step.definition.keep_above is not None:
            return False  # a limit cuts by the amount, so that the same percent may give another part
        if any(self._was_beaten(side, number, step) for side in (self.was, self.priced)):
            return False
        was, now = (figure_of(side, number, step.name) for side in (self.was, self.priced))
        if (was == 0) != (now == 0):
            return False  # it applies to one of them only, whatever its percent
        # The percent itself is not kept, but the table answers it was worked out from are: the same answers, the same
        # percent. A percent that reads a field has no such witness.
        names = [name for name in step.parts[key].reads if name != "line.quantity"]
        kept = [_answers(side, number) for side in (self.was, self.priced)]
        if any(name.split(".")[0] in ("line", "header", "parent") for name in names):
            return False
        return all(kept[0].get(name) == kept[1].get(name) for name in names)

    @staticmethod
    def _was_beaten(side: PricedOrder, number: str, step: Step) -> bool:
        """Whether a step competed on a line and another one won, or both came to nothing."""
        return step.definition.best_of is not None and not figure_of(side, number, step.name)


def figure_of(order: PricedOrder, number: str, name: str) -> Decimal | None:
    """An amount of a line, 0 if the order has no such line that carries money."""
    if not has_line(order, number):
        return Decimal(0)
    line = order.line(number)
    if name == LINE_AMOUNT:
        return line.amount_by_price
    found: Decimal | None = line.figure(name)
    return found


def has_line(order: PricedOrder, number: str) -> bool:
    """Whether an order has a line of a number that has no sub-lines."""
    orders = order.calculation.orders
    where = orders.lines_of(order.position)
    mine = orders.line_numbers[where]
    if number not in mine:
        return False
    leaf = orders.leaf
    return leaf is None or bool(leaf[where.start + mine.index(number)])


def _answers(side: PricedOrder, number: str) -> Mapping[str, Any]:
    """The table answers that a line keeps, those of its header included."""
    terms = side.calculation.orders.terms(side.position)
    return {} if terms is None else terms.answers_of(number)
