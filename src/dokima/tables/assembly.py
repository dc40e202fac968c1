"""Assemblies: what an item is made of, level by level, and a value rolled up from its components."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from decimal import MAX_EMAX, MAX_PREC, MIN_EMIN, Context, Decimal
from graphlib import CycleError, TopologicalSorter

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.texts import Texts
from dokima.errors import RulebookError, RulebookProblem, listed
from dokima.exact import decimals, to_decimals
from dokima.exact.decimals import Decimals
from dokima.model.fields import Field
from dokima.model.raw import RawColumn
from dokima.model.values import ValueReader
from dokima.tables.definition import TableDefinition, TableSource
from dokima.tables.reading import read_columns

PARTS = ("component", "quantity", "scrap")
"""Columns of an assembly table beside its key; ``scrap`` (percent) may be left out."""
MOST_LINES = 500
"""Lines of a tree that are shown."""
_EXACT = Context(prec=MAX_PREC, Emax=MAX_EMAX, Emin=MIN_EMIN)

OwnValues = Mapping[str, Mapping[str, Decimal | None]]
"""By column to roll up: the value of each item that is not itself an assembly."""


@dataclass(frozen=True)
class Component:
    """One component of an assembly.

    Attributes:
        item: The component.
        quantity: How many go into one assembly.
        scrap: Percent that is lost on the way, on top of the quantity.
        row: Place in the source.
    """

    item: str
    quantity: Decimal
    scrap: Decimal
    row: int

    @property
    def needed(self) -> Decimal:
        """Quantity with scrap: quantity x (1 + scrap / 100)."""
        if not self.scrap:
            return self.quantity  # times 1.00 it would have two more places at each level
        return _EXACT.multiply(self.quantity, _EXACT.add(Decimal(1), self.scrap.scaleb(-2, _EXACT)))


@dataclass(frozen=True)
class Node:
    """One line of an assembly's tree.

    Attributes:
        depth: 0 for the assembly itself.
        item: The item.
        quantity: How many go into one of the item above.
        scrap: Percent lost on the way.
        each: Value of one; None if it is unknown.
        value: What it adds to the item above: quantity with scrap x value of one, rounded.
        beyond: Of the last line of a long tree how many more there are; else 0.
    """

    depth: int
    item: str
    quantity: Decimal
    scrap: Decimal
    each: Decimal | None
    value: Decimal | None
    beyond: int = 0

    def to_dict(self) -> dict[str, object]:
        """The line as plain data; how many more there are only where there are any."""
        return {name: value for name, value in asdict(self).items() if name != "beyond" or value}


class Assemblies:
    """The assemblies of a table.

    Args:
        parts: Components by assembly, in the order of the source.
        own: The values of items that are no assemblies, by column.
        places: By column the decimal places each component's value is rounded to, half up; None for no rounding.

    Raises:
        RulebookError: An assembly contains itself.
    """

    def __init__(
        self, parts: Mapping[str, Sequence[Component]], own: OwnValues, places: Mapping[str, int | None]
    ) -> None:
        self.parts = parts
        self.own = own
        self.places = places
        self.values: dict[str, dict[str, Decimal | None]] = {column: {} for column in own}
        self._sizes: dict[str, int] = {}
        for item in self._deepest_first():
            self._sizes[item] = 1 + sum(self._sizes.get(each.item, 1) for each in parts[item])
            for column in own:
                self.values[column][item] = self._sum(column, item)

    def _deepest_first(self) -> list[str]:
        """The assemblies, each after those that it contains."""
        below = {item: [each.item for each in parts if each.item in self.parts] for item, parts in self.parts.items()}
        try:
            return list(TopologicalSorter(below).static_order())
        except CycleError as error:
            circle = " -> ".join(error.args[1][::-1])  # each contains the next
            raise RulebookError([RulebookProblem("", "", f"an item contains itself: {circle}")]) from None

    def _sum(self, column: str, item: str) -> Decimal | None:
        whole = Decimal(0)
        for component in self.parts[item]:
            value = self._value(column, component)
            if value is None:
                return None
            whole = _EXACT.add(whole, value)
        return whole

    def _value(self, column: str, component: Component) -> Decimal | None:
        each = self.each(column, component.item)
        if each is None:
            return None
        value, places = _EXACT.multiply(component.needed, each), self.places.get(column)
        return value if places is None else to_decimals(decimals([value]).round(places))[0]

    def each(self, column: str, item: str) -> Decimal | None:
        """Value of one item: rolled up if it is an assembly, else its own."""
        return self.values[column][item] if item in self.parts else self.own[column].get(item)

    def tree(self, column: str, item: str) -> list[Node]:
        """An item and everything in it, each right below what it goes into: the first 500 lines.

        What is in an assembly several times is there several times: twenty levels of two each are a million lines.
        """
        value = self.each(column, item)
        found = [Node(0, item, Decimal(1), Decimal(0), value, value)]
        todo = [(1, part) for part in reversed(self.parts.get(item, ()))]
        while todo and len(found) < MOST_LINES:
            depth, part = todo.pop()
            each = self.each(column, part.item)
            found.append(Node(depth, part.item, part.quantity, part.scrap, each, self._value(column, part)))
            todo += [(depth + 1, below) for below in reversed(self.parts.get(part.item, ()))]
        beyond = sum(self._sizes.get(part.item, 1) for _, part in todo)
        return [*found[:-1], replace(found[-1], beyond=beyond)]


def roll_up(definition: TableDefinition, source: TableSource, own: OwnValues) -> tuple[Assemblies, TableSource]:
    """The assemblies of a table, and its rows as a plain table: one for each assembly, with the values rolled up.

    Args:
        definition: An assembly table: one key column, and ``roll_up``.
        source: Its rows: key, component, quantity, scrap.
        own: The values of items that are no assemblies, by column.

    Raises:
        RulebookError: A cell is not what it must be, or an assembly contains itself.
    """
    (key,) = definition.conditions
    declared = {name: Field(name, "text" if name == "component" else "decimal") for name in PARTS}
    wanted = {name: each for name, each in declared.items() if name != "scrap" or "scrap" in source.columns}
    spec = replace(definition, columns={key: Field(key), **wanted})
    _, cells, problems = read_columns(spec, source, {})
    for name in () if problems else (key, "component", "quantity"):
        for row in np.flatnonzero(cells[name].is_missing()).tolist():
            place = (source.file, f"table.{definition.name}", "expected a value (the cell is empty)")
            problems.append(RulebookProblem(*place, source.row_number(row), name))
    if problems:
        raise RulebookError(problems)
    quantity = _numbers(cells["quantity"])
    scrap = _numbers(cells["scrap"]) if "scrap" in cells else [None] * source.size
    parts: dict[str, list[Component]] = {}
    for row, (item, component) in enumerate(zip(_texts(cells[key]), _texts(cells["component"]), strict=True)):
        parts.setdefault(item, []).append(
            Component(component, quantity[row] or Decimal(0), scrap[row] or Decimal(0), row)
        )
    places = {column: definition.columns[column].places if column in definition.columns else None for column in own}
    try:
        assemblies = Assemblies(parts, own, places)
    except RulebookError as error:
        path = f"table.{definition.name}"
        raise RulebookError([replace(each, file=source.file, path=path) for each in error.problems]) from None
    rows = np.array([source.row_number(components[0].row) for components in parts.values()], np.int64)
    columns = {key: RawColumn(list(parts))}
    columns |= {name: RawColumn([values[item] for item in parts]) for name, values in assemblies.values.items()}
    return assemblies, TableSource(columns, len(parts), source.file, rows, ValueReader())


def check_roll_up(definition: TableDefinition) -> None:
    """Refuse settings an assembly table does not take.

    Raises:
        RulebookError: With every problem.
    """
    path = f"table.{definition.name}"
    problems = []
    if not definition.is_key or len(definition.conditions) != 1:
        problems.append(RulebookProblem("", f"{path}.key", "an assembly table has a key of one column, the item"))
    others = {"window": definition.window, "breaks": definition.breaks, "choose": definition.choose}
    for name in [name for name, given in others.items() if given]:
        problems.append(RulebookProblem("", f"{path}.{name}", f"an assembly table takes no '{name}'"))
    unknown = [name for name in definition.columns if name not in definition.roll_up]
    if unknown:
        message = f"expected settings of {listed(definition.roll_up)} only (got {listed(unknown)})"
        problems.append(RulebookProblem("", f"{path}.columns", message))
    if problems:
        raise RulebookError(problems)


def _texts(column: object) -> list[str]:
    assert isinstance(column, Texts)
    return [value or "" for value in column.to_list()]


def _numbers(column: object) -> list[Decimal | None]:
    assert isinstance(column, Decimals)
    return [value_at(column, row) for row in range(len(column))]
