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
from dokima.exact.integers import Mask
from dokima.formulas import Formula, Level
from dokima.formulas.compiler import compile_formula
from dokima.formulas.operators import flags
from dokima.model.orders import Orders


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
            FormulaError: It cannot be read, or is worked out by line.
        """
        scope = Scope(program.definition, program.tables.get, with_run=True)
        text = _with_headers(source, frozenset(program.definition.fields.header))
        formula = compile_formula(text, scope, ("flag",), Level.HEADER, "this condition")
        lines = any(node.level is Level.LINE for node in formula.root.walk()) or "count(" in text
        return cls(program, formula, lines)

    def holds(self, orders: Orders, today: datetime.date | None = None) -> Mask:
        """For each order whether it holds; where it cannot be decided it does not."""
        context = Context(self.program, prepare(self.program, orders, Run(today)), Run(today))
        found = flags(self.formula.evaluate(context, Level.HEADER)).spread(len(orders)).is_true()
        return np.broadcast_to(found, (len(orders),))


def _with_headers(source: str, fields: frozenset[str]) -> str:
    """The same text with ``header.`` before every lone name of a header field."""
    try:
        tree = ast.parse(source.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return source  # whoever reads it as a formula says what is wrong
    text = source.strip()
    inner = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Attribute)}
    names = [
        node for node in ast.walk(tree) if isinstance(node, ast.Name) and node.id in fields and id(node) not in inner
    ]
    for node in sorted(names, key=lambda node: node.col_offset, reverse=True):
        if node.lineno == 1:
            encoded = text.encode()  # offsets of Python count bytes
            text = (encoded[: node.col_offset] + b"header." + encoded[node.col_offset :]).decode()
    return text
