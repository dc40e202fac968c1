"""Looks at a workbook before it is read: what would take all memory, or hours, is refused.

The reader of workbooks lays a sheet out from A1 to its last cell. One cell at XFD1048576 asks it for 550 GB, and the
process ends. Here every part of the archive is looked through as a stream, in little memory. Most sheets are written
plainly, cell by cell as spreadsheets write them, and are looked through by patterns; anything else is parsed.
"""

from __future__ import annotations

import re
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from xml.parsers import expat
from zipfile import BadZipFile, ZipFile, ZipInfo

from dokima.errors import DocumentError, Problem
from dokima.limits import (
    WORKBOOK_BYTES,
    WORKBOOK_CELL_BYTES,
    WORKBOOK_CELLS,
    WORKBOOK_MERGES,
    WORKBOOK_RATIO,
    WORKBOOK_SHEETS,
)

_CHUNK = 2**20
_SMALL = 2**24
"""Bytes below which it does not matter how well a part is packed."""
_CELL = re.compile(rb'<c r="([A-Z]{1,3})([0-9]{1,7})"')
_MERGE = re.compile(rb'<mergeCell ref="[A-Z]{1,3}([0-9]{1,7}):[A-Z]{1,3}([0-9]{1,7})"')
_OTHERWISE = (b"<!", b"\0", b":c ", b":c>", b":c/", b":mergeCell")
"""What stands in no part that is written as spreadsheets write: comments, declarations, prefixes."""
_ENDS = (b" ", b">", b"/", b"\n", b"\r", b"\t")
"""What may stand after the name of an element."""


class _Harmful(Exception):
    """Why a workbook is not read."""


@dataclass
class _Sheet:
    """What is in a part of a workbook.

    Attributes:
        rows: The last row with something in it.
        columns: The last column with something in it, counted from 1.
        cells: How many cells have something in them.
        shared: How many of those say a shared text.
        merges: First and last row of each merged range.
        longest: Bytes of the longest text.
    """

    rows: int = 0
    columns: int = 0
    cells: int = 0
    shared: int = 0
    merges: list[tuple[int, int]] = field(default_factory=list)
    longest: int = 0


def refuse_harmful(path: Path) -> None:
    """Refuse a workbook that could not be read in reasonable memory and time.

    Args:
        path: The workbook.

    Raises:
        DocumentError: It is damaged, or larger than a limit; says which.
    """
    try:
        with ZipFile(path) as archive:
            _check(archive)
    except _Harmful as error:
        raise DocumentError([Problem("", "", "", str(error), path.name)]) from None
    except (BadZipFile, OSError, EOFError, zlib.error, NotImplementedError, RuntimeError, ValueError) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None


def _check(archive: ZipFile) -> None:
    members = archive.infolist()
    names = [member.filename.lower().replace("\\", "/") for member in members]
    if len(set(names)) < len(names):
        raise _Harmful("cannot be read: a part is in the archive twice")
    if len(members) > WORKBOOK_SHEETS:
        raise _Harmful(f"expected at most {WORKBOOK_SHEETS:,} parts of a workbook (got {len(members):,})")
    sheets: dict[str, _Sheet] = {}
    left = WORKBOOK_BYTES
    for member, name in zip(members, names, strict=True):
        if member.file_size > _SMALL and member.file_size > WORKBOOK_RATIO * max(1, member.compress_size):
            raise _Harmful(f"'{member.filename}' is packed too well for a workbook ({member.file_size // 2**20:,} MB)")
        if name.endswith((".xml", ".rels")):
            sheets[name], size = _looked_through(archive, member, left)
            left -= size
            _refuse_large(member.filename, sheets[name])
    text = next((sheet for name, sheet in sheets.items() if name.endswith("sharedstrings.xml")), _Sheet())
    for name, sheet in sheets.items():
        if sheet.shared * text.longest > WORKBOOK_BYTES:
            raise _Harmful(f"'{name}' says a text of {text.longest:,} bytes in up to {sheet.shared:,} cells")


def _refuse_large(name: str, sheet: _Sheet) -> None:
    area = sheet.rows * sheet.columns
    if area > WORKBOOK_CELLS:
        last = f"{_letters(sheet.columns)}{sheet.rows}"
        said = f"its cells reach to {last}, {area:,} in all; remove what stands beyond the table"
        raise _Harmful(f"'{name}': expected at most {WORKBOOK_CELLS:,} cells ({said})")
    if sheet.longest > WORKBOOK_CELL_BYTES:
        raise _Harmful(f"'{name}': expected a cell of at most {WORKBOOK_CELL_BYTES:,} bytes (there is a longer one)")
    spanned = sum(min(last, sheet.rows) - first + 1 for first, last in sheet.merges if first <= sheet.rows)
    if len(sheet.merges) > WORKBOOK_MERGES or spanned > WORKBOOK_CELLS:
        said = f"got {len(sheet.merges):,} over {spanned:,} rows"
        raise _Harmful(
            f"'{name}': expected at most {WORKBOOK_MERGES:,} merged cells, over {WORKBOOK_CELLS:,} rows ({said})"
        )


def _chunks(archive: ZipFile, member: ZipInfo, left: int) -> Iterator[bytes]:
    """The content of a part, as long as all parts together are not too large, whatever the archive says they are."""
    size = 0
    with archive.open(member) as file:
        while chunk := file.read(_CHUNK):
            size += len(chunk)
            if size > left:
                raise _Harmful(f"expected a workbook of at most {WORKBOOK_BYTES // 2**20:,} MB once it is unpacked")
            yield chunk


