"""`Paper`: a report made to be sent, before it becomes a terminal view, a page, a PDF or a sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, Literal

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.reports.formatting import number, signed
from dokima.reports.inert import visible
from dokima.reports.table_layout import FigureTable, FirstThatFits, figure_table, stacked
from dokima.reports.translations import Wording

Kind = Literal["text", "number", "money", "variance"]
"""What a column holds: text, a number as it is, money with its places, a variance with its sign."""


@dataclass(frozen=True)
class Column:
    """A column of a table in a report.

    Attributes:
        heading: Its heading.
        kind: What it holds.
        wide: Whether it takes the room that is to spare, and folds where there is none.
        group: Heading above it and its neighbours, such as "quantity" above before, after and variance.
        spare: The higher, the sooner it is left out where a terminal is too narrow; 0 is never left out.
    """

    heading: str
    kind: Kind = "text"
    wide: bool = False
    group: str = ""
    spare: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "heading", visible(self.heading))

    @property
    def full(self) -> str:
        """The heading with that of its group before it."""
        return f"{self.group} {self.heading}".strip()

    def cell(self, value: Any) -> str:
        """A value as the column writes it; a blank is empty."""
        if value is None:
            return ""
        return visible(signed(value) if self.kind == "variance" and isinstance(value, Decimal) else number(value))


@dataclass(frozen=True)
class Row:
    """A row: its values, and what it is (added, removed, changed, unchanged, detail, step, total, or
    nothing of these)."""

    values: Sequence[Any]
    mark: str = ""


@dataclass(frozen=True)
class Section:
    """A heading and a table below it, or a sentence where there is nothing to list.

    Attributes:
        heading: Its heading, blank for none.
        columns: The columns of the table.
        rows: Its rows.
        empty: The sentence.
        at_right: Whether the table is as narrow as it can be and stands at the right, below figures of another.
    """

    heading: str
    columns: Sequence[Column]
    rows: Sequence[Row]
    empty: str = ""
    at_right: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "heading", visible(self.heading))

    @property
    def groups(self) -> list[tuple[str, int]]:
        """Headings above the columns, each with the number of columns it stands above; empty if there is none."""
        found: list[tuple[str, int]] = []
        for column in self.columns:
            if found and column.group and found[-1][0] == column.group:
                found[-1] = (column.group, found[-1][1] + 1)
            else:
                found.append((column.group, 1))
        return found if any(group for group, _ in found) else []


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
        mark: What state it is in, as a plain mark beside the title.
        watermark: What is written across its pages; blank for nothing.
        headline: What it comes to in one sentence.
        opening: Texts above its tables.
        notes: Texts below them.
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
    mark: str = ""
    watermark: str = ""
    headline: str = ""
    opening: Sequence[str] = ()
    notes: Sequence[str] = ()

    def __post_init__(self) -> None:
        for name in ("opening", "notes"):
            object.__setattr__(self, name, [visible(each) for each in getattr(self, name) if each])
        for name in ("title", "subtitle", "currency", "headline"):
            object.__setattr__(self, name, visible(getattr(self, name)))

    @property
    def shown_facts(self) -> list[tuple[str, str]]:
        """The facts as the report writes them; a fact of several lines has a line feed between them."""
        shown = [(label, number(value)) for label, value in self.facts.items() if value not in (None, "")]
        return [(visible(label), visible(value)) for label, value in shown]

    def to_rich(self) -> RenderableType:
        """The report for a terminal."""
        head = Text(self.title, style="bold")
        head.append("   " + "   ".join(filter(None, [self.subtitle, self.currency, self.mark])), style="not bold")
        facts = [Text(f"  {label}: {value.replace(chr(10), ', ')}") for label, value in self.shown_facts]
        parts: list[RenderableType] = [head, *([Text(f"  {self.headline}")] if self.headline else []), *facts]
        parts += [Text(f"\n{each}") for each in self.opening]
        for section in self.sections:
            if section.heading:
                parts += [Text(""), Text(section.heading, style="bold")]
            parts.append(_table(section) if section.rows else Text(f"  {section.empty}"))
        parts += [Text(f"\n{each}") for each in self.notes]
        return Group(*parts)


_STYLES = {
    "added": "green", "removed": "red", "total": "bold", "unchanged": "dim", "follows": "cyan", "detail": "dim",
    "step": "dim",
}  # fmt: skip


_ABOUT_FIGURES = ("unchanged", "follows", "detail", "step")
"""Marks of rows that say nothing without their figures."""


def _table(section: Section) -> RenderableType:
    headings = [column.full for column in section.columns]
    rows = [[column.cell(v) for column, v in zip(section.columns, row.values, strict=True)] for row in section.rows]
    styles = [_STYLES.get(row.mark, "") for row in section.rows]
    levels = sorted({column.spare for column in section.columns}, reverse=True)
    layouts = [_layout(section, rows, styles, levels[0], folds=False)]
    layouts += [_layout(section, rows, styles, most, folds=True) for most in levels]
    texts = sum(1 for column in section.columns if column.kind == "text")
    titles = [" ".join(filter(None, row[:texts])) for row in rows]
    return FirstThatFits(layouts, stacked(titles, headings[texts:], [row[texts:] for row in rows], styles))


def _layout(section: Section, rows: list[list[str]], styles: list[str], most: int, *, folds: bool) -> FigureTable:
    """A table of the columns that are not left out yet; long texts fold, if asked."""
    kept = [at for at, column in enumerate(section.columns) if column.spare <= most]
    marks = [row.mark for row in section.rows]
    every = [
        _kept(section.columns, cells, kept, mark in _ABOUT_FIGURES) for cells, mark in zip(rows, marks, strict=True)
    ]
    shown = [at for at, cells in enumerate(every) if cells]
    told, styles = [every[at] for at in shown], [styles[at] for at in shown]
    texts = [place for place, at in enumerate(kept) if section.columns[at].kind == "text"]
    folding = [place for place, at in enumerate(kept) if section.columns[at].wide or place == 1] if folds else []
    return figure_table([section.columns[at].full for at in kept], told, texts, styles, folding)


def _kept(columns: Sequence[Column], cells: list[str], kept: Sequence[int], is_about_figures: bool) -> list[str]:
    """A row for a view without some columns; empty if it was about figures and all of those are left out.

    Words of which none would stay, such as a detail of a line or the name of a step, move to a column that is there.
    """
    words = [at for at, cell in enumerate(cells) if cell and columns[at].kind == "text"]
    figures = [at for at, cell in enumerate(cells) if cell and columns[at].kind != "text"]
    if is_about_figures and figures and not set(figures) & set(kept):
        return []
    told = [cells[at] for at in kept]
    if words and not set(words) & set(kept):
        told[1] = " ".join(cells[at] for at in words)
    return told if any(told) else []


def paper_in(words: Wording, *, title: str, sections: Sequence[Section], **more: Any) -> Paper:
    """A report in the words of a language, from who sends it; about no money unless it says of which currency.

    Args:
        words: The words.
        title: What it is.
        sections: Its tables.
        more: What else a paper has.
    """
    plain: dict[str, Any] = {"subtitle": "", "facts": {}, "currency": "", "places": 0}
    spoken = {"language": words.language, "letterhead": words.letterhead, "page_words": words.page_words}
    return Paper(title=title, sections=sections, **{**plain, **spoken, **more})
