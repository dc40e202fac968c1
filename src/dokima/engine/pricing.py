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
from dokima.routines.running import RoutineResult, StepTrace, run_routine
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
        sheet: The columns it worked with.
    """

    orders: Integers
    lines: Integers
    result: RoutineResult
    totals: Mapping[str, Decimals]
    sheet: Sheet


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


def price_orders(program: Program, orders: Orders, run: Run, *, traced: bool = False) -> Pricing:
    """Price orders; what is wrong becomes findings, never an exception."""
    orders = prepare(program, orders, run)
    findings: list[Finding] = []
    places = _minor_units(program, orders, findings)
    routine_of = _routines(program, orders, run, findings)
    whole = places >= 0
    parts: list[Part] = []
    for at in range(len(program.routines)):
        for unit in np.unique(places[whole & (routine_of == at)]).tolist():
            mine = np.flatnonzero((routine_of == at) & (places == unit))
            parts.append(_price_part(program, orders, mine, at, int(unit), run, traced, findings))
    calculation = _put_together(program, orders, parts, routine_of, np.where(whole, places, 2))
    found = Findings.sorted(findings, orders.numbers) if findings else Findings()
    return Pricing(replace(calculation, findings=found), parts)


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


def _price_part(
    program: Program,
    orders: Orders,
    mine: Integers,
    at: int,
    places: int,
    run: Run,
    traced: bool,
    findings: list[Finding],
) -> Part:
    selected = orders.select(mine)
    leaves, kept = selected.leaves()
    sheet = Sheet(program, leaves, run, selected, kept)
    routine = program.routines[at]
    result = run_routine(routine, sheet, places, traced=traced)
    prepaid = _prepaid(selected)
    totals = total_up(result.lines, leaves.order_of, selected.count, prepaid, places)
    all_lines = (
        np.arange(orders.line_count) if len(mine) == orders.count else np.flatnonzero(np.isin(orders.order_of, mine))
    )
    where = all_lines if kept is None else all_lines[kept]
    order_numbers: list[str] = []
    for blank in result.blank_steps:
        order_numbers = order_numbers or selected.numbers
        order = int(leaves.order_of[blank.line])
        number = str(value_at(leaves.line("number"), blank.line))
        message = f"no {blank.step.definition.shown}: {blank.reason}"
        findings.append(
            Finding(
                f"{routine.name}.{blank.step.name}", "error", message, order_numbers[order], number, blank.step.name
            )
        )
    findings += missing_rows(sheet)
    return Part(mine, where, result, totals, sheet)


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
        columns = [stored(column) if isinstance(column, Decimals) else column for _, column in having]
        if len(having) == 1 and len(having[0][0]) == length:
            result[name] = columns[0]
            continue
        place = np.full(length, -1, np.int64)
        place[np.concatenate([positions for positions, _ in having])] = np.arange(sum(len(p) for p, _ in having))
        result[name] = take_or_blank(concat(columns), place)
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
