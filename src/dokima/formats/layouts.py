"""Layouts: how other people's files are read: headings, marks, dates, encoding, codes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated

from dokima.model.databases import LayoutQueries
from dokima.model.fields import Field, Fields
from dokima.model.settings import Reads, setting
from dokima.model.values import Marks


@dataclass(frozen=True)
class LayoutFiles:
    """The two files of a layout, or two sheets, and the heading that links lines to headers."""

    headers: str = setting("The file, or the sheet, of headers.")
    lines: str = setting("The file, or the sheet, of lines.")
    link: str = setting("The heading in the lines that names the order.", default="order")


LayoutColumn = Annotated[Field, Reads("heading")]
"""A column of a layout: its heading alone, or a specification."""


@dataclass(frozen=True)
class Layout(Marks):
    """A layout of other people's files.

    Attributes:
        name: Its name.
    """

    name: str
    header: Mapping[str, LayoutColumn] = setting("Header fields, each with its heading.")
    line: Mapping[str, LayoutColumn] = setting(
        "Line fields, each with its heading; without a column for the number, lines are numbered in steps of ten."
    )
    files: LayoutFiles | None = setting(
        "The two files of a layout whose headers and lines stand apart; one flat file if left out.", default=None
    )

    sheets: LayoutFiles | None = setting(
        "The two sheets of a workbook whose headers and lines stand apart, in the place of files.", default=None
    )
    queries: LayoutQueries | None = setting("The queries that give the rows, in the place of files.", default=None)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if sum(each is not None for each in (self.files, self.sheets, self.queries)) > 1:
            return "expected only one of 'files', 'sheets' and 'queries'"
        if "number" not in self.header:
            return "expected a column for 'header.number'"
        return Marks.wrong(self)

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

    def fields(self, declared: Fields) -> Fields:
        """The declared fields with what this layout says about them."""
        return Fields(_merged(declared.header, self.header), _merged(declared.line, self.line))


def _merged(declared: Mapping[str, Field], said: Mapping[str, Field]) -> dict[str, Field]:
    merged = dict(declared)
    for name, spec in said.items():
        if name in declared:
            merged[name] = replace(declared[name], heading=spec.heading, codes=spec.codes, empty=spec.empty)
    return merged


def own_layout(declared: Fields) -> Layout:
    """The layout of files in Dokima's own words: ``order`` and ``line`` are the numbers, all others field names.

    A name that both levels have (state) is read into the header.
    """
    header = {name: Field(name, heading="order" if name == "number" else name) for name in declared.header}
    line = {
        name: Field(name, heading="line" if name == "number" else name)
        for name in declared.line
        if name == "number" or name not in declared.header
    }
    return Layout("own", header, line)
