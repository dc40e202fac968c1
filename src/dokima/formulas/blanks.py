"""Why a formula came out blank for one order or line: the first cause, in words."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from dokima.formulas.names import Frame, Level
from dokima.formulas.nodes import Formula, Node
from dokima.formulas.operators import numbers
from dokima.model.columns import Column
from dokima.model.said import Said


@dataclass(frozen=True)
class Cause:
    """The first thing that made a formula blank.

    Attributes:
        text: In words, such as ``header.country is blank``.
        name: The name that is blank, blank itself if it was something else (a division by zero).
        line: The position of the line on which an aggregate met it; None if it is blank where it was looked for.
        number: The number of that line.
    """

    text: str
    name: str = ""
    line: int | None = None
    number: str = ""


@dataclass
class BlankSearch:
    """Looks for the cause in one formula; keeps the columns it has worked out for the next place.

    Attributes:
        formula: A formula that is blank somewhere.
        frame: The columns it was evaluated on.
    """

    formula: Formula
    frame: Frame
    _columns: dict[Node, Column] = field(default_factory=dict)

    def at(self, order: int, line: int | None) -> Cause:
        """The cause at one order (``line`` None) or line, by their positions."""
        return self._cause(self.formula.root, order, line) or Cause(Said("'{name}' is blank", name=self.formula.source))

    def is_blank(self, order: int, line: int | None) -> bool:
        """Whether the formula is blank there."""
        return self._blank(self.formula.root, order, line)

    def _cause(self, node: Node, order: int, line: int | None) -> Cause | None:
        if not self._blank(node, order, line):
            return None
        if node.name:
            return Cause(Said("{name} is blank", name=node.name), node.name)
        for operand in node.operands:
            if node.gathers and node.rows:
                found = BlankSearch(self.formula, self.frame.records(node.rows))._on_some_row(operand, order, node.rows)
            elif line is None and operand.level is Level.LINE:
                found = self._on_some_line(operand, order)
            else:
                found = self._cause(operand, order, line)
            if found:
                return found
        text = self.formula.source[node.start : node.stop]
        if len(node.operands) == 2 and self._is_zero(node.operands[1], order, line):
            return Cause(Said("division by zero in '{text}'", text=text))
        return Cause(Said("'{name}' is blank", name=text))

    def _on_some_line(self, operand: Node, order: int) -> Cause | None:
        """The first line of the order on which a part of an aggregate is blank."""
        for position in self.frame.by_order.members(order):
            if found := self._cause(operand, order, position):
                number = self.frame.line_column("line.number").take(np.array([position]))
                line = number.to_list()[0]  # type: ignore[union-attr]
                return Cause(Said("{why} on line {line}", why=found.text, line=line), found.name, position, str(line))
        return None

    def _on_some_row(self, operand: Node, order: int, rows: str) -> Cause | None:
        """The first delivery or payment of the order on which a part of an aggregate is blank."""
        for position in self.frame.by_order.members(order):
            if found := self._cause(operand, order, position):
                return Cause(Said("{why} in one of its {rows}", why=found.text, rows=rows), found.name)
        return None

    def _one(self, node: Node, order: int, line: int | None) -> Column | None:
        if node not in self._columns:
            self._columns[node] = node.evaluate(self.frame)
        column = self._columns[node]
        if len(column) == 0:
            return None
        position = order if node.level is Level.HEADER or line is None else line
        return column.take(np.array([0 if len(column) == 1 else position]))

    def _blank(self, node: Node, order: int, line: int | None) -> bool:
        one = self._one(node, order, line)
        return one is None or bool(one.is_missing()[0])

    def _is_zero(self, node: Node, order: int, line: int | None) -> bool:
        one = self._one(node, order, line) if node.kind in ("decimal", "integer") else None
        if one is None or bool(one.is_missing()[0]):
            return False
        return int(numbers(one).round(0, "up").units[0]) == 0
