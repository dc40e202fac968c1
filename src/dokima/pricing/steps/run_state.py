"""What every step of a routine works with: the amounts so far, what it reads, what it leaves, and what went wrong."""

from __future__ import annotations

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.columns.texts import Texts
from dokima.exact import Decimals, any_in, compare
from dokima.exact.integers import Mask
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.failures import first_of, only
from dokima.model.said import Said
from dokima.pricing.steps.groups import Groups
from dokima.pricing.steps.reasons import MANY, Reason, Reasons
from dokima.pricing.steps.results import BlankStep, NotReproduced, RoutineResult, StepTrace, Workings
from dokima.pricing.steps.routine import Routine, Step
from dokima.pricing.steps.tax_entries import OwnTax
from dokima.pricing.steps.taxing import Taxed


class Running:
    """The state of a routine while it runs over many orders at once.

    Args:
        routine: The routine.
        frame: The columns; figures are put into it.
        places: Decimal places of the currency.
        traced: Keep what each step saw, for explanations.
    """

    def __init__(self, routine: Routine, frame: Workings, places: int, traced: bool) -> None:
        self.routine = routine
        self.frame = frame
        self.places = places
        self.traced = traced
        self.result = RoutineResult()
        self.length = len(frame.order_of)
        self.running = Decimals.zeros(self.length)
        self.net = Decimals.zeros(self.length)
        self.tax = Decimals.zeros(self.length)
        self.untaxed: Decimals | None = None  # what steps outside the tax base have moved, None for none
        self._untaxed = np.zeros(self.length, bool)  # lines of orders in which a rate is unknown
        self.own_taxes: list[OwnTax] = []  # what steps with a tax of their own have moved
        self.tax_parts: dict[str, Decimals] = {}  # of each tax step the part of each entry
        self._taxed: list[tuple[Step, Taxed]] = []
        self._ended: tuple[Decimals, Decimals] | None = None  # what with_tax was made from
        self.failed = np.zeros(self.length, bool)
        self.lost = np.zeros(frame.order_count, bool)
        self.broken: Texts | None = None

    def _close_errors(self) -> None:
        """Orders with a blank money step are in error, and each of them has a finding that says so."""
        order_of = self.frame.order_of
        failed = any_in(self.failed, self.frame.by_order)
        self.result.in_error = self.lost if failed is None else self.lost | failed
        told = {each.order if each.line < 0 else int(order_of[each.line]) for each in self.result.blank_steps}
        for order in self.result.in_error.nonzero()[0].tolist():
            if order not in told:
                why = Said("a value it needs is blank")
                self.result.blank_steps.append(BlankStep(self.routine.steps[-1], -1, why, order))

    def _keep_trace(self, step: Step) -> None:
        names = {name for _, formula in step.formulas() for name in formula.reads}
        if step.way.is_price:
            names |= {"line.quantity", "line.price_override", "line.price_base"}
        of = step.definition.of
        names |= {f"line.{of}"} if of else set() if step.way.is_price else {"line.amount"}
        tables = {name.split(".")[0] for name in names} | {t for _, f in step.formulas() for t in f.tables}
        columns = {name: self.frame.column(name) for name in sorted(names)}
        asked = self.frame.behind(table for table in tables if Reasons.is_table(table))
        rows = {table: self.frame.rows(table) for table in asked}
        self.result.trace.append(StepTrace(step, columns, rows))

    # -- figures ----------------------------------------------------------------------------------------------

    def leave(self, name: str, column: Column) -> None:
        self.result.lines[name] = column
        self.frame.put(f"line.{name}", column)
        if self.broken is not None:
            failed = only(self.broken, column.spread(self.length).is_missing())
            if failed is not None:
                self.frame.fail(f"line.{name}", failed)

    def start(self, amount: Decimals) -> None:
        """What the line comes to by its price."""
        self.running = self.net = amount
        for name in ("amount", "net", "without_tax"):
            self.leave(name, amount)

    def _move(self, step: Step, figure: Decimals) -> None:
        """The running amount after a discount or charge; a part of an order's figure is not the line's own net."""
        sign = step.sign
        own = step.definition.over != "order" and not step.joins
        # One subtraction serves both as long as no step of the order has come between.
        same = own and self.net is self.running
        if not step.way.taxed or step.joins:
            moved = -figure if sign < 0 else figure
            self.untaxed = moved if self.untaxed is None else self.untaxed + moved
        self.running = self.running - figure if sign < 0 else self.running + figure
        self.leave("amount", self.running)
        self.leave("without_tax", self.running)
        if same:
            self.net = self.running
        elif own:
            self.net = self.net - figure if sign < 0 else self.net + figure
        if own:
            self.leave("net", self.net)
        else:
            kept = self.result.of_order.get(step.way.total)
            self.result.of_order[step.way.total] = figure if kept is None else kept + figure

    @property
    def taxable(self) -> Decimals:
        """What taxes are taken of: the running amount without what steps outside the tax base have moved."""
        return self.running if self.untaxed is None else self.running - self.untaxed

    def evaluate(self, formula: Formula, frame: Frame | None = None) -> Column:
        """The values per line, blank where they depend on a call that failed."""
        frame = frame or self.frame
        return self._without_failures(formula.evaluate(frame, Level.LINE), formula.failures(frame, Level.LINE))

    def _without_failures(self, column: Column, failed: Texts | None) -> Column:
        if failed is None:
            return column
        self.broken = first_of(self.broken, failed)
        return column.spread(self.length).without(failed.codes >= 0)

    def _part(self, step: Step, key: str, frame: Frame | None = None) -> Column | None:
        return self.evaluate(step.parts[key], frame) if key in step.parts else None

    def _once(self, groups: Groups, formula: Formula) -> Column:
        """The value for each group, blank where it depends on a call that failed."""
        column, failed = groups.value(formula)
        if failed is not None:
            self.broken = first_of(self.broken, failed.take(groups.lines.of))
        return column

    def reasons(self) -> Reasons:
        """What finds out why a step is blank, while the figures stand as they do."""
        taxes = [step for step in self.routine.steps if step.way.is_tax]
        return Reasons(self.frame, self.routine.figures, self.routine.includes_tax, taxes)

    def note_blanks(self, step: Step, missing: Mask) -> None:
        """Note the lines on which this step is the first to come out blank for a reason of its own."""
        if not np.count_nonzero(missing):
            return
        new = np.flatnonzero(missing & ~self.failed)
        failed = any_in(self.failed, self.frame.by_order) if len(new) else None
        options = self.result.options[new] if step.way.is_price else None
        reasons = self.reasons()
        alike = reasons.alike(step, new, options) if len(new) > MANY else None
        known: dict[int, Reason] = {}
        for at, line in enumerate(new.tolist()):
            key = at if alike is None else int(alike[at])
            reason = self._broken_at(line) or known.get(key)
            if reason is None:
                reason = known[key] = reasons.of(step, line, -1 if options is None else int(options[at]))
            # What is blank because of another line of the order has been told there.
            if not (reason.inherited and failed is not None and failed[self.frame.order_of[line]]):
                self.result.blank_steps.append(BlankStep(step, line, reason.text))
        self.failed = self.failed | missing

    def _broken_at(self, line: int) -> Reason | None:
        """The call that failed on a line, if that is why it is blank."""
        failed = None if self.broken is None else value_at(self.broken, line)
        return Reason(failed) if failed else None

    def _frozen(self, name: str, computed: Decimals) -> Decimals:
        """A part of tax or advance, but as it was where it is frozen."""
        frozen, kept = self.frame.frozen(), self.frame.kept_figure(name)
        if frozen is None or kept is None:
            return computed
        return Decimals.choose(frozen & kept[0], kept[1], computed.spread(self.length))

    def agreed_or(self, step: Step, name: str, computed: Decimals) -> Decimals:
        """An amount, but as it was agreed where that stands; a step that was not there then is 0."""
        agreed = self.frame.agreed()
        if agreed is None:
            return computed
        had, figure = self.frame.kept_figure(name) or (np.zeros(self.length, bool), Decimals.zeros(self.length))
        kept = Decimals.choose(had, figure, Decimals.zeros(self.length))
        computed = computed.spread(self.length)
        checked = agreed & self.frame.checked()
        other = (compare(kept, computed) != 0) & ~kept.is_missing() & ~computed.is_missing()
        wrong = np.flatnonzero(checked & (other | (kept.is_missing() != computed.is_missing())))
        if len(wrong):
            self.result.not_reproduced.append(NotReproduced(step, wrong, kept, computed))
        return Decimals.choose(agreed, kept, computed)
