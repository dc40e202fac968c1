"""Findings and problems for the terminal, grouped by order."""

from __future__ import annotations

from collections.abc import Iterator

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.model.findings import Finding, Findings
from dokima.reports.words import plural

STYLES = {"error": "bold red", "warning": "yellow", "notice": "cyan"}
MOST = 40
"""Findings shown of one order; the rest is counted."""


def findings_report(findings: Findings, orders: int) -> RenderableType:
    """All findings, and a line that sums them up.

    Args:
        findings: What was found.
        orders: How many orders were looked at.
    """
    parts: list[RenderableType] = []
    for order in dict.fromkeys(finding.order for finding in findings):
        parts += [Text(order or "(no order number)", style="bold"), _rows(findings.of(order)), Text("")]
    return Group(*parts, summary(findings, orders))


def _rows(findings: Findings) -> Table:
    table = Table.grid(padding=(0, 2))
    table.add_column(min_width=2)
    table.add_column(min_width=9)
    table.add_column(min_width=8)
    table.add_column(overflow="fold")
    for finding in findings[:MOST]:
        place = f"line {finding.line}" if finding.line else "order"
        said = Text(finding.message)
        said.append(f"  {finding.rule}", style="dim")
        table.add_row("", place, Text(finding.severity, style=STYLES[finding.severity]), said)
    if len(findings) > MOST:
        table.add_row("", "", "", Text(f"and {len(findings) - MOST} more", style="dim"))
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
