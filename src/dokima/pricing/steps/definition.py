"""What a rulebook says about a routine and its steps; formulas are text still."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from dokima.model.settings import AboveZero, FormulaText, Mode, Name, Places, Reads, Texts, setting
from dokima.model.validity import Validity

RESERVED = ("price", "amount", "net", "without_tax", "tax", "with_tax")
"""Figures every routine leaves on a line; no step may take their names, but the price step may be called price."""

RUNNING = ("amount", "net", "without_tax")
"""Figures that change from step to step: read between steps they give their value so far."""


@dataclass(frozen=True)
class OptionDefinition:
    """One place a price may come from."""

    value: FormulaText | None = setting("A price, a formula.", default=None)
    amount: FormulaText | None = setting("What the whole line comes to, in the place of a price.", default=None)
    base: FormulaText | None = setting("For how many units the price is; 1 if left out.", default=None)
    factor: FormulaText | None = setting("How many priced units one unit of the line is; 1 if left out.", default=None)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if (self.value is None) == (self.amount is None):
            return "expected either 'value', a price, or 'amount', what the whole line comes to"
        if self.amount is not None and (self.base is not None or self.factor is not None):
            return "an 'amount' takes no base and no factor"
        return ""


@dataclass(frozen=True)
class OwnTaxDefinition:
    """The tax of a discount's or charge's own amount, whatever its line is taxed with."""

    percent: FormulaText = setting("Its rate, so much of a hundred, a formula.")
    category: FormulaText | None = setting("Its tax category, a formula.", default=None)
    reason: FormulaText | None = setting("Why no tax is due, a formula.", default=None)
    step: Texts = setting(
        "The tax step that it joins, where there are several; then taxes on top of that one that it bears too.",
        default=(),
    )


@dataclass(frozen=True)
class StepDefinition:
    """A step of a routine. Which settings a kind takes is checked when the routine is built."""

    name: str = setting("Its name, and that of the figure it leaves.")
    kind: Annotated[str, Reads("kind of step")] = setting("What it does.")
    options: Sequence[OptionDefinition] = setting(
        "Where a price may come from, the first that is not blank (price).", default=()
    )
    percent: FormulaText | None = setting("So much of a hundred (discount, charge, tax, advance).", default=None)
    amount: FormulaText | None = setting("An amount (discount, charge).", default=None)
    per_unit: FormulaText | None = setting("An amount for each unit (discount, charge).", default=None)
    of: str | None = setting("The figure that a percentage is taken of; the running amount if left out.", default=None)
    value: FormulaText | None = setting("What a figure is, a formula (figure).", default=None)
    when: FormulaText | None = setting("Where it applies, a formula.", default=None)
    cap: FormulaText | None = setting("The most it may come to.", default=None)
    keep_above: FormulaText | None = setting("What the running amount may not fall below (discount).", default=None)
    best_of: Name | None = setting("Steps with the same word compete: the largest stays.", default=None)
    over: Literal["line", "parent", "order"] = setting(
        "Whether it is worked out for each line, once for each parent line, or once for the order.", default="line"
    )
    where: FormulaText | None = setting("Which lines of the order take part (over = order or parent).", default=None)
    share: FormulaText | None = setting("The weights by which an amount of the order is shared.", default=None)
    if_no_share: Literal["refuse", "equal"] = setting(
        "Where all weights are 0: refused, or shared equally.", default="refuse"
    )
    places: Places | None = setting("Decimal places of its figure; those of the currency if left out.", default=None)
    rounding: Mode | None = setting("Its rounding mode; that of the routine if left out.", default=None)
    category: FormulaText | None = setting("The tax category (tax).", default=None)
    reason: FormulaText | None = setting("Why no tax is due (tax).", default=None)
    tax: OwnTaxDefinition | None = setting(
        "A tax of its own, instead of that of its line (discount, charge).", default=None
    )
    valid: Validity | None = setting(
        "From when until when it counts, by the date of the order; 0 on other days (discount, charge).", default=None
    )
    on_top_of: Texts = setting("Earlier taxes that this one is taken of too (tax).", default=())
    label: str = setting("The word shown to people.", default="")
    note: str = setting("What its author says about it, for the specification; it decides nothing.", default="")
    internal: bool = setting("For our own eyes: papers that leave the house do not show it.", default=False)
    own: Mapping[str, Any] = field(default_factory=dict, metadata={"rest": True})
    """Settings of a kind that is not built in, by key."""

    @property
    def shown(self) -> str:
        """The label, or the name in words."""
        return self.label or self.name.replace("_", " ")

    def setting(self, key: str) -> Any:
        """A setting by its key, None if it is left out."""
        return self.own[key] if key in self.own else getattr(self, key, None)


@dataclass(frozen=True)
class EarlyDefinition:
    """What may be deducted from an instalment that is paid early."""

    percent: FormulaText = setting("So much of a hundred of the instalment, a formula; 0 for nothing.")
    by: FormulaText = setting("The last day on which it may be deducted, a formula.")


@dataclass(frozen=True)
class InstalmentDefinition:
    """One instalment of what is to be paid."""

    label: str = setting("The word shown to people.")
    share: FormulaText = setting("Its share beside those of the others, a formula.")
    due: FormulaText | None = setting("The day it is due, a formula.", default=None)
    early: EarlyDefinition | None = setting("What may be deducted if it is paid early, and until when.", default=None)


@dataclass(frozen=True)
class RoutineDefinition:
    """A routine: steps that turn lines into money.

    Attributes:
        name: Its name.
    """

    name: str
    steps: Sequence[StepDefinition] = setting("Its steps, in order.", key="step")
    when: FormulaText | None = setting("Which orders it fits, a formula; all if left out.", default=None)
    rounding: Mode = setting("The rounding mode of its steps.", default="half-up")
    tax_per: Literal["document", "line"] = setting(
        "Whether tax is rounded on the document, for each category and rate, or on each line.", default="document"
    )
    prices_include_tax: FormulaText | None = setting("Whether prices are with tax, a formula.", default=None)
    payable_step: AboveZero | None = setting(
        "What is payable is rounded to a multiple of it, such as 0.05.", default=None
    )
    instalments: Sequence[InstalmentDefinition] = setting("How what is to be paid is split.", default=())
    instalments_of: str = setting("The figure that instalments split.", default="with_tax")
    note: str = setting("What its author says about it, for the specification; it decides nothing.", default="")
