"""Conditions on orders that are given while working, and not by the rulebook: ``header.state == 'confirmed'``."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.compiling.scope import Scope
from dokima.errors import DokimaError, FormulaError, nearest
from dokima.exact import Decimals, decimals
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, FormulaKind, Level, Name, UnknownName
from dokima.formulas.names import UnknownLoneName
from dokima.formulas.operators import flags
from dokima.formulas.reading.compiling import compile_formula
from dokima.model.arguments import a_text
from dokima.model.orders import Orders
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.steps.totals import TOTALS
from dokima.tables.table import names_behind


@dataclass(frozen=True)
class Condition:
    """A condition on orders.

    Attributes:
        program: The rulebook.
        formula: The condition, worked out once an order.
        reads_lines: Whether it needs the lines.
        figures: The totals and figures of orders that it reads.
    """

    program: Program
    formula: Formula
    reads_lines: bool
    figures: frozenset[str] = frozenset()

    @classmethod
    def of(cls, program: Program, source: str) -> Condition:
        """Read a condition. A name without a point is a header field, total or figure of the order: ``state`` is
        ``header.state``.

        Raises:
            DokimaError: It cannot be read, or is worked out by line; says where.
        """
        a_text(source, "where")
        kinds = order_figures(program)
        figures = {f"header.{name}": Name(kind, Level.HEADER) for name, kind in kinds.items()}
        scope = Scope(program.definition, program.tables.get, figures, with_run=True)
        try:
            names = _OrderNames(scope, program.tables)
            formula = compile_formula(source, names, ("flag",), Level.HEADER, "this condition")
        except FormulaError as error:
            raise DokimaError(error.pointed()) from None
        behind = names_behind([*formula.reads, *(f"{table}." for table in formula.tables)], program.tables)
        follows = [program.follows[level, name] for level, name in program.follows if f"{level}.{name}" in behind]
        lines = any(node.gathers or node.level is Level.LINE for node in formula.root.walk())
        lines = lines or any(each.counts or each.anywhere for each in follows)
        return cls(program, formula, lines, frozenset(name[7:] for name in behind if name in figures))

    def holds(self, orders: Orders, figures: Mapping[str, Column] | None = None) -> Mask:
        """For each order whether it holds; where it cannot be decided it does not.

        Args:
            orders: The orders.
            figures: Totals and figures of the orders, where they are kept; else they are worked out if it reads any.
        """
        context = Context(self.program, prepare(self.program, orders, Run()), Run())
        if self.figures and figures is None:
            priced = price_orders(self.program, orders, Run()).calculation
            figures = priced.header_values
        for name in self.figures:
            context.put(f"header.{name}", (figures or {}).get(name, Decimals.blanks(len(orders))))
        found = flags(self.formula.evaluate(context, Level.HEADER)).spread(len(orders)).is_true()
        return np.broadcast_to(found, (len(orders),))


def holding(
    condition: Condition | None, orders: Orders, figures: Sequence[Mapping[str, Any]] | None = None
) -> Integers:
    """The positions of the orders for which a condition holds; all of them without one.

    Args:
        condition: The condition.
        orders: The orders.
        figures: Totals and figures that are kept of each order; None if they are worked out.
    """
    if condition is None:
        return np.arange(len(orders))
    columns: dict[str, Column] | None = None
    if figures is not None:
        kinds = order_figures(condition.program)
        columns = {name: _column(kinds[name], [each.get(name) for each in figures]) for name in condition.figures}
    return np.flatnonzero(condition.holds(orders, columns))


def order_figures(program: Program) -> dict[str, FormulaKind]:
    """The totals and figures of orders, sums of amounts of lines among them, and what they hold."""
    amounts = (name for routine in program.routines for name in routine.amounts if name != "amount")
    return {**dict.fromkeys(amounts, "decimal"), **dict.fromkeys(TOTALS, "decimal"), **program.header_figures}


def _column(kind: FormulaKind, values: Sequence[Any]) -> Column:
    if kind in ("decimal", "integer", "blank"):
        return decimals(values)
    return column_of(kind, values)  # type: ignore[arg-type]


class _OrderNames:
    """The names of a rulebook; one without a point is a header field, total or figure of the order.

    Args:
        scope: The names of the rulebook.
        tables: Its tables: ``found(customer)`` means the table, also where a header field has its name.
    """

    def __init__(self, scope: Scope, tables: Collection[str]) -> None:
        self._scope = scope
        self._tables = tables
        self._lone = {name.partition(".")[2] for name in scope.known() if name.startswith("header.")}

    def describe(self, name: str) -> Name:
        """Kind and level of a name, with or without a point."""
        if "." in name:
            return self._scope.describe(name)
        if name in self._lone:
            return replace(self._scope.describe(f"header.{name}"), dotted=f"header.{name}")
        if name in self._tables:
            raise UnknownName(name)
        raise UnknownLoneName(f"there is no header field or figure '{name}'{nearest(name, self._lone)}")

    def __getattr__(self, name: str) -> Any:
        return getattr(self._scope, name)
