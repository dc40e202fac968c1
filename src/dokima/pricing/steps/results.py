"""What a routine works with and what it leaves."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from dokima.columns.column import Column
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Frame
from dokima.pricing.steps.groups import Groups
from dokima.pricing.steps.routine import Step
from dokima.pricing.steps.taxing import TaxGroups

LINE_AMOUNT = "line_amount"
"""Name under which an order keeps what a line came to by its price, before any discount or charge."""
OVERRIDE = 0
"""Place of the manual price among the options; those of the rulebook count from 1."""


@dataclass(frozen=True)
class KeptTax:
    """What lines are taxed with by agreement, wherever it came from.

    Attributes:
        there: Lines that keep it.
        applies: Of those, lines that the tax meets.
        percent: Rate of each line.
        category: Tax category of each line.
        reason: Reason of each line.
    """

    there: Mask
    applies: Mask
    percent: Decimals
    category: Texts
    reason: Texts


@dataclass(frozen=True)
class TaxTerms:
    """What a tax step taxes each line with; the percent is blank where one of its terms is."""

    percent: Number
    category: Texts
    reason: Texts
    included: Mask


@dataclass(frozen=True)
class OtherTax:
    """Lines that the rulebook of today would tax otherwise than it was agreed."""

    step: Step
    lines: Integers
    kept: TaxTerms
    today: TaxTerms


class Workings(Frame, Protocol):
    """A frame that figures can be put into."""

    def put(self, name: str, column: Column) -> None:
        """Leave a figure for the steps that follow."""

    def kept_figure(self, name: str) -> tuple[Mask, Decimals] | None:
        """Lines whose figure stands as it was agreed, and those figures; None if there are none."""

    def agreed(self) -> Mask | None:
        """Lines whose figures stand as they were agreed; None if there are none."""

    def asked_with(self, table: str) -> Iterable[Formula]:
        """The formulas of a table that must have a value for any of its rows to fit."""

    def converts_default(self, name: str) -> bool:
        """Whether a column of a table has a default that is converted, by the currency of a row."""

    @property
    def has_terms(self) -> bool:
        """Whether any answer of a table stands as it was agreed."""

    def has_row(self, table: str) -> Mask:
        """For each line whether the table has a row for it, or for its order."""

    def agreed_as_blank(self, name: str, order: int, line: int) -> str | None:
        """When a blank answer of a table was agreed, blank if nobody noted the day; None if it was not."""

    def fail(self, name: str, failures: Texts) -> None:
        """Note that a figure is in error at some places: what reads it there is in error too."""

    def kept_tax(self, step: str) -> KeptTax | None:
        """What lines are taxed with by agreement; None if none of them keeps it."""

    def frozen(self) -> Mask | None:
        """Lines whose tax and advance stand as they were too; None if there are none."""

    def emptied(self) -> Mask | None:
        """Orders from which a settlement took every line; None if there are none."""

    def behind(self, tables: Iterable[str]) -> list[str]:
        """Some tables, and those that they ask in turn."""

    def parents(self) -> Iterable[Groups]:
        """The lines below each parent line, one level of parent lines after the other."""

    def checked(self) -> Mask:
        """Of those, the lines whose figures formulas must reproduce."""


@dataclass(frozen=True)
class StepTrace:
    """What a step saw: the columns behind its names and the rows its tables answered with."""

    step: Step
    columns: Mapping[str, Column]
    rows: Mapping[str, Integers]


@dataclass(frozen=True)
class BlankStep:
    """A money step that came out blank, and why: on a line, or (``line`` -1) for an order as a whole."""

    step: Step
    line: int
    reason: str
    order: int = -1


@dataclass(frozen=True)
class NotReproduced:
    """Lines on which the formulas of today do not give the figure that was agreed for a step."""

    step: Step
    lines: Integers
    kept: Decimals
    computed: Decimals


@dataclass
class RoutineResult:
    """What a routine left.

    Attributes:
        lines: Figures by name, one value per line; a unit price may still be a quotient.
        headers: Header figures by name (steps of kind figure).
        taxes: Tax breakdown, one part for each tax step.
        line_amount: What each line comes to by its price, before any discount or charge.
        options: For each line the option its price came from: 0 the manual price, 1 the first option, -1 none.
        blank_steps: Lines on which a money step came out blank, at the first such step.
        failed_figures: Figures whose own function failed.
        trace: What each step saw, if asked for.
        not_reproduced: Agreed figures that formulas do not give; they stand all the same.
        tax_terms: What each tax step taxed the lines with.
        other_taxes: Lines that the rulebook of today would tax otherwise.
        of_order: Parts of the steps of the order, by the total that they feed, one value per line.
        inclusive: Per order, True if its prices include tax; empty if those of none do.
        in_error: Per order, True if a money step came out blank on one of its lines, or for the order as a whole.
        winners: For each step that competed, the place of the winner among its rivals on each line, -1 for none.
    """

    lines: dict[str, Column] = field(default_factory=dict)
    headers: dict[str, Column] = field(default_factory=dict)
    taxes: list[TaxGroups] = field(default_factory=list)
    line_amount: Decimals = field(default_factory=lambda: Decimals.zeros(0))
    options: Integers = field(default_factory=lambda: np.zeros(0, np.int64))
    blank_steps: list[BlankStep] = field(default_factory=list)
    failed_figures: list[BlankStep] = field(default_factory=list)
    trace: list[StepTrace] = field(default_factory=list)
    not_reproduced: list[NotReproduced] = field(default_factory=list)
    winners: dict[str, Integers] = field(default_factory=dict)
    tax_terms: dict[str, TaxTerms] = field(default_factory=dict)
    other_taxes: list[OtherTax] = field(default_factory=list)
    of_order: dict[str, Decimals] = field(default_factory=dict)
    in_error: Mask = field(default_factory=lambda: np.zeros(0, bool))
    inclusive: Mask = field(default_factory=lambda: np.zeros(0, bool))
