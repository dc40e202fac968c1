"""The part of the compiler that knows where in the text a node stands, and how operands are checked."""

from __future__ import annotations

import ast
from abc import ABC, abstractmethod
from collections.abc import Callable, Collection, Sequence
from typing import NoReturn

import numpy as np

from dokima.columns.column import Column
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.errors import FormulaError
from dokima.exact import Decimals, Number
from dokima.formulas import operators
from dokima.formulas.names import NUMBERS, FormulaKind, Frame, Level, Names
from dokima.formulas.nodes import Evaluate, Node, at_level


class Reader(ABC):
    """Reads one formula.

    Args:
        source: Its text.
        names: What it may refer to.
    """

    def __init__(self, source: str, names: Names) -> None:
        self.source = source
        self.names = names
        self.parts = 0
        stripped = source.lstrip()
        self._lead = len(source) - len(stripped)
        self._bytes = stripped.encode()

    @abstractmethod
    def _node(self, node: ast.expr, depth: int) -> Node:
        """Check a node and all below it."""

    # -- places -----------------------------------------------------------------------------------------------

    def _at(self, offset: int) -> int:
        """The character at an offset that `ast` counted in UTF-8 bytes."""
        return self._lead + len(self._bytes[:offset].decode(errors="ignore"))

    def _span(self, node: ast.expr) -> tuple[int, int]:
        return self._at(node.col_offset), self._at(node.end_col_offset or node.col_offset)

    def _fail(self, position: int | ast.expr, reason: str) -> NoReturn:
        if isinstance(position, ast.expr):
            position = self._span(position)[0]
        raise FormulaError(self.source, position, reason)

    def _quote(self, node: ast.expr) -> str:
        start, stop = self._span(node)
        return self.source[start:stop]

    # -- operands ---------------------------------------------------------------------------------------------

    def _made(
        self,
        node: ast.expr,
        kind: FormulaKind,
        operands: Sequence[Node],
        evaluate: Evaluate,
        level: Level | None = None,
    ) -> Node:
        if level is None:
            level = max((operand.level for operand in operands), default=Level.CONSTANT)
        return Node(kind, level, evaluate, *self._span(node), tuple(operands))

    def _constant(self, node: ast.expr, kind: FormulaKind, column: Column) -> Node:
        return self._made(node, kind, (), lambda _: column)

    def _operands(self, nodes: Sequence[ast.expr], depth: int) -> tuple[list[Node], list[Evaluate]]:
        operands = [self._node(each, depth + 1) for each in nodes]
        level = max((operand.level for operand in operands), default=Level.CONSTANT)
        return operands, [at_level(operand, level) for operand in operands]

    def _needs(self, node: ast.expr, operand: Node, kinds: Collection[FormulaKind], who: str, hint: str = "") -> None:
        if operand.kind not in kinds and operand.kind != "blank":
            wanted, came = in_words(sorted(kinds)), shown_kind(operand, self.names)
            self._fail(node, f"{who} needs {wanted} (got '{self._quote(node)}', which is {came}){hint}")

    def _common(self, node: ast.expr, nodes: Sequence[ast.expr], operands: Sequence[Node], who: str) -> FormulaKind:
        """The one kind that all operands have; whole numbers and blanks fit in with numbers."""
        kinds = {operand.kind for operand in operands} - {"blank"}
        if kinds <= NUMBERS:
            return "blank" if not kinds else "integer" if kinds == {"integer"} else "decimal"
        if len(kinds) > 1:
            told = ", ".join(
                f"'{self._quote(each)}' is {shown_kind(o, self.names)}" for each, o in zip(nodes, operands, strict=True)
            )
            self._fail(node, f"{who} must be of one kind ({told})")
        return kinds.pop()


def in_words(kinds: Sequence[FormulaKind]) -> str:
    """Kinds as a message names them."""
    words = {"integer": "a whole number", "decimal": "a number", "text": "text", "date": "a date", "flag": "a flag"}
    if {"integer", "decimal"} <= set(kinds):
        kinds = [kind for kind in kinds if kind != "integer"]
    return " or ".join(dict.fromkeys(words.get(kind, "a blank") for kind in kinds))


def shown_kind(node: Node, names: Names) -> str:
    """What a part of a formula gives, as a message names it; of a column of texts also the cell that made it one."""
    said = names.evidence(node.name) if node.kind == "text" and node.name else ""
    return in_words([node.kind]) + (said and f": {said}")


def as_number(column: Column) -> Number:
    """The column as numbers; the blank literal becomes a blank number."""
    return Decimals.blanks(len(column)) if isinstance(column, Texts) else operators.numbers(column)


def as_flag(column: Column) -> Flags:
    """The column as flags; the blank literal becomes a blank flag."""
    return (
        Flags(np.zeros(len(column), bool), np.ones(len(column), bool))
        if isinstance(column, Texts)
        else operators.flags(column)
    )


def as_numbers(node: Node, evaluate: Evaluate) -> Callable[[Frame], Number]:
    """How to evaluate a part of a formula as numbers, although it may be the blank literal."""
    if node.kind == "blank":
        return lambda frame: as_number(evaluate(frame))
    return evaluate  # type: ignore[return-value]  # its kind has been checked


def as_flags(node: Node, evaluate: Evaluate) -> Callable[[Frame], Flags]:
    """The same as flags."""
    if node.kind == "blank":
        return lambda frame: as_flag(evaluate(frame))
    return evaluate  # type: ignore[return-value]


def folded(join: Callable[[Flags, Flags], Flags], evaluates: Sequence[Callable[[Frame], Flags]]) -> Evaluate:
    """How to evaluate several flags joined by and, or by or."""
    first, *others = evaluates

    def evaluate(frame: Frame) -> Column:
        result = first(frame)
        for other in others:
            result = join(result, other(frame))
        return result

    return evaluate
