"""Conditions of a rulebook: everything in its formulas that can be so or not, and where orders have met it.

A condition is what stands outside ``and``, ``or`` and ``not``: where a formula is one itself, before ``if ... else``,
in ``where=`` and as what is counted or asked of lines. The text of a named formula is counted once, where it stands.

It counts where it decided: beside it in an ``and`` nothing else was false, in an ``or`` nothing else was true, and the
branch of an ``if`` in which it stands was the one that was taken.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TypeVar

import numpy as np

from dokima.columns.flags import Flags
from dokima.compiling.places import FormulaPlace, formula_places
from dokima.exact import Decimals, stored
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import flags, numbers
from dokima.formulas.signs import COMPARISONS
from dokima.formulas.tree import LITERAL, Node
from dokima.pricing.program import Program

AnyColumn = TypeVar("AnyColumn", Flags, Decimals)
NUMBERS = ("decimal", "integer")
"""Kinds of formulas that are numbers."""
AT, BEYOND = "at", "beyond"
"""What may be met of a threshold: both numbers equal, and at most one apart on the other side."""
ORDERING = ("<", "<=", ">", ">=")


@dataclass(frozen=True)
class Condition:
    """A condition.

    Attributes:
        text: As it is written.
        node: The part of the formula.
        is_gathered: Whether it stands in an aggregate, which asks it of every line of an order.
        rows: What that aggregate runs over, ``delivery`` or ``payment``; blank for lines.
        beside: What must not be so for it to decide: parts of the formula, and what they must not have been, ``true``,
            ``false`` or ``blank``.
    """

    text: str
    node: Node
    is_gathered: bool = False
    rows: str = ""
    beside: tuple[tuple[Node, str], ...] = ()


@lru_cache(maxsize=2048)
def conditions_of(formula: Formula) -> Sequence[Condition]:
    """The conditions of a formula, in the sequence in which they are written."""
    found = {(each.node.start, each.node.stop): each for each in _found(formula, formula.root, None)}
    return tuple(found[place] for place in sorted(found))


def _found(
    formula: Formula, node: Node, around: Node | None, beside: tuple[tuple[Node, str], ...] = ()
) -> Iterator[Condition]:
    """The conditions of a part, given the aggregate around it, and what must be so for it to decide."""
    gathered = (around is not None, "" if around is None else around.rows, beside)
    if node.formula:  # said where the named formula is
        if node.kind == "flag":
            yield Condition(node.formula, node, *gathered)
        return
    if node.kind == "flag" and node.role not in ("and", "or", "not", "if", LITERAL):
        yield Condition(formula.source[node.start : node.stop], node, *gathered)
    for operand in node.operands:
        if node.gathers:  # within it is asked of each line by itself
            yield from _found(formula, operand, node)
        else:
            yield from _found(formula, operand, around, (*beside, *_beside(node, operand)))


def _beside(node: Node, operand: Node) -> Iterator[tuple[Node, str]]:
    """What must not be so beside an operand of a part for it to decide what the part is."""
    if node.role in ("and", "or"):
        settles = "false" if node.role == "and" else "true"
        yield from ((other, settles) for other in node.operands if other is not operand)
    elif node.role == "if" and operand is not node.operands[0]:
        yield from ((node.operands[0], what) for what in ("blank", "false" if operand is node.operands[1] else "true"))


def countable(program: Program) -> Iterator[tuple[FormulaPlace, Sequence[Condition]]]:
    """Every place of a rulebook that has conditions, with them."""
    for place in formula_places(program):
        if is_countable(place):
            yield place, conditions_of(place.formula)


def is_countable(place: FormulaPlace) -> bool:
    """Whether a place has conditions that count: of a rulebook's own, and not within a message."""
    return bool(place.way and conditions_of(place.formula))


