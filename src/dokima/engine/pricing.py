"""Pricing: which routine fits each order, running it, and putting the results of all routines together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from dokima.engine.calculation import Calculation, amount_figures
from dokima.engine.preparing import prepare
from dokima.engine.program import Program, Run
from dokima.engine.sheet import Sheet
from dokima.errors import listed, nearest
from dokima.exact import Decimals, decimals, stored, total
from dokima.exact.integers import Integers
from dokima.formulas import Level
from dokima.formulas.operators import flags, numbers
from dokima.model.columns import Column, Texts, concat, take_or_blank, value_at
from dokima.model.findings import Finding, Findings
from dokima.model.orders import Orders
from dokima.routines.routine import Routine
from dokima.routines.running import BlankStep, RoutineResult, StepTrace, run_routine
from dokima.routines.taxing import TaxGroups
from dokima.routines.totals import TOTALS, total_up


@dataclass(frozen=True)
class Part:
    """The orders of one routine and one minor unit, priced.

    Attributes:
        orders: Their positions.
        lines: Positions of their lines without sub-lines.
        result: What the routine left.
        totals: Their totals.
        sheet: The columns it worked with, kept only if traced.
    """

    orders: Integers
    lines: Integers
    result: RoutineResult
    totals: Mapping[str, Decimals]
    sheet: Sheet | None


@dataclass
class Pricing:
    """A calculation, and for explanations the parts it was put together from."""

    calculation: Calculation
    parts: list[Part] = field(default_factory=list)

    def trace_of(self, order: int) -> tuple[Part, Sequence[StepTrace]] | None:
        """The part an order was priced in and what its steps saw; None if no routine fits it."""
        for part in self.parts:
            if order in part.orders:
                return part, part.result.trace
        return None


PIECE = 100_000
"""Lines that are priced together: few enough for their columns to stay in the processor's cache."""


