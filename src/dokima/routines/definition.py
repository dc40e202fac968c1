"""What a rulebook says about a routine and its steps; formulas are text still."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

RESERVED = ("price", "amount", "net", "without_tax", "tax", "with_tax")
"""Figures every routine leaves on a line; no step may take their names, but the price step may be called price."""

RUNNING = ("line.amount", "line.net", "line.without_tax", "header.amount", "header.net", "header.without_tax")
"""Figures that change from step to step: read between steps they give their value so far."""


@dataclass(frozen=True)
class OptionDefinition:
    """One place a price may come from: value, per how many (``base``), and units priced per unit of the line.

    ``amount`` instead of them is what the whole line comes to.
    """

    value: object = None
    base: object = None
    factor: object = None
    amount: object = None


@dataclass(frozen=True)
class StepDefinition:
    """A step as a rulebook declares it. Which settings a kind takes is checked when it is built."""

    name: str
    kind: str
    options: Sequence[OptionDefinition] = ()
    percent: object = None
    amount: object = None
    per_unit: object = None
    of: str | None = None
    value: object = None
    when: object = None
    cap: object = None
    keep_above: object = None
    best_of: str | None = None
    over: Literal["line", "parent", "order"] = "line"
    where: object = None
    share: object = None
    if_no_share: Literal["refuse", "equal"] = "refuse"
    places: int | None = None
    rounding: str | None = None
    category: object = None
    reason: object = None
    on_top_of: Sequence[str] = ()
    label: str = ""
    own: Mapping[str, object] = field(default_factory=dict)
    """Settings of a kind that is not built in, by key."""

    @property
    def shown(self) -> str:
        """The label, or the name in words."""
        return self.label or self.name.replace("_", " ")

    def setting(self, key: str) -> object:
        """A setting by its key, None if it is left out."""
        return self.own[key] if key in self.own else getattr(self, key, None)


@dataclass(frozen=True)
class InstalmentDefinition:
    """One instalment: its share of the whole, as a number beside those of the others, and the day it is due."""

    label: str
    share: object
    due: object = None


@dataclass(frozen=True)
class RoutineDefinition:
    """A routine as a rulebook declares it."""

    name: str
    steps: Sequence[StepDefinition]
    when: object = None
    rounding: str = "half-up"
    tax_per: Literal["document", "line"] = "document"
    prices_include_tax: object = None
    payable_step: object = None
    instalments: Sequence[InstalmentDefinition] = ()
    instalments_of: str = "with_tax"
