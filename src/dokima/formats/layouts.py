"""Layouts: how other people's files are read: headings, marks, dates, encoding, codes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from dokima.model.fields import Field, Fields
from dokima.model.values import ValueReader


@dataclass(frozen=True)
class Layout:
    """How a file of orders is laid out.

    Attributes:
        name: Its name.
        header: Header fields that the file has, and how (heading, codes, whether an empty cell is absent).
        line: Line fields that the file has, and how.
        separator: Between cells.
        encoding: Of the text.
        reader: Marks of numbers and form of dates.
        headers_file: Name of the file of headers, where headers and lines are two files; blank for one flat file.
        lines_file: Name of the file of lines.
        link: Heading of the order number in the file of lines.
    """

    name: str
    header: Mapping[str, Field]
    line: Mapping[str, Field]
    separator: str = ","
    encoding: str = "utf-8"
    reader: ValueReader = field(default_factory=ValueReader)
    headers_file: str = ""
    lines_file: str = ""
    link: str = "order"

    @property
    def is_flat(self) -> bool:
        """Whether header columns repeat on each line of one file."""
        return not self.headers_file

    def fields(self, declared: Fields) -> Fields:
        """The declared fields with what this layout says about them."""
        return Fields(_merged(declared.header, self.header), _merged(declared.line, self.line))


def _merged(declared: Mapping[str, Field], said: Mapping[str, Field]) -> dict[str, Field]:
    merged = dict(declared)
    for name, spec in said.items():
        if name in declared:
            merged[name] = replace(
                declared[name], heading=spec.heading, codes=spec.codes, blank_is_absent=spec.blank_is_absent
            )
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
