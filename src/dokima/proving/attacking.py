"""Attacks on proofs: two rulebooks that were proved to say the same are run on every boundary value that may tell them.

A proof reads formulas; an attack runs them. Where one order comes out otherwise, the proof was wrong.
"""

from __future__ import annotations

import datetime
import itertools
import random
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import Enum
from typing import Any

from dokima.columns.column import value_at
from dokima.compiling.places import formula_places
from dokima.formulas.comparing import shape
from dokima.limits import ATTACK_ORDERS
from dokima.model.fields import Field
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import price_orders
from dokima.proving.boundaries import Boundaries
from dokima.proving.examples import Examples
from dokima.proving.pool import Document, checked, example_document, leaf_of, plain, seeds
from dokima.proving.telling_apart import priced_apart, ruled_apart

TODAY = datetime.date(2026, 1, 1)
"""The day of an order where nothing asks for another."""
SUMS = ("line.delivered",)
"""Fields that are worked out of others, so that they may have values that nobody could give."""
MOST_BASES = 4
"""Orders whose fields are varied."""


class Missing(Enum):
    """What a field may be beside a value: not given, so that a default stands in, or given as blank."""

    ABSENT = "absent"
    BLANK = "blank"


@dataclass(frozen=True)
class Attack:
    """What came of an attack.

    Attributes:
        orders: How many orders were tried.
        every: Whether these are all combinations of the values; else each pair of values, and drawn ones.
        difference: The first order that comes out otherwise, as plain data; None for none.
    """

    orders: int
    every: bool
    difference: Document | None = None


def attack(program: Program, changed: Program, at: tuple[str, int] | None = None) -> Attack:
    """Run two rulebooks on all boundary values of the fields that stand behind their difference.

    Args:
        program: The rulebook.
        changed: What was proved to say the same.
        at: Where they differ in a row of a table: the table, and the position of the row.
    """
    names, bases = _behind(program, changed, at)
    values = {name: _values(name, program, changed, at) for name in sorted(names)}
    combinations, every = _combinations(list(values.values()), ATTACK_ORDERS // max(1, len(bases)))
    documents = [_with(base, dict(zip(values, each, strict=True))) for base in bases for each in combinations]
    batch, kept = checked(program, documents, TODAY)
    if batch is None:
        return Attack(0, every)
    apart = priced_apart(batch.pricing.calculation, price_orders(changed, batch.orders, batch.run).calculation)
    apart |= ruled_apart(batch, changed)
    return Attack(len(kept), every, documents[kept[min(apart)]] if apart else None)


def _behind(program: Program, changed: Program, at: tuple[str, int] | None) -> tuple[set[str], list[Document]]:
    """The fields of an order behind the difference, and orders to begin with."""
    boundaries = Boundaries(program, TODAY)
    begin = seeds(program, [], TODAY) or [example_document(program, {"header.date": TODAY, "line.quantity": 1})]
    if at is not None:
        name, row = at
        table = program.tables[name]
        example = Examples(program, TODAY).of(table, [row])
        first = [example_document(program, example)] if example is not None else []
        return set(boundaries.behind(table.behind)), [*first, *begin][:MOST_BASES]
    reads: set[str] = set()
    for one, other in zip(formula_places(program), formula_places(changed), strict=True):
        if shape(one.formula.root) != shape(other.formula.root):
            reads |= {*one.formula.reads, *other.formula.reads}
            reads |= {f"{name}." for name in (*one.formula.tables, *other.formula.tables)}
    names = set(boundaries.behind(reads)) | (set(SUMS) & reads)
    return names, begin[:MOST_BASES]


def _values(name: str, program: Program, changed: Program, at: tuple[str, int] | None) -> list[Any]:
    """What a field is tried with: boundaries of both rulebooks, zero, their negatives, blank, absent."""
    found: list[Any] = list(Missing)
    for each in (program, changed):
        boundaries = Boundaries(each, TODAY)
        found += [value for value in boundaries.values.get(name, []) if value is not None]
        found += _of_row(name, each, boundaries, at)
    numbers = [value for value in found if isinstance(value, int | Decimal) and not isinstance(value, bool)]
    found += [-Decimal(value) for value in numbers]
    level, _, field = name.partition(".")
    spec = (program.fields.header if level == "header" else program.fields.line)[field]
    return [value for value in dict.fromkeys(found) if name in SUMS or _fits(value, spec)]


def _fits(value: Any, spec: Field) -> bool:
    """Whether a field can have a value: a number no more places than it has."""
    if isinstance(value, bool) or not isinstance(value, int | Decimal):
        return True
    places = 0 if spec.kind == "integer" else spec.places
    return places is None or Decimal(value) == round(Decimal(value), places)


def _of_row(name: str, program: Program, boundaries: Boundaries, at: tuple[str, int] | None) -> Iterator[Any]:
    """What stands beside the breaks and the ends of the window of a row."""
    if at is None:
        return
    table = program.tables[at[0]]
    for each in table.breaks:
        least = value_at(each.least, at[1])
        if least is not None and name in boundaries.behind(each.value.reads):
            yield from boundaries.around(name, least)
    if table.window is not None and name in boundaries.behind(table.window.on.reads):
        for end in table.window.names:
            day = value_at(table.columns[end], at[1]) if end else None
            if day is not None:
                yield from boundaries.around(name, day)


def _combinations(values: Sequence[Sequence[Any]], most: int) -> tuple[list[tuple[Any, ...]], bool]:
    """All combinations if there are at most so many; else each pair of values of two fields, and drawn ones."""
    count = 1
    for each in values:
        count *= len(each)
    if count <= most:
        return list(itertools.product(*values)), True
    drawn = random.Random(2026)  # the same ones each time
    found = dict.fromkeys(itertools.islice(_pairs(values, drawn), most // 2))
    while len(found) < most:
        found[tuple(drawn.choice(each) for each in values)] = None
    return list(found), False


def _pairs(values: Sequence[Sequence[Any]], drawn: random.Random) -> Iterator[tuple[Any, ...]]:
    for one, other in itertools.combinations(range(len(values)), 2):
        for pair in itertools.product(values[one], values[other]):
            row = [drawn.choice(each) for each in values]
            row[one], row[other] = pair
            yield tuple(row)


def _with(base: Document, values: Mapping[str, Any]) -> Document:
    """An order with values of fields; what is delivered of its line comes by two deliveries."""
    made: dict[str, Any] = {**base, "lines": [dict(line) for line in base["lines"]]}
    leaf = leaf_of(made)
    for name, value in values.items():
        level, _, field = name.partition(".")
        if name in SUMS:
            made["deliveries"] = list(_deliveries(leaf, value))
            continue
        place = made if level == "header" else leaf
        if value is Missing.ABSENT:
            place.pop(field, None)
        else:
            place[field] = None if value is Missing.BLANK else plain(value)
    return made


def _deliveries(line: Mapping[str, Any], value: Any) -> Iterable[Mapping[str, Any]]:
    if isinstance(value, int | Decimal):
        for number in (1, 2):
            half = plain(Decimal(value) / 2)
            yield {"id": f"D{number}", "line": line["number"], "quantity": half, "state": "delivered"}