def _looked_through(archive: ZipFile, member: ZipInfo, left: int) -> tuple[_Sheet, int]:
    """What is in a part, and how many bytes it has."""
    is_texts = member.filename.lower().endswith("sharedstrings.xml")
    found = _plainly(_chunks(archive, member, left), is_texts=is_texts)
    # Cells without anything in them count for a sheet that is looked through by patterns.
    if found is None or found.rows * found.columns > WORKBOOK_CELLS:
        found = _parsed(_chunks(archive, member, left))
    return found, member.file_size


def _plainly(chunks: Iterator[bytes], *, is_texts: bool) -> _Sheet | None:
    """What is in a part that is written as spreadsheets write; None for one that is written otherwise.

    Args:
        chunks: Its content.
        is_texts: Whether the longest text in it matters, however short it is.
    """
    found = _Sheet()
    columns: set[bytes] = set()
    rest = b""
    for at, chunk in enumerate(chunks):
        if not at and not _is_utf8(chunk[:200]):
            return None
        text = rest + chunk
        cut = text.rfind(b"<")  # what begins here may go on in the next chunk
        text, rest = (text[:cut], text[cut:]) if cut > 0 else (b"", text)
        if not _add_plain(found, columns, text, is_texts=is_texts):
            return None
        if len(rest) > WORKBOOK_CELL_BYTES:
            found.longest = max(found.longest, len(rest))
            return found  # it is refused for that
    if not _add_plain(found, columns, rest, is_texts=is_texts):
        return None
    found.columns = max(map(_number, columns), default=0)
    return found


def _is_utf8(head: bytes) -> bool:
    """Whether a part says nothing else."""
    said = re.search(rb"encoding\s*=\s*[\"']([^\"']*)", head)
    return head[:2] not in (b"\xff\xfe", b"\xfe\xff") and (said is None or said[1].lower() == b"utf-8")


def _add_plain(found: _Sheet, columns: set[bytes], text: bytes, *, is_texts: bool) -> bool:
    """Add what is in some text; False if something in it is not written plainly."""
    if any(odd in text for odd in _OTHERWISE):
        return False
    cells, merges = _CELL.findall(text), _MERGE.findall(text)
    if len(cells) != _count(text, b"<c") or len(merges) != _count(text, b"<mergeCell"):
        return False
    if cells:
        columns.update({column for column, _ in cells})
        digits = max(len(row) for _, row in cells)
        found.rows = max(found.rows, int(max(row for _, row in cells if len(row) == digits)))
        found.cells += len(cells)
        found.shared += text.count(b't="s"') + text.count(b"t='s'")
    found.merges += [(int(first), int(last)) for first, last in merges]
    half = WORKBOOK_CELL_BYTES // 2
    is_long = any(text.find(b"<", at, at + half) < 0 for at in range(0, len(text) - half, half))
    if is_texts or is_long:
        found.longest = max(found.longest, *map(len, text.split(b"<")))
    return True


def _count(text: bytes, name: bytes) -> int:
    """How many elements of a name begin in some text."""
    return sum(text.count(name + end) for end in _ENDS)


class _Parser:
    """Counts what is in a part that is written otherwise, element by element."""

    def __init__(self) -> None:
        self.found = _Sheet()
        self.row = self.column = 0
        self.length = 0
        self.cell: tuple[int, int, str] | None = None

    def begin(self, name: str, given: dict[str, str]) -> None:
        """A start tag."""
        self.length = 0
        match name.rpartition(":")[2]:
            case "row":
                self.row, self.column = _whole(given.get("r"), self.row + 1), 0
            case "c":
                place = re.fullmatch(r"\$?([A-Za-z]{1,7})\$?([0-9]{1,10})", given.get("r", ""))
                self.column = _number(place[1].upper().encode()) if place else self.column + 1
                self.cell = int(place[2]) if place else self.row, self.column, given.get("t", "")
            case "v" | "is" | "f" if self.cell is not None:
                row, column, kind = self.cell
                self.found.rows, self.found.columns = max(self.found.rows, row), max(self.found.columns, column)
                self.found.cells += 1
                self.found.shared += kind == "s"
                self.cell = None  # whatever else is in it
            case "mergeCell":
                ends = re.findall(r"[0-9]+", given.get("ref", ""))
                if ends:
                    self.found.merges.append((int(ends[0][:10]), int(ends[-1][:10])))

    def text(self, said: str) -> None:
        """Some text."""
        self.length += len(said.encode("utf-8", "replace"))
        self.found.longest = max(self.found.longest, self.length)

    def doctype(self, *_: Any) -> None:
        """A workbook declares nothing of its own: whoever does wants something to grow."""
        raise _Harmful("cannot be read: a workbook has no document type")


def _parsed(chunks: Iterator[bytes]) -> _Sheet:
    """What is in a part, parsed."""
    counting = _Parser()
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.StartElementHandler = counting.begin
    parser.CharacterDataHandler = counting.text
    parser.StartDoctypeDeclHandler = counting.doctype
    try:
        for chunk in chunks:
            parser.Parse(chunk, False)
        parser.Parse(b"", True)
    except expat.ExpatError as error:
        raise _Harmful(f"cannot be read: {error}") from None
    return counting.found


def _whole(text: str | None, otherwise: int) -> int:
    return int(text) if text is not None and re.fullmatch("[0-9]{1,10}", text) else otherwise


def _number(letters: bytes) -> int:
    """The number of a column, counted from 1."""
    number = 0
    for letter in letters:
        number = 26 * number + letter - 64
    return number


def _letters(column: int) -> str:
    letters = ""
    while column:
        column, at = divmod(column - 1, 26)
        letters = chr(65 + at) + letters
    return letters
