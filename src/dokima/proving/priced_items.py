"""What the tables say together of prices: items without one, agreed ones with discounts on top."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.exact import stored
from dokima.formulas import Formula
from dokima.formulas.operators import numbers
from dokima.model.finding import Severity
from dokima.model.intake import read_documents
from dokima.model.order import Order
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.steps.routine import Routine
from dokima.proving.examples import Examples, document, header_of
from dokima.proving.remark import AuditRemark
from dokima.tables.candidates import row_terms
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table, names_behind

MOST_TRIED = 5_000
"""Rows of a table that are tried by pricing an example."""
_OFF_PLACES = 4
"""Decimal places of what a discount takes off an example."""


def audit_prices(program: Program, examples: Examples) -> Iterator[AuditRemark]:
    """Items that no option of a routine has a price for."""
    items = [table for table in program.tables.values() if found_by(table, "line.item") and table.required]
    items = items or [table for table in program.tables.values() if found_by(table, "line.item")]
    routines = {routine.name: _items_of(program, routine, items) for routine in program.routines}
    for table in items:
        (key,) = table.conditions
        priced_by = [routine for routine in program.routines if routines[routine.name] is table]
        for row in range(table.size):
            item = value_at(table.cells[key], row)
            without = [each for each in priced_by if item is not None and not _is_priced(program, each, item)]
            severity: Severity = "error" if len(without) == len(program.routines) else "warning"
            # What one routine prices is sold there; that another has no price for it is how it is meant.
            for routine in without if severity == "error" else ():
                example = {**(examples.of(table, [row]) or {}), **header_of(routine)}
                message = f"{shown(item)} has no price in routine {routine.name}"
                place = (table.name, table.source.file, [table.source.row_number(row)])
                yield AuditRemark("no-price", severity, message, *place, example=example)


def _items_of(program: Program, routine: Routine, items: Sequence[Table]) -> Table | None:
    """The table of items that a routine reads."""
    names = [name for step in routine.steps for _, formula in step.formulas() for name in formula.reads]
    read = {name.split(".")[0] for name in names_behind(names, program.tables)}
    return next((table for table in items if table.name in read), None)


def _is_priced(program: Program, routine: Routine, item: str) -> bool:
    return any(_may_price(program, option.value, item) for option in routine.steps[0].options)


def found_by(table: Table, source: str) -> bool:
    return table.definition.is_master and [f.source.strip() for f in table.conditions.values()] == [source]


def _may_price(program: Program, formula: Formula, item: str) -> bool:
    """Whether a formula can have a value for an item, as far as its tables tell."""
    return all(_may_answer(program, name, item) for name in formula.reads)


def _may_answer(program: Program, name: str, item: str) -> bool:
    head, _, column = name.partition(".")
    table = program.tables.get(head)
    if table is None:
        return True
    if table.defaults.get(column) is not None:
        return True
    by_item = [each for each, formula in table.conditions.items() if formula.source.strip() == "line.item"]
    if not by_item:
        return bool(table.size)
    cells = table.cells[by_item[0]]
    assert isinstance(cells, Texts)
    words = [item in word.split(SEPARATOR) for word in cells.words.items]
    fits = np.array([*words, not table.definition.is_key], bool)[cells.codes]
    filled = np.ones(table.size, bool) if column not in table.columns else ~table.columns[column].is_missing()
    return bool((fits & filled).any())


def audit_discounts(program: Program, examples: Examples) -> Iterator[AuditRemark]:
    """Rows of agreed prices on which a discount comes on top, found by pricing an example of each."""
    for routine in program.routines:
        # What comes last is the price for everybody; those before it are agreed.
        for place, option in enumerate(routine.steps[0].options[:-1], start=1):
            heads = {name.split(".")[0] for name in option.value.reads}
            tables = [program.tables[head] for head in sorted(heads) if head in program.tables]
            for table in [table for table in tables if not table.definition.is_master]:
                yield from _on_top(program, routine, table, place, examples)


def _on_top(program: Program, routine: Routine, table: Table, place: int, examples: Examples) -> Iterator[AuditRemark]:
    tried = [(row, example) for row in range(min(table.size, MOST_TRIED)) if (example := examples.of(table, [row]))]
    if not tried:
        return
    documents = [Order.from_dict(document(str(at), example)) for at, (_, example) in enumerate(tried)]
    orders = read_documents(documents, program.fields)
    # In finer money, as an example is of one piece: of something cheap the discount is less than half a cent.
    calculation = price_orders(program.in_finer_money(), orders, Run(examples.today)).calculation
    discounts = [step for step in routine.steps if step.sign < 0 and step.name in calculation.figures]
    figures = {step.name: stored(numbers(calculation.figures[step.name])).round(_OFF_PLACES) for step in discounts}
    for at, number in enumerate(orders.numbers):
        row, example = tried[int(number)]
        if int(calculation.options[orders.lines_of(at).start]) != place:
            continue
        for step in discounts:
            amount = value_at(figures[step.name], orders.lines_of(at).start)
            if amount:
                said = (
                    f"{row_terms(table, row)}: the {table.definition.shown} give a price, and {step.definition.shown}"
                )
                rows = [table.source.row_number(row)]
                message = f"{said} takes another {shown(amount)} off it"
                place_ = (table.name, table.source.file, rows)
                yield AuditRemark("price-and-discount", "warning", message, *place_, example=example)
