"""Values that are put into lines of many orders at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dokima.engine.program import Program, Run
from dokima.engine.running.preparing import prepare
from dokima.exact import Quotient, stored
from dokima.formulas.operators import pick
from dokima.model.columns import Column, column_of
from dokima.model.document import Document
from dokima.model.orders import Orders
from dokima.model.values import BadValue, ValueReader


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

    def put(self, orders: Orders, places: Mapping[int, LineStep], run: Run) -> Orders:
        """The orders with the values of some lines, and with what defaults give where nobody gave anything.

        Args:
            orders: The orders.
            places: By position of a line what changes.
            run: What the caller says about the run.
        """
        chosen = np.zeros(orders.line_count, bool)
        chosen[list(places)] = True
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
            lines[name] = pick(where, values, orders.line(name))
            absent[("line", name)] = self._absent(orders, name) & ~where
        changed = replace(orders.with_columns({}, lines), absent=absent)
        return self._with_defaults(changed, chosen, run)

    def _absent(self, orders: Orders, name: str) -> Any:
        there = orders.absent.get(("line", name))
        if there is None:
            there = np.zeros(orders.line_count, bool) if name in orders.lines else np.ones(orders.line_count, bool)
        return there

    def _with_defaults(self, orders: Orders, chosen: Any, run: Run) -> Orders:
        """As the editor does: a line that is changed gets what its defaults give; a blank default leaves it absent."""
        names = [name for level, name, _ in self.program.defaults if level == "line"]
        prepared = prepare(self.program, orders, run)
        lines: dict[str, Column] = {}
        absent = dict(orders.absent)
        for name in names:
            gone = self._absent(orders, name)
            if not (gone & chosen).any():
                continue
            column = prepared.line(name)
            found = stored(column) if isinstance(column, Quotient) else column
            drawn = gone & chosen & ~found.is_missing()
            if drawn.any():
                lines[name] = pick(drawn, found, orders.line(name))
                absent[("line", name)] = gone & ~drawn
        return replace(orders.with_columns({}, lines), absent={**absent}) if lines else orders


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
