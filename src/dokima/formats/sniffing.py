"""Files of other people as they stand there: encoding, separator, the row of the headings, sums at the end."""

from __future__ import annotations

import csv
import datetime
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

from dokima.errors import DocumentError, Problem
from dokima.formats.regular_files import regular
from dokima.limits import COLUMNS
from dokima.model.values import SEPARATORS

SUMS = ("total", "totals", "sum", "grand total", "summe", "gesamt", "gesamtsumme", "somme", "total général", "totaal")
"""What a row of sums is called, in any case; a heading like it is none."""

MOST_ROWS = 100_000
"""So many rows of a Parquet file are looked at: it may have millions."""
_LOOKED_AT = 25
_NUMBER = re.compile(r"[+-]?[\d.,' \u00a0]*\d[\d.,' \u00a0]*%?")
_DATE = re.compile(r"\d{1,4}[./-]\d{1,2}[./-]\d{1,4}")


@dataclass(frozen=True)
class RawSheet:
    """A file of rows as it stands there, cells as text or, out of a workbook or Parquet, as it holds them; a blank is
    None.

    Attributes:
        path: The file.
        sheet: The sheet of a workbook, blank for other files.
        encoding: How its text is encoded, blank for a workbook or Parquet.
        is_certain: Whether no other encoding would read the same bytes as another text.
        separator: What stands between cells, blank for a workbook or Parquet.
        heading_row: The row of the headings, counted from 1.
        headings: The headings.
        rows: The rows below them.
        numbers: The number of each row in the file.
        sums: What the first cell of rows of sums says; such rows are not among ``rows``.
        evidence: Why it is read so, in sentences.
    """

    path: Path
    sheet: str
    encoding: str
    is_certain: bool
    separator: str
    heading_row: int
    headings: Sequence[str]
    rows: Sequence[Sequence[Any]]
    numbers: Sequence[int]
    sums: Sequence[str]
    evidence: Sequence[str]

    def column(self, heading: str) -> list[Any]:
        """The cells below a heading."""
        at = list(self.headings).index(heading)
        return [row[at] for row in self.rows]

    @property
    def name(self) -> str:
        """The file, with the sheet where it is one of several."""
        return f"{self.path.name} [{self.sheet}]" if self.sheet else self.path.name


def sniff(path: Path, sheet: str = "") -> RawSheet:
    """Read a CSV file, a sheet of a workbook or a Parquet file without knowing anything of it.

    Raises:
        DocumentError: It cannot be read, or no row looks like headings.
    """
    if path.suffix.lower() in (".json", ".jsonl"):
        message = "expected a table: CSV, XLSX or Parquet"
        raise DocumentError([Problem("", "", "", message, path.name)])
    if path.suffix.lower() == ".xlsx":
        from dokima.formats.xlsx_files import read_cells, sheet_names

        names = sheet_names(path)
        cells = read_cells(path, sheet)
        told = sheet if len(names) > 1 or sheet else ""
        return _of_cells(path, told, cells, "", True, "", [])
    if path.suffix.lower() == ".parquet":
        return _of_parquet(path)
    text, encoding, certain, said = _decoded(path)
    separator, why = _separator(text)
    try:
        cells = [
            [cell if cell.strip() else None for cell in row]
            for row in csv.reader(text.splitlines(True), delimiter=separator)
        ]
    except csv.Error as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error}", path.name)]) from None
    if max(map(len, cells), default=0) > COLUMNS:
        raise DocumentError([Problem("", "", "", f"expected at most {COLUMNS} columns", path.name)])
    return _of_cells(path, "", cells, encoding, certain, separator, [said, why])


def _of_parquet(path: Path) -> RawSheet:
    """Its first rows, with cells as they are in it."""
    from dokima.formats.parquet_files import read_head

    table, count = read_head(path, MOST_ROWS)
    cells = zip(*(column.to_pylist() for column in table.columns), strict=True)
    rows, numbers, sums, said = _told_apart(cells, 2)  # as rows are counted where it is read
    some = [f"the first {MOST_ROWS:,} of its {count:,} rows were looked at"] if count > MOST_ROWS else []
    return RawSheet(path, "", "", True, "", 1, table.column_names, rows, numbers, sums, some + said)


def _decoded(path: Path) -> tuple[str, str, bool, str]:
    try:
        content = regular(path).read_bytes()
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16"), "utf-16", True, "utf-16: it begins with its mark"
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", errors="replace")
        return text, "cp1252", False, f"cp1252: it is not utf-8; read so it says {', '.join(odd_words(text)[:3])}"
    plain = "it has nothing but plain letters" if text.isascii() else "every byte of it can be read so"
    return text, "utf-8", True, f"utf-8: {plain}"


