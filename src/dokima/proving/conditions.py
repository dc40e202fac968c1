"""Conditions of a rulebook: everything in its formulas that can be so or not, and where orders have met it.

A condition is what stands outside ``and``, ``or`` and ``not``: where a formula is one itself, before ``if ... else``,
in ``where=`` and as what is counted or asked of lines. The text of a named formula is counted once, where it stands.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from dokima.compiling.places import FormulaPlace, formula_places
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import flags
from dokima.formulas.tree import LITERAL, Node
from dokima.pricing.program import Program


@dataclass(frozen=True)
class Condition:
    """A condition.

    Attributes:
        text: As it is written.
        node: The part of the formula.
        is_gathered: Whether it stands in an aggregate, which asks it of every line of an order.
        rows: What that aggregate runs over, ``delivery`` or ``payment``; blank for lines.
    """

    text: str
    node: Node
    is_gathered: bool = False
    rows: str = ""


@lru_cache(maxsize=2048)
def conditions_of(formula: Formula) -> Sequence[Condition]:
    """The conditions of a formula, in the sequence in which they are written."""
    found = {(each.node.start, each.node.stop): each for each in _found(formula, formula.root, None)}
    return tuple(found[place] for place in sorted(found))


def _found(formula: Formula, node: Node, around: Node | None) -> Iterator[Condition]:
    """The conditions of a part, given the aggregate around it."""
    gathered = (around is not None, "" if around is None else around.rows)
    if node.formula:  # said where the named formula is
        if node.kind == "flag":
            yield Condition(node.formula, node, *gathered)
        return
    if node.kind == "flag" and node.role not in ("and", "or", "not", "if", LITERAL):
        yield Condition(formula.source[node.start : node.stop], node, *gathered)
    for operand in node.operands:
        yield from _found(formula, operand, node if node.gathers else around)


def countable(program: Program) -> Iterator[tuple[FormulaPlace, Sequence[Condition]]]:
    """Every place of a rulebook that has conditions, with them."""
    for place in formula_places(program):
        if is_countable(place):
            yield place, conditions_of(place.formula)


def is_countable(place: FormulaPlace) -> bool:
    """Whether a place has conditions that count: of a rulebook's own, and not within a message."""
    return bool(place.way and conditions_of(place.formula))


def met(formula: Formula, frame: Frame, orders: Mask, lines: Mask | None = None) -> Iterator[tuple[int, str, Integers]]:
    """Where each condition of a formula was true and where it was false; a blank is neither.

    Args:
        formula: The formula.
        frame: The columns it was worked out on.
        orders: The orders for which it was worked out.
        lines: The lines for which it was; None for all of those orders.

    Yields:
        The place of the condition, ``true`` or ``false``, and for each time the position of the order.
    """
    for place, each in enumerate(conditions_of(formula)):
        inner = frame.records(each.rows) if each.rows else frame
        column = flags(formula.part(each.node, inner))
        if each.node.level is Level.LINE:
            of = inner.order_of
            counted = orders[of] if lines is None or each.is_gathered else lines
        else:
            of, counted = np.arange(inner.order_count), orders
        column = column.spread(len(of))
        yield place, "true", of[column.is_true() & counted]
        yield place, "false", of[column.is_false() & counted]
