"""Rows of one table against each other: ties, overlaps, gaps, rows that never win, breaks that make things worse."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.formulas.names import NUMBERS
from dokima.formulas.tree import Node
from dokima.pricing.program import Program
from dokima.proving.examples import Examples
from dokima.proving.remark import AuditRemark
from dokima.proving.usage import read_tables
from dokima.tables.candidates import row_terms
from dokima.tables.definition import is_price_column
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table

MOST_TOGETHER = 400
"""Rows of one group that are compared pair by pair; of a larger one only so many."""
Cells = tuple[str | None, ...]


@dataclass(frozen=True)
class Use:
    """What a column is used for: as a price (per ``base``), lower is better; or as a discount, higher is better."""

    table: str
    column: str
    base: str
    is_price: bool


def audit_rows(program: Program, examples: Examples, today: datetime.date) -> Iterator[AuditRemark]:
    """What is doubtful about the rows of each table."""
    uses = {use.table: use for use in _uses(program)}
    read = read_tables(program)
    shown = {each.table for each in program.definition.context} - read  # none of its rows has to win
    for table in program.tables.values():
        if table.size and table.assemblies is None and table.name not in shown:
            yield from _Auditing(table, examples, uses.get(table.name)).remarks(today)


def never_winning(program: Program, table: Table) -> set[int]:
    """The rows of a table that can never win, by their positions: another is preferred wherever they fit.

    Not by their numbers in the file, which all cells of a spread row share.

    Args:
        program: The rulebook.
        table: One of its tables.
    """
    if table.definition.is_key or table.definition.graduated or table.assemblies is not None or not table.size:
        return set()
    auditing = _Auditing(table, Examples(program, datetime.date(2000, 1, 1)), None)
    return {row for row, _ in auditing.beaten()}


def _uses(program: Program) -> Iterator[Use]:
    for routine in program.routines:
        for step in routine.steps:
            for option in step.options:
                for table, column in _valued(option.value.root):
                    bases = option.base.reads if option.base else ()
                    mine = [base.partition(".")[2] for base in bases if base.startswith(f"{table}.")]
                    yield Use(table, column, mine[0] if mine else "", True)
            for key in ("percent", "amount", "per_unit"):
                if step.sign < 0 and key in step.parts:
                    for table, column in _valued(step.parts[key].root):
                        yield Use(table, column, "", False)


def _valued(root: Node) -> Iterator[tuple[str, str]]:
    """The columns of tables that a formula gives or works with as a number, of each table the one: a flag that only
    decides is none, nor is one of several that are multiplied unless its name says that it is a price."""
    found: dict[str, list[str]] = {}
    todo = [root]
    while todo:
        node = todo.pop()
        if node.name and node.kind in NUMBERS:
            table, _, column = node.name.partition(".")
            found.setdefault(table, []).append(column)
        elif node.kind in (*NUMBERS, "blank") and not node.gathers:
            todo += node.operands[1:] if node.role == "if" else node.operands
    for table, columns in found.items():
        named = [column for column in dict.fromkeys(columns) if is_price_column(column)]
        for column in named or dict.fromkeys(columns):
            if len(named or set(columns)) == 1:
                yield table, column


class _Auditing:
    def __init__(self, table: Table, examples: Examples, use: Use | None) -> None:
        self.table = table
        self.examples = examples
        self.use = use if use is not None and use.column in table.columns else None
        self.breaks = [each.least for each in table.breaks]
        self.expanded = [(row, cells) for row in range(table.size) for cells in self._cells(row)]
        self.alike: dict[Cells, list[int]] = {}
        for row, cells in self.expanded:
            self.alike.setdefault(cells, []).append(row)

    def remarks(self, today: datetime.date) -> Iterator[AuditRemark]:
        yield from self._backwards()
        yield from self._zero_prices()
        yield from self._expired(today)
        # A graduated table or a key whose rows are told apart by windows has no competition beyond that.
        beaten: set[frozenset[int]] = set()
        if not self.table.definition.graduated:
            yield from self._ties()
            for remark in self._never_wins():
                beaten.add(frozenset(remark.rows))
                yield remark
        for rows in self.alike.values():
            windows = self._windows(rows[:MOST_TOGETHER])
            yield from (remark for remark in windows if frozenset(remark.rows) not in beaten)
            yield from self._worse(rows[:MOST_TOGETHER])

    def _cells(self, row: int) -> Iterator[Cells]:
        """The condition cells of a row, one tuple for each choice of the values in a cell."""
        parts = []
        for name in self.table.conditions:
            value = value_at(self.table.cells[name], row)
            blank: list[str | None] = [None]
            parts.append(
                value.split(SEPARATOR) if isinstance(value, str) else blank if value is None else [shown(value)]
            )
        return itertools.product(*parts)

    def _remark(self, check: str, severity: Any, message: str, rows: Sequence[int]) -> AuditRemark:
        source = self.table.source
        example = self.examples.of(self.table, list(rows))
        numbers_ = [source.row_number(row) for row in rows]
        return AuditRemark(check, severity, message, self.table.name, source.file, numbers_, example=example or {})

    def _terms(self, row: int) -> str:
        return row_terms(self.table, row)

    # -- windows ----------------------------------------------------------------------------------------------

    def _overlap(self, a: int, b: int) -> bool:
        window = self.table.window
        return window is None or bool(max(window.start[a], window.start[b]) <= min(window.end[a], window.end[b]))

    def _backwards(self) -> Iterator[AuditRemark]:
        """Rows that end before they begin: they are never valid."""
        window = self.table.window
        for row in np.flatnonzero(window.end < window.start).tolist() if window is not None else ():
            message = f"{self._terms(row)} ends before it begins, so it is never valid"
            yield self._remark("backwards", "error", message, [row])

    def _zero_prices(self) -> Iterator[AuditRemark]:
        """A price of 0 among prices that are not is a gift, or a cell that was meant to stay empty."""
        if self.use is None or not self.use.is_price:
            return
        prices = [value_at(self.table.cells[self.use.column], row) for row in range(self.table.size)]
        if any(prices):
            for row in [at for at, price in enumerate(prices) if price == 0]:
                message = f"{self._terms(row)} has the {self.use.column.replace('_', ' ')} 0, others do not"
                yield self._remark("zero-price", "warning", message, [row])

    def _expired(self, today: datetime.date) -> Iterator[AuditRemark]:
        if self.table.window is None:
            return
        day = today.toordinal() - datetime.date(1970, 1, 1).toordinal()
        for row in (self.table.window.end < day).nonzero()[0].tolist():
            yield self._remark("expired", "notice", f"{self._terms(row)}: valid no longer on {today}", [row])

    def _windows(self, rows: Sequence[int]) -> Iterator[AuditRemark]:
        """Overlaps and gaps among rows with the same terms and the same breaks."""
        window = self.table.window
        if window is None or len(rows) < 2:
            return
        by_break: dict[tuple[Any, ...], list[int]] = {}
        for row in rows:
            by_break.setdefault(tuple(value_at(least, row) for least in self.breaks), []).append(row)
        for same in by_break.values():
            same.sort(key=lambda row: (int(window.start[row]), int(window.end[row])))
            for before, after in itertools.pairwise(same):
                if self._overlap(before, after):
                    # An open end that a later row takes over from is how rates are kept, not a mistake.
                    if int(window.end[before]) < 2**59 and not self._tied(before, after):
                        message = f"{self._terms(before)} and {self._terms(after)} overlap"
                        yield self._remark("overlap", "notice", message, [before, after])
                elif int(window.start[after]) > int(window.end[before]) + 1:
                    first = _date(int(window.end[before]) + 1)
                    message = f"{self._terms(before)}, then {self._terms(after)}: nothing from {first} on"
                    remark = self._remark("gap", "notice", message, [before])
                    dated = {**remark.example, "header.date": first} if remark.example else {}
                    rows_ = [self.table.source.row_number(row) for row in (before, after)]
                    yield AuditRemark("gap", "notice", message, remark.table, remark.file, rows_, example=dated)

    # -- preference -------------------------------------------------------------------------------------------

    def _tied(self, a: int, b: int) -> bool:
        return all(criterion.rank[a] == criterion.rank[b] for criterion in self.table.criteria)

    def _ties(self) -> Iterator[AuditRemark]:
        """Rows that can fit one line and are equal in every criterion: the first is taken."""
        ranks: dict[tuple[int, ...], list[tuple[int, Cells]]] = {}
        for row, cells in self.expanded:
            key = tuple(int(criterion.rank[row]) for criterion in self.table.criteria)
            ranks.setdefault(key, []).append((row, cells))
        said: set[tuple[int, int]] = set()
        for members in ranks.values():
            for (a, cells_a), (b, cells_b) in itertools.combinations(members[:MOST_TOGETHER], 2):
                if a == b or (a, b) in said or not self._overlap(a, b) or not _compatible(cells_a, cells_b):
                    continue
                example = self.examples.of(self.table, [a, b])
                if example is None:
                    continue
                said.add((a, b))
                same = self._results(a) == self._results(b)
                first = self.table.source.row_number(a)
                which = "the same answer twice" if same else f"row {first} is taken, as it stands first"
                message = f"{self._terms(a)} and {self._terms(b)} fit alike: {which}"
                yield self._remark("tie", "warning" if same else "error", message, [a, b])

    def _results(self, row: int) -> list[Any]:
        used = {*self.table.conditions, *(each.column for each in self.table.breaks)}
        used |= set(self.table.window.names if self.table.window else ())
        return [value_at(column, row) for name, column in self.table.columns.items() if name not in used]

    def _never_wins(self) -> Iterator[AuditRemark]:
        """Rows that another is preferred to wherever they fit."""
        for row, by in self.beaten():
            other = self.table.source.row_number(by)
            message = f"{self._terms(row)} can never win: row {other} is preferred wherever it fits"
            yield self._remark("never-wins", "warning", message, [row, by])

    def beaten(self) -> Iterator[tuple[int, int]]:
        """Each row that another is preferred to wherever it fits, and that other."""
        by_pattern: dict[tuple[int, ...], dict[Cells, list[int]]] = {}
        for row, cells in self.expanded:
            filled = tuple(at for at, cell in enumerate(cells) if cell is not None)
            by_pattern.setdefault(filled, {}).setdefault(tuple(cells[at] for at in filled), []).append(row)
        beaten: dict[int, list[int | None]] = {}
        for row, cells in self.expanded:
            beaten.setdefault(row, []).append(self._beaten_by(row, cells, by_pattern))
        for row, by in beaten.items():
            if by[0] is not None and all(each is not None for each in by):
                yield row, by[0]

    def _beaten_by(
        self, row: int, cells: Cells, by_pattern: Mapping[tuple[int, ...], Mapping[Cells, Sequence[int]]]
    ) -> int | None:
        preference = self.table.preference
        for filled, rows_of in by_pattern.items():
            if all(cells[at] is not None for at in filled):
                for other in rows_of.get(tuple(cells[at] for at in filled), ())[:MOST_TOGETHER]:
                    if other != row and preference[other] < preference[row] and self._covers(other, row):
                        # A tie has been told as a tie.
                        return None if self._tied(row, other) else other
        return None

    def _covers(self, wide: int, narrow: int) -> bool:
        """Whether a row is valid and eligible wherever another is."""
        window = self.table.window
        if window is not None and (window.start[wide] > window.start[narrow] or window.end[wide] < window.end[narrow]):
            return False
        for least in self.breaks:
            a, b = value_at(least, wide), value_at(least, narrow)
            if a is not None and (b is None or a > b):
                return False
        return True

    # -- breaks -----------------------------------------------------------------------------------------------

    def _worse(self, rows: Sequence[int]) -> Iterator[AuditRemark]:
        """A higher break with a higher price, or with a smaller discount."""
        if self.use is None or len(self.breaks) != 1:
            return
        least = self.breaks[0]
        ordered = sorted(rows, key=lambda row: value_at(least, row) or Decimal(0))
        values = self._values(rows)
        for low, high in itertools.pairwise(ordered):
            if (value_at(least, low) or 0) == (value_at(least, high) or 0) or not self._overlap(low, high):
                continue
            a, b = values.get(low), values.get(high)
            if a is not None and b is not None and (b > a if self.use.is_price else b < a):
                what = "price" if self.use.is_price else "discount"
                message = f"{self._terms(high)}: the {what} {_short(b)} is worse than {_short(a)} at the break below"
                yield self._remark("dearer-break", "warning", message, [low, high])

    def _values(self, rows: Sequence[int]) -> dict[int, Decimal]:
        """Price per unit, or discount, of some rows; what is blank is left out. Exact enough to compare and to show."""
        assert self.use is not None
        found = {}
        for row in rows:
            value = value_at(self.table.columns[self.use.column], row)
            base = value_at(self.table.columns[self.use.base], row) if self.use.base else Decimal(1)
            if isinstance(value, Decimal) and isinstance(base, Decimal) and base:
                found[row] = value / base
        return found


def _compatible(a: Cells, b: Cells) -> bool:
    return all(x is None or y is None or x == y for x, y in zip(a, b, strict=True))


def _date(day: int) -> datetime.date:
    return datetime.date.fromordinal(day + datetime.date(1970, 1, 1).toordinal())


def _short(value: Decimal) -> str:
    return shown(value.quantize(Decimal("0.0001")).normalize()) if value else "0"
