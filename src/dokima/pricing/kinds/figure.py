"""The figure: a value worth knowing, for the line or the order, that moves no money."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Quotient
from dokima.formulas import Level
from dokima.pricing.kinds.kind import ANYTHING, PLACES, ROUNDING, Setting, StepKind
from dokima.pricing.steps.results import BlankStep

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run


class Figure(StepKind):
    """A value of any kind, at the level of what it reads."""

    name = "figure"
    settings = {"value": Setting("what it is", ANYTHING), "places": PLACES, "rounding": ROUNDING}
    needs = "value"
    is_amount = False
    after_tax = True

    def run(self, run: Run, step: Step) -> None:
        """Work the value out, once per line or once per order."""
        formula = step.parts["value"]
        column = formula.evaluate(run.frame, step.level)
        failed = formula.failures(run.frame, step.level)
        if failed is not None:
            column = _failed(run, step, column, failed)
        if isinstance(column, Decimals | Quotient) and step.definition.places is not None:
            column = column.round(step.definition.places, step.rounding)
        if step.level is Level.LINE:
            run.leave(step.name, column)
        else:
            run.result.headers[step.name] = column
            run.frame.put(f"header.{step.name}", column)

    def describe(self, step: StepDefinition) -> str:
        """Its formula."""
        return str(step.value)


def _failed(run: Run, step: Step, column: Column, failed: Texts) -> Column:
    """A figure moves no money, but one whose function failed is told, and what reads it is in error."""
    level = "line" if step.level is Level.LINE else "header"
    for at in np.flatnonzero(failed.codes >= 0).tolist():
        order = int(run.frame.order_of[at]) if step.level is Level.LINE else at
        line = at if step.level is Level.LINE else -1
        run.result.failed_figures.append(BlankStep(step, line, value_at(failed, at), order))
    run.frame.fail(f"{level}.{step.name}", failed)
    return column.without(failed.codes >= 0)
