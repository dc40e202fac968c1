"""Taking the terms an order keeps: the answers its routine read, the rows behind them, and its figures."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from dokima.columns.column import Column, value_at, values_of
from dokima.exact import Decimals
from dokima.exact.integers import Integers
from dokima.formulas import Level
from dokima.model.agreed_terms import AgreedLine, AgreedTerms
from dokima.model.content import plain
from dokima.model.orders import Orders
from dokima.pricing.calculation.calculation import amount_figures
from dokima.pricing.names.agreed_columns import shared_asks
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import Part, Pricing, price_orders
from dokima.pricing.steps.results import LINE_AMOUNT
from dokima.pricing.steps.routine import Routine
from dokima.tables.table import AMOUNT, Table, names_behind

Record = dict[str, Any]


def capture_terms(program: Program, orders: Orders, run: Run) -> AgreedTerms | None:
    """The terms of one order as it stands now; None if nothing prices it.

    Lines that keep terms already keep their answers; all others take those of today. Figures are those of today's
    formulas on these answers.

    Args:
        program: The rulebook.
        orders: One order, with the terms it keeps so far.
        run: What the caller says about the run.
    """
    (found,) = capture_all(program, orders, run)
    return found


def capture_all(program: Program, orders: Orders, run: Run) -> list[AgreedTerms | None]:
    """The terms of each of some orders, as `capture_terms` takes those of one."""
    pricing = price_orders(program, orders, run, traced=True)
    found: list[AgreedTerms | None] = [None] * len(orders)
    for part in pricing.parts:
        for at, terms in _Capture(program, orders, pricing, part, run).terms():
            found[at] = terms
    return found


class _Capture:
    """The terms of the orders that one routine priced together."""

    def __init__(self, program: Program, orders: Orders, pricing: Pricing, part: Part, run: Run) -> None:
        self.today = "" if run.today is None else run.today.isoformat()
        self.program = program
        self.orders = orders
        self.calculation = pricing.calculation
        self.part = part
        self.context = _context(part)
        self.routine = program.routines[int(self.calculation.routine_of[part.orders[0]])]

    def terms(self) -> Iterator[tuple[int, AgreedTerms]]:
        """The position of each order, and its terms."""
        reads = sorted(fields_read(self.program, self.routine))
        levels = {"header": list[str](), "line": list[str]()}
        for name in self.program.definition.reprice_on:
            level, _, tail = name.partition(".")
            levels[level].append(tail)
        leaves, prepared = self.context.orders, self.calculation.orders
        mine = {name: _listed(prepared.header(name).take(self.part.orders)) for name in levels["header"]}
        of_header = self._answers(Level.HEADER, len(self.part.orders))
        lines = list(self._lines(levels["line"]))
        ranges = leaves.line_ranges.tolist()
        digests = self.orders.select(self.part.orders).digests(reads)
        for place, at in enumerate(self.part.orders.tolist()):
            kept = self.orders.terms(at)
            basis = {name: column[place] for name, column in mine.items()}
            stand = {} if kept is None or kept.basis != basis else kept.lines
            yield (
                at,
                AgreedTerms(
                    rulebook=self.program.fingerprint,
                    day=self.today if kept is None else kept.day,
                    basis=basis,
                    **of_header[place],
                    fields=reads,
                    digest=digests[place],
                    lines={
                        number: self._as_agreed(line, stand.get(number))
                        for number, line in lines[ranges[place] : ranges[place + 1]]
                    },
                ),
            )

    def _lines(self, names: Sequence[str]) -> Iterator[tuple[str, AgreedLine]]:
        """Every line with its answers, taxes and figures, as if it were agreed today."""
        leaves = self.context.orders
        count = leaves.line_count
        basis = {name: _listed(leaves.line(name)) for name in names}
        figures = {name: _listed(column) for name, column in self._figures().items()}
        answers, taxes = self._answers(Level.LINE, count), self._taxes(count)
        for at, number in enumerate(leaves.line_numbers):
            mine = {name: column[at] for name, column in basis.items()}
            kept = {name: column[at] for name, column in figures.items()}
            yield (
                number,
                AgreedLine(
                    rulebook=self.program.fingerprint, day=self.today, basis=mine, **answers[at], taxes=taxes[at],
                    figures=kept,
                ),
            )  # fmt: skip

    def _as_agreed(self, line: AgreedLine, kept: AgreedLine | None) -> AgreedLine:
        """With the rulebook whose answers a line keeps, and the day: those of its agreement, today's for a new one."""
        if kept is None or kept.basis != line.basis:
            return line
        # The answers of another header that a line came with are its own.
        tables = self.program.tables
        own = {
            name: value
            for name, value in kept.answers.items()
            if (table := tables.get(name.partition(".")[0])) is not None and table.level is Level.HEADER
        }
        answers = {**own, **line.answers} if own else line.answers
        return replace(line, rulebook=kept.rulebook or line.rulebook, day=kept.day, answers=answers)

    def _taxes(self, count: int) -> list[Record]:
        """What each line is taxed with by each tax step; None for one that does not meet it.

        A step with a tax of its own that moves nothing on a line has agreed to nothing there.
        """
        found: list[Record] = [{} for _ in range(count)]
        for step, terms in self.part.result.tax_terms.items():
            percent, category = _listed(terms.percent.spread(count)), _listed(terms.category.spread(count))
            reason = _listed(terms.reason.spread(count))
            has_own = not self._is_tax(step)
            for at, into in enumerate(found):
                if terms.included[at]:
                    into[step] = {"percent": percent[at], "category": category[at], "reason": reason[at]}
                elif not has_own:
                    into[step] = None
        return found

    def _is_tax(self, name: str) -> bool:
        step = self.routine.step(name)
        return step is not None and step.way.is_tax

    def _figures(self) -> dict[str, Column]:
        """Price, line amount, and every amount of a step, one value per line."""
        lines = self.part.result.lines
        names = ["price", *(name for name in amount_figures(self.routine) if name in lines)]
        found = {name: lines[name] for name in dict.fromkeys(names)}
        return {LINE_AMOUNT: self.part.result.line_amount, **found}

    def _answers(self, level: Level, count: int) -> list[Record]:
        """For each order or line its answers and the rows behind them."""
        columns: dict[str, list[Any]] = {}
        rows: dict[str, list[str | None]] = {}
        for trace in self.part.result.trace:
            for name, column in trace.columns.items():
                table = self.program.tables.get(name.split(".")[0])
                # A table may answer anew from step to step; the first answer is the one that is kept.
                if table is not None and table.level is level and name not in columns:
                    graded = name.endswith(f".{AMOUNT}") and table.bands is not None
                    found = trace.rows[table.name]
                    columns[name] = self._scales(table, found) if graded else _listed(column.spread(count))
            read = {name.split(".")[0] for name in trace.columns} | {
                t for _, f in trace.step.formulas() for t in f.tables
            }
            for name, found in trace.rows.items():
                if name not in read:
                    continue
                table = self.program.tables[name]
                if table.level is level and name not in rows:
                    rows[name] = self._rows(table, found)
        asks = {
            name: [_listed(formula.evaluate(self.context, level).spread(count)) for formula in formulas]
            for name in rows
            if (formulas := shared_asks(self.program.tables[name], self.program.definition.reprice_on))
        }
        return [
            {
                "answers": {name: values[at] for name, values in columns.items()},
                "rows": {name: places[at] for name, places in rows.items()},
                "asks": {name: [value[at] for value in values] for name, values in asks.items()},
            }
            for at in range(count)
        ]

    def _rows(self, table: Table, found: Integers) -> list[str | None]:
        """For each place the row that answers, in words: those kept, and today's for the others."""
        source, terms = table.source, self.context.terms
        file = f"{source.file} row " if source.file else "row "
        today = [None if row < 0 else f"{file}{source.row_number(row)}" for row in found.tolist()]
        kept = {} if terms is None else terms.rows.get(table.name, {})
        return [(kept[at] or None) if at in kept else each for at, each in enumerate(today)]

    def _scales(self, table: Table, found: Integers) -> list[Any]:
        """For each place the bands of its graduated price, as (from, price, per how many)."""
        bands, terms = table.bands, self.context.terms
        assert bands is not None
        kept = {} if terms is None else terms.bands.get(table.name, {})
        scales: dict[int, list[list[str]]] = {}
        for row in np.unique(found[found >= 0]).tolist():
            places = bands.rows[bands.first[row] : bands.last[row] + 1].tolist()
            columns = (bands.least, bands.listed, Decimals.constant(1) if bands.base is None else bands.base)
            scales[row] = [[plain(value_at(column, at)) for column in columns] for at in places]
        return [
            [list(band) for band in kept[at]] if at in kept else scales.get(row)
            for at, row in enumerate(found.tolist())
        ]


