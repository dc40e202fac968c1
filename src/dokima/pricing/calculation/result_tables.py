"""The tables of priced orders: which columns each has, of what kind, and their values. Every form is made of these.

Which columns stand in a table follows from the rulebook, never from the orders at hand; any other field, figure or name
of a party stands there if it is asked for.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from dokima.columns.column import Column, blanks
from dokima.errors import refuse_unknown_columns
from dokima.exact.integers import Integers
from dokima.formulas import FormulaKind, Level
from dokima.formulas.operators import pick
from dokima.model.fields import DRAWN, HEADER_FIELDS, LINE_FIELDS
from dokima.model.orders import texts
from dokima.pricing.calculation.parties import PARTIES
from dokima.pricing.names.context import Context
from dokima.pricing.program import Run
from dokima.pricing.steps.totals import TOTALS

if TYPE_CHECKING:  # a calculation gives its tables
    from dokima.pricing.calculation.calculation import Calculation, TableLevel
    from dokima.pricing.program import Program

PARTY = "party"
"""The customer of an order, or the supplier where there is no customer."""
AMOUNTS_OF_ORDERS = ("total", "sum")
"""Columns of orders that hold amounts of money; a figure of an order is any number."""
_ORDER = ("number", "kind", "date", PARTY, "currency")
_ON_LINES = ("date", PARTY, "currency")
_LINE = ("number", "item", "description", "quantity", "unit")
FIRST_OF_LINES = ("order", *_ON_LINES, "line", *_LINE[1:])
"""The columns with which every table of lines begins."""
_STANDARD = {each.name for each in HEADER_FIELDS}, {each.name for each in LINE_FIELDS}


class Place(NamedTuple):
    """Where the values of a column are.

    Attributes:
        of: ``line`` or ``header`` for a field, ``figure`` and ``total`` for what a routine leaves, ``name`` for what a
            party is called, ``party`` for who it is.
        name: The field, figure or party.
        kind: Of the values.
    """

    of: str
    name: str
    kind: FormulaKind


def _apart(name: str, taken: Collection[str], level: str = "header") -> str:
    """A name that no other column has: that of its level goes before it."""
    return f"{level}.{name}" if name in taken else name


class TableColumns:
    """The columns that the table of a level may have, by their names.

    Args:
        program: The rulebook.
        level: ``lines`` or ``headers``.
    """

    def __init__(self, program: Program, level: TableLevel) -> None:
        self.program = program
        self.level = level

    @cached_property
    def usual(self) -> Mapping[str, Place]:
        """Those that stand in every table of the rulebook, in their sequence."""
        own = [name for name in self.program.fields.header if name not in _STANDARD[0]]
        if self.level == "headers":
            first = {name: self._first(name) for name in _ORDER}
            totals = {name: Place("total", name, "decimal") for name in TOTALS}
            figures = {name: Place("figure", name, kind) for name, kind in self.program.header_figures.items()}
            taken = {*first, *totals, *figures}
            return {**first, **{_apart(name, taken): self._header(name) for name in own}, **totals, **figures}
        first = {"order": self._header("number"), **{name: self._first(name) for name in _ON_LINES}}
        first |= {"line" if name == "number" else name: self._line(name) for name in _LINE}
        fields = {name: self._line(name) for name in self.program.fields.line if name not in _STANDARD[1]}
        fields |= {name: Place("figure", name, kind) for name, kind in self.program.line_figures.items()}
        taken = {*first, *fields}
        headers = {_apart(name, taken): self._header(name) for name in own}
        return {**first, **headers, **{_apart(name, first, "line"): place for name, place in fields.items()}}

    @cached_property
    def every(self) -> Mapping[str, Place]:
        """Those and all others that may be asked for."""
        program, fields = self.program, self.program.fields
        found = dict(self.usual)
        if self.level == "lines":
            others = {name: self._line(name) for name in fields.line if name not in ("number", DRAWN)}
        else:
            sums = [name for routine in program.routines for name in routine.amounts if name not in found]
            others = {name: Place("sum", name, "decimal") for name in sums}
        of_header = {name: self._header(name) for name in fields.header if name not in ("number", DRAWN)}
        of_header |= {f"{party}_name": Place("name", party, "text") for party in PARTIES if program.parties.get(party)}
        there = {(place.of, place.name) for place in found.values()}
        for level, more in (("line", others), ("header", of_header)):
            for name, place in more.items():
                if (place.of, place.name) not in there:
                    found[_apart(name, found, level)] = place
        return found

    def _line(self, name: str) -> Place:
        return Place("line", name, self.program.fields.line[name].kind)

    def _header(self, name: str) -> Place:
        return Place("header", name, self.program.fields.header[name].kind)

    def _first(self, name: str) -> Place:
        return Place(PARTY, name, "text") if name == PARTY else self._header(name)

    def chosen(self, names: Sequence[str]) -> Mapping[str, Place]:
        """The columns asked for, in that sequence; the usual ones if none is.

        Raises:
            NotFound: There is no such column; names the nearest.
        """
        refuse_unknown_columns(names, self.every)
        return {name: self.every[name] for name in names} if names else self.usual


def result_columns(
    calculation: Calculation, level: TableLevel, names: Sequence[str] = ()
) -> Mapping[str, tuple[Place, Column]]:
    """The columns of a table, one value a line or an order, with where each comes from.

    Args:
        calculation: Priced orders.
        level: ``lines`` or ``headers``.
        names: The columns asked for; the usual ones if empty.

    Raises:
        NotFound: There is no such column; names the nearest.
    """
    chosen = TableColumns(calculation.program, level).chosen(names)
    return {name: (place, _column(calculation, level, place)) for name, place in chosen.items()}


def _column(calculation: Calculation, level: TableLevel, place: Place) -> Column:
    orders = calculation.orders
    size = orders.line_count if level == "lines" else len(orders)
    found: Column | None
    match place.of:
        case "line":
            return orders.line(place.name)
        case "figure":
            found = (calculation.figures if level == "lines" else calculation.order_figures).get(place.name)
            return blanks(place.kind, size) if found is None else found
        case "total":
            found = calculation.totals.get(place.name)
            return blanks("decimal", size) if found is None else found
        case "sum":
            found = calculation.header_values.get(place.name)
            return blanks("decimal", size) if found is None else found
        case "name":
            program = calculation.program
            context = Context(program, orders, Run())
            of_order = program.parties[place.name][0].evaluate(context, Level.HEADER).spread(len(orders))
        case "party":
            customer, supplier = texts(orders.header("customer")), texts(orders.header("supplier"))
            of_order = pick(customer.is_missing(), supplier, customer)
        case _:
            of_order = orders.header(place.name)
    return of_order if level == "headers" else of_order.take(orders.order_of)


def given_sequence(calculation: Calculation) -> Integers | None:
    """Positions of the lines in the sequence in which they were given; None where that is the sequence they are in."""
    given = calculation.orders.given
    if len(given) < 2 or bool((given[1:] > given[:-1]).all()):
        return None
    found: Integers = np.argsort(given, kind="stable")
    return found
