"""Some pieces of a run: the whole orders of each are read, priced, and written to a file of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from decimal import Decimal
from itertools import islice
from pathlib import Path

from dokima.errors import DokimaError, ExactError, Problem
from dokima.exact import added
from dokima.formats.pieces import Ends, Numbers, Piece
from dokima.formats.results.registry import to_csv
from dokima.formats.stretches import Stretch
from dokima.formats.tables_out import save_csv, save_parquet
from dokima.formats.whole_files import whole_file, write_whole
from dokima.pricing.calculation.arrow_tables import misfits
from dokima.pricing.calculation.calculation import Calculation, TableLevel
from dokima.pricing.calculation.summing import sums_of
from dokima.rulebook.book import Rulebook

SUMMED = ("without_tax", "tax", "with_tax")
Writer = Callable[[Calculation, Path, TableLevel, Sequence[str]], None]
WRITERS: dict[str, Writer] = {".parquet": save_parquet, ".csv": save_csv}
"""How the files of a run are written, by the ending of its folder."""

BOOKS: dict[str, Future[Rulebook]] = {}
"""Rulebooks of this process by fingerprint: each is sent to a process once, and its pieces name it."""


def let_know(book: Rulebook) -> None:
    """Let parts that are worked on in this process find a rulebook."""
    BOOKS[book.fingerprint] = Future()
    BOOKS[book.fingerprint].set_result(book)


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
        in_no_sum: Orders that are in error, and so in no sum.
        sums: Totals by currency.
        numbers: The order numbers, where orders may come back in a later piece; or the lowest and the highest.
    """

    file: str
    sha256: str
    orders: int
    lines: int
    errors: int
    set_aside: Sequence[Problem]
    in_no_sum: int
    sums: dict[str, dict[str, Decimal]]
    numbers: Numbers | Ends | None


@dataclass(frozen=True)
class Part:
    """Pieces to be worked on one after the other, wherever.

    Attributes:
        book: Fingerprint of the rulebook.
        folder: Where the file goes.
        level: What is written.
        check: Moment whose rules are asked too; blank for none.
        columns: The columns that are written; the usual ones if empty.
        in_short: Whether of ascending order numbers the ends are enough.
        stretch: The pieces; none for a part that only says how the others are worked on.
        number: Which piece of the run the first is, counted from 0.
        done: How many of them an earlier run has done.
    """

    book: str
    folder: str
    level: TableLevel
    check: str = ""
    columns: tuple[str, ...] = ()
    in_short: bool = False
    stretch: Stretch = ()
    number: int = 0
    done: int = 0

    def __str__(self) -> str:
        """The files that come of it."""
        first, last = (self._path(self.number + at).name for at in (self.done, len(self.stretch) - 1))
        return first if first == last else f"{first} to {last}"

    def _path(self, number: int) -> Path:
        return Path(self.folder) / f"part-{number:05}{Path(self.folder).suffix}"

    def work(self) -> list[PartDone]:
        """Read, price, write.

        Raises:
            DokimaError: The rulebook was never sent here, or cannot be built, or a file cannot be read or written.
        """
        if self.book not in BOOKS:
            raise DokimaError(f"rulebook {self.book[:12]} has not been sent to this process")
        book = BOOKS[self.book].result()
        numbered = enumerate(self.stretch, self.number)
        return [self._work(book, number, piece) for number, piece in islice(numbered, self.done, None)]

    def _work(self, book: Rulebook, number: int, piece: Piece) -> PartDone:
        path = self._path(number)
        calculation, numbers = book.price_piece(piece, self.check)
        with whole_file(path) as beside:
            calculation = self._written(book, calculation, beside, WRITERS[path.suffix])
            digest = hashlib.sha256(beside.read_bytes()).hexdigest()
        write_findings(calculation, path.with_name(f"_findings-{number:05}.csv"))
        return PartDone(
            path.name,
            digest,
            len(calculation),
            calculation.orders.line_count,
            len(calculation.findings.stopping),
            calculation.problems,
            int(calculation.totals["with_tax"].is_missing().sum()),
            sums_by_currency(calculation),
            numbers.in_short if numbers is not None and self.in_short else numbers,
        )

    def _written(self, book: Rulebook, calculation: Calculation, path: Path, write: Writer) -> Calculation:
        """What was written of a piece: all of it, or what is left once orders are set aside that no file can hold."""
        try:
            write(calculation, path, self.level, self.columns)
        except ExactError:
            aside = misfits(calculation, self.level, book.arrow_schema(self.level, self.columns))
            orders = calculation.orders.unfilled or calculation.orders
            calculation = book.price(orders.without(aside), check=self.check)
            write(calculation, path, self.level, self.columns)
        return calculation


def sums_by_currency(calculation: Calculation) -> dict[str, dict[str, Decimal]]:
    """Totals of the orders that could be priced, exact."""
    found: dict[str, dict[str, Decimal]] = {}
    for each in sums_of(calculation):
        mine = found.setdefault(each.currency, dict.fromkeys(SUMMED, Decimal(0)))
        for name in SUMMED:
            if (value := each.totals[name]) is not None:
                mine[name] = added((mine[name], value))
    return found


def write_findings(calculation: Calculation, path: Path) -> None:
    """The findings of a piece beside its file, if there are any; what an earlier attempt left is gone."""
    if calculation.findings:
        write_whole(path, to_csv(calculation.findings))
    else:
        path.unlink(missing_ok=True)
