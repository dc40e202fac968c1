"""Findings and problems for the terminal, grouped by order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.model.columns import shown
from dokima.model.findings import Finding, Findings, RuleSummary
from dokima.reports.words import plural
from dokima.rules.verdicts import RuleAnswer

STYLES = {"error": "bold red", "warning": "yellow", "notice": "cyan"}
MOST = 40
"""Findings shown of one order; the rest is counted."""
LONG = 0.1
"""Seconds from which on a rule that takes most of a check is named."""


def findings_report(findings: Findings, orders: int) -> RenderableType:
    """All findings by order, what came of each rule, and a line that sums them up.

    Args:
        findings: What was found.
        orders: How many orders were looked at.
    """
    by_order: dict[str, list[Finding]] = {}
    for finding in findings:
        by_order.setdefault(finding.order, []).append(finding)
    parts: list[RenderableType] = []
    for order, found in by_order.items():
        parts += [Text(order or "(no order number)", style="bold"), _rows(found), Text("")]
    if findings.summary:
        parts += [_rules(findings.summary), Text("")]
    return Group(*parts, summary(findings, orders))


def _rows(findings: Sequence[Finding]) -> Table:
    table = Table.grid(padding=(0, 2))
    table.add_column(min_width=2)
    table.add_column(min_width=9)
    table.add_column(min_width=8)
    table.add_column(overflow="fold")
    for finding in findings[:MOST]:
        place = f"line {finding.line}" if finding.line else "order"
        said = Text(finding.message)
        if finding.accepted:
            said.append(f" (accepted by {finding.accepted})", style="green")
        elif finding.acknowledge:
            said.append(" (stops until somebody accepts it)", style="yellow")
        if finding.help:
            said.append(f" {finding.help}", style="italic")
        said.append(f"  {finding.rule}", style="dim")
        table.add_row("", place, Text(finding.severity, style=STYLES[finding.severity]), said)
    if len(findings) > MOST:
        table.add_row("", "", "", Text(f"and {len(findings) - MOST} more", style="dim"))
    return table


def _rules(summaries: Sequence[RuleSummary]) -> Table:
    """What came of each rule; one that took most of a long check is named."""
    table = Table.grid(padding=(0, 3))
    table.add_column()
    for _ in range(4):
        table.add_column(justify="right")
    table.add_row(*(Text(word, style="dim") for word in ("rule", "asked", "refused", "undecided", "time")))
    whole = sum(each.seconds or 0 for each in summaries)
    for each in summaries:
        long = (each.seconds or 0) > max(LONG, whole / 2)
        time = f"{(each.seconds or 0) * 1000:.1f} ms{', took long' if long else ''}"
        counts = [str(count) for count in (each.asked, each.refused, each.undecided)]
        table.add_row(each.rule, *counts, time, style="yellow" if long else "")
    return table


def answers_report(answers: Sequence[RuleAnswer]) -> RenderableType:
    """For each rule whether it spoke, passed, did not apply or was undecided, what it saw, and what it says or why
    not."""
    table = Table.grid(padding=(0, 2))
    for _ in range(4):
        table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    table.add_row(*(Text(word, style="dim") for word in ("rule", "order", "line", "result", "saw")))
    styles = {"refused": "bold red", "undecided": "bold red", "passed": "green", "does not apply": "dim"}
    for each in answers:
        saw = ", ".join(f"{name} = {shown(value)}" for name, value in each.values.items())
        told = Text("\n".join(part for part in (saw, each.reason) if part))
        if each.message:
            speaks = each.result in ("refused", "undecided")
            told.append(f"\n{'says' if speaks else 'would say'}: {each.message}", style="" if speaks else "dim")
        table.add_row(each.rule, each.order, each.line, Text(each.result, style=styles[each.result]), told)
    return table


def summary(findings: Findings, orders: int) -> Text:
    """``6 orders: 3 errors in 1 order``, or that nothing was found."""
    if not findings:
        return Text(f"{plural(orders, 'order')}: nothing found", style="green")
    counts = ", ".join(_counts(findings))
    touched = len({finding.order for finding in findings})
    return Text(f"{plural(orders, 'order')}: {counts} in {plural(touched, 'order')}")


def _counts(findings: Findings) -> Iterator[str]:
    for severity in STYLES:
        count = sum(1 for finding in findings if finding.severity == severity)
        if count:
            yield plural(count, severity)


def finding_lines(findings: Findings | tuple[Finding, ...]) -> Group:
    """Findings beneath something else, one line each."""
    lines = []
    for finding in findings:
        line = Text("  ")
        line.append(finding.severity, style=STYLES[finding.severity])
        line.append(f"  line {finding.line}: " if finding.line else "  ")
        line.append(finding.message)
        lines.append(line)
    return Group(*lines)
