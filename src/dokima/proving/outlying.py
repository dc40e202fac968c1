"""Numbers of a table that stand far from the others of their column: 980 among 98.50, 95 and 101."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal
from statistics import median

from dokima.columns.column import value_at, values_of
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.formulas.names import NUMBERS
from dokima.pricing.program import Program
from dokima.proving.remark import AuditRemark
from dokima.tables.candidates import row_terms
from dokima.tables.table import Table

BASE = "base"
"""The column that says for how many units a price is."""
FEWEST = 5
"""Values of rows that are alike from which on one may stand out."""
TENFOLD = 8
"""How many times larger or smaller than the middle one a value is that stands out: a digit too many, a point moved."""
OTHER = 150
"""How many times it is so that it is no slip any more but another sort of thing: a clip among frames."""
USUAL = Decimal(2)
"""How far from the middle one the others may mostly be: where values of all sizes stand together, none stands out."""


def audit_outlying(program: Program) -> Iterator[AuditRemark]:
    """Numbers that are probably a slip: far from those of the same column, of rows for the same thing if there are."""
    for table in program.tables.values():
        breaks = {each.column for each in table.breaks}
        for name, spec in table.fields.items():
            if spec.kind in NUMBERS and name not in table.conditions and name not in breaks:
                yield from _of_column(table, name)


def _of_column(table: Table, name: str) -> Iterator[AuditRemark]:
    column, per = table.columns.get(name), table.columns.get(BASE)
    if column is None or name == BASE or table.assemblies is not None:
        return
    numbers: dict[int, Decimal] = {}
    for row in range(table.size):
        value, base = value_at(column, row), Decimal(1) if per is None else value_at(per, row) or Decimal(1)
        if isinstance(value, Decimal) and value > 0:
            numbers[row] = value / base
    told: set[int] = set()
    for rows in _alike(table, list(numbers)):
        for row, middle in _far(rows, numbers):
            if row not in told:
                told.add(row)
                said = f"{row_terms(table, row)}: the {name.replace('_', ' ')} {shown(value_at(column, row))}"
                message = f"{said} is far from the others like it, {shown(round(middle, 6))} in the middle"
                place = (table.name, table.source.file, [table.source.row_number(row)])
                yield AuditRemark("outlying", "notice", message, *place)


def _alike(table: Table, rows: Sequence[int]) -> Iterator[Sequence[int]]:
    """Rows whose numbers are compared: those for one item, or of one sort of items; without either all of them."""
    items = [name for name, formula in table.conditions.items() if formula.root.name == "line.item"]
    by = [table.cells[name] for name in items] if not table.definition.is_key else []
    texts = [column for column in table.columns.values() if isinstance(column, Texts)]
    by += [column for column in texts if items and 1 < len(set(values_of(column))) <= table.size / 2]
    for column in by:
        groups: dict[object, list[int]] = {}
        for row in rows:
            groups.setdefault(value_at(column, row), []).append(row)
        yield from (mine for key, mine in groups.items() if key is not None)
    if not items:
        yield rows


def _far(rows: Sequence[int], numbers: dict[int, Decimal]) -> Iterator[tuple[int, Decimal]]:
    """The rows that stand out, with the value in the middle."""
    if len(rows) < FEWEST:
        return
    middle = median(numbers[row] for row in rows)
    ratios = {row: max(numbers[row] / middle, middle / numbers[row]) for row in rows}
    if median(ratios.values()) <= USUAL:
        yield from ((row, middle) for row, ratio in ratios.items() if TENFOLD <= ratio <= OTHER)
