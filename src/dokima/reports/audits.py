"""An audit for the terminal: what is doubtful, check by check, with rows and an example."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from typing import Any

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from dokima.columns.shown import shown
from dokima.model.finding import SEVERITIES
from dokima.proving.remark import CHECKS, AuditRemark
from dokima.reports.findings import STYLES
from dokima.reports.formatting import plural


def audit_report(remarks: Sequence[AuditRemark]) -> RenderableType:
    """All remarks, those of one check together."""
    parts: list[RenderableType] = []
    for (severity, check), mine in groupby(remarks, key=lambda each: (each.severity, each.check)):
        head = Text.assemble((severity, STYLES[severity]), "   ", (check, "bold"), f"   {CHECKS[check]}")
        parts += [head, *(Padding(line, (0, 0, 0, 2)) for each in mine for line in _lines(each)), Text("")]
    counts = [(plural(sum(each.severity == severity for each in remarks), severity)) for severity in SEVERITIES]
    parts.append(Text(", ".join(counts)))
    return Group(*parts)


def _lines(remark: AuditRemark) -> Iterator[Text]:
    rows = f"{'row' if len(remark.rows) == 1 else 'rows'} {', '.join(map(str, remark.rows))}" if remark.rows else ""
    place = " ".join(part for part in (remark.file or remark.table, rows) if part) or remark.path
    yield Text.assemble((place, "cyan"), f": {remark.message}")
    if remark.example:
        yield Text(f"  try: dokima explain {_options(remark.example)}", style="dim")


def _options(example: Mapping[str, Any]) -> str:
    return " ".join(
        f"--{level} {name}={_quoted(shown(value))}"
        for level in ("header", "line")
        for key, value in example.items()
        for name in [key.partition(".")[2]]
        if key.startswith(f"{level}.")
    )


def _quoted(text: str) -> str:
    return f"'{text}'" if " " in text or "&" in text else text
