"""Layouts: how other people's files are read: headings, marks, dates, encoding, codes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from dokima.model.databases import LayoutQueries
from dokima.model.fields import DRAWN, Field, Fields
from dokima.model.settings import Reads, setting
from dokima.model.values import Marks


@dataclass(frozen=True)
class LayoutFiles:
    """The two files of a layout, or two sheets, and the heading that links lines to headers."""

    headers: str = setting("The file, or the sheet, of headers.")
    lines: str = setting("The file, or the sheet, of lines.")
    link: str = setting("The heading in the lines that names the order.", default="order")


@dataclass(frozen=True)
class LayoutColumn:
    """A column of a layout: the heading of a field, and what its cells say. All else is said of the field itself.

    Attributes:
        name: The field.
    """

    name: str
    heading: str = setting("The heading in the file, where it is another than the name.", default="", key="from")
    codes: Mapping[str, str] = setting("Values of the file, and what they stand for.", default_factory=dict)
    empty: Literal["blank", "absent"] = setting(
        "What an empty cell says: that the field is blank, or that it is absent, so that the default stands in.",
        default="blank",
    )
    pattern: str = setting(
        "A regular expression for whole cells: the field is the group of its name, else the first group.", default=""
    )


Columns = Mapping[str, Annotated[LayoutColumn, Reads("heading")]]


@dataclass(frozen=True)
class Layout(Marks):
    """A layout of other people's files.

    Attributes:
        name: Its name.
    """

    name: str
    header: Columns = setting("Header fields, each with its heading.")
    line: Columns = setting(
        "Line fields, each with its heading; without a column for the number, lines are numbered in steps of ten."
    )
    files: LayoutFiles | None = setting(
        "The two files of a layout whose headers and lines stand apart; one flat file if left out.", default=None
    )

    sheets: LayoutFiles | None = setting(
        "The two sheets of a workbook whose headers and lines stand apart, in the place of files.", default=None
    )
    queries: LayoutQueries | None = setting("The queries that give the rows, in the place of files.", default=None)
    lines: str = setting("Of JSON the name under which an order has its lines.", default="lines")
    header_once: bool = setting(
        "Whether header cells stand on the first row of an order only, and are empty on the rows below it.",
        default=False,
    )

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if sum(each is not None for each in (self.files, self.sheets, self.queries)) > 1:
            return "expected only one of 'files', 'sheets' and 'queries'"
        if "number" not in self.header:
            return "expected a column for 'header.number'"
        if self.header_once and (self.files or self.sheets):
            return "expected 'header_once' of rows that hold both header and line"
        return _wrong_pattern(self.header, self.line) or Marks.wrong(self)

    @property
    def link(self) -> str:
        """Heading of the order number in the file of lines."""
        if self.queries is not None:
            return self.queries.link
        apart = self.files or self.sheets
        return apart.link if apart is not None else "order"

    @property
    def is_flat(self) -> bool:
        """Whether header columns repeat on each line of one file."""
        return self.files is None and self.sheets is None and (self.queries is None or not self.queries.lines)

    @property
    def in_pieces(self) -> bool:
        """Whether each row says which order it belongs to, so that rows can be read some at a time."""
        return self.is_flat and not self.header_once

    def fields(self, declared: Fields) -> Fields:
        """The declared fields with what this layout says about them."""
        return Fields(_merged(declared.header, self.header), _merged(declared.line, self.line), declared.records)


def _wrong_pattern(header: Mapping[str, LayoutColumn], line: Mapping[str, LayoutColumn]) -> str:
    """What is wrong with the pattern of a column, blank for nothing."""
    for level, columns in (("header", header), ("line", line)):
        for name, column in columns.items():
            try:
                groups = re.compile(column.pattern).groups
            except re.error as error:
                return f"{level}.{name}: expected a regular expression in 'pattern' ({error})"
            if column.pattern and not groups:
                return f"{level}.{name}: expected a group in 'pattern', such as (?P<{name}>.*)"
    return ""


def _merged(declared: Mapping[str, Field], said: Mapping[str, LayoutColumn]) -> dict[str, Field]:
    merged = dict(declared)
    for name, spec in said.items():
        if name in declared:
            codes = {**declared[name].codes, **spec.codes}
            merged[name] = replace(
                declared[name], heading=spec.heading, codes=codes, empty=spec.empty, pattern=spec.pattern
            )
    return merged


def own_layout(declared: Fields) -> Layout:
    """The layout of files in Dokima's own words: ``order`` and ``line`` are the numbers, all others field names.

    A field that says under which heading it stands has that one. A name that both levels have (state) is read into the
    header; what is drawn on a line stands under ``line_drawn``.
    """
    marks = {DRAWN: LayoutColumn(DRAWN, f"line_{DRAWN}")}
    return Layout(
        "own",
        {name: _own_column(field, "order") for name, field in declared.header.items()},
        {
            name: _own_column(field, "line")
            for name, field in declared.line.items()
            if name == "number" or name not in declared.header
        }
        | marks,
    )


def _own_column(field: Field, of_number: str) -> LayoutColumn:
    usual = of_number if field.name == "number" else field.name
    return LayoutColumn(field.name, field.heading or usual, field.codes, field.empty)