def odd_words(text: str) -> list[str]:
    """The words with letters that another encoding would read otherwise; where there are none, the signs like them."""
    for piece in (r"\w+", r"\S+"):
        if found := sorted({word for word in re.findall(piece, text) if not word.isascii()}):
            return found
    return []


def _separator(text: str) -> tuple[str, str]:
    """What gives most rows the same number of cells, more than one."""
    lines = text.splitlines(True)[:200]
    first = "the first " if text.count("\n") > len(lines) else ""
    best = (",", 0, 1)
    for separator in SEPARATORS:
        try:
            widths = Counter(sum(1 for _ in row) for row in csv.reader(lines, delimiter=separator) if row)
        except csv.Error:
            continue  # a cell longer than any heading: not this one
        width, count = max(widths.items(), key=lambda each: (each[1] if each[0] > 1 else 0, each[0]), default=(1, 0))
        if width > 1 and (count, width) > best[1:]:
            best = (separator, count, width)
    return best[0], f"{SEPARATORS[best[0]]}: {best[1]} of {first}{len(lines)} rows then have {best[2]} cells"


def _of_cells(
    path: Path, sheet: str, cells: list[list[Any]], encoding: str, certain: bool, separator: str, evidence: list[str]
) -> RawSheet:
    width = max((sum(cell is not None for cell in row) for row in cells), default=0)
    heading = next((at for at, row in enumerate(cells[:_LOOKED_AT]) if _looks_like_headings(row, width)), None)
    if heading is None:
        message = f"expected a row of headings among the first {_LOOKED_AT} ({_why_none(cells[:_LOOKED_AT], width)})"
        raise DocumentError([Problem("", "", "", message, path.name)])
    named = {at: str(cell).strip() for at, cell in enumerate(cells[heading]) if cell is not None}
    if heading:
        evidence = [*evidence, f"headings in row {heading + 1}: above them stands '{_first(cells[:heading])}'"]
    below = ([row[at] if at < len(row) else None for at in named] for row in cells[heading + 1 :])
    rows, numbers, sums, said = _told_apart(below, heading + 2)
    return RawSheet(
        path,
        sheet,
        encoding,
        certain,
        separator,
        heading + 1,
        list(named.values()),
        rows,
        numbers,
        sums,
        evidence + said,
    )


def _told_apart(
    cells: Iterable[Sequence[Any]], first: int
) -> tuple[list[Sequence[Any]], list[int], list[str], list[str]]:
    """Rows that hold something and their numbers, without those of sums; what these say, and the evidence of it."""
    rows: list[Sequence[Any]] = []
    numbers: list[int] = []
    sums: dict[str, None] = {}
    for number, row in enumerate(cells, start=first):
        if all(cell is None for cell in row):
            continue
        said = next((cell.strip() for cell in row if isinstance(cell, str) and _word(cell) in SUMS), None)
        if said is not None:
            sums[said] = None
            continue
        rows.append(row)
        numbers.append(number)
    return rows, numbers, list(sums), [f"rows that say {', '.join(sums)} are sums and left out"] if sums else []


def _word(cell: str) -> str:
    return cell.strip().rstrip(":").casefold()


def _first(rows: Sequence[Sequence[Any]]) -> str:
    return next((str(cell) for row in rows for cell in row if cell is not None), "")


def _why_none(rows: Sequence[Sequence[Any]], width: int) -> str:
    for number, row in enumerate(rows, 1):
        words = [str(cell).strip() for cell in row if cell is not None]
        twice = next((word for word in words if words.count(word) > 1), "")
        if twice and _looks_like_headings(list(dict.fromkeys(words)), width):
            return (
                f"in row {number} '{twice}' stands over {words.count(twice)} columns; each needs a heading of its own"
            )
    return "none has a different text in each column"


def _looks_like_headings(row: Sequence[Any], width: int) -> bool:
    """Texts, all different, none of them a number or a date, in most of the columns that are ever filled."""
    filled = [cell for cell in row if cell is not None]
    if len(filled) < 2 or len(filled) < 0.6 * width:
        return False
    if any(isinstance(cell, int | Decimal | datetime.date) for cell in filled):
        return False
    words = [str(cell).strip() for cell in filled]
    return len(set(words)) == len(words) and not any(_NUMBER.fullmatch(w) or _DATE.fullmatch(w) for w in words)
