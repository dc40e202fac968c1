"""Why a formula came out blank for orders or lines: the first cause, in words."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dokima.columns.column import Column, values_of
from dokima.exact.integers import Integers, Mask
from dokima.formulas.formula import Formula
from dokima.formulas.names import Frame, Level
from dokima.formulas.operators import numbers
from dokima.formulas.tree import Node
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


def blank_as_given(name: str) -> Said:
    """What is said of a field with a default whose blank was given: an empty cell of a file, null, None."""
    return Said("{name} is given as blank, which keeps its default out", name=name)


@dataclass
class BlankSearch:
    """Looks for the causes in one formula, for many places at once; keeps the columns it has worked out.

    Attributes:
        formula: A formula that is blank somewhere.
        frame: The columns it was evaluated on.
    """

    formula: Formula
    frame: Frame
    _columns: dict[Node, Column] = field(default_factory=dict)

    def at(self, order: int, line: int | None) -> Cause:
        """The cause at one order (``line`` None) or line, by their positions."""
        (cause,) = self.causes(np.array([order]), None if line is None else np.array([line]))
        return cause

    def is_blank(self, order: int, line: int | None) -> bool:
        """Whether the formula is blank there."""
        return bool(self.blank(np.array([order]), None if line is None else np.array([line]))[0])

    def causes(self, orders: Integers, lines: Integers | None) -> list[Cause]:
        """The cause at each of some orders (``lines`` None) or lines, by their positions; places alike share one.

        Args:
            orders: The position of the order of each place.
            lines: The position of its line.
        """
        whole = Cause(Said("'{name}' is blank", name=self.formula.source))
        return [cause or whole for cause in self._causes(self.formula.root, orders, lines).tolist()]

    def blank(self, orders: Integers, lines: Integers | None) -> Mask:
        """At which of some orders or lines the formula is blank."""
        return self._blank(self.formula.root, orders, lines)

    def _causes(self, node: Node, orders: Integers, lines: Integers | None) -> Any:
        """For each place the cause why a node is blank there, None where it is not: an array of objects."""
        found = np.full(len(orders), None, object)
        blank = self._blank(node, orders, lines)
        if node.name:
            found[blank] = Cause(Said("{name} is blank", name=node.name), node.name)
            given = self.frame.was_given(node.name)
            if given is not None:
                keeps_out = given[_positions(node, orders, lines)]
                found[blank & keeps_out] = Cause(blank_as_given(node.name), node.name)
            return found
        still = np.flatnonzero(blank)
        for operand in node.operands:
            if not len(still):
                return found
            there, theirs = orders[still], None if lines is None else lines[still]
            if node.gathers and node.rows:
                search = BlankSearch(self.formula, self.frame.records(node.rows))
                causes = search._on_some_row(operand, there, node.rows)
            elif theirs is None and operand.level is Level.LINE:
                causes = self._on_some_line(operand, there)
            else:
                causes = self._causes(operand, there, theirs)
            found[still] = causes
            still = still[~causes.astype(bool)]
        text = self.formula.source[node.start : node.stop]
        found[still] = Cause(Said("'{name}' is blank", name=text))
        if len(node.operands) == 2 and len(still):
            zero = self._is_zero(node.operands[1], orders[still], None if lines is None else lines[still])
            found[still[zero]] = Cause(Said("division by zero in '{text}'", text=text))
        return found

    def _on_some_line(self, operand: Node, orders: Integers) -> Any:
        """For each order the cause on its first line on which a part of an aggregate is blank."""
        found, first = self._first_of_members(operand, orders)
        if not len(self.frame.order_of):
            return found
        numbered = values_of(self.frame.line_column("line.number").take(first))
        for at, (cause, position, number) in enumerate(zip(found.tolist(), first.tolist(), numbered, strict=True)):
            if cause is not None:
                text = Said("{why} on line {line}", why=cause.text, line=number)
                found[at] = Cause(text, cause.name, position, str(number))
        return found

    def _on_some_row(self, operand: Node, orders: Integers, rows: str) -> Any:
        """For each order the cause in its first delivery or payment in which a part of an aggregate is blank."""
        found = self._first_of_members(operand, orders)[0]
        for at, cause in enumerate(found.tolist()):
            if cause is not None:
                found[at] = Cause(Said("{why} in one of its {rows}", why=cause.text, rows=rows), cause.name)
        return found

    def _first_of_members(self, operand: Node, orders: Integers) -> tuple[Any, Integers]:
        """For each order the first cause among its lines, and the position of that line; 0 where there is none."""
        members = [np.asarray(self.frame.by_order.members(order), np.int64) for order in orders.tolist()]
        of = np.repeat(np.arange(len(orders)), [len(each) for each in members])
        places = np.concatenate([*members, np.zeros(0, np.int64)])
        causes = self._causes(operand, orders[of], places)
        there = np.flatnonzero(causes.astype(bool))[::-1]
        found, first = np.full(len(orders), None, object), np.zeros(len(orders), np.int64)
        # Of several that are written to one place the last stays: the first of its order, as they come backwards.
        found[of[there]] = causes[there]
        first[of[there]] = places[there]
        return found, first

    def _taken(self, node: Node, orders: Integers, lines: Integers | None) -> Column | None:
        """The values of a node at some places; None if it has none at all."""
        if node not in self._columns:
            self._columns[node] = self.formula.part(node, self.frame)
        column = self._columns[node]
        if len(column) == 0:
            return None
        if len(column) == 1:
            return column.take(np.zeros(len(orders), np.int64))
        return column.take(_positions(node, orders, lines))

    def _blank(self, node: Node, orders: Integers, lines: Integers | None) -> Mask:
        taken = self._taken(node, orders, lines)
        return np.ones(len(orders), bool) if taken is None else taken.is_missing()

    def _is_zero(self, node: Node, orders: Integers, lines: Integers | None) -> Mask:
        taken = self._taken(node, orders, lines) if node.kind in ("decimal", "integer") else None
        if taken is None:
            return np.zeros(len(orders), bool)
        is_zero: Mask = numbers(taken).round(0, "up").units == 0
        return is_zero & ~taken.is_missing()


def _positions(node: Node, orders: Integers, lines: Integers | None) -> Integers:
    """Where the values of a node stand: once an order, or once a line."""
    return orders if node.level is Level.HEADER or lines is None else lines
