"""One piece of a run: whole orders are read, priced, and written to a file of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Literal

from dokima.engine.running.calculation import Calculation
from dokima.engine.running.summing import sums_of
from dokima.errors import DokimaError, Problem
from dokima.exact import added
from dokima.formats.pieces import Numbers, Piece
from dokima.formats.results.registry import to_csv
from dokima.formats.tables_out import write_csv, write_parquet
from dokima.formats.whole_files import whole_file, write_whole
from dokima.rulebook.book import Rulebook

Level = Literal["lines", "headers"]
"""What a run writes: a row a line with all figures, or a row an order with its totals."""
SUMMED = ("without_tax", "tax", "with_tax")
WRITERS = {".parquet": write_parquet, ".csv": write_csv}
"""How the files of a run are written, by the ending of its folder."""

BOOKS: dict[str, Rulebook] = {}
"""Rulebooks of this process by fingerprint: each is sent to a process once, and its pieces name it."""


@dataclass(frozen=True)
class PartDone:
    """What came of a piece.

    Attributes:
        file: Name of the file.
        sha256: SHA-256 of its bytes.
        orders: Orders priced.
        lines: Their lines.
        errors: Findings that stop.
        set_aside: What was wrong with orders that were set aside.
        sums: Totals by currency.
        numbers: The order numbers, where orders may come back in a later piece.
    """

    file: str
    sha256: str
    orders: int
    lines: int
    errors: int
    set_aside: Sequence[Problem]
    sums: dict[str, dict[str, Decimal]]
    numbers: Numbers | None


@dataclass(frozen=True)
class Part:
    """A piece to be worked on, wherever.

    Attributes:
        book: Fingerprint of the rulebook.
        folder: Where the file goes.
        level: What is written.
        check: Moment whose rules are asked too; blank for none.
        piece: The orders, unread; None for a part that only says how the others are worked on.
        number: Which piece it is, counted from 0.
    """

    book: str
    folder: str
    level: Level
    check: str = ""
    piece: Piece | None = None
    number: int = 0

    @property
    def file(self) -> str:
        """Name of the file."""
        return f"part-{self.number:05}{Path(self.folder).suffix}"

    def work(self) -> PartDone:
        """Read, price, write.

        Raises:
            DokimaError: The rulebook was never sent here, or the file cannot be written.
        """
        book = BOOKS.get(self.book)
        assert self.piece is not None
        if book is None:
            raise DokimaError(f"rulebook {self.book[:12]} has not been sent to this process")
        calculation, numbers = book.price_piece(self.piece, self.check)
        path = Path(self.folder) / self.file
        table = calculation.to_arrow(self.level)
        with whole_file(path) as beside:
            WRITERS[path.suffix](table, beside)
            digest = hashlib.sha256(beside.read_bytes()).hexdigest()
        del table
        write_findings(calculation, path.with_name(f"_findings-{self.number:05}.csv"))
        return PartDone(
            self.file,
            digest,
            len(calculation),
            calculation.orders.line_count,
            len(calculation.findings.stopping),
            calculation.problems,
            sums_by_currency(calculation),
            numbers,
        )


def sums_by_currency(calculation: Calculation) -> dict[str, dict[str, Decimal]]:
    """Totals of the orders that could be priced, exact."""
    found: dict[str, dict[str, Decimal]] = {}
    for each in sums_of(calculation):
        mine = found.setdefault(each.currency, dict.fromkeys(SUMMED, Decimal(0)))
        for name in SUMMED:
            mine[name] = added((mine[name], each.totals[name] or Decimal(0)))
    return found


def write_findings(calculation: Calculation, path: Path) -> None:
    """The findings of a piece beside its file, if there are any; what an earlier attempt left is gone."""
    if calculation.findings:
        write_whole(path, to_csv(calculation.findings))
    else:
        path.unlink(missing_ok=True)
