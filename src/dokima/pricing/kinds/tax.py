"""The tax: a rate and a category for each line, rounded on the document or on the line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from dokima.pricing.kinds.kind import PERCENT, ROUNDING, WHEN, Setting, StepKind

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run


class Tax(StepKind):
    """Adds to what the order comes to, and moves no amount of a line."""

    name = "tax"
    settings = {
        "percent": PERCENT,
        "category": Setting("the tax category", ("text",)),
        "reason": Setting("why no tax is due", ("text",)),
        "when": WHEN,
        "on_top_of": Setting("earlier taxes that this one is taken of too"),
        "rounding": ROUNDING,
    }
    needs = "percent"
    symbol = "+"
    after_tax = True
    is_tax = True

    def leaves_amounts(self, name: str) -> Sequence[str]:
        """Its own figure, and the two that all taxes make."""
        return (name, "tax", "with_tax")

    def run(self, run: Run, step: Step) -> None:
        """Work out the tax of each category and rate, and each line's part of it."""
        run.add_tax(step)

    def describe(self, step: StepDefinition) -> str:
        """Rate, category, and where it applies."""
        category = f", category {step.category}" if step.category is not None else ""
        when = f", if {step.when}" if step.when is not None else ""
        return f"{step.percent} %{category}{when}"
