"""Findings: what rules and prices have to say about orders."""

from __future__ import annotations

import csv
import dataclasses
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from dokima.errors import NotFound, Problem, listed, nearest
from dokima.model.addresses import read_address
from dokima.model.collecting import collector_at_rest
from dokima.model.columns import shown
from dokima.model.said import SHOWN

Severity = Literal["error", "warning", "notice"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "notice")


COLUMNS = (
    "order", "line", "severity", "rule", "message", "field", "moment", "undecided", "help", "acknowledge", "accepted",
)  # fmt: skip
"""What a finding is written as, its values aside."""


QUESTION = "question"
"""The rule that a question of the rulebook, still open, stands under."""


class _Lines:
    """Collects what a writer writes."""

    def __init__(self, lines: list[str]) -> None:
        self._lines = lines

    def write(self, text: str) -> None:
        """Take one piece of text."""
        self._lines.append(text)


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
            "values": {name: None if value is None else shown(value) for name, value in self.values.items()},
        }


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


@dataclass(frozen=True)
class Findings(Sequence[Finding]):
    """Findings in the order of orders, line sequence and rules.

    Attributes:
        items: The findings.
        summary: For each rule that was asked, how often, and what came of it; empty if nobody counted.
        orders: How many orders were looked at; None if nobody counted.
    """

    items: tuple[Finding, ...] = ()
    summary: tuple[RuleSummary, ...] = dataclasses.field(default=(), compare=False)
    orders: int | None = dataclasses.field(default=None, compare=False)

    @classmethod
    def sorted(cls, findings: Iterable[Finding], orders: Callable[[], Iterable[str]]) -> Findings:
        """Findings by order, line number and rule; header findings come first.

        Args:
            findings: In any sequence.
            orders: Gives the order numbers in their sequence; asked only if there are findings.
        """
        findings = list(findings)
        if not findings:
            return cls()
        found = {finding.order for finding in findings}
        place = {number: at for at, number in enumerate(orders()) if number in found}
        # Many orders have few line numbers; each is taken apart once.
        addresses = {line: read_address(line) if line else () for line in {finding.line for finding in findings}}
        rows = sorted(findings, key=lambda f: (place.get(f.order, len(place)), addresses[f.line], f.rule))
        return cls(tuple(rows))

    @classmethod
    def of_problems(cls, problems: Iterable[Problem]) -> Findings:
        """Problems of documents as findings, so that one list tells everything."""
        found = []
        for problem in problems:
            place = f" ({problem.place})" if problem.file else ""
            message = f"{problem.field}: {problem.message}{place}" if problem.field else f"{problem.message}{place}"
            found.append(Finding("document", "error", message, problem.order, problem.line, problem.field))
        return cls(tuple(found))

    def __repr__(self) -> str:
        return f"<Findings: {len(self.errors)} errors of {len(self.items)}; {SHOWN}>"

    def __len__(self) -> int:
        return len(self.items)

    def __iter__(self) -> Iterator[Finding]:
        return iter(self.items)

    def __getitem__(self, index: Any) -> Any:
        return Findings(self.items[index]) if isinstance(index, slice) else self.items[index]

    def __add__(self, other: Findings) -> Findings:
        orders = other.orders if self.orders is None else self.orders
        return Findings(self.items + other.items, self.summary + other.summary, orders)

    @property
    def errors(self) -> Findings:
        """Those that stop an order."""
        return self.where(lambda finding: finding.severity == "error")

    @property
    def stopping(self) -> Findings:
        """Those that stop an operation: errors, and warnings that nobody has accepted yet."""
        return self.where(lambda finding: finding.stops)

    def at_least(self, severity: str) -> Findings:
        """Those of a severity, and worse ones.

        Raises:
            NotFound: There is no such severity; names the nearest.
        """
        worst = worse_or_equal(severity)
        return self.where(lambda finding: finding.severity in worst)

    def where(self, keep: Callable[[Finding], bool]) -> Findings:
        """Those that a test keeps."""
        return Findings(tuple(finding for finding in self.items if keep(finding)), self.summary, self.orders)

    def beyond(self, others: Findings) -> Findings:
        """Those that others do not have: of other rules, orders or lines."""
        known = {(finding.rule, finding.order, finding.line) for finding in others}
        return self.where(lambda finding: (finding.rule, finding.order, finding.line) not in known)

    def of(self, order: str, line: str | None = None) -> Findings:
        """Those of one order, or of one of its lines."""
        return self.where(lambda finding: finding.order == order and line in (None, finding.line))

    def to_dicts(self) -> list[dict[str, Any]]:
        """All of them as plain data."""
        return [finding.to_dict() for finding in self.items]

    @collector_at_rest()
    def to_json(self) -> str:
        """All of them as a JSON array."""
        return json.dumps(self.to_dicts(), indent=2, ensure_ascii=False)

    @collector_at_rest()
    def to_csv(self) -> str:
        """All of them as CSV with a heading, one row a finding, without the values they saw."""
        lines: list[str] = []
        writer = csv.writer(_Lines(lines), lineterminator="\n")
        writer.writerow(COLUMNS)
        writer.writerows([row[name] for name in COLUMNS] for row in self.to_dicts())
        return "".join(lines)

    def to_frame(self) -> Any:
        """A pandas DataFrame, one row a finding."""
        import pandas as pd

        return pd.DataFrame(self.to_dicts(), columns=[*COLUMNS, "values"])
