"""`Reader`: reads one formula; knows where in the text a part stands, and how operands are checked."""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, NoReturn

from dokima.errors import FormulaError
from dokima.formulas.expanding import Span
from dokima.formulas.functions import Function
from dokima.formulas.names import NUMBERS, FormulaKind, Level, Names
from dokima.formulas.tree import Node
from dokima.limits import FORMULA_DEPTH, FORMULA_PARTS

Read = Callable[["Reader", Any, int], Node]
"""Checks a node of Python's tree, at a depth, and all below it."""


class Reader:
    """Reads one formula.

    Args:
        source: Its text.
        names: What it may refer to.
        read: What reads each kind of node of Python's tree.
        named: Where the texts of named formulas stand in it.

    Attributes:
        own: The rulebook's own functions that it calls, by name.
    """

    def __init__(
        self, source: str, names: Names, read: Mapping[type[ast.expr], Read], named: Sequence[Span] = ()
    ) -> None:
        self.source = source
        self.names = names
        self.own: dict[str, Function] = {}
        self._read = read
        self._named = named
        self._parts = 0
        stripped = source.lstrip()
        self.lead = len(source) - len(stripped)
        self._bytes = stripped.encode()

    def node(self, node: ast.expr, depth: int) -> Node:
        """Check a node and all below it."""
        self._parts += 1
        if depth > FORMULA_DEPTH:
            self.fail(node, f"a formula may be nested at most {FORMULA_DEPTH} deep")
        if self._parts > FORMULA_PARTS:
            self.fail(node, f"a formula may have at most {FORMULA_PARTS} parts")
        read = self._read.get(type(node))
        if read is None:
            said = construct(node)
            self.fail(node, f"a formula has no {said}; it has names, numbers, texts, operators and functions")
        return read(self, node, depth)

    # -- places -----------------------------------------------------------------------------------------------

    def at(self, offset: int) -> int:
        """The character at an offset that `ast` counted in UTF-8 bytes."""
        return self.lead + len(self._bytes[:offset].decode(errors="ignore"))

    def span(self, node: ast.expr) -> tuple[int, int]:
        """Where a node begins, and the character after its end."""
        return self.at(node.col_offset), self.at(node.end_col_offset or node.col_offset)

    def fail(self, position: int | ast.expr, reason: str) -> NoReturn:
        """Refuse the formula.

        Raises:
            FormulaError: Always; at the position.
        """
        if isinstance(position, ast.expr):
            position = self.span(position)[0]
        raise FormulaError(self.source, position, reason)

    def quote(self, node: ast.expr) -> str:
        """The text of a node."""
        start, stop = self.span(node)
        return self.source[start:stop]

    # -- operands ---------------------------------------------------------------------------------------------

    def made(
        self,
        node: ast.expr,
        role: str,
        kind: FormulaKind,
        operands: Sequence[Node] = (),
        level: Level | None = None,
        **more: Any,
    ) -> Node:
        """A checked node; its level is the lowest of its operands unless it is said."""
        if level is None:
            level = max((operand.level for operand in operands), default=Level.CONSTANT)
        start, stop = self.span(node)
        return Node(kind, level, start, stop, role, tuple(operands), formula=self._named_whole(start, stop), **more)

    def _named_whole(self, start: int, stop: int) -> str:
        """The named formula whose whole text stands between two characters, blank for none."""
        for first, last, name in self._named:
            around = self.source[first:start] + self.source[stop:last] if first < start and stop < last else name
            if not around.strip("()+ "):
                return name
        return ""

    def operands(self, nodes: Sequence[ast.expr], depth: int) -> list[Node]:
        """Check the operands of a node at a depth."""
        return [self.node(each, depth + 1) for each in nodes]

    def needs(self, node: ast.expr, operand: Node, kinds: Collection[FormulaKind], who: str, hint: str = "") -> None:
        """Refuse an operand that is of none of some kinds."""
        if operand.kind not in kinds and operand.kind != "blank":
            wanted, came = in_words(sorted(kinds)), shown_kind(operand, self.names)
            self.fail(node, f"{who} needs {wanted} (got '{self.quote(node)}', which is {came}){hint}")

    def common(self, node: ast.expr, nodes: Sequence[ast.expr], operands: Sequence[Node], who: str) -> FormulaKind:
        """The one kind that all operands have; whole numbers and blanks fit in with numbers."""
        kinds = {operand.kind for operand in operands} - {"blank"}
        if kinds <= NUMBERS:
            return "blank" if not kinds else "integer" if kinds == {"integer"} else "decimal"
        if len(kinds) > 1:
            told = ", ".join(
                f"'{self.quote(each)}' is {shown_kind(o, self.names)}" for each, o in zip(nodes, operands, strict=True)
            )
            self.fail(node, f"{who} must be of one kind ({told})")
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


def construct(node: ast.AST) -> str:
    """What a construct of Python is called that formulas do not have."""
    words = {
        ast.Pow: "power", ast.Subscript: "indexing", ast.Lambda: "lambda", ast.ListComp: "comprehension",
        ast.GeneratorExp: "comprehension", ast.SetComp: "comprehension", ast.DictComp: "comprehension",
        ast.Dict: "dictionary", ast.Set: "set", ast.JoinedStr: "f-string", ast.NamedExpr: "assignment",
        ast.Starred: "star", ast.Await: "await", ast.Yield: "yield", ast.Slice: "slice", ast.BitOr: "'|'",
        ast.BitAnd: "'&'", ast.BitXor: "'^'", ast.LShift: "'<<'", ast.RShift: "'>>'", ast.MatMult: "'@'",
    }  # fmt: skip
    return words.get(type(node), type(node).__name__)
