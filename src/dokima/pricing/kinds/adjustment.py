"""Discounts and charges: what is taken off the amount of a line, and what is added to it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from dokima.errors import listed
from dokima.exact import Number, stored
from dokima.formulas.operators import numbers
from dokima.pricing.kinds.kind import NUMBER, OF, PERCENT, PLACES, ROUNDING, WHEN, Setting, StepKind, Working

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run

_WAYS = {
    "percent": PERCENT,
    "amount": Setting("an amount", NUMBER, once=True),
    "per_unit": Setting("an amount for each unit", NUMBER),
}
CAP = Setting("the most it may come to", NUMBER, once=True)
BEST_OF = Setting("steps with the same word compete")
WHERE = Setting("which lines of the order take part", ("flag",))
TAX = Setting("a tax of its own")
VALID = Setting("from when until when it counts")
SHARE = Setting("the weights by which an amount of the order is shared", NUMBER)


class Adjustment(StepKind):
    """A step that moves the amount of a line. A kind of one's own says in `exact` by how much."""

    shared = True

    def run(self, run: Run, step: Step) -> None:
        """Work out what each line bears, and move its amount by that."""
        run.adjust(step)

    def exact(self, working: Working) -> Number:
        """A percentage of a figure, an amount, or so much a unit."""
        if "percent" in working:
            of, run = working.step.definition.of, working.run
            base = stored(numbers(run.frame.column(f"line.{of}"))) if of else run.running
            return base * working["percent"].shifted(2)
        if "amount" in working:
            return working["amount"]
        return working["per_unit"] * working.quantity

    def check(self, step: StepDefinition) -> Iterator[tuple[str, str]]:
        """Exactly one way to say how much, and settings that go with it."""
        if set(_WAYS) <= set(self.settings):
            ways = [key for key in _WAYS if getattr(step, key) is not None]
            if len(ways) != 1:
                yield "", f"expected one of percent, amount, per_unit (got {listed(ways) or 'none'})"
            if step.of is not None and step.percent is None:
                yield "of", "'of' says what a percent is taken of; this step has none"
        yield from super().check(step)
        if step.over == "parent" and step.best_of is not None:
            yield "best_of", "steps of the parent do not compete; those of the line or the order do"
        if step.share is not None and step.amount is None:
            yield "share", "'share' says how an amount is shared; this step has none"

    def describe(self, step: StepDefinition) -> str:
        """How much, of what, up to which limit, and for whom."""
        if not set(_WAYS) <= set(self.settings):
            return super().describe(step)
        over = {"order": ", once for the order", "parent": ", once for each parent line"}.get(step.over, "")
        share = f", shared by {step.share or 'what each line comes to'}" if over and step.amount is not None else ""
        of = f" of {step.of or 'what it comes to so far'}"
        amount = f"{step.percent} %{of}" if step.percent is not None else f"{step.amount or f'{step.per_unit} a unit'}"
        cap = f", at most {step.cap}" if step.cap is not None else ""
        when = f", if {step.when}" if step.when is not None else ""
        tax = f", with a tax of its own of {step.tax.percent} %" if step.tax is not None else ""
        return f"{amount}{cap}{over}{share}{when}{tax}"


class Discount(Adjustment):
    """Takes from the amount of a line."""

    name = "discount"
    settings = {
        **_WAYS, "of": OF, "when": WHEN, "cap": CAP,
        "keep_above": Setting("what the amount may not fall below", NUMBER), "best_of": BEST_OF,
        "places": PLACES, "rounding": ROUNDING, "where": WHERE, "share": SHARE, "tax": TAX, "valid": VALID,
    }  # fmt: skip
    sign = -1
    symbol = "\u2212"
    total = "allowances"


class Charge(Adjustment):
    """Adds to the amount of a line."""

    name = "charge"
    settings = {
        **_WAYS, "of": OF, "when": WHEN, "cap": CAP, "best_of": BEST_OF,
        "places": PLACES, "rounding": ROUNDING, "where": WHERE, "share": SHARE, "tax": TAX, "valid": VALID,
    }  # fmt: skip
    sign = 1
    symbol = "+"
    total = "charges"