def met(formula: Formula, frame: Frame, orders: Mask, lines: Mask | None = None) -> Iterator[tuple[int, str, Integers]]:
    """Where each condition of a formula decided, being true or being false; a blank is neither.

    Args:
        formula: The formula.
        frame: The columns it was worked out on.
        orders: The orders for which it was worked out.
        lines: The lines for which it was; None for all of those orders.

    Yields:
        The place of the condition, ``true`` or ``false``, and for each time the position of the order.
    """
    for place, each in enumerate(conditions_of(formula)):
        rows = _Rows.of(each, frame, by_line=any(other.level is Level.LINE for other, _ in each.beside))
        counted = rows.asked(orders, lines)
        for other, what in each.beside:
            counted = counted & ~_is(formula, other, rows, what)
        for what in ("true", "false"):
            yield place, what, rows.order_of[counted & _is(formula, each.node, rows, what)]


def sides(
    formula: Formula, frame: Frame, orders: Mask, lines: Mask | None = None
) -> Iterator[tuple[int, Decimals, Decimals, Integers]]:
    """The numbers that the conditions of a formula compare.

    Args:
        formula: The formula.
        frame: The columns it was worked out on.
        orders: The orders for which it was worked out.
        lines: The lines for which it was; None for all of those orders.

    Yields:
        The place of a comparison, its left and its right numbers for each line or order, and its order's position.
    """
    for place, each in enumerate(conditions_of(formula)):
        if not compares_numbers(each.node):
            continue
        rows = _Rows.of(each, frame)
        counted = rows.asked(orders, lines)
        at = np.flatnonzero(counted)
        left, right = (
            rows.spread(stored(numbers(formula.part(side, rows.frame))), side).take(at) for side in each.node.operands
        )
        yield place, left, right, rows.order_of[counted]


def thresholds_of(node: Node) -> tuple[str, ...]:
    """What may be met of the threshold of a condition: of one that compares numbers, and of one by their order."""
    return () if not compares_numbers(node) else (AT, BEYOND) if node.role in ORDERING else (AT,)


def compares_numbers(node: Node) -> bool:
    """Whether a condition compares two numbers."""
    return node.role in COMPARISONS and not node.formula and all(side.kind in NUMBERS for side in node.operands)


@dataclass(frozen=True)
class _Rows:
    """What a condition is asked of: the lines of a frame, or its orders.

    Attributes:
        frame: The frame; that of deliveries or payments for a condition on those.
        by_line: Whether it is asked of each line.
        is_gathered: Whether an aggregate asks it of every line of an order.
    """

    frame: Frame
    by_line: bool
    is_gathered: bool

    @classmethod
    def of(cls, condition: Condition, frame: Frame, *, by_line: bool = False) -> _Rows:
        """Those of a condition; its lines too if anything beside it is about lines."""
        frame = frame.records(condition.rows) if condition.rows else frame
        return cls(frame, by_line or condition.node.level is Level.LINE, condition.is_gathered)

    @property
    def order_of(self) -> Integers:
        """For each the position of its order."""
        return self.frame.order_of if self.by_line else np.arange(self.frame.order_count)

    def asked(self, orders: Mask, lines: Mask | None) -> Mask:
        """Which are asked, given which orders are and which lines; None for all lines of those orders."""
        return orders[self.order_of] if not self.by_line or lines is None or self.is_gathered else lines

    def spread(self, column: AnyColumn, node: Node) -> AnyColumn:
        """The column of a part of the formula as one for each of them."""
        if self.by_line and node.level is Level.LINE:
            return column.spread(len(self.order_of))
        column = column.spread(self.frame.order_count)
        return column.take(self.order_of) if self.by_line else column


def _is(formula: Formula, node: Node, rows: _Rows, what: str) -> Mask:
    """Where a part of a formula is true, false or blank."""
    column = rows.spread(flags(formula.part(node, rows.frame)), node)
    return {"true": column.is_true, "false": column.is_false, "blank": column.is_missing}[what]()