def price_orders(program: Program, orders: Orders, run: Run, *, traced: bool = False) -> Pricing:
    """Price orders, piece by piece; what is wrong becomes findings, never an exception."""
    orders = prepare(program, orders, run)
    findings: list[Finding] = []
    places = _minor_units(program, orders, findings)
    routine_of = _routines(program, orders, run, findings)
    batch = np.where((places >= 0) & (routine_of >= 0), routine_of * 100 + places, -1)
    parts: list[Part] = []
    for start, stop in orders.pieces(PIECE):
        piece = orders.part(start, stop)
        for key in np.unique(batch[start:stop]).tolist():
            if key >= 0:
                mine = np.flatnonzero(batch[start:stop] == key)
                job = _Job(program, program.routines[key // 100], key % 100, run, traced, findings)
                parts.append(_price_part(job, piece, mine, start, orders.lines_of(start).start))
    calculation = _put_together(program, orders, parts, routine_of, np.where(places >= 0, places, 2))
    found = Findings.sorted(findings, lambda: orders.numbers)
    return Pricing(replace(calculation, findings=found), parts)


@dataclass(frozen=True)
class _Job:
    program: Program
    routine: Routine
    places: int
    run: Run
    traced: bool
    findings: list[Finding]


# -- which routine, which currency ----------------------------------------------------------------------------


def _minor_units(program: Program, orders: Orders, findings: list[Finding]) -> Integers:
    """Decimal places of each order's currency, -1 where that is blank or unknown."""
    known = program.definition.minor_units
    column = orders.header("currency")
    assert isinstance(column, Texts)
    places = np.array([known.get(word, -1) for word in column.words.items] + [-1], np.int64)[column.codes]
    for at in np.flatnonzero(places < 0).tolist():
        code = value_at(column, at)
        came = f"got '{code}'{nearest(code, known)}" if code else "it is blank"
        message = f"expected a currency code of ISO 4217, such as EUR ({came})"
        findings.append(Finding("currency", "error", message, orders.numbers[at], field="currency"))
    return places


def _routines(program: Program, orders: Orders, run: Run, findings: list[Finding]) -> Integers:
    """For each order the one routine whose ``when`` holds, -1 where that is not exactly one."""
    sheet = Sheet(program, orders, run)
    fits, unknown = np.zeros((len(program.routines), orders.count), bool), np.zeros(orders.count, bool)
    for at, routine in enumerate(program.routines):
        if routine.when is None:
            fits[at] = True
        else:
            verdict = flags(routine.when.evaluate(sheet, Level.HEADER))
            fits[at] = verdict.is_true()
            unknown |= verdict.is_missing()
    count = fits.sum(axis=0)
    chosen = np.where((count == 1) & ~unknown, fits.argmax(axis=0) if len(fits) else -1, -1)
    for at in np.flatnonzero(chosen < 0).tolist():
        names = [routine.name for routine, fit in zip(program.routines, fits[:, at], strict=True) if fit]
        every = listed(routine.name for routine in program.routines) or "none"
        if unknown[at]:
            message = f"which routine fits could not be decided, because a value is blank (there are: {every})"
        elif names:
            message = f"expected exactly one routine to fit (these do: {listed(names)})"
        else:
            message = f"expected exactly one routine to fit (none does; there are: {every})"
        findings.append(Finding("routine", "error", message, orders.numbers[at]))
    return chosen


# -- one part -------------------------------------------------------------------------------------------------


def _price_part(job: _Job, piece: Orders, mine: Integers, start: int, first_line: int) -> Part:
    """Price some orders of a piece; positions in the result count from the first of all orders."""
    selected = piece.select(mine)
    leaves, kept = selected.leaves()
    sheet = Sheet(job.program, leaves, job.run, selected, kept)
    result = run_routine(job.routine, sheet, job.places, traced=job.traced)
    totals = total_up(result.lines, leaves.order_of, selected.count, _prepaid(selected), job.places)
    job.findings.extend(_blank_finding(job.routine, leaves, blank) for blank in result.blank_steps)
    job.findings.extend(missing_rows(sheet))
    where = piece.lines_at(mine)
    return Part(
        mine + start,
        (where if kept is None else where[kept]) + first_line,
        result,
        totals,
        sheet if job.traced else None,
    )


def _blank_finding(routine: Routine, orders: Orders, blank: BlankStep) -> Finding:
    order = value_at(orders.header("number"), int(orders.order_of[blank.line])) or ""
    line = value_at(orders.line("number"), blank.line)
    message = f"no {blank.step.definition.shown}: {blank.reason}"
    return Finding(f"{routine.name}.{blank.step.name}", "error", message, order, line, blank.step.name)


def missing_rows(sheet: Sheet) -> list[Finding]:
    """A finding for each order or line that a required table was asked about and has no row for."""
    findings: list[Finding] = []
    for name, rows in sheet.tables_read.items():
        table = sheet.program.tables[name]
        missing = rows < 0
        if table.level is Level.LINE and sheet.leaf is not None:
            missing = missing & sheet.leaf
        if not table.definition.required or not missing.any():
            continue
        orders, lines = sheet.orders.numbers, sheet.orders.line_numbers
        keys = [(formula.source, formula.evaluate(sheet, table.level)) for formula in table.conditions.values()]
        for at in np.flatnonzero(missing).tolist():
            asked = {source: value_at(column, at) for source, column in keys}
            told = ", ".join(
                f"{sheet.program.label(source)} {value if value is not None else 'blank'}"
                for source, value in asked.items()
            )
            order = int(sheet.order_of[at]) if table.level is Level.LINE else at
            line = lines[at] if table.level is Level.LINE else ""
            message = f"table {name} has no row for {told}"
            findings.append(Finding(f"table.{name}", "error", message, orders[order], line, values=asked))
    return findings


def _prepaid(orders: Orders) -> Decimals:
    payments = orders.records.get("payments")
    if payments is None or not any(payments):
        return Decimals.zeros(orders.count)
    return Decimals.concat([total(decimals(payment["amount"] for payment in row)) for row in payments])


# -- all parts together ---------------------------------------------------------------------------------------


def _put_together(
    program: Program, orders: Orders, parts: Sequence[Part], routine_of: Integers, places: Integers
) -> Calculation:
    lines = _scatter([(part.lines, part.result.lines) for part in parts], orders.line_count)
    headers = _scatter([(part.orders, part.result.headers) for part in parts], orders.count)
    totals = _scatter([(part.orders, part.totals) for part in parts], orders.count)
    options = np.full(orders.line_count, -1, np.int64)
    taxes: list[TaxGroups] = []
    for part in parts:
        options[part.lines] = part.result.options
        taxes += [replace(groups, order=part.orders[groups.order]) for groups in part.result.taxes]
    if orders.parent is not None:
        amounts = {name for part in program.routines for name in amount_figures(part)}
        lines = {name: _risen(column, orders) if name in amounts else column for name, column in lines.items()}
    return Calculation(
        program=program,
        orders=orders,
        figures=lines,
        order_figures=headers,
        totals={name: stored(numbers(totals.get(name, Decimals.blanks(orders.count)))) for name in TOTALS},
        options=options,
        routine_of=routine_of,
        minor_units=places,
        taxes=taxes,
    )


def _scatter(parts: Sequence[tuple[Integers, Mapping[str, Column]]], length: int) -> dict[str, Column]:
    """Columns of all parts, each at its positions, blank where no part has one."""
    names = dict.fromkeys(name for _, columns in parts for name in columns)
    result: dict[str, Column] = {}
    for name in names:
        having = [(positions, columns[name]) for positions, columns in parts if name in columns]
        column = concat([column for _, column in having])
        positions = np.concatenate([positions for positions, _ in having])
        if len(positions) == length and bool((np.diff(positions) == 1).all()):
            result[name] = column
            continue
        place = np.full(length, -1, np.int64)
        place[positions] = np.arange(len(positions))
        result[name] = take_or_blank(column, place)
    return result


def _risen(column: Column, orders: Orders) -> Column:
    """Amounts of lines without sub-lines, and on each outline the sum of those below it."""
    assert orders.parent is not None
    amounts = stored(numbers(column)).filled()
    leaf = orders.leaf
    assert leaf is not None
    units = np.where(leaf, amounts.units, 0).astype(object)
    missing = column.is_missing() & leaf
    above, carried, unknown = orders.parent[leaf], units[leaf], missing[leaf]
    while (above >= 0).any():
        up = above >= 0
        np.add.at(units, above[up], carried[up])
        np.logical_or.at(missing, above[up], unknown[up])
        carried, unknown, above = carried[up], unknown[up], orders.parent[above[up]]
    return Decimals(units, amounts.places, missing if missing.any() else None).compact()
