"""The subtotal: a name for what the line comes to so far."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dokima.pricing.kinds.kind import StepKind

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run


class Subtotal(StepKind):
    """Names what the line comes to so far."""

    name = "subtotal"
    symbol = "="
    is_level = True

    def run(self, run: Run, step: Step) -> None:
        """Leave the amount so far."""
        run.leave(step.name, run.running)

    def describe(self, step: StepDefinition) -> str:  # noqa: ARG002 (all subtotals say the same)
        """What it stands for."""
        return "what it comes to so far"
