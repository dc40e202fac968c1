"""Conditions on orders that are given while working, and not by the rulebook: ``header.state == 'confirmed'``."""

from __future__ import annotations

import ast
import datetime
from dataclasses import dataclass

import numpy as np

from dokima.engine.compiling.scope import Scope
from dokima.engine.program import Program, Run
from dokima.engine.running.context import Context
from dokima.engine.running.preparing import prepare
from dokima.errors import DokimaError, FormulaError, nearest
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Level
from dokima.formulas.compiler import compile_formula
from dokima.formulas.operators import flags
from dokima.model.orders import Orders
from dokima.tables.table import names_behind


@dataclass(frozen=True)
class Condition:
    """A condition on orders.

    Attributes:
        program: The rulebook.
        formula: The condition, worked out once an order.
        reads_lines: Whether it needs the lines.
    """

    program: Program
    formula: Formula
    reads_lines: bool

    @classmethod
    def of(cls, program: Program, source: str) -> Condition:
        """Read a condition. A name without a point is a header field: ``state`` is ``header.state``.

        Raises:
            DokimaError: It cannot be read, or is worked out by line; says where.
        """
        scope = Scope(program.definition, program.tables.get, with_run=True)
        try:
            text = _with_headers(source, frozenset(program.definition.fields.header), program)
            formula = compile_formula(text, scope, ("flag",), Level.HEADER, "this condition")
        except FormulaError as error:
            raise DokimaError(error.pointed()) from None
        behind = names_behind([*formula.reads, *(f"{table}." for table in formula.tables)], program.tables)
        follows = [program.follows[level, name] for level, name in program.follows if f"{level}.{name}" in behind]
        lines = any(node.gathers or node.level is Level.LINE for node in formula.root.walk())
        lines = lines or any(each.counts or each.anywhere for each in follows)
        return cls(program, formula, lines)

    def holds(self, orders: Orders, today: datetime.date | None = None) -> Mask:
        """For each order whether it holds; where it cannot be decided it does not."""
        context = Context(self.program, prepare(self.program, orders, Run(today)), Run(today))
        found = flags(self.formula.evaluate(context, Level.HEADER)).spread(len(orders)).is_true()
        return np.broadcast_to(found, (len(orders),))


def holding(condition: Condition | None, orders: Orders) -> Integers:
    """The positions of the orders for which a condition holds; all of them without one."""
    return np.arange(len(orders)) if condition is None else np.flatnonzero(condition.holds(orders))


def _with_headers(source: str, fields: frozenset[str], program: Program) -> str:
    """The same text with ``header.`` before every lone name of a header field.

    Raises:
        FormulaError: A lone name is none; names the nearest.
    """
    try:
        tree = ast.parse(source.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return source  # whoever reads it as a formula says what is wrong
    text = source.strip()
    inner = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Attribute)}
    calls = [node for node in ast.walk(tree) if isinstance(node, ast.Call)]
    called = {id(node.func) for node in calls}
    # found(customer) means the table, also where a header field has its name.
    called |= {id(each) for node in calls if getattr(node.func, "id", "") == "found" for each in node.args}
    lone = [node for node in ast.walk(tree) if isinstance(node, ast.Name) and id(node) not in inner | called]
    for node in lone:
        if node.id not in fields and node.id not in program.tables:
            said = f"there is no header field '{node.id}'{nearest(node.id, fields)}"
            raise FormulaError(text, node.col_offset, said)
    for node in sorted((node for node in lone if node.id in fields), key=lambda node: node.col_offset, reverse=True):
        if node.lineno == 1:
            encoded = text.encode()  # offsets of Python count bytes
            text = (encoded[: node.col_offset] + b"header." + encoded[node.col_offset :]).decode()
    return text
