"""Findings and problems for the terminal, grouped by order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from decimal import Decimal

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.columns.shown import shown
from dokima.model.finding import QUESTION, Finding, RuleSummary
from dokima.model.findings import Findings
from dokima.pricing.calculation.summing import LeftOut
from dokima.reports.ends import shown_ends
from dokima.reports.formatting import number, orders_counted
from dokima.reports.language import N_, N_n, _, counted, told
from dokima.rules.verdicts import RuleAnswer

SEVERITY_WORDS = {"error": N_("error"), "warning": N_("warning"), "notice": N_("notice")}
SEVERITY_COUNTS = {
    "error": N_n("{count} error", "{count} errors"),
    "warning": N_n("{count} warning", "{count} warnings"),
    "notice": N_n("{count} notice", "{count} notices"),
}
RESULT_WORDS = {
    "passed": N_("passed"),
    "refused": N_("refused"),
    "undecided": N_("undecided"),
    "does not apply": N_("does not apply"),
}
STYLES = {"error": "bold red", "warning": "yellow", "notice": "cyan"}
MOST = 40
"""Findings shown of one order; the rest is counted."""
LONG = 0.1
"""Seconds from which on a rule that takes most of a check is named."""


def findings_report(findings: Findings) -> RenderableType:
    """All findings by order, what came of each rule, and a line that sums them up."""
    open_questions = findings.where_shared(lambda finding: finding.rule == QUESTION)
    findings = findings.where_shared(lambda finding: finding.rule != QUESTION)
    orders = len(findings.touched) if findings.orders is None else findings.orders

    def of_order(order: str) -> list[RenderableType]:
        return [Text(order or _("(no order number)"), style="bold"), _rows(findings.of(order)), Text("")]

    parts = shown_ends(findings.touched, of_order, lambda count: [more_orders(count), Text("")])
    if findings.summary:
        parts += [_rules(findings.summary), Text("")]
    for each in open_questions:
        parts += [Text.assemble((_("open question"), "yellow"), f"  {told(each.message)}  ", (each.help, "italic"))]
    return Group(*parts, summary(findings, orders))


def _rows(findings: Sequence[Finding]) -> Table:
    table = Table.grid(padding=(0, 2))
    table.add_column(min_width=2)
    table.add_column(min_width=9)
    table.add_column(min_width=8)
    table.add_column(overflow="fold")
    for finding in findings[:MOST]:
        place = _("line {number}").format(number=finding.line) if finding.line else _("order")
        said = Text(told(finding.message))
        if finding.accepted:
            said.append(" " + _("(accepted by {who})").format(who=finding.accepted), style="green")
        elif finding.acknowledge:
            said.append(" " + _("(stops until somebody accepts it)"), style="yellow")
        if finding.help:
            said.append(f" {told(finding.help)}", style="italic")
        said.append(f"  {finding.rule}", style="dim")
        table.add_row("", place, Text(_(SEVERITY_WORDS[finding.severity]), style=STYLES[finding.severity]), said)
    if len(findings) > MOST:
        table.add_row("", "", "", Text(_("and {count} more").format(count=len(findings) - MOST), style="dim"))
    return table


def _rules(summaries: Sequence[RuleSummary]) -> Table:
    """What came of each rule; one that took most of a long check is named."""
    table = Table.grid(padding=(0, 3))
    table.add_column()
    for _column in range(4):
        table.add_column(justify="right")
    headings = (_("rule"), _("asked"), _("refused"), _("undecided"), _("time"))
    table.add_row(*(Text(word, style="dim") for word in headings))
    whole = sum(each.seconds or 0 for each in summaries)
    for each in summaries:
        long = (each.seconds or 0) > max(LONG, whole / 2)
        time = f"{number(round(Decimal((each.seconds or 0) * 1000), 1))} ms" + (_(", took long") if long else "")
        counts = [str(count) for count in (each.asked, each.refused, each.undecided)]
        table.add_row(each.rule, *counts, time, style="yellow" if long else "")
    return table


def answers_report(answers: Sequence[RuleAnswer]) -> RenderableType:
    """For each rule whether it spoke, passed, did not apply or was undecided, what it saw, and what it says or why
    not."""
    table = Table.grid(padding=(0, 2))
    for _column in range(4):
        table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    table.add_row(*(Text(word, style="dim") for word in (_("rule"), _("order"), _("line"), _("result"), _("saw"))))
    styles = {"refused": "bold red", "undecided": "bold red", "passed": "green", "does not apply": "dim"}
    for each in answers:
        saw = ", ".join(f"{name} = {shown(value)}" for name, value in each.values.items())
        said = Text("\n".join(part for part in (saw, told(each.reason)) if part))
        if each.message:
            speaks = each.result in ("refused", "undecided")
            says = _("says") if speaks else _("would say")
            said.append(f"\n{says}: {told(each.message)}", style="" if speaks else "dim")
        result = Text(_(RESULT_WORDS[each.result]), style=styles[each.result])
        table.add_row(each.rule, each.order, each.line, result, said)
    return table


def summary(findings: Findings, orders: int) -> Text:
    """``6 orders: 3 errors in 1 order``, or that nothing was found."""
    if not findings:
        return Text(": ".join([orders_counted(orders), _("nothing found")]), style="green")
    facts = {"orders": orders_counted(orders), "counts": ", ".join(_counts(findings))}
    said = counted(
        len(findings.touched), "{{orders}}: {{counts}} in {count} order", "{{orders}}: {{counts}} in {count} orders"
    )
    return Text(said.format(**facts))


def _counts(findings: Findings) -> Iterator[str]:
    counts = Counter(findings.column("severity"))
    for severity in STYLES:
        if counts[severity]:
            yield counted(counts[severity], *SEVERITY_COUNTS[severity])


def finding_lines(findings: Findings | tuple[Finding, ...]) -> Group:
    """Findings beneath something else, one line each."""
    lines = []
    for finding in findings:
        line = Text("  ")
        line.append(_(SEVERITY_WORDS[finding.severity]), style=STYLES[finding.severity])
        place = _("line {number}").format(number=finding.line)
        line.append(f"  {place}: " if finding.line else "  ")
        line.append(told(finding.message))
        lines.append(line)
    return Group(*lines)


def left_out_rows(left_out: Sequence[LeftOut]) -> list[Text]:
    """The orders that are in no sum, and why."""

    def row(each: LeftOut) -> list[Text]:
        return [Text.assemble((_("left out"), "bold red"), f"  {each.order}  {told(each.reason)}")]

    return shown_ends(left_out, row, lambda count: [more_orders(count)])


def more_orders(count: int) -> Text:
    """That some orders are not shown, and where all of them are."""
    text = counted(count, "{count} more order; all of them as CSV", "{count} more orders; all of them as CSV")
    return Text(f"\u2026 {text}", style="dim")
