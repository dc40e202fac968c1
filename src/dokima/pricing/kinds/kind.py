"""`StepKind`: everything that makes a kind of step what it is, in one place."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, ClassVar

from dokima.errors import DokimaError, listed
from dokima.exact import Number, decimals, share, to_decimals
from dokima.formulas import NUMBERS, FormulaKind, Frame
from dokima.formulas.operators import numbers

if TYPE_CHECKING:
    from dokima.pricing.steps.definition import StepDefinition
    from dokima.pricing.steps.routine import Step
    from dokima.pricing.steps.running import Run

NUMBER: Sequence[FormulaKind] = tuple(sorted(NUMBERS))
ANYTHING: Sequence[FormulaKind] = ()


@dataclass(frozen=True)
class Setting:
    """A setting that a kind of step takes.

    Attributes:
        description: What it says.
        gives: Kinds of values that its formula may give, empty for any; None for a setting that is no formula.
        once: Whether it is worked out once for the order or parent line, where the step is.
    """

    description: str
    gives: Sequence[FormulaKind] | None = None
    once: bool = False


WHEN = Setting("where it applies", ("flag",), once=True)
PERCENT = Setting("so much of a hundred", NUMBER, once=True)
OF = Setting("the figure that a percentage is taken of")
PLACES = Setting("decimal places of its figure")
ROUNDING = Setting("its rounding mode")


@dataclass(frozen=True)
class Working:
    """A step at work, as a kind of one's own sees it.

    Attributes:
        run: The running routine.
        step: The step.
        frame: What its formulas read.
    """

    run: Run
    step: Step
    frame: Frame | None = None

    def __getitem__(self, setting: str) -> Number:
        """The numbers that a setting's formula gives, one per line."""
        once = self.step.way.settings[setting].once
        return numbers(self.run.evaluate(self.step.parts[setting], self.frame if once else None))

    def __contains__(self, setting: str) -> bool:
        """Whether the step has a formula for a setting."""
        return setting in self.step.parts

    @property
    def quantity(self) -> Number:
        """The quantities of the lines."""
        return numbers(self.run.frame.column("line.quantity"))

    def exact(self) -> Number:
        """What the kind gives before rounding.

        Raises:
            DokimaError: A kind of the rulebook's own failed, or gave no numbers; one that is built in fails as it is.
        """
        kind, name = self.step.way, self.step.name
        if not is_own(type(kind)):
            return kind.exact(self)
        try:
            found = kind.exact(self)
        except DokimaError:
            raise
        except Exception as error:  # whatever the class raises is a mistake of the rulebook, told with its place
            raise DokimaError(
                f"step '{name}': its kind '{kind.name}' failed: {type(error).__name__}: {error}"
            ) from error
        if not isinstance(found, Number):
            raise DokimaError(
                f"step '{name}': expected numbers, one per line, from its kind '{kind.name}' (got {found!r:.80})"
            )
        return found


def is_own(kind: type) -> bool:
    """Whether a kind of step is a rulebook's own and not built in."""
    return not kind.__module__.startswith("dokima.")


class StepKind:
    """A kind of step. Built in are those of `dokima.pricing.kinds`; a rulebook may be loaded with more.

    Attributes:
        name: What stands under ``kind`` in a rulebook.
        settings: What it takes, by key.
        needs: The setting that must be there, blank for none.
        sign: What its figure does to the amount of a line: -1 takes, +1 adds, 0 neither.
        symbol: The sign before its label.
        is_amount: Whether its figure is an amount of money, rounded to the currency and summed into the header.
        after_tax: Whether it may stand after a tax.
        shared: Whether it may be worked out once for the order or a parent line, and shared over lines.
        taxed: Whether what it moves is part of what taxes are taken of.
        total: The total of the order that it feeds where it is worked out once for the order, blank for none.
        is_price: Whether it starts the amount of a line.
        is_tax: Whether it is a tax.
        is_level: Whether it only names what the line comes to so far.
        of_order: Whether it is always worked out once for the order.
    """

    name: ClassVar[str]
    settings: ClassVar[Mapping[str, Setting]] = {}
    needs: ClassVar[str] = ""
    sign: ClassVar[int] = 0
    symbol: ClassVar[str] = ""
    is_amount: ClassVar[bool] = True
    after_tax: ClassVar[bool] = False
    shared: ClassVar[bool] = False
    taxed: ClassVar[bool] = True
    total: ClassVar[str] = ""
    is_price: ClassVar[bool] = False
    is_tax: ClassVar[bool] = False
    is_level: ClassVar[bool] = False
    of_order: ClassVar[bool] = False

    @property
    def article(self) -> str:
        """``a price``, ``an advance``."""
        return f"an {self.name}" if self.name[0] in "aeiou" else f"a {self.name}"

    def check(self, step: StepDefinition) -> Iterator[tuple[str, str]]:
        """What is wrong with a step of this kind beside unknown or missing settings: the setting, and what is wrong.

        Args:
            step: What the rulebook says.
        """
        given = {key for key in ("over", "where", "share") if getattr(step, key) not in (None, "line")}
        if "over" in given and not self.shared:
            only = f"only discounts and charges are worked out for the {step.over}"
            yield "over", f"{only} (got {self.article})"
        if step.over == "line":
            for key in ("where", "share"):
                if key in given:
                    yield key, f"'{key}' goes with over = 'order' or 'parent'"

    def leaves_amounts(self, name: str) -> Sequence[str]:
        """The amounts that can be read once a step of this kind is done.

        Args:
            name: Name of the step.
        """
        return (name,) if self.is_amount else ()

    def run(self, run: Run, step: Step) -> None:
        """Work a step out for all lines, and leave its figure.

        Args:
            run: The running routine.
            step: The step.
        """
        raise NotImplementedError

    def exact(self, working: Working) -> Number:
        """The exact figure of each line, before limits and rounding, of a kind that moves the amount of lines.

        Args:
            working: The step at work.
        """
        raise NotImplementedError

    def split(self, amount: Decimal, quantities: Sequence[Decimal | None], places: int) -> Sequence[Decimal]:
        """An approved figure of a line divided over the documents that hold the line: by their quantities.

        Args:
            amount: The figure that was approved.
            quantities: What each document holds of the line.
            places: Decimal places of the currency.

        Returns:
            The part of each document; together they are the figure.
        """
        weights = decimals(quantities)
        equal = all(quantity == 0 for quantity in quantities)
        parts = to_decimals(share(decimals([amount]), weights, places, equal_if_weightless=equal))
        return [part for part in parts if part is not None]

    def describe(self, step: StepDefinition) -> str:
        """What a step says, in words, its label aside.

        Args:
            step: What the rulebook says.
        """
        settings = [f"{key} {step.setting(key)}" for key in self.settings if step.setting(key) not in (None, (), "")]
        return f"{self.name}: {listed(settings)}" if settings else self.name
