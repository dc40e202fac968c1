"""`Evaluation`: what a formula gives on real orders, and every look-up that led there."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.compiling.scope import Scope
from dokima.errors import DokimaError, FormulaError, NotFound, nearest
from dokima.explaining.explanation import Operand, TableAnswer, answer_data
from dokima.explaining.table_answers import TableAnswers
from dokima.explaining.written_formulas import Counted, named_values
from dokima.formulas import Level
from dokima.formulas.reading.compiling import compile_formula
from dokima.model.orders import Orders
from dokima.model.said import SHOWN
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.tables.table import names_behind


@dataclass(frozen=True)
class Evaluation:
    """What a formula gives on one line, on one order, or on each line of an order.

    Attributes:
        order: Order number.
        line: Line number; blank for the whole order.
        formula: The formula; blank where only tables were asked for.
        kind: Kind of its value: decimal, text, flag ...
        level: How often it has a value: constant, header or line.
        value: Its value; None for a blank, and where there is one for each line.
        counted: What counted in it: ``8.4 × 36``.
        read: The names it reads and their values.
        path: Every look-up behind it, in the order in which they are made.
        used: Dotted names that the formula, or a look-up behind it, reads; of what was found these matter.
        values: Line number and value of each line, where no line was named and the value differs by line.
        failed: Why it has no value, where something in it failed.
    """

    order: str
    line: str
    formula: str
    kind: str
    level: str
    value: Any
    counted: str = ""
    read: Sequence[Operand] = ()
    path: Sequence[TableAnswer] = ()
    used: Collection[str] = ()
    values: Sequence[tuple[str, Any]] = field(default_factory=tuple)
    failed: str = ""

    def __repr__(self) -> str:
        what = self.formula or ", ".join(answer.table for answer in self.path)
        return f"<Evaluation {what} of {self.order} {self.line}: {shown(self.value)}; {SHOWN}>"

    def to_dict(self) -> dict[str, Any]:
        """The evaluation as plain data, numbers as text."""
        return {
            "order": self.order,
            "line": self.line,
            "formula": self.formula,
            "kind": self.kind,
            "level": self.level,
            "value": _plain(self.value),
            "counted": self.counted,
            "read": {each.name: _plain(each.value) for each in self.read},
            "path": [answer_data(answer) for answer in self.path],
            "values": [{"line": line, "value": _plain(value)} for line, value in self.values],
            "failed": self.failed,
        }


def _plain(value: Any) -> str | None:
    return None if value is None else shown(value)


def evaluate_formula(program: Program, orders: Orders, source: str, order: str, line: str, run: Run) -> Evaluation:
    """What a formula gives. It may read whatever rules may read, and all figures of the routine.

    Args:
        program: The rulebook.
        orders: The orders.
        source: The formula.
        order: Order number.
        line: Line number; blank for the order, or for each of its lines.
        run: What the caller says about the run.

    Raises:
        DokimaError: The formula cannot be read; says where. It reads figures that this line or order does not have.
        NotFound: There is no such order or line.
    """
    figures = {name: figure for routine in program.routines for name, figure in routine.figures.items()}
    scope = Scope(program.definition, program.tables.get, figures, with_run=True, with_user=True)
    try:
        formula = compile_formula(source, scope)
    except FormulaError as error:
        raise DokimaError(error.pointed()) from None
    place = _Place.of(program, orders, order, line, run)
    if not place.context.knows(formula.reads):
        lost = next(name for name in sorted(formula.reads) if not place.context.knows([name]))
        raise DokimaError(f"{place.said} has no figure {lost}: it is a parent line, or no routine fits its order")
    column = formula.evaluate(place.context, formula.level)
    failures = formula.failures(place.context, formula.level)
    if formula.level is Level.LINE and not line:
        values = [(number, value_at(column, at)) for number, at in place.lines()]
        return Evaluation(order, line, source, formula.kind, "line", None, values=values)
    at = {Level.CONSTANT: 0, Level.HEADER: place.order, Level.LINE: place.line}[formula.level]
    tables = dict.fromkeys(head for name in formula.reads if (head := name.partition(".")[0]) in program.tables)
    # Of what is gathered over all lines there is no one value here.
    here = [name for name, level in formula.reads.items() if name not in formula.gathered and level <= formula.level]
    return Evaluation(
        order,
        line,
        source,
        formula.kind,
        formula.level.name.lower(),
        value_at(column, at),
        Counted(formula, place.context, place.order, place.line, program.label).text(),
        [
            *(Operand(name, program.label(name), place.value(name, formula.reads[name])) for name in here),
            *(
                Operand(each.name, each.label, each.value)
                for each in named_values(formula, scope, place.context, place.order, place.line)
            ),
        ],
        place.answers.path(tables),
        names_behind(formula.reads, program.tables),
        failed=str(value_at(failures, at) or "") if failures is not None else "",
    )


def look_up(program: Program, orders: Orders, table: str, order: str, line: str, run: Run) -> Evaluation:
    """The path of look-ups that leads to a table's row, step by step.

    Raises:
        NotFound: There is no such table, order or line.
    """
    if table not in program.tables:
        raise NotFound(f"there is no table '{table}'{nearest(table, program.tables)}")
    if program.tables[table].level is Level.LINE and not line:
        raise DokimaError(f"table {table} is asked for each line: expected the number of a line")
    place = _Place.of(program, orders, order, line, run)
    level = program.tables[table].level.name.lower()
    of_table = {f"{table}.{column}" for column in program.tables[table].fields}
    used = of_table | names_behind([f"{table}."], program.tables)
    return Evaluation(order, line, "", "", level, None, path=place.answers.path([table]), used=used)


@dataclass(frozen=True)
class _Place:
    """Where a formula is worked out: the context after pricing, so that figures can be read, else before it."""

    program: Program
    context: Context
    order: int
    line: int
    said: str

    @classmethod
    def of(cls, program: Program, orders: Orders, order: str, line: str, run: Run) -> _Place:
        one = orders.select(np.array([orders.position(order)]))
        said = f"order {order}" if not line else f"{order} line {line}"
        if line and line not in one.line_numbers:
            raise NotFound(f"order {order} has no line {line}{nearest(line, one.line_numbers)}")
        pricing = price_orders(program, one, run, traced=True)
        found = pricing.trace_of(0)
        if found is not None and found[0].context is not None:
            numbers = found[0].context.orders.line_numbers
            if not line or line in numbers:
                return cls(program, found[0].context, 0, numbers.index(line) if line else 0, said)
        context = Context(program, prepare(program, one, run), run)
        return cls(program, context, 0, one.line_numbers.index(line) if line else 0, said)

    @property
    def answers(self) -> TableAnswers:
        return TableAnswers(self.program, self.context, self.order, self.line)

    def lines(self) -> list[tuple[str, int]]:
        """The lines and their positions."""
        return [(number, at) for at, number in enumerate(self.context.orders.line_numbers)]

    def value(self, name: str, level: Level) -> Any:
        """The value of a dotted name here."""
        column = self.context.column(name)
        position = self.line if level is Level.LINE else self.order
        return value_at(column, 0 if len(column) == 1 else position)
