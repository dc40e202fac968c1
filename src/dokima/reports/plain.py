"""A report as Markdown, for mails."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from dokima.reports.inert import visible
from dokima.reports.paper import Paper


def write_markdown(paper: Paper, target: Path) -> None:
    """Write a report as Markdown.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_text(markdown_text(paper), encoding="utf-8")


def markdown_text(paper: Paper) -> str:
    """A report as Markdown with tables (GitHub Flavored Markdown, tables), to paste into a mail."""
    about = " · ".join(filter(None, [paper.subtitle, paper.currency, paper.mark]))
    lines = [f"# {inert(paper.title)}", "", inert(about), ""]
    lines += [f"**{inert(paper.headline)}**", ""] if paper.headline else []
    lines += [f"- {inert(label)}: {inert(value.replace(chr(10), ', '))}" for label, value in paper.shown_facts]
    lines += [line for each in paper.opening for line in ("", inert(each))]
    for section in paper.sections:
        lines += ["", f"## {inert(section.heading)}", ""] if section.heading else [""]
        if not section.rows:
            lines.append(inert(section.empty))
            continue
        lines.append(markdown_row([column.full for column in section.columns]))
        lines.append("|" + "|".join("---" if column.kind == "text" else "---:" for column in section.columns) + "|")
        for row in section.rows:
            lines.append(markdown_row([c.cell(v) for c, v in zip(section.columns, row.values, strict=True)]))
    lines += [line for each in paper.notes for line in ("", inert(each))]
    for side in paper.decision:
        choices = " ".join(f"☐ {inert(choice)}" for choice in side.choices)
        lines += ["", f"**{inert(side.party)}**: {choices}", ""]
        lines += [f"- {inert(field)}: ............" for field in side.fields]
    return "\n".join(lines) + "\n"


def markdown_row(cells: Sequence[str]) -> str:
    """A row of a table in Markdown."""
    return "| " + " | ".join(map(inert, cells)) + " |"


def inert(text: str) -> str:
    """Text that says in Markdown what it says, and nothing else."""
    return re.sub(r"([\\`*_\[\]<>|#])", r"\\\1", visible(" ".join(text.split())))
