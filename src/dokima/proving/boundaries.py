"""Boundary values: for each field of an order the values at which a rulebook may decide otherwise."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Iterator, Sequence
from decimal import ROUND_FLOOR, Decimal
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.formulas import Formula, Level
from dokima.formulas.signs import COMPARISONS, MEMBERSHIP
from dokima.formulas.tree import Node
from dokima.model.fields import Field
from dokima.pricing.program import Program
from dokima.proving.usage import all_formulas
from dokima.tables.index import SEPARATOR
from dokima.tables.preference import RowFrame
from dokima.tables.table import Table, names_behind

MOST_KEYS = 40
"""Keys of a table that are tried for a field; those that lead to different cells come first."""
MAGNITUDES = tuple(Decimal(each) for each in ("1", "2", "5", "10", "25", "50", "100", "250", "1000"))
"""What a number is tried at beside its boundaries: a comparison of a sum has its boundary somewhere between."""
RETURNED = (Decimal(-1), Decimal(-25))
"""Quantities of lines that come back."""
DAY = datetime.timedelta(days=1)
DAYS = (0, 1, -1, 2, 6, 7, 30)
"""Days from today on that a date is tried at: two dates have their boundary somewhere between."""
FINEST = 4
"""Decimal places of a number that is to meet a limit, at most."""
MOST = 10**9
"""Beyond it no limit is looked for."""
UNEVEN = Decimal("7.313")
"""A number that leaves something to be rounded."""
SOME_TEXT = "some text"
"""A text that nothing knows."""
OWN = ("number", "is_parent", "position", "state")
"""Fields that are not changed: an order and a line are known by them."""


class Boundaries:
    """The values worth trying for each field.

    One unit below, at and above each constant that the field is compared with, each break and each end of a window;
    the keys of tables; choices; and a blank.

    Args:
        program: The rulebook.
        today: The day about which dates are tried that are compared with no constant.
    """

    def __init__(self, program: Program, today: datetime.date) -> None:
        self.program = program
        self.today = today
        self.values: dict[str, list[Any]] = {}
        for formula in all_formulas(program):
            self._compared(formula)
        for table in program.tables.values():
            self._of_table(table)
        for name in list(self._read()):
            self._of_field(name)
        if any("header.is_new" in formula.reads for formula in all_formulas(program)):
            self._add("header.revision", [Decimal(1)])  # an order that was saved before

    def behind(self, names: Iterable[str]) -> list[str]:
        """The fields of an order that lie behind some names, through the tables and the figures they lead to."""
        every = names_behind(names, self.program.tables)
        amounts = {f"{level}.{name.partition('.')[2]}" for name in self.program.figures for level in ("header", "line")}
        if every & amounts:
            every |= self._behind_figures
        return [name for name in sorted(every) if self._field(name) is not None]

    def numbers_behind(self, names: Iterable[str]) -> list[str]:
        """The numbers of an order that lie behind some names; behind figures the price typed by hand too."""
        behind = self.behind(names)
        every = set(names_behind(names, self.program.tables))
        amounts = {f"{level}.{name.partition('.')[2]}" for name in self.program.figures for level in ("header", "line")}
        typed = ["line.price_override"] if every & amounts else []
        return [name for name in dict.fromkeys([*typed, *behind]) if self._is_number(name)]

    def _is_number(self, name: str) -> bool:
        field = self._field(name)
        return field is not None and field.kind in ("integer", "decimal") and name.startswith(("header.", "line."))

    def nearer(
        self, name: str, tries: Sequence[Decimal], first: Decimal | None, second: Decimal | None
    ) -> tuple[Decimal, Decimal] | None:
        """Two numbers of a field about where a straight line through two tries comes to nothing; None if it never does.

        Args:
            name: The field.
            tries: What was tried.
            first: How far apart the numbers were that a condition compares, at the first.
            second: And at the second.
        """
        if first is None or second is None or first == second:
            return None
        field = self._field(name)
        assert field is not None
        meeting = tries[0] - first * (tries[1] - tries[0]) / (second - first)
        places = 0 if field.kind == "integer" else FINEST if field.places is None else min(field.places, FINEST)
        unit = Decimal(1).scaleb(-places)
        below = meeting.quantize(unit, ROUND_FLOOR)
        return (below, below + unit) if abs(below) < MOST else None

    @cached_property
    def _behind_figures(self) -> set[str]:
        """What the steps of all routines read: a figure follows from those before it."""
        steps = [step for routine in self.program.routines for step in routine.steps]
        read = {name for step in steps for _, formula in step.formulas() for name in formula.reads}
        return set(names_behind([*read, "line.quantity"], self.program.tables))

    def _field(self, name: str) -> Field | None:
        level, _, field = name.partition(".")
        fields = self.program.fields
        known = {"header": fields.header, "line": fields.line, "parent": fields.line}.get(level, {})
        return known.get(field)

    def _read(self) -> list[str]:
        """Every field that anything reads; steps read what makes an amount without naming it."""
        tables = [each for table in self.program.tables.values() for each in table.behind]
        unnamed = ["line.quantity", "line.price_override"] if self.program.routines else []
        read = [name for formula in all_formulas(self.program) for name in formula.reads]
        return self.behind([*tables, *read, *unnamed])

    def _add(self, name: str, values: Iterable[Any]) -> None:
        if self._field(name) is not None and name.partition(".")[2] not in OWN:
            known = self.values.setdefault(name, [])
            known += [value for value in dict.fromkeys(values) if value not in known]

    def _compared(self, formula: Formula) -> None:
        """Constants that a formula compares with; beside a sum or a product they are tried for each field in it."""
        for node in formula.root.walk():
            if node.role not in (*COMPARISONS, *MEMBERSHIP):
                continue
            constants = [value for each in node.operands for value in self._constant(formula, each)]
            names = {each.name for operand in node.operands for each in operand.walk() if each.name}
            for name in self.behind(names):
                meant = constants if name in names else [each for each in constants if not isinstance(each, str)]
                self._add(name, [near for value in meant for near in self.around(name, value)])
            for name in names:
                self._leading(name, constants)

    def _constant(self, formula: Formula, node: Node) -> list[Any]:
        if node.level is not Level.CONSTANT:
            return []
        if node.name.startswith("value."):
            return [value_at(self.program.definition.values[node.name.partition(".")[2]], 0)]
        if any(each.name for each in node.walk()):
            return []
        return [value_at(formula.part(node, RowFrame({}, 1)), 0)]

    def around(self, name: str, value: Any) -> list[Any]:
        """A value, and what is one unit of the field below and above it; nothing if the field is of another kind."""
        field = self._field(name)
        assert field is not None
        if isinstance(value, bool) or value is None:
            return [value] if field.kind == "flag" else []
        if isinstance(value, datetime.date):
            return [value - DAY, value, value + DAY] if field.kind == "date" else []
        if isinstance(value, int | Decimal):
            if field.kind not in ("integer", "decimal"):
                return []
            number = Decimal(value)
            places = 0 if field.kind == "integer" else field.places
            unit = Decimal(1).scaleb(-(max(0, -int(number.as_tuple().exponent)) if places is None else places))
            below = number.quantize(unit, ROUND_FLOOR)
            if below != number:  # no value of the field: what stands on both sides of it
                return [below - unit, below, below + unit, below + 2 * unit]
            return [number - unit, number, number + unit]
        return [value] if field.kind == "text" else []

    def _leading(self, name: str, values: Sequence[Any]) -> None:
        """Keys that lead to some cells of a table, and one that leads elsewhere."""
        head, _, column = name.partition(".")
        table = self.program.tables.get(head)
        if table is None or not table.definition.is_key or column not in table.columns or len(table.conditions) != 1:
            return
        ((key, formula),) = table.conditions.items()
        rows = range(min(table.size, 10 * MOST_KEYS))
        wanted = dict.fromkeys(values) | {None: None}
        for row in rows:
            cell = value_at(table.columns[column], row)
            place = cell if cell in wanted else None
            if wanted[place] is None:
                wanted[place] = value_at(table.cells[key], row)
        self._add(formula.root.name, [each for each in wanted.values() if each is not None])

    def _of_table(self, table: Table) -> None:
        """Keys, breaks and ends of windows."""
        for name, formula in table.conditions.items():
            source = formula.root.name
            if self._field(source) is not None:
                cells = dict.fromkeys(
                    value_at(table.cells[name], row) for row in self._telling_rows(table) if table.size
                )
                self._add(source, [word for cell in cells if cell is not None for word in _words(cell)])
        for each in table.breaks:
            levels = dict.fromkeys(value_at(each.least, row) for row in range(table.size))
            for name in self.behind(each.value.reads):
                around = [near for level in list(levels)[:MOST_KEYS] for near in self.around(name, level)]
                self._add(name, around)
        if table.window is not None:
            days = np.unique(np.r_[table.window.start, table.window.end])
            for name in self.behind(table.window.on.reads):
                known = [day for day in map(_date, days.tolist()) if day is not None][:MOST_KEYS]
                self._add(name, [near for day in known for near in self.around(name, day)])

    def _telling_rows(self, table: Table) -> Iterator[int]:
        """Rows of a table, those with cells that no row before them had first."""
        seen: set[tuple[str, Any]] = set()
        later: list[int] = []
        shown = 0
        texts = [name for name, field in table.fields.items() if field.kind in ("text", "flag")]
        for row in range(min(table.size, 1000)):
            cells = {(name, value_at(table.columns[name], row)) for name in texts if name in table.columns}
            if shown < MOST_KEYS and cells - seen:
                seen |= cells
                shown += 1
                yield row
            else:
                later.append(row)
        yield from later[: max(0, MOST_KEYS - shown)]

    def _of_field(self, name: str) -> None:
        field = self._field(name)
        assert field is not None
        self._add(name, field.choices)
        if field.kind == "flag":
            self._add(name, [True, False])
        if field.kind == "text" and not field.choices:
            self._add(name, [SOME_TEXT])
        if field.kind in ("integer", "decimal") and not field.choices:
            self._add(name, [Decimal(0), *MAGNITUDES, *(RETURNED if name == "line.quantity" else ())])
        if field.kind == "date":
            self._add(name, [self.today + DAY * days for days in DAYS])
        if field.kind == "decimal":
            most = -int(UNEVEN.as_tuple().exponent)
            self._add(name, [round(UNEVEN, most if field.places is None else min(field.places, most))])
        self._add(name, [None])


def _words(cell: Any) -> list[Any]:
    return cell.split(SEPARATOR)[:1] if isinstance(cell, str) else [cell]


def _date(day: int) -> datetime.date | None:
    """A day of a window; None for one that has no end."""
    try:
        found = datetime.date(1970, 1, 1) + datetime.timedelta(days=day)
    except OverflowError:
        return None
    return found if 1900 < found.year < 9000 else None
