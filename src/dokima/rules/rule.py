"""`Rule`: when it speaks, what it requires, what it says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from dokima.formulas import Formula, Level
from dokima.model.finding import Severity
from dokima.model.settings import FormulaText, Texts, setting
from dokima.rules.messages import Message
from dokima.rules.python import PythonRule

Parents = Literal["", "also", "only"]
"""Whether a rule asks parent lines: not, as well, or no others."""

MOMENTS = ("edit", "enter", "remove", "save", "approve", "close", "cancel")
"""The moments every rulebook knows."""

OF_A_CHANGE = ("change.", "variance.", "ledger.")
"""How names begin that say something of a change being approved."""
IS_CHANGE = "change.is_approved"
"""The flag of an order whether such a change is there at all."""

ASKS_ALSO: Mapping[str, Sequence[str]] = {"save": ("enter",), "approve": ("enter", "save")}
"""Moments whose rules are asked first: saving asks of every line what entering asks, approving what saving asks."""


@dataclass(frozen=True)
class RuleDefinition:
    """A rule: what must hold, where and when.

    Attributes:
        python: The Python function of a rule in Python, which has no formula.
        built_in: Whether every rulebook has it.
    """

    id: str = setting("Its id.")
    at: Texts = setting(
        "The moment or moments at which it is asked: edit, enter, remove, save, approve, close, cancel, or one of the "
        "rulebook's own."
    )
    require: FormulaText = setting("What must hold, a formula.", default=None, needed=True)
    when: FormulaText | None = setting("Where it applies, a formula; everywhere if left out.", default=None)
    message: str = setting("What it says, with formulas in braces.", default="")
    severity: Severity = setting(
        "What follows if it does not hold: error stops, warning and notice are told.", default="error"
    )
    field: str = setting("The field it is about: line.x or header.x; needed at edit.", default="")
    help: str = setting("What to do about it.", default="")
    acknowledge: bool = setting("Whether a warning stops until somebody accepts it.", default=False)
    parents: Parents = setting("Whether lines with sub-lines are asked: not, also, or only they.", default="")
    note: str = setting("What its author says about it, for the specification; it decides nothing.", default="")
    python: PythonRule | None = None
    built_in: bool = False


@dataclass(frozen=True, eq=False)
class Rule:
    """A rule that has been read and checked.

    Attributes:
        definition: What the rulebook says.
        when: Where it applies; None for everywhere.
        require: What must hold there.
        message: What it says where it does not.
        level: Once per order or once per line: the lower level of ``when`` and ``require``.
        reads: Names it reads and their levels, for the values a finding shows.
        whole: Line names it reads through aggregates: of all lines of the order.
        reads_of_records: Names of deliveries and payments it reads.
        fingerprint: Digest of what it says, to tell an accepted warning from one whose rule has changed.
    """

    definition: RuleDefinition
    when: Formula | None
    require: Formula | None
    message: Message
    level: Level
    reads: Mapping[str, Level] = field(default_factory=dict)
    whole: frozenset[str] = frozenset()
    reads_of_records: Sequence[str] = ()
    fingerprint: str = ""

    @cached_property
    def wants_before(self) -> Level | None:
        """The level of the state before an edit that it reads, without which it does not apply; None for none."""
        if any(name.startswith("was.") for name in self.reads):
            return Level.LINE
        return Level.HEADER if any(name.startswith("was_header.") for name in self.reads) else None

    @cached_property
    def wants_change(self) -> bool:
        """Whether it reads of a change being approved, without which it does not apply."""
        python = self.definition.python
        if python is not None and python.of_change:
            return True
        return any(name.startswith(OF_A_CHANGE) for name in (*self.reads, *self.message.reads))

    @property
    def id(self) -> str:
        """Its id."""
        return self.definition.id
