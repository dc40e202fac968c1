"""`Routine` and `Step`: checked, ready to run."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

from dokima.formulas import Formula, FormulaKind, Level, Name
from dokima.pricing.steps.definition import RoutineDefinition, StepDefinition
from dokima.pricing.steps.instalments import Instalment

if TYPE_CHECKING:
    from dokima.pricing.kinds.kind import StepKind  # kinds run on what a step is, which runs none

OWN_TAX = "tax."
"""What stands before percent, category and reason in the parts of a step with a tax of its own."""
AMOUNTS_OF_ANY = ("amount", "net", "without_tax", "tax", "with_tax")
"""Amounts of money that stand on a line whatever the steps of its routine are."""


@dataclass(frozen=True)
class Option:
    """One place a price may come from."""

    value: Formula
    base: Formula | None = None
    factor: Formula | None = None
    is_amount: bool = False

    def formulas(self) -> Iterator[tuple[str, Formula]]:
        """Its formulas by what they are for."""
        yield ("amount" if self.is_amount else "value"), self.value
        if self.base is not None:
            yield "base", self.base
        if self.factor is not None:
            yield "factor", self.factor


@dataclass(frozen=True, eq=False)
class Step:
    """A step of a routine.

    Attributes:
        definition: What the rulebook says.
        rounding: Mode of its own or of the routine.
        way: What makes it a price, a discount, a tax ...
        parts: Its formulas by setting (percent, amount, per_unit, value, when, cap, category, reason).
        options: Of a price step.
        level: Of a figure: once per order or per line. All other steps work per line.
        joins: Of a step with a tax of its own the tax steps that take it: the one it joins, then those on top of that.
    """

    definition: StepDefinition
    rounding: str
    way: StepKind
    parts: Mapping[str, Formula] = field(default_factory=dict)
    options: Sequence[Option] = ()
    level: Level = Level.LINE
    joins: Sequence[str] = ()

    @property
    def name(self) -> str:
        """Its name, and that of the figure it leaves."""
        return self.definition.name

    @property
    def kind(self) -> str:
        """The name of its kind: price, discount, charge, subtotal, figure, tax, advance, or another."""
        return self.way.name

    @property
    def sign(self) -> int:
        """What its figure does to the amount of a line: -1 takes, +1 adds, 0 neither."""
        return self.way.sign

    @property
    def is_amount(self) -> bool:
        """Whether its figure is an amount of money, rounded to the currency and summed into the header."""
        return self.way.is_amount and not (self.way.is_price and self.name == "price")

    def formulas(self) -> Iterator[tuple[str, Formula]]:
        """All its formulas by the path of their key."""
        for at, option in enumerate(self.options):
            for key, formula in option.formulas():
                yield f"options.{at}.{key}", formula
        yield from self.parts.items()


@dataclass(frozen=True, eq=False)
class Routine:
    """An ordered list of steps that turns a line into money.

    Attributes:
        definition: What the rulebook says.
        when: Which orders it fits; None for all.
        steps: In order.
        includes_tax: Whether prices include tax; None for no.
        instalments: How what is to be paid is split.
        figures: Every figure it leaves, by dotted name, and its level.
    """

    definition: RoutineDefinition
    when: Formula | None
    steps: Sequence[Step]
    includes_tax: Formula | None = None
    instalments: Sequence[Instalment] = ()
    figures: Mapping[str, Name] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """Its name."""
        return self.definition.name

    def steps_for(self, figures: Collection[str]) -> int:
        """How many of the first steps it takes to know some figures, by dotted name."""
        # Where no step takes tax it is 0: a rule that is asked of orders of several routines reads it there too.
        wanted = ((figure, figure.partition(".")[2]) for figure in figures)
        names = {name for figure, name in wanted if figure in self.figures or name in AMOUNTS_OF_ANY}
        taxes = [at for at, step in enumerate(self.steps) if step.way.is_tax]
        needed = 0
        for at, step in enumerate(self.steps, start=1):
            if step.name in names or (at == 1 and "price" in names):
                needed = at
        if names & {"amount", "net", "without_tax"}:
            needed = max(needed, taxes[0] if taxes else len(self.steps))
        if names & {"tax", "with_tax"}:
            needed = max(needed, taxes[-1] + 1 if taxes else len(self.steps))
        return needed

    def step(self, name: str) -> Step | None:
        """The step with a name, None if there is none."""
        return self._by_name.get(name)

    @cached_property
    def _by_name(self) -> Mapping[str, Step]:
        return {step.name: step for step in reversed(self.steps)}

    @cached_property
    def line_figures(self) -> Sequence[str]:
        """The figures of a line that it leaves, in the order of its steps: the price of one unit first."""
        steps = [name.split(".")[1] for name in self.figures if name.startswith("line.")]
        return list(dict.fromkeys(["price", *steps, *self.amounts]))

    @cached_property
    def header_figures(self) -> Mapping[str, FormulaKind]:
        """The figures of an order that its steps leave, each once for the order, and their kinds."""
        known = {step.name: self.figures.get(f"header.{step.name}") for step in self.steps if not step.way.is_amount}
        return {
            name: each.kind for name, each in known.items() if each is not None and f"line.{name}" not in self.figures
        }

    @cached_property
    def amounts(self) -> Sequence[str]:
        """Names of the amounts of money it leaves on a line, in the order of its steps."""
        return (*(step.name for step in self.steps if step.is_amount), *AMOUNTS_OF_ANY)
