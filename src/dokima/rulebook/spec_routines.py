"""Settings of routines and their steps."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, ConfigDict, Field, WithJsonSchema, model_validator

from dokima.routines.kinds import BUILT_IN
from dokima.rulebook.spec_types import (
    FormulaText,
    Mode,
    Name,
    Spec,
    Texts,
    above_zero,
    no_float,
)


class OptionSpec(Spec):
    """One place a price may come from."""

    value: FormulaText | None = None
    """A price, a formula."""
    amount: FormulaText | None = None
    """What the whole line comes to, in the place of a price."""
    base: FormulaText | None = None
    """For how many units the price is; 1 if left out."""
    factor: FormulaText | None = None
    """How many priced units one unit of the line is; 1 if left out."""

    @model_validator(mode="after")
    def _one_way(self) -> OptionSpec:
        if (self.value is None) == (self.amount is None):
            raise ValueError("expected either 'value', a price, or 'amount', what the whole line comes to")
        if self.amount is not None and (self.base is not None or self.factor is not None):
            raise ValueError("an 'amount' takes no base and no factor")
        return self


class StepSpec(Spec):
    """A step of a routine."""

    # A kind of one's own has settings of its own, which are checked when the routine is built.
    model_config = ConfigDict(extra="allow", json_schema_extra={"additionalProperties": False})

    name: str
    """Its name, and that of the figure it leaves."""
    kind: Annotated[str, WithJsonSchema({"type": "string", "enum": [kind.name for kind in BUILT_IN]})]
    """What it does."""
    options: list[OptionSpec] = []
    """Where a price may come from, the first that is not blank (price)."""
    percent: FormulaText | None = None
    """So much of a hundred (discount, charge, tax, advance)."""
    amount: FormulaText | None = None
    """An amount (discount, charge)."""
    per_unit: FormulaText | None = None
    """An amount for each unit (discount, charge)."""
    of: str | None = None
    """The figure that a percentage is taken of; the running amount if left out."""
    value: FormulaText | None = None
    """What a figure is, a formula (figure)."""
    when: FormulaText | None = None
    """Where it applies, a formula."""
    cap: FormulaText | None = None
    """The most it may come to."""
    keep_above: FormulaText | None = None
    """What the running amount may not fall below (discount)."""
    best_of: Name | None = None
    """Steps with the same word compete: the largest stays."""
    over: Literal["line", "parent", "order"] = "line"
    """Whether it is worked out for each line, once for each parent line, or once for the order."""
    where: FormulaText | None = None
    """Which lines of the order take part (over = order or parent)."""
    share: FormulaText | None = None
    """The weights by which an amount of the order is shared."""
    if_no_share: Literal["refuse", "equal"] = "refuse"
    """Where all weights are 0: refused, or shared equally."""
    places: Annotated[int, Field(ge=0, le=30)] | None = None
    """Decimal places of its figure; those of the currency if left out."""
    rounding: Mode | None = None
    """Its rounding mode; that of the routine if left out."""
    category: FormulaText | None = None
    """The tax category (tax)."""
    reason: FormulaText | None = None
    """Why no tax is due (tax)."""
    on_top_of: Texts = []
    """Earlier taxes that this one is taken of too (tax)."""
    label: str = ""
    """The word shown to people."""

    @model_validator(mode="after")
    def _exact(self) -> StepSpec:
        for value in (self.model_extra or {}).values():
            no_float(value)
        return self


class InstalmentSpec(Spec):
    """One instalment."""

    label: str
    """The word shown to people."""
    share: FormulaText
    """Its share beside those of the others, a formula."""
    due: FormulaText | None = None
    """The day it is due, a formula."""


class RoutineSpec(Spec):
    """A routine."""

    step: list[StepSpec]
    """Its steps, in order."""
    when: FormulaText | None = None
    """Which orders it fits, a formula; all if left out."""
    rounding: Mode = "half-up"
    """The rounding mode of its steps."""
    tax_per: Literal["document", "line"] = "document"
    """Whether tax is rounded on the document, for each category and rate, or on each line."""
    prices_include_tax: FormulaText | None = None
    """Whether prices are with tax, a formula."""
    payable_step: Annotated[Decimal, BeforeValidator(above_zero)] | None = None
    """What is payable is rounded to a multiple of it, such as 0.05."""
    instalments: list[InstalmentSpec] = []
    """How what is to be paid is split."""
    instalments_of: str = "with_tax"
    """The figure that instalments split."""
