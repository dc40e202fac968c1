"""What a workbook says of cells beside their values: percentages, errors, formulas that were never worked out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import ParseError, fromstring, iterparse
from zipfile import BadZipFile, ZipFile

from dokima.errors import DocumentError, Problem

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_PERCENT = (9, 10)
"""The number formats ``0%`` and ``0.00%`` that a workbook need not declare (ECMA-376 part 1, 18.8.30)."""

Place = tuple[int, int]
"""Row, counted from 1, and column, counted from 0."""


@dataclass(frozen=True)
class SheetMarks:
    """Marks of the cells of a sheet.

    Attributes:
        percents: Cells that show a percentage.
        errors: Cells whose formula ended in an error.
        unsaved: Cells with a formula and no value: the program that wrote them never worked them out.
    """

    percents: frozenset[Place]
    errors: frozenset[Place]
    unsaved: frozenset[Place]


def sheet_marks(path: Path, sheet: str) -> SheetMarks:
    """Read the marks of a sheet. A sheet without any is only looked through, which takes no time.

    Raises:
        DocumentError: The workbook is damaged.
    """
    try:
        with ZipFile(path) as archive:
            part = _part(archive, sheet)
            styles = _percent_styles(archive)
            if part is None or not (styles or _has_marks(archive, part)):
                return SheetMarks(frozenset(), frozenset(), frozenset())
            return _read(archive, part, styles)
    except (BadZipFile, KeyError, ParseError, ValueError, OSError) as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error}", path.name)]) from None


def _part(archive: ZipFile, sheet: str) -> str | None:
    """The part of the archive in which a sheet stands."""
    sheets = fromstring(archive.read("xl/workbook.xml")).iter(f"{_MAIN}sheet")
    relation = next((each.get(_RELATION) for each in sheets if each.get("name") == sheet), None)
    for each in fromstring(archive.read("xl/_rels/workbook.xml.rels")):
        if each.get("Id") == relation:
            target = each.get("Target", "")
            return target.removeprefix("/") if target.startswith("/") else f"xl/{target}"
    return None


def _percent_styles(archive: ZipFile) -> frozenset[str]:
    """The places of the cell styles that show a percentage."""
    if "xl/styles.xml" not in archive.namelist():
        return frozenset()
    root = fromstring(archive.read("xl/styles.xml"))
    formats = {str(number) for number in _PERCENT}
    formats |= {each.get("numFmtId", "") for each in root.iter(f"{_MAIN}numFmt") if "%" in each.get("formatCode", "")}
    styles = root.find(f"{_MAIN}cellXfs")
    return frozenset(
        str(at) for at, each in enumerate(() if styles is None else styles) if each.get("numFmtId") in formats
    )


def _has_marks(archive: ZipFile, part: str) -> bool:
    text = archive.read(part)
    return b"<f" in text or b't="e"' in text


def _read(archive: ZipFile, part: str, styles: frozenset[str]) -> SheetMarks:
    percents, errors, unsaved = set[Place](), set[Place](), set[Place]()
    for place, kind, style, has_formula, has_value in _cells(archive, part):
        if style in styles:
            percents.add(place)
        if kind == "e":
            errors.add(place)
        elif has_formula and not has_value:
            unsaved.add(place)
    return SheetMarks(frozenset(percents), frozenset(errors), frozenset(unsaved))


def _cells(archive: ZipFile, part: str) -> Iterator[tuple[Place, str, str, bool, bool]]:
    """Place, kind and style of each cell, and whether it has a formula and a value."""
    from openpyxl.utils.cell import coordinate_to_tuple

    number = column = 0
    with archive.open(part) as file:
        for event, node in iterparse(file, ("start", "end")):
            if node.tag == f"{_MAIN}row" and event == "start":
                number, column = int(node.get("r", number + 1)), -1
            elif node.tag == f"{_MAIN}c" and event == "end":
                column = coordinate_to_tuple(node.get("r", ""))[1] - 1 if node.get("r") else column + 1
                value = node.find(f"{_MAIN}v")
                has_value = (value is not None and value.text is not None) or node.find(f"{_MAIN}is") is not None
                has_formula = node.find(f"{_MAIN}f") is not None
                yield (number, column), node.get("t", ""), node.get("s", ""), has_formula, has_value
            elif node.tag == f"{_MAIN}row":
                node.clear()
