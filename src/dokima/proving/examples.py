"""Examples: the fields of an order on which some rows of a table fit all at once."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from typing import Any

from dokima.columns.column import value_at
from dokima.formulas import Formula
from dokima.formulas.tree import NAME
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Routine
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table, names_behind

Example = dict[str, Any]
FIELDS = ("header", "line")
"""How the names of fields of an order begin."""


class Examples:
    """Finds examples for the rows of a rulebook's tables.

    Args:
        program: The rulebook.
        today: Date of an example where no row asks for another.
    """

    def __init__(self, program: Program, today: datetime.date) -> None:
        self.program = program
        self.today = today
        self._read_with: dict[str, set[str]] = {}
        self._kinds = {table: self._kind(table) for table in program.tables}
        self.first = self._first_keys()

    def of(self, table: Table, rows: Sequence[int]) -> Example | None:
        """Header and line fields on which all of some rows fit; None if there are none, or none could be found."""
        found: Example = {}
        for row in rows:
            for name, formula in table.conditions.items():
                if not self._want(found, formula, value_at(table.cells[name], row)):
                    return None
        if table.window is not None:
            day = self._day(table, rows)
            if day is None or not self._want(found, table.window.on, day):
                return None
        for each in table.breaks:
            least = [value for row in rows if (value := each.reached_at(row)) is not None]
            if least and "line.quantity" in each.value.reads:
                found["line.quantity"] = max([*least, *([found["line.quantity"]] if "line.quantity" in found else [])])
        return self._filled(table, found)

    def _want(self, found: Example, formula: Formula, value: Any) -> bool:
        """Make a formula have a value; False if it already has another."""
        if value is None:
            return True
        wanted = value.split(SEPARATOR) if isinstance(value, str) else [value]
        name = formula.root.name
        head, _, column = name.partition(".")
        if head in FIELDS:
            if name in found:
                return found[name] in wanted
            found[name] = wanted[0]
            return True
        if head not in self.program.tables:
            return True  # a formula of its own: what it takes cannot be told
        return self._lead_to(found, self.program.tables[head], column, wanted)

    def _lead_to(self, found: Example, table: Table, column: str, wanted: Sequence[Any]) -> bool:
        """Choose fields so that a table answers with one of some values; of a table with several fitting it may."""
        if column not in table.columns:
            return True
        for row in range(table.size):
            if value_at(table.columns[column], row) in wanted:
                trial = dict(found)
                keys = ((formula, value_at(table.cells[name], row)) for name, formula in table.conditions.items())
                if all(self._want(trial, formula, value) for formula, value in keys):
                    found.update(trial)
                    return True
        return not table.definition.is_key

    def _day(self, table: Table, rows: Sequence[int]) -> datetime.date | None:
        """A day on which all rows are valid, today if it is one."""
        assert table.window is not None
        epoch = datetime.date(1970, 1, 1).toordinal()
        start = max(int(table.window.start[row]) for row in rows)
        end = min(int(table.window.end[row]) for row in rows)
        if start > end:
            return None
        day = min(max(self.today.toordinal() - epoch, start), end)
        return datetime.date.fromordinal(day + epoch)

    def _filled(self, table: Table, found: Example) -> Example:
        """The example with what an order needs beside: kind, date, customer, item, quantity."""
        wanted = self._read_with.get(table.name, set(self.first))
        rest = {**{name: value for name, value in self.first.items() if name in wanted}, **self._kinds[table.name]}
        return {**{name: value for name, value in rest.items() if name not in found}, **found}

    def _kind(self, table: str) -> Mapping[str, Any]:
        """The header fields by which an order takes a routine that reads a table."""
        for routine in self.program.routines:
            read = [name for step in routine.steps for _, formula in step.formulas() for name in formula.reads]
            seen = names_behind(read, self.program.tables)
            if any(name.startswith(f"{table}.") for name in seen) and routine.when is not None:
                self._read_with[table] = {*seen, "header.date", "line.quantity"}
                return header_of(routine)
        return {}

    def _first_keys(self) -> Example:
        """The first key of every table that is found by one field: a customer, an item, a supplier."""
        found: Example = {"header.date": self.today, "line.quantity": 1}
        for table in self.program.tables.values():
            if table.definition.is_key and len(table.conditions) == 1 and table.size:
                ((name, formula),) = table.conditions.items()
                if formula.root.name.partition(".")[0] in FIELDS:
                    found.setdefault(formula.root.name, value_at(table.cells[name], 0))
        return found


def header_of(routine: Routine) -> Example:
    """The header fields by which an order takes a routine, as far as its ``when`` says them outright."""
    found: Example = {}
    for node in routine.when.root.walk() if routine.when is not None else ():
        if node.role == "==":
            one, other = node.operands
            name, literal = (one, other) if one.role == NAME else (other, one)
            if name.name.startswith("header.") and literal.kind == "text" and literal.value is not None:
                found[name.name] = value_at(literal.value, 0)
    return found


def document(number: str, example: Mapping[str, Any]) -> dict[str, Any]:
    """An order with one line that has the fields of an example."""
    header = {name[7:]: value for name, value in example.items() if name.startswith("header.")}
    line = {name[5:]: value for name, value in example.items() if name.startswith("line.")}
    return {"number": number, **header, "lines": [{"number": "10", **line}]}