def _context(part: Part) -> Context:
    assert part.context is not None
    return part.context


def _listed(column: Column) -> list[Any]:
    """The values of a column as plain data."""
    known: dict[Any, Any] = {}
    found = []
    for value in values_of(column):
        if value not in known:
            known[value] = plain(value)
        found.append(known[value])
    return found


def fields_read(program: Program, routine: Routine) -> set[str]:
    """The fields that the figures of a routine follow from, by dotted name."""
    names = ["line.quantity", "line.price_override", "line.price_base", "header.currency"]
    names += [name for step in routine.steps for _, formula in step.formulas() for name in formula.reads]
    seen, todo = set[str](), list(names)
    while todo:
        for name in names_behind(todo, program.tables) - seen:
            seen.add(name)
            level, _, tail = name.partition(".")
            # What a field follows from is read with it: nobody gives it, so that nothing else would tell that it moved.
            follows = program.follows.get(("header" if level == "header" else "line", tail))
            todo += [] if follows is None else [*follows.here, *follows.anywhere]
        todo = [name for name in todo if name not in seen]
    fields = program.fields
    named = {name.replace("parent.", "line.", 1) for name in seen}
    return {name for name in named if _is_field(name, fields.header, fields.line)}


def _is_field(name: str, header: Mapping[str, Any], line: Mapping[str, Any]) -> bool:
    level, _, tail = name.partition(".")
    return tail in {"header": header, "line": line}.get(level, {})
