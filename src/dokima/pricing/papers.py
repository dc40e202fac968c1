"""Papers that leave the house: what a rulebook says of them, and what they may not show."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated

from dokima.formulas import Formula
from dokima.model.settings import FormulaText, Reads, Texts, setting

if TYPE_CHECKING:
    from dokima.pricing.program import Program
    from dokima.rules.messages import Message

Spoken = Annotated[Mapping[str, str], Reads("spoken")]
"""A text, or one by language; with formulas in braces. Blank is the language of one that is said once for all."""


BESIDE_TOTALS = ("instalments", "reporting")
"""What a paper may name among its totals beside these: how they are paid, and in which other currency reported."""


@dataclass(frozen=True)
class PaperDefinition:
    """A paper about one order, such as a quotation.

    Attributes:
        name: Its name.
    """

    name: str
    title: Spoken = setting("What it is, a text or one by language; formulas stand in braces.")
    text: Spoken = setting("What stands above the lines, likewise.", default_factory=dict)
    notes: Sequence[Spoken] = setting("What stands below the totals, likewise.", default=())
    fields: Texts = setting("Fields and figures of the order that stand at the top.", default=("date",))
    parties: Texts = setting(
        "The parties named, with the addresses of [report].", default=("customer", "supplier", "ship_to")
    )
    columns: Texts = setting(
        "Columns of the lines: fields and figures.",
        default=("number", "item", "description", "quantity", "unit", "price", "net"),
    )
    totals: Texts = setting(
        "Totals, in their sequence, figures of the order, instalments, reporting; all there are if left out.",
        default=(),
    )
    valid_until: FormulaText | None = setting("The last day on which it is offered, a formula.", default=None)
    sign: Sequence[Spoken] = setting("Who signs: a line for each.", default=())
    internal: bool = setting("For our own eyes: it may show what is internal.", default=False)

    @property
    def spoken(self) -> Mapping[str, Mapping[str, str]]:
        """Its texts by the path of their key."""
        found = {"title": self.title, "text": self.text}
        found |= {f"notes.{at}": each for at, each in enumerate(self.notes)}
        return found | {f"sign.{at}": each for at, each in enumerate(self.sign)}


@dataclass(frozen=True)
class PaperTerms:
    """A paper, checked.

    Attributes:
        definition: What the rulebook says.
        texts: Its texts by key and language.
        valid_until: The last day on which it is offered; None for none.
    """

    definition: PaperDefinition
    texts: Mapping[str, Mapping[str, Message]] = field(default_factory=dict)
    valid_until: Formula | None = None

    def reads(self) -> set[str]:
        """The names that its texts read."""
        found = {name for by in self.texts.values() for message in by.values() for name in message.reads}
        return found | set(() if self.valid_until is None else self.valid_until.reads)


def internal_names(program: Program) -> frozenset[str]:
    """Dotted names that are for our own eyes: those that say so, and what is worked out of one.

    Steps that move money, and totals, follow from prices: they are internal only if they say so themselves.
    """
    fields, tables = program.definition.fields, {each.name: each for each in program.definition.tables}
    levels = (("header", fields.header), ("line", fields.line))
    found = {f"{level}.{name}" for level, known in levels for name, each in known.items() if each.internal}
    found |= {f"{n}.{column}" for n, table in tables.items() for column, each in table.columns.items() if each.internal}
    steps = [step for routine in program.routines for step in routine.steps]
    found |= {f"{level}.{step.name}" for step in steps if step.definition.internal for level in ("line", "header")}
    reads: dict[str, set[str]] = {f"{level}.{name}": set(formula.reads) for level, name, formula in program.defaults}
    for step in steps:
        if not step.way.is_amount:
            for level in ("line", "header"):
                reads.setdefault(f"{level}.{step.name}", set()).update(n for _, f in step.formulas() for n in f.reads)
    for name, table in tables.items():
        reads |= {f"{name}.{column}": {what} for column, what in table.roll_up.items()}
    while True:
        more = {name for name, behind in reads.items() if name not in found and behind & found}
        if not more:
            return frozenset(found)
        found |= more
