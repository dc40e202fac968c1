"""`Paper`: a report made to be sent, before it becomes a terminal view, a page, a PDF or a sheet."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import Any, Literal

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.model.columns import shown
from dokima.reports.fitting import FirstThatFits, figure_table, stacked
from dokima.reports.words import number, signed

Kind = Literal["text", "number", "money", "variance"]
"""What a column holds: text, a number as it is, money with its places, a variance with its sign."""


@dataclass(frozen=True)
class Column:
    """A column of a table in a report."""

    heading: str
    kind: Kind = "text"
    wide: bool = False

    def cell(self, value: Any) -> str:
        """A value as the column writes it; a blank is empty."""
        if value is None:
            return ""
        return signed(value) if self.kind == "variance" and isinstance(value, Decimal) else number(value)


@dataclass(frozen=True)
class Row:
    """A row: its values, and what it is (added, removed, changed, total, or nothing of these)."""

    values: Sequence[Any]
    mark: str = ""


@dataclass(frozen=True)
class Section:
    """A heading and a table below it, or a sentence where there is nothing to list."""

    heading: str
    columns: Sequence[Column]
    rows: Sequence[Row]
    empty: str = ""


@dataclass(frozen=True)
class Side:
    """Where one side decides: who it is, what it may choose, and what it fills in."""

    party: str
    choices: Sequence[str]
    fields: Sequence[str]


@dataclass(frozen=True)
class Paper:
    """A report.

    Attributes:
        title: What it is.
        subtitle: What it is about.
        facts: What is to be known first, by label.
        sections: Its tables.
        currency: Currency of its money.
        places: Decimal places of that.
        language: Language code.
        letterhead: Who sends it: name first, then whatever belongs below it.
        page_words: The words for "page" and "of".
        decision: Where each side decides, at the end.
    """

    title: str
    subtitle: str
    facts: Mapping[str, Any]
    sections: Sequence[Section]
    currency: str
    places: int
    language: str = "en"
    letterhead: Mapping[str, str] = field(default_factory=dict)
    page_words: tuple[str, str] = ("Page", "of")
    decision: Sequence[Side] = ()

    @property
    def shown_facts(self) -> list[tuple[str, str]]:
        """The facts as the report writes them."""
        return [(label, number(value)) for label, value in self.facts.items() if value not in (None, "")]

    def to_rich(self) -> RenderableType:
        """The report for a terminal."""
        head = Text(self.title, style="bold")
        head.append(f"   {self.subtitle}   {self.currency}", style="not bold")
        facts = [Text(f"  {label}: {value}") for label, value in self.shown_facts]
        parts: list[RenderableType] = [head, *facts]
        for section in self.sections:
            parts += [Text(""), Text(section.heading, style="bold")]
            parts.append(_table(section) if section.rows else Text(f"  {section.empty}"))
        return Group(*parts)


_STYLES = {"added": "green", "removed": "red", "total": "bold", "unchanged": "dim", "follows": "cyan", "detail": "dim"}


def _table(section: Section) -> RenderableType:
    texts = sum(1 for column in section.columns if column.kind == "text")
    headings = [column.heading for column in section.columns]
    rows = [[column.cell(v) for column, v in zip(section.columns, row.values, strict=True)] for row in section.rows]
    styles = [_STYLES.get(row.mark, "") for row in section.rows]
    short = [at for at, column in enumerate(section.columns) if not column.wide]
    narrow = [[row[at] for at in short] for row in map(_told_short, section.rows, rows)]
    titles = [" ".join(filter(None, row[:texts])) for row in rows]
    few = sum(1 for at in short if section.columns[at].kind == "text")
    return FirstThatFits(
        [
            figure_table(headings, rows, texts, styles),
            figure_table([headings[at] for at in short], narrow, few, styles),
        ],
        stacked(titles, headings[texts:], [row[texts:] for row in rows], styles),
    )


def _told_short(row: Row, cells: list[str]) -> list[str]:
    """A row for a view without its wide columns: a detail, which has nothing else to say, moves to a narrow one."""
    if row.mark != "detail":
        return cells
    told = " ".join(filter(None, cells))
    return [cells[0], told, *[""] * (len(cells) - 2)]


def paper_data(paper: Paper) -> dict[str, Any]:
    """A report as plain data, numbers as text."""
    return {
        "title": paper.title,
        "subtitle": paper.subtitle,
        "currency": paper.currency,
        "facts": {label: _plain(value) for label, value in paper.facts.items()},
        "sections": [
            {
                "heading": section.heading,
                "columns": [column.heading for column in section.columns],
                "rows": [{"mark": row.mark, "values": [_plain(value) for value in row.values]} for row in section.rows],
            }
            for section in paper.sections
        ],
    }


def _plain(value: Any) -> str | None:
    if value is None:
        return None
    return format(value, "f") if isinstance(value, Decimal) else shown(value)


def write_json(paper: Paper, target: Path) -> None:
    """Write a report as JSON."""
    target.write_text(json.dumps(paper_data(paper), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


def write_csv(paper: Paper, target: Path) -> None:
    """Write the tables of a report as CSV, one below the other, each with its heading (RFC 4180)."""
    with target.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        for section in paper.sections:
            writer.writerow([section.heading])
            writer.writerow([column.heading for column in section.columns])
            writer.writerows([neutral(_plain(value) or "") for value in row.values] for row in section.rows)
            writer.writerow([])


def write_markdown(paper: Paper, target: Path) -> None:
    """Write a report as Markdown with tables (GitHub Flavored Markdown, tables), to paste into a mail."""
    lines = [f"# {_inert(paper.title)}", "", _inert(" · ".join(filter(None, [paper.subtitle, paper.currency]))), ""]
    lines += [f"- {_inert(label)}: {_inert(value)}" for label, value in paper.shown_facts]
    for section in paper.sections:
        lines += ["", f"## {_inert(section.heading)}", ""]
        if not section.rows:
            lines.append(_inert(section.empty))
            continue
        lines.append(_markdown_row([column.heading for column in section.columns]))
        lines.append("|" + "|".join("---" if column.kind == "text" else "---:" for column in section.columns) + "|")
        for row in section.rows:
            lines.append(_markdown_row([c.cell(v) for c, v in zip(section.columns, row.values, strict=True)]))
    for side in paper.decision:
        choices = " ".join(f"☐ {_inert(choice)}" for choice in side.choices)
        lines += ["", f"**{_inert(side.party)}**: {choices}", ""]
        lines += [f"- {_inert(field)}: ............" for field in side.fields]
    target.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _markdown_row(cells: Sequence[str]) -> str:
    return "| " + " | ".join(map(_inert, cells)) + " |"


def _inert(text: str) -> str:
    """Text that says in Markdown what it says, and nothing else."""
    return re.sub(r"([\\`*_\[\]<>|#])", r"\\\1", " ".join(text.split()))


def neutral(text: str) -> str:
    """Text that a spreadsheet would take for a formula, with an apostrophe before it; numbers stay as they are."""
    if text[:1] in ("=", "+", "@", "\t", "\r") or (text[:1] == "-" and not _is_number(text)):
        return f"'{text}"
    return text


def _is_number(text: str) -> bool:
    try:
        Decimal(text)
    except ArithmeticError:
        return False
    return True
