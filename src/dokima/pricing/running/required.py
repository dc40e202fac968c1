"""Required tables: a line, or an order, that has no row in one of them is an error."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.column import Column, values_of
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Level
from dokima.formulas.operators import flags
from dokima.model.finding import Finding
from dokima.model.finding_columns import FEW, Found, Refusals
from dokima.model.said import Said, listing
from dokima.pricing.names.agreed_columns import agreed_columns, kept_orders
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program
from dokima.tables.table import Table


def required_tables(program: Program, reading: Collection[str] | None = None) -> list[Table]:
    """The tables whose rows are required, or those of them whose key or condition follows from some fields."""
    read = program.read_by_required
    return [program.tables[name] for name in read if reading is None or read[name] & set(reading)]


def missing_rows(
    context: Context, tables: Iterable[Table] | None = None, *, blank_keys: bool = True, few: int = FEW
) -> list[Found]:
    """A finding for each order, or line without sub-lines, that a required table has no row for.

    What has agreed terms is not asked: it looks nothing up any more. Where the condition of ``required`` is unknown, a
    row is required.

    Args:
        context: The orders, and what is known about them.
        tables: The tables to ask; all that are required if None.
        blank_keys: Whether a blank key is an error; while a line is being entered it is not.
        few: Up to how many are made into findings at once.
    """
    found: list[Found] = []
    agreed: tuple[Mask, Mask] | None = None
    asked = required_tables(context.program) if tables is None else list(tables)
    for table in asked:
        figures = context.program.figures_of_required[table.name]
        if figures and not context.knows(figures):
            continue  # it reads figures of a routine that does not price these orders
        gone = context.rows_found(table.name).gone
        if gone is None:
            continue
        missing = gone & _wanted(context, table, blank_keys)
        if np.count_nonzero(missing):
            agreed = agreed or _agreed(context)
            missing &= ~agreed[0 if table.level is Level.HEADER else 1]
            refused = _refused(context, table, missing)
            found += [refused] if len(refused) > few else refused.findings(np.arange(len(refused)))
    return found


def _wanted(context: Context, table: Table, blank_keys: bool) -> Mask:
    """For each order or line whether the table must have a row for it."""
    assert table.required is not None
    wanted = ~flags(table.required.evaluate(context, table.level)).is_false()
    if table.level is Level.LINE and context.leaf is not None:
        wanted = wanted & context.leaf
    if not blank_keys:
        for formula in table.conditions.values():
            wanted = wanted & ~formula.evaluate(context, table.level).is_missing()
    return wanted


def _agreed(context: Context) -> tuple[Mask, Mask]:
    """The orders, and the lines, that keep agreed terms."""
    terms = context.terms
    kept = kept_orders(context.program, context.orders, context.run) if terms is None else None
    if kept is not None:
        terms = agreed_columns(context.program, context.orders, kept)
    if terms is None:
        return np.zeros(context.order_count, bool), np.zeros(len(context.order_of), bool)
    return terms.orders, terms.lines


def _refused(context: Context, table: Table, missing: Mask) -> Refusals:
    rows = np.flatnonzero(missing)
    common, told = Finding(f"table.{table.name}", "error", ""), _Lacking(context, table, rows)
    orders, lines = (context.order_of[rows], rows) if table.level is Level.LINE else (rows, None)
    return Refusals.of(common, context.orders, orders, lines, told)


@dataclass(frozen=True)
class _Lacking:
    """What is said of orders or lines that a table has no row for."""

    context: Context
    table: Table
    positions: Integers

    @cached_property
    def _keys(self) -> Mapping[str, Column]:
        """What was asked for, by formula."""
        formulas = self.table.conditions.values()
        columns = {formula.source: formula.evaluate(self.context, self.table.level) for formula in formulas}
        return {
            source: column.take(self.positions if len(column) > 1 else np.zeros(len(self.positions), np.int64))
            for source, column in columns.items()
        }

    def messages(self, rows: Integers) -> Sequence[str]:
        asked = list(zip(*self.seen(rows).values(), strict=True)) or [()] * len(rows)
        asked = list(zip(asked, self._typed[rows].tolist(), strict=True))
        known = {each: self._message(*each) for each in set(asked)}
        return [known[each] for each in asked]

    @cached_property
    def _typed(self) -> Mask:
        """Lines whose price is typed: whoever means an item that is in no table has to say so in ``required``."""
        if not any("line.item" in formula.reads for formula in self.table.conditions.values()):
            return np.zeros(len(self.positions), bool)
        typed: Mask = ~self.context.column("line.price_override").spread(len(self.context.order_of)).is_missing()
        return typed[self.positions]

    def _message(self, values: Sequence[Any], typed: bool) -> str:
        lacking = self._without_row(values)
        if not typed:
            return lacking
        way = 'required = "blank(line.price_override)"'
        return Said(
            "{lacking}; its price is typed: {way} lets a line of an item in no table pass", lacking=lacking, way=way
        )

    def _without_row(self, values: Sequence[Any]) -> str:
        label = self.context.program.label
        terms = [
            Said("{name} {value}", name=label(n), value=value) for n, value in zip(self._keys, values, strict=True)
        ]
        return Said("table {table} has no row for {terms}", table=self.table.name, terms=listing(terms))

    def seen(self, rows: Integers) -> Mapping[str, Sequence[Any]]:
        return {source: values_of(column.take(rows)) for source, column in self._keys.items()}
