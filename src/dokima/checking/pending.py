"""Warnings that arose while an order was being edited and that nobody has accepted yet.

A rule that speaks only at ``edit``, or compares with what was before, is not asked again when the order is saved. So
what it said is kept with the order until somebody accepts it, or the values it was about change.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from dokima.checking.rule_columns import rule_context
from dokima.model.finding import Finding
from dokima.model.orders import Orders
from dokima.pricing.program import Program, Run
from dokima.rules.accepting import acceptance, rule_digest
from dokima.rules.rule import Rule

PENDING = "pending"
"""Records of the header that hold such warnings."""

Record = Mapping[str, Any]


def is_kept(rule: Rule) -> bool:
    """Whether what a rule said at an edit must be kept, because saving does not ask it again."""
    return rule.wants_before is not None or not {"enter", "save"} & set(rule.definition.at)


def pending_record(finding: Finding) -> dict[str, Any]:
    """A warning as an order keeps it."""
    names = ("rule", "line", "field", "message", "digest")
    return {name: getattr(finding, name) for name in names}


def pending_findings(program: Program, orders: Orders, run: Run) -> list[Finding]:
    """The warnings that orders keep and that are still open: not accepted, and about values that stand as they were.

    Args:
        program: The rulebook.
        orders: The orders, defaults filled in.
        run: What the caller says about the run.
    """
    records = orders.records.get(PENDING)
    if records is None or not any(records):
        return []
    said = set(_rules_of(records))
    known = [rule for rule in program.rules if rule.id in said]
    context = rule_context(program, orders, run, known)
    findings: list[Finding] = []
    for at, mine in enumerate(records):
        where = orders.lines_of(at)
        places = {orders.line_numbers[place]: place for place in range(where.start, where.stop)}
        for record in mine:
            name, line = str(record.get("rule")), str(record.get("line") or "")
            if line and line not in places:
                continue
            for rule in [each for each in known if each.id == name]:  # of several versions the one that spoke
                digest = rule_digest(rule, context, at, places[line] if line else None)
                if digest == record.get("digest") and not acceptance(orders, at, rule.id, line, digest):
                    findings.append(_finding(rule, record, orders.numbers[at], line, digest))
    return findings


def _rules_of(records: Iterable[Iterable[Record]]) -> Iterable[str]:
    return (str(record.get("rule")) for mine in records for record in mine)


def _finding(rule: Rule, record: Record, order: str, line: str, digest: str) -> Finding:
    return Finding(
        rule=rule.id,
        severity=rule.definition.severity,
        message=str(record.get("message", "")),
        order=order,
        line=line,
        field=rule.definition.field,
        moment="edit",
        help=rule.definition.help,
        acknowledge=True,
        digest=digest,
    )
