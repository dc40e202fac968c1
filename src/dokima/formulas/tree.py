"""A checked formula as data: a tree of nodes, with no functions in it.

What a formula says is read off this tree and nowhere else: it is worked out (`working`), rewritten, compared and said
in words by functions over it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from dokima.columns.column import Column
from dokima.formulas.names import FormulaKind, Level

LITERAL, NAME, OWN = "literal", "name", "call"
"""Roles of what is written out, of names, and of calls of a rulebook's own functions."""


@dataclass(frozen=True, eq=False)
class Node:
    """One checked part of a formula.

    Attributes:
        kind: What it gives.
        level: How often it has a value.
        start: First character in the source.
        stop: Character after the last one.
        role: What it is: ``literal``, ``name``, an operator (`signs.SIGNS`), ``if``, the name of a function or an
            aggregate, ``call`` for a function of the rulebook.
        operands: The parts it is made of.
        roles: Of an aggregate what each operand is: argument, where, by.
        gathers: Whether it is an aggregate, which reads all lines of an order.
        name: The dotted name it stands for, blank otherwise.
        table: The table it asks about (``found``), blank otherwise.
        rows: Of an aggregate over records their name (``delivery``, ``payment``, ``leaving``), blank for lines.
        money: Of a name whether it is an amount of money; see `money.is_money` for whole formulas.
        value: Of a literal its value, a column of length 1.
        facts: Of a function what is written out for it: ``places`` (and where they
            stand, ``places_at``), ``mode``, ``pattern``; of a call of an
            own one its name, ``function``.
        formula: The named formula whose whole text it is, blank otherwise.
    """

    kind: FormulaKind
    level: Level
    start: int
    stop: int
    role: str
    operands: tuple[Node, ...] = ()
    roles: tuple[str, ...] = ()
    gathers: bool = False
    name: str = ""
    table: str = ""
    rows: str = ""
    money: bool = False
    value: Column | None = None
    facts: Mapping[str, Any] = field(default_factory=dict)
    formula: str = ""

    @property
    def calls_own(self) -> bool:
        """Whether it calls an own function of the rulebook."""
        return any(node.role == OWN for node in self.walk())

    @property
    def inner_level(self) -> Level:
        """The level at which its operands are worked out."""
        return Level.LINE if self.gathers else self.level

    def outside_aggregates(self) -> Iterator[Node]:
        """The node and those below it as far down as aggregates, which are told as a whole."""
        yield self
        for operand in () if self.gathers else self.operands:
            yield from operand.outside_aggregates()

    def walk(self) -> Iterator[Node]:
        """This node and all below it."""
        yield self
        for operand in self.operands:
            yield from operand.walk()
