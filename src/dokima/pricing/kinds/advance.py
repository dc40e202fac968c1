"""The advance: a part payment, worked out once for the order; it moves no amount."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from dokima.exact import Number, stored
from dokima.formulas.operators import numbers
from dokima.pricing.kinds.kind import OF, PERCENT, ROUNDING, WHEN, StepKind, Working

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run


class Advance(StepKind):
    """A percentage of what the order comes to, to be paid before the rest."""

    name = "advance"
    settings = {"percent": replace(PERCENT, once=False), "of": OF, "when": WHEN, "rounding": ROUNDING}
    needs = "percent"
    after_tax = True
    of_order = True

    def run(self, run: Run, step: Step) -> None:
        """Work it out once for the order, and apportion it."""
        run.apportion(step)

    def exact(self, working: Working) -> Number:
        """A percentage of a figure: of what the line comes to with tax, unless another is named."""
        run = working.run
        of = working.step.definition.of or ("with_tax" if "with_tax" in run.result.lines else "amount")
        return stored(numbers(run.frame.column(f"line.{of}"))) * working["percent"].shifted(2)

    def describe(self, step: StepDefinition) -> str:
        """The percentage, what it is taken of, and that it moves nothing."""
        when = f", if {step.when}" if step.when is not None else ""
        return f"{step.percent} % of {step.of or 'the total with tax'}{when}; moves nothing"
