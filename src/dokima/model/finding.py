"""A finding: what a rule or a price has to say about an order or a line."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from dokima.columns.shown import shown
from dokima.errors import NotFound, listed, nearest

Severity = Literal["error", "warning", "notice"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "notice")


COLUMNS = (
    "order", "line", "severity", "rule", "message", "field", "moment", "undecided", "help", "acknowledge", "accepted",
)  # fmt: skip
"""What a finding is written as, its values aside."""


QUESTION = "question"
"""The rule that a question of the rulebook, still open, stands under."""


@dataclass(frozen=True)
class Finding:
    """What a rule says about a line or an order.

    Attributes:
        rule: Id of the rule; findings of Dokima itself have ids such as ``price.blank``.
        severity: error, warning or notice.
        message: For people.
        order: Order number.
        line: Line number, blank if it is about the whole order.
        field: Field or figure it is about, blank if none in particular.
        values: The values the rule saw, by name.
        undecided: True if the rule could not be answered and therefore counts as an error.
        moment: The moment at which the rule spoke, blank if it was not a rule.
        help: What to do about it.
        acknowledge: Whether it stops until somebody accepts it.
        digest: Of the rule and the values it read; an acceptance is kept under it.
        accepted: Who accepted it and why, blank if nobody has.
    """

    rule: str
    severity: Severity
    message: str
    order: str = ""
    line: str = ""
    field: str = ""
    values: Mapping[str, Any] = dataclasses.field(default_factory=dict)
    undecided: bool = False
    moment: str = ""
    help: str = ""
    acknowledge: bool = False
    digest: str = ""
    accepted: str = ""

    @property
    def stops(self) -> bool:
        """Whether it stops the operation: an error does, and a warning that must be accepted until it is."""
        return self.severity == "error" or (self.acknowledge and not self.accepted)

    def to_dict(self) -> dict[str, Any]:
        """The finding as plain data, values as text."""
        return {
            "order": self.order,
            "line": self.line,
            "severity": self.severity,
            "rule": self.rule,
            "message": self.message,
            "field": self.field,
            "moment": self.moment,
            "undecided": self.undecided,
            "help": self.help,
            "acknowledge": self.acknowledge,
            "accepted": self.accepted,
            "values": in_words(self.values),
        }


def in_words(values: Mapping[str, Any]) -> dict[str, str | None]:
    """Values as text; a blank stays one."""
    return {name: None if value is None else shown(value) for name, value in values.items()}


def worse_or_equal(severity: str) -> tuple[str, ...]:
    """A severity and those that are worse.

    Raises:
        NotFound: There is no such severity; names the nearest.
    """
    if severity not in SEVERITIES:
        raise NotFound(f"expected a severity: {listed(SEVERITIES)} (got '{severity}'{nearest(severity, SEVERITIES)})")
    return tuple(SEVERITIES[: SEVERITIES.index(severity) + 1])


@dataclass(frozen=True)
class RuleSummary:
    """What came of asking a rule.

    Attributes:
        rule: Id of the rule.
        asked: How many orders or lines it was asked about.
        refused: How many did not satisfy it.
        undecided: About how many it could not be decided.
        seconds: How long it took, None if nobody looked at a clock.
    """

    rule: str
    asked: int
    refused: int
    undecided: int
    seconds: float | None = None

    def __add__(self, other: RuleSummary) -> RuleSummary:
        """What came of asking the same rule about these orders and others."""
        seconds = None if self.seconds is None or other.seconds is None else self.seconds + other.seconds
        asked, refused = self.asked + other.asked, self.refused + other.refused
        return RuleSummary(self.rule, asked, refused, self.undecided + other.undecided, seconds)
