"""Formulas as people read them: with words or values in the place of names, or with just what counted."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from typing import Any

from dokima.columns.column import Column, value_at
from dokima.columns.shown import shown
from dokima.exact import parse, text
from dokima.explaining.explanation import NamedFormula
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.expanding import NAMED
from dokima.formulas.money import is_money
from dokima.formulas.names import Names
from dokima.formulas.tree import Node
from dokima.model.said import Said, listing

MOST_BARE = 2
"""Values that a person tells apart without their names; in a longer calculation each gets its word."""


class Traced:
    """A frame in which the columns that a step saw stand in the place of those there are now.

    Args:
        frame: The columns as the routine left them.
        columns: The columns as the step saw them.
    """

    def __init__(self, frame: Frame, columns: Mapping[str, Column]) -> None:
        self._frame = frame
        self._columns = columns

    def column(self, name: str) -> Column:
        """The column of a dotted name, at its own level."""
        found = self._columns.get(name)
        return self._frame.column(name) if found is None else found

    def line_column(self, name: str) -> Column:
        """The column of a dotted name, one value per line."""
        found = self._columns.get(name)
        if found is None or len(found) == len(self._frame.order_of):
            return self._frame.line_column(name) if found is None else found
        return found.take(self._frame.order_of) if len(found) == self._frame.order_count else found

    def __getattr__(self, name: str) -> Any:
        return getattr(self._frame, name)


class Counted:
    """Writes what counted in a formula at one place: the branch that was taken, the first value that was there.

    Args:
        formula: The formula.
        frame: The columns it saw.
        order: Position of the order.
        line: Position of the line, None for a formula of the order.
        label: The word for a dotted name.
    """

    def __init__(
        self, formula: Formula, frame: Frame, order: int, line: int | None, label: Callable[[str], str]
    ) -> None:
        self.formula = formula
        self.frame = frame
        self.order = order
        self.line = line
        self.label = label
        self.labelled = (
            sum(1 for node in self._numbers(formula.root) if node.kind in ("decimal", "integer")) > MOST_BARE
        )

    def text(self) -> Said:
        """The formula as it was worked out, such as ``36 × 27.80``."""
        return self._written(self.formula.root)

    def _numbers(self, node: Node) -> Iterator[Node]:
        """The parts that are written as values, in their order."""
        chosen = None if self.formula.named_as(node) else self._chosen(node)
        if chosen is not None:
            yield from self._numbers(chosen)
        elif self._is_one(node):
            yield node
        else:
            for operand in node.operands:
                yield from self._numbers(operand)

    def _is_one(self, node: Node) -> bool:
        """Whether a part is written as one value: a name, a named formula, what is gathered, a literal."""
        return bool(self.formula.named_as(node) or node.name or node.gathers or not node.operands)

    def _chosen(self, node: Node) -> Node | None:
        """Of a conditional the branch taken, of ``coalesce`` the first value that is there; None for all else."""
        if node.role == "if":
            test = self._value(node.operands[0])
            return None if test is None else node.operands[1 if test else 2]
        if node.role == "coalesce":
            return next((each for each in node.operands if self._value(each) is not None), node.operands[-1])
        return None

    def _value(self, node: Node) -> Any:
        position = self.order if node.level is Level.HEADER or self.line is None else self.line
        column = self.formula.part(node, self.frame)
        return value_at(column, position) if len(column) else None

    def _written(self, node: Node) -> Said:
        chosen = None if self.formula.named_as(node) else self._chosen(node)
        if chosen is not None:
            inner = self._written(chosen)
            return Said("({inner})", inner=inner) if " " in inner and node is not self.formula.root else inner
        if self._is_one(node):
            return self._with_label(node, self._number(node))
        source, last, parts = self.formula.source, node.start, list[str]()
        for operand in sorted(node.operands, key=lambda each: each.start):
            if operand.start >= last:
                # The brackets around a named formula are not needed where its name stands.
                start, stop = self.formula.span_of(operand) or (operand.start, operand.stop)
                parts += [_signs(source[last:start]), self._written(operand)]
                last = stop
        return listing([*parts, _signs(source[last : node.stop])], "")

    def _with_label(self, node: Node, value: Said) -> Said:
        """A value, after its word where there are too many to tell apart; everybody knows the quantity."""
        if not self.labelled or node.name == "line.quantity" or node.kind not in ("decimal", "integer"):
            return value
        if named := self.formula.named_as(node):
            return Said("{name} {value}", name=named.partition(".")[2].replace("_", " "), value=value)
        if node.name:
            return Said("{name} {value}", name=self.label(node.name), value=value)
        inner = next((each for each in node.walk() if each.name), None) if node.gathers else None
        if inner is None:
            return value
        return Said("{role} of {name} {value}", role=node.role, name=self.label(inner.name), value=value)

    def _number(self, node: Node) -> Said:
        value = self._value(node)
        if isinstance(value, Decimal):
            value = Decimal(text(parse(value), self.frame.money_places(self.order) if is_money(node) else 0))
        return Said("{value}", value=repr(value) if isinstance(value, str) else value)


def named_values(formula: Formula, names: Names, frame: Frame, order: int, line: int) -> list[NamedFormula]:
    """The named formulas that a formula names, and what each gives at one place."""
    found: list[NamedFormula] = []
    nodes = {node.formula: node for node in reversed(list(formula.root.walk())) if node.formula}
    for dotted, node in sorted(nodes.items(), key=lambda each: each[1].start):
        if not dotted.startswith(f"{NAMED}."):
            continue
        column = formula.part(node, frame)
        at = line if node.level is Level.LINE else order
        value = value_at(column, 0 if len(column) == 1 else at) if len(column) else None
        label = dotted.partition(".")[2].replace("_", " ")
        found.append(NamedFormula(dotted, label, value, names.text_of(dotted) or ""))
    return found


def _signs(between: str) -> str:
    """What stands between values, with the signs of arithmetic as people write them."""
    return between.replace("*", "×").replace(" - ", " \u2212 ")


def with_values(formula: Formula, values: Mapping[str, Any]) -> str:
    """The formula with the values of its names, and of the formulas it names, in their places."""
    return _replaced(formula, lambda name: _as_source(values.get(name)))


def with_labels(formula: Formula, label: Callable[[str], str]) -> str:
    """The formula with the words for people in the place of its names."""
    return _replaced(formula, label)


def _replaced(formula: Formula, written: Callable[[str], str]) -> str:
    result, names = formula.source, [(start, stop, name) for start, stop, name in formula.named]
    names += [(n.start, n.stop, n.name) for n in formula.root.walk() if n.name and not formula.named_as(n)]
    last = len(result) + 1
    for start, stop, name in sorted(names, reverse=True):
        if stop <= last:
            result = result[:start] + written(name) + result[stop:]
            last = start
    return result


def _as_source(value: Any) -> str:
    """A value as a formula would write it: text in quotes, amounts with their places."""
    if isinstance(value, str):
        return repr(value)
    return format(value, "f") if isinstance(value, Decimal) else shown(value)
