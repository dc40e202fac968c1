"""`Rule`: when it speaks, what it requires, what it says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

from dokima.formulas import Formula, Level
from dokima.model.finding import Severity
from dokima.model.settings import FormulaText, Texts, setting
from dokima.model.validity import Validity
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
        version: What tells it from other versions of the same id, blank where there are none.
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
    valid: Validity | None = setting("From when until when it is asked, by the date of the order.", default=None)
    python: PythonRule | None = None
    built_in: bool = False
    version: str = ""

    @property
    def key(self) -> str:
        """What tells it from all other rules: its id, of one of several versions with the day from which it counts."""
        return f"{self.id}@{self.version}" if self.version else self.id


@dataclass(frozen=True, eq=False)
class Rule:
    """A rule that has been read and checked.

    Attributes:
        definition: What the rulebook says.
        valid: Whether the order has a date on which it counts; None for any.
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
    valid: Formula | None = None

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
        """Its id, which versions of one rule share."""
        return self.definition.id

    @property
    def key(self) -> str:
        """What tells it from all other rules."""
        return self.definition.key


def with_versions(rules: Sequence[RuleDefinition]) -> list[RuleDefinition]:
    """Rules of which those that share an id have a version."""
    ids = [rule.id for rule in rules]
    versions = [str(rule.valid.start or "start") if rule.valid is not None else "always" for rule in rules]
    return [
        rule if ids.count(rule.id) == 1 else replace(rule, version=version)
        for rule, version in zip(rules, versions, strict=True)
    ]
