"""`Rule`: when it speaks, what it requires, what it says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from dokima.formulas import Formula, Level
from dokima.model.findings import Severity
from dokima.rules.messages import Message

MOMENTS = ("edit", "enter", "remove", "save", "approve", "close", "cancel")
"""The moments every rulebook knows."""

ASKS_ALSO: Mapping[str, Sequence[str]] = {"save": ("enter",), "approve": ("enter", "save")}
"""Moments whose rules are asked first: saving asks of every line what entering asks, approving what saving asks."""


@dataclass(frozen=True)
class RuleDefinition:
    """A rule as a rulebook declares it; formulas are text still."""

    id: str
    at: Sequence[str]
    require: object
    when: object = None
    message: str = ""
    severity: Severity = "error"
    field: str = ""
    outlines: bool = False


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
    """

    definition: RuleDefinition
    when: Formula | None
    require: Formula
    message: Message
    level: Level
    reads: Mapping[str, Level] = field(default_factory=dict)

    @property
    def id(self) -> str:
        """Its id."""
        return self.definition.id
