"""Values that are put into lines of many orders at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.formulas.operators import pick
from dokima.model.document import Document
from dokima.model.orders import Orders
from dokima.model.values import BadValue, ValueReader
from dokima.pricing.defaults.drawing import given_now
from dokima.pricing.program import Program


@dataclass(frozen=True)
class LineStep:
    """One change of one line: its number, the values as they were given, and those that were read, by field."""

    number: str
    given: Mapping[str, Any]


@dataclass(frozen=True)
class LineValues:
    """Values by target: ``line`` for every line, or the number of one.

    Attributes:
        program: The rulebook.
        by_target: Values as they were given, by target and field, in the sequence in which they are set.
        columns: The fields that are set.
    """

    program: Program
    by_target: Mapping[str, Mapping[str, Any]]
    columns: frozenset[str]

    def steps(self, document: Document) -> list[LineStep]:
        """The changes of one order, in their sequence."""
        found: list[LineStep] = []
        for target, given in self.by_target.items():
            numbers = list(document.lines) if target == "line" else [target]
            found += [LineStep(number, given) for number in numbers]
        return found

    def put(self, orders: Orders, places: Mapping[int, LineStep]) -> Orders:
        """The orders with the values of some lines.

        Args:
            orders: The orders, with marks of what is drawn.
            places: By position of a line what changes.
        """
        lines: dict[str, Column] = {}
        absent = dict(orders.absent)
        for name in self.columns:
            kind = self.program.fields.line[name]
            mine = {at: step.given[name] for at, step in places.items() if name in step.given}
            if not mine:
                continue
            read = {at: ValueReader().read(kind, value) for at, value in mine.items()}
            where = np.zeros(orders.line_count, bool)
            where[list(mine)] = True
            values = column_of(kind.kind, [read.get(at) for at in range(orders.line_count)])
            orders = given_now(orders, "line", [name], where)
            lines[name] = pick(where, values, orders.line(name))
            absent[("line", name)] = self._absent(orders, name) & ~where
        return replace(orders.with_columns({}, lines), absent=absent)

    def _absent(self, orders: Orders, name: str) -> Any:
        there = orders.absent.get(("line", name))
        if there is None:
            there = np.zeros(orders.line_count, bool) if name in orders.lines else np.ones(orders.line_count, bool)
        return there


def line_values(program: Program, fields: Mapping[str, Any]) -> LineValues | None:
    """Values for lines; None if one of them is none that its field holds, which the editor says better."""
    by_target: dict[str, dict[str, Any]] = {}
    for target, value in fields.items():
        where, _, name = target.rpartition(".")
        kind = program.fields.line.get(name)
        if kind is None:
            return None
        try:
            ValueReader().read(kind, value)
        except BadValue:
            return None
        by_target.setdefault(where, {})[name] = value
    return LineValues(program, by_target, frozenset(name for given in by_target.values() for name in given))
