"""Why a step came out blank on a line, in words: the tables tried, the value that is missing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np

from dokima.columns.column import value_at
from dokima.exact import Decimals, compare
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import classes_of
from dokima.formulas import BlankSearch, Cause, Formula, Level, Name, blank_as_given
from dokima.formulas.names import NOT_TABLES
from dokima.formulas.operators import flags, numbers
from dokima.model.said import Said, listing
from dokima.pricing.steps.results import Workings
from dokima.pricing.steps.routine import Step

MANY = 50
"""Blank lines from which on it is worth to look for those that are alike."""


@dataclass(frozen=True)
class Reason:
    """Why a step is blank.

    Attributes:
        text: In words.
        inherited: Whether it only passes on a figure that is blank, which may have been told where it arose.
    """

    text: str
    inherited: bool = False


class Reasons:
    """Finds the reason of a blank step.

    Args:
        frame: The columns as they are at that step.
        figures: The figures of the routine.
        includes_tax: Whether prices include tax.
        taxes: The tax steps, which share one price where it includes them.
    """

    def __init__(
        self,
        frame: Workings,
        figures: Mapping[str, Name],
        includes_tax: Formula | None = None,
        taxes: Sequence[Step] = (),
    ) -> None:
        self.frame = frame
        self.figures = figures
        self.includes_tax = includes_tax
        self.taxes = taxes
        self._searches: dict[Formula, BlankSearch] = {}
        self._included: dict[str, Mask] = {}

    @staticmethod
    def is_table(name: str) -> bool:
        """Whether the first part of a dotted name names a table."""
        return name not in NOT_TABLES

    def of(self, step: Step, line: int, chosen: int = -1) -> Reason:
        """The reason at a line.

        Args:
            step: The step.
            line: Position of the line.
            chosen: Of a price step the option that was taken: 0 the manual price, 1 the first option, -1 none.
        """
        if step.way.is_price:
            return Reason(self._price(step, line, chosen))
        order = int(self.frame.order_of[line])
        place = np.array([order])
        (found,) = self._of_formulas(step, place, [[line]])
        if found is None and step.way.is_tax and self.includes_tax is not None:
            search = self._search(self.includes_tax)
            if search.is_blank(order, None):
                why = search.at(order, None).text
                return Reason(Said("whether prices include tax is unknown ({why})", why=why))
            for other in self.taxes:
                (found,) = self._of_formulas(other, place, [[line]])
                if found is not None:
                    facts = {"tax": other.definition.shown, "why": found.text}
                    return Reason(Said("{tax} in the same price is unknown: {why}", **facts), found.inherited)
        if found is not None:
            return found
        if self._is_blank("line.quantity", line):
            return Reason(Said("the quantity is blank"))
        return Reason(Said("an amount it works on is blank"), inherited=True)

    def alike(self, step: Step, lines: Integers, chosen: Integers | None = None) -> Integers | None:
        """For each line a number: lines of one number have one reason. None where a reason may be of one line alone.

        What is said of a line follows from what is blank there, what is 0, and which tables have a row. To put it into
        words takes a thousand times as long as to look at that.

        Args:
            step: The step.
            lines: Positions of the lines.
            chosen: For each of them the option that was taken, of a price step.
        """
        shared = [self.includes_tax] if step.way.is_tax and self.includes_tax is not None else []
        others = [part for other in self.taxes for part in other.parts.values()] if shared else []
        formulas = [*(formula for _, formula in step.formulas()), *shared, *others]
        asked = self.frame.behind(self._tables_of(formulas))
        formulas += [formula for table in asked for formula in self.frame.asked_with(table)]
        if self.frame.has_terms:
            return None  # what was agreed is named
        parts = [(each, node) for each in dict.fromkeys(formulas) for node in each.root.outside_aggregates()]
        facts = [self._on(lines, self.frame.column("line.quantity").is_missing(), Level.LINE)]
        for formula, node in parts:
            column = formula.part(node, self.frame)
            blank = self._on(lines, column.is_missing(), node.level)
            if node.gathers and blank.any():
                return None  # the line on which a value of it is blank is named
            facts.append(blank)
            given = self.frame.was_given(node.name) if node.name else None
            if given is not None:
                facts.append(self._on(lines, given, node.level))
            if node.kind in ("decimal", "integer"):
                facts.append(self._on(lines, compare(numbers(column), Decimals.zeros(1)) == 0, node.level))
            if node.kind == "flag":
                facts.append(self._on(lines, flags(column).is_false(), node.level))
        facts += [self.frame.has_row(table)[lines] for table in asked]
        if chosen is not None:
            facts += [chosen == option for option in range(len(step.options) + 1)]
        return classes_of(facts)

    def _tables_of(self, formulas: Sequence[Formula]) -> set[str]:
        """The tables that formulas read or ask."""
        read = {name.partition(".")[0] for formula in formulas for name in formula.reads}
        return {name for name in read if self.is_table(name)} | {n for formula in formulas for n in formula.tables}

    def _on(self, lines: Integers, fact: Mask, level: Level) -> Mask:
        """What holds of some lines: of each of them, of its order, or of all."""
        if len(fact) <= 1:
            return np.full(len(lines), bool(fact.all()))
        return fact[lines if level is Level.LINE else self.frame.order_of[lines]]

    def of_orders(self, step: Step, orders: Integers) -> list[Reason | None]:
        """The reasons for a step of the order, of some orders; None where no formula of it is blank."""
        members = [self.frame.by_order.members(order) for order in orders.tolist()]
        return self._of_formulas(step, orders, members)

    def of_formula(self, formula: Formula, orders: Integers) -> list[str]:
        """The reasons for a blank formula of the order, of some orders."""
        causes = self._search(formula).causes(orders, None)
        return self._told_of(causes, orders, np.zeros(len(orders), np.int64))

    def _of_formulas(self, step: Step, orders: Integers, lines: Sequence[Sequence[int]]) -> list[Reason | None]:
        """For each order the first formula that is blank for it or on one of its lines given, and why."""
        found: list[Reason | None] = [None] * len(orders)
        of = np.repeat(np.arange(len(orders)), [len(each) for each in lines])
        places = np.fromiter(chain.from_iterable(lines), np.int64, len(of))
        met = self._is_met(step, places)
        still = np.ones(len(orders), bool)
        for key, formula in step.parts.items():
            search = self._search(formula)
            if formula.level is Level.LINE:
                asked = still[of] if key in ("when", "where") else still[of] & met
                owners, theirs = of[asked], places[asked]
                blank = search.blank(orders[owners], theirs)
                # The first of each order: its lines stand one after the other.
                at, first = np.unique(owners[blank], return_index=True)
                on: Integers | None = theirs[blank][first]
            else:
                at, on = np.flatnonzero(still), None
                at = at[search.blank(orders[at], None)]
            causes = search.causes(orders[at], on)
            told = self._told_of(causes, orders[at], np.zeros(len(at), np.int64) if on is None else on)
            for place, cause, text in zip(at.tolist(), causes, told, strict=True):
                found[place] = Reason(text, cause.name in self.figures)
            still[at] = False
        return found

    def _is_met(self, step: Step, lines: Integers) -> Mask:
        """Which lines are of those that a step of the order works on."""
        if "where" not in step.parts:
            return np.ones(len(lines), bool)
        if step.name not in self._included:
            self._included[step.name] = ~flags(step.parts["where"].evaluate(self.frame, Level.LINE)).is_false()
        met: Mask = self._included[step.name][lines]
        return met

    def _search(self, formula: Formula) -> BlankSearch:
        """What looks for causes in a formula: it works each column out once, for all places that are blank."""
        return self._searches.setdefault(formula, BlankSearch(formula, self.frame))

    def _price(self, step: Step, line: int, chosen: int) -> str:
        if self._is_blank("line.quantity", line):
            return Said("the quantity is blank")
        if chosen == 0:
            return Said("the manual price is per 0 units")
        order = int(self.frame.order_of[line])
        if chosen > 0:
            for key, formula in step.options[chosen - 1].formulas():
                if key not in ("value", "amount") and self._search(formula).is_blank(order, line):
                    said = Said("its {key} '{formula}' is blank", key=key, formula=formula.written or formula.source)
                    if formula.root.name:
                        return said
                    why = listing(dict.fromkeys(self._blanks_of(formula, order, line)), "; ")
                    return Said("{said}: {why}", said=said, why=why)
            base = step.options[chosen - 1].base
            return Said("its base '{formula}' is 0", formula=base.source if base else "1")
        tried = [told for option in step.options for told in self._blanks_of(option.value, order, line)]
        return Said("tried {reasons}", reasons=listing(dict.fromkeys(tried), "; "))

    def _blanks_of(self, formula: Formula, order: int, line: int) -> list[str]:
        """What each blank name of a formula has to say; its first cause if no name is blank.

        A value that is gathered over lines is looked at where its sum is: on this line it may be blank for nothing.
        """
        told = [
            self._told(name, np.array([order]), np.array([line]))[0]
            for name, level in formula.reads.items()
            if name not in formula.gathered and self._is_blank(name, line if level is Level.LINE else order)
        ]
        return told or [self._search(formula).at(order, line).text]

    def _told_of(self, causes: Sequence[Cause], orders: Integers, lines: Integers) -> list[str]:
        """Why a formula is blank at some lines, each of its order, or because of another line of that order."""
        found = [cause.text for cause in causes]
        of_tables: dict[str, list[int]] = {}
        for at, cause in enumerate(causes):
            if cause.name and self.is_table(cause.name.partition(".")[0]):
                of_tables.setdefault(cause.name, []).append(at)
        for name, places in of_tables.items():
            elsewhere = [causes[at].line for at in places]
            on = [int(lines[at]) if line is None else line for at, line in zip(places, elsewhere, strict=True)]
            for at, told in zip(places, self._told(name, orders[places], np.array(on)), strict=True):
                other = causes[at].line is not None
                found[at] = Said("{why} (line {line})", why=told, line=causes[at].number) if other else told
        return found

    def _told(self, name: str, orders: Integers, lines: Integers) -> list[str]:
        """Why a name is blank at some lines; a blank that a table was asked with is told as that blank."""
        table, _, column = name.partition(".")
        if not self.is_table(table):
            given, is_blank = self.frame.was_given(name), Said("{name} is blank", name=name)
            if given is None:
                return [is_blank] * len(orders)
            keeps_out, places = blank_as_given(name), orders if table == "header" else lines
            return [keeps_out if each else is_blank for each in given[places].tolist()]
        empty = Said("table {table} has a row that fits, but no {column} in it", table=table, column=column)
        lacking = Said("table {table} has no row that fits", table=table)
        if self.frame.converts_default(name):
            facts = {"table": table, "column": column}
            lacking = Said("table {table} has no row that says the currency of the default of {column}", **facts)
        found, rowless = list[str](), list[int]()
        for at, (order, line) in enumerate(zip(orders.tolist(), lines.tolist(), strict=True)):
            told = self._agreed(name, order, line)
            if told is None and self.frame.row_at(table, order, line) < 0:
                rowless.append(at)
                told = lacking
            found.append(empty if told is None else told)
        still = np.array(rowless, np.int64)
        for formula in self.frame.asked_with(table):
            search, by_line = self._search(formula), formula.level is Level.LINE
            blank = search.blank(orders[still], lines[still] if by_line else None)
            asked = still[blank]
            causes = search.causes(orders[asked], lines[asked] if by_line else None)
            for at, why in zip(asked.tolist(), self._told_of(causes, orders[asked], lines[asked]), strict=True):
                found[at] = why
            still = still[~blank]
        return found

    def _agreed(self, name: str, order: int, line: int) -> str | None:
        """That a blank was agreed, and when; None if it was not."""
        agreed = self.frame.agreed_as_blank(name, order, line)
        if agreed is None:
            return None
        if agreed:
            return Said("{name} was agreed as blank on {place}: reprice the line", name=name, place=agreed)
        return Said("{name} was agreed as blank: reprice the line", name=name)

    def _is_blank(self, name: str, position: int) -> bool:
        column = self.frame.column(name)
        return value_at(column, position) is None if len(column) else True
