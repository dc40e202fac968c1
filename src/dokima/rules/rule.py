"""`Rule`: when it speaks, what it requires, what it says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from dokima.formulas import Formula, Level
from dokima.model.findings import Severity
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
    """A rule as a rulebook declares it; formulas are text still.

    Attributes:
        id: Its id.
        at: Moments at which it speaks.
        require: Formula of what must hold; None for a rule in Python.
        when: Formula of where it applies.
        message: What it says, with formulas in braces.
        severity: error, warning or notice.
        field: The field it is about, ``line.x`` or ``header.x``; at ``edit`` the one whose change asks it.
        help: What to do about it.
        acknowledge: A warning that stops until somebody accepts it.
        parents: "also" asks parent lines (lines with sub-lines) too, "only" asks no others.
        python: The Python function of a rule in Python.
    """

    id: str
    at: Sequence[str]
    require: object = None
    when: object = None
    message: str = ""
    severity: Severity = "error"
    field: str = ""
    help: str = ""
    acknowledge: bool = False
    parents: Parents = ""
    python: PythonRule | None = None


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

    @property
    def wants_before(self) -> Level | None:
        """The level of the state before an edit that it reads, without which it does not apply; None for none."""
        if any(name.startswith("was.") for name in self.reads):
            return Level.LINE
        return Level.HEADER if any(name.startswith("was_header.") for name in self.reads) else None

    @property
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
