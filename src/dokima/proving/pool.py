"""A pool of orders near those that are known, priced and checked all at once: who reaches what."""

from __future__ import annotations

import datetime
import itertools
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.errors import DokimaError
from dokima.formulas import Formula
from dokima.model.intake import read_documents
from dokima.model.order import Order
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.proving.boundaries import Boundaries
from dokima.proving.cases import Case
from dokima.proving.examples import Examples, document, header_of
from dokima.proving.reaching import reached
from dokima.proving.running_cases import Batch
from dokima.proving.tables_reached import edge_parts, summed
from dokima.proving.target import Target
from dokima.tables.table import Table

MOST_SEEDS = 16
"""Orders whose neighbours are looked at."""
MOST_ROWS = 3
"""Rows of a table for which an order is made where no case is near."""
MOST_TOGETHER = 240
"""Changes of several fields at once that are tried for one target."""
CHANGES = 3
"""Fields that are changed at once, at most."""

Document = Mapping[str, Any]
"""An order as plain data."""
Change = tuple[str, Any]
"""A field, and the value it gets; None for a blank."""


@dataclass
class Pool:
    """Orders, and what each of them reaches.

    Attributes:
        program: The rulebook.
        today: For ``run.today``.
        documents: The orders as plain data.
        changes: How many fields each has otherwise than a known order.
        hits: For each target which orders reach it.
        flawed: How many findings each has.
        batches: The orders as they were priced.
    """

    program: Program
    today: datetime.date
    documents: list[Document] = field(default_factory=list)
    changes: list[int] = field(default_factory=list)
    hits: dict[Target, set[int]] = field(default_factory=dict)
    flawed: dict[int, int] = field(default_factory=dict)
    batches: list[Batch] = field(default_factory=list)
    _known: set[str] = field(default_factory=set)

    def __len__(self) -> int:
        return len(self.documents)

    def add(self, found: Iterable[tuple[Document, int]], *, rows: int = 0) -> None:
        """Price and check orders, and keep those that can be read.

        Args:
            found: Orders, and how many fields of each were changed.
            rows: Of how many lines the rows of tables are looked at.
        """
        new = [(each, count) for each, count in found if self._is_new(each)]
        batch, kept = checked(self.program, [each for each, _ in new], self.today)
        if batch is None:
            return
        start = len(self.documents)
        self.documents += [new[at][0] for at in kept]
        self.changes += [new[at][1] for at in kept]
        self.batches.append(batch)
        for target, orders in reached(batch, np.ones(batch.orders.count, bool), rows):
            self.hits.setdefault(target, set()).update((np.unique(orders) + start).tolist())
        self.flawed |= {start + at: count for at, count in flaws(batch).items()}

    def _is_new(self, order: Document) -> bool:
        said = repr(order)
        is_new = said not in self._known
        self._known.add(said)
        return is_new


def checked(program: Program, documents: Sequence[Document], today: datetime.date) -> tuple[Batch | None, list[int]]:
    """Orders priced with their trace, to be asked at every moment; and the places of those that could be read."""
    made: dict[int, Order] = {}
    for at, each in enumerate(documents):
        try:
            made[at] = Order.from_dict({**each, "number": f"S-{at}"})
        except DokimaError:
            continue
    orders = read_documents(list(made.values()), program.fields)
    wrong = {problem.order for problem in orders.problems}
    if wrong:
        made = {at: order for at, order in made.items() if order.number not in wrong}
        orders = read_documents(list(made.values()), program.fields)
    if not made:
        return None, []
    run = Run(today, "case")
    pricing = price_orders(program, orders, run, traced=True)
    cases = {order.number: Case(order.number) for order in made.values()}
    return Batch(cases, program, orders, pricing, "", run, tuple(program.definition.moments)), list(made)


def flaws(batch: Batch) -> Counter[int]:
    """How many findings pricing gave each order, by its place in the batch; orders without any are left out."""
    places = {number: at for at, number in enumerate(batch.orders.numbers)}
    return Counter(places[finding.order] for finding in batch.pricing.calculation.findings)


def seeds(program: Program, cases: Sequence[Case], today: datetime.date) -> list[Document]:
    """Orders to begin with: those of cases, and one for each routine and for some rows of each table."""
    found = [
        each.order
        for each in cases
        if isinstance(each.order, Mapping) and each.order.get("lines") and not (each.edit or each.change or each.set)
    ]
    examples = Examples(program, today)
    for routine in program.routines:
        found.append(example_document(program, {**examples.first, **header_of(routine)}))
    for table in program.tables.values():
        for row in range(min(table.size, MOST_ROWS)):
            example = examples.of(table, [row])
            if example is not None:
                found.append(example_document(program, example))
    return found or [example_document(program, examples.first)]  # of rules alone


def example_document(program: Program, example: Mapping[str, Any]) -> Document:
    """An order of an example, with what an order of the rulebook must say."""
    known = dict(example)
    for level, fields in (("header", program.fields.header), ("line", program.fields.line)):
        for name, each in fields.items():
            if each.required and each.default is None and f"{level}.{name}" not in known and each.choices:
                known[f"{level}.{name}"] = each.choices[0]
    made = document("S", {name: plain(value) for name, value in known.items() if value is not None})
    made.pop("number")
    path = str(known.get("line.number") or "").split("/")
    if path[0]:  # a line of a schedule stands below its section
        above = [{"number": "/".join(path[:depth])} for depth in range(1, len(path))]
        made["lines"] = [*above, {**made["lines"][0], "number": "/".join(path)}]
    return made


def near_rows(
    program: Program, targets: Iterable[Target], boundaries: Boundaries, today: datetime.date
) -> Iterator[Document]:
    """For each row whose break is aimed at orders below, at and above it; for each first or last day orders on it."""
    targets, examples = list(targets), Examples(program, today)
    for name, column, day in [edge_parts(each.name) for each in targets if each.kind == "edges"]:
        yield from _on_the_day(program, program.tables[name], column, day, examples, boundaries)
    for name in [target.name for target in targets if target.kind == "together"]:
        yield from _two_lines(program, program.tables[name], examples, boundaries)
    for name, number in dict.fromkeys((each.name, each.place) for each in targets if each.kind == "tables"):
        table = program.tables[name]
        for row in [row for row in range(table.size) if table.source.row_number(row) == number]:
            example = examples.of(table, [row])
            for each in table.breaks if example is not None else ():
                least = value_at(each.least, row)
                for field_ in boundaries.behind(each.value.reads) if least is not None else ():
                    order = example_document(program, example or {})
                    yield from (changed(order, [(field_, value)]) for value in boundaries.around(field_, least))


def _two_lines(program: Program, table: Table, examples: Examples, boundaries: Boundaries) -> Iterator[Document]:
    """Orders of two lines of one group that reach a break together and not alone, of two items where there are."""
    for each, own in summed(table):
        levels = [(row, value_at(each.least, row)) for row in range(table.size)]
        numbers = boundaries.numbers_behind({each.name for each in own.walk() if each.name})
        for row, value in [level for level in levels if level[1] is not None and level[1] > 1][:MOST_ROWS]:
            example = examples.of(table, [row])
            for name in numbers if example is not None else ():
                order = changed(
                    example_document(program, example or {}), [(name, value // 2 + 1 if each.above else -(-value // 2))]
                )
                for key, other in _of_one_group(program, each.value, order):
                    yield with_line(order, [(key, other)])
                yield with_line(order, [])


def _of_one_group(program: Program, formula: Formula, order: Document) -> Iterator[tuple[str, Any]]:
    """Another key by which a line falls into the group of the line of an order: an item of the same family."""
    root = formula.root
    by = root.operands[root.roles.index("by")].name if "by" in root.roles else ""
    head, _, column = by.partition(".")
    group = program.tables.get(head)
    if group is None or not group.definition.is_key or len(group.conditions) != 1 or column not in group.columns:
        return
    ((name, key),) = group.conditions.items()
    mine = leaf_of(order).get(key.root.name.partition(".")[2])
    cells = [(value_at(group.cells[name], row), value_at(group.columns[column], row)) for row in range(group.size)]
    wanted = next((kin for value, kin in cells if value == mine), None)
    yield from [(key.root.name, value) for value, kin in cells if kin == wanted and value != mine][:1]


def _on_the_day(
    program: Program, table: Table, column: str, day: str, examples: Examples, boundaries: Boundaries
) -> Iterator[Document]:
    """Orders that ask for a row on its first or its last day, with what its breaks ask for."""
    assert table.window is not None
    dates = boundaries.behind(table.window.on.reads)
    rows = [row for row in range(table.size) if str(value_at(table.cells[column], row)) == day]
    for row in rows[:MOST_ROWS]:
        example = examples.of(table, [row])
        if example is not None:
            changes: list[Change] = [(name, datetime.date.fromisoformat(day)) for name in dates]
            for each in table.breaks:
                least = each.reached_at(row)
                changes += [(name, least) for name in boundaries.behind(each.value.reads)[:1] if least is not None]
            yield changed(example_document(program, example), changes)


def plain(value: Any) -> Any:
    """A value as an order's document has it."""
    if isinstance(value, Decimal):
        return format(value, "f")
    return value.isoformat() if isinstance(value, datetime.date) else value


def changed(order: Document, changes: Sequence[Change]) -> Document:
    """An order with some fields changed: those of a line in the first without sub-lines, of a parent in that above."""
    lines = [dict(line) for line in order["lines"]]
    made: dict[str, Any] = {**order, "lines": lines}
    leaf = leaf_of(made)
    above = str(leaf.get("number", "")).rpartition("/")[0]
    parent = next((line for line in lines if above and str(line.get("number")) == above), None)
    for name, value in changes:
        level, _, what = name.partition(".")
        place = {"header": made, "parent": parent}.get(level, leaf)
        if place is None:
            continue
        if value is None:
            place.pop(what, None)
        else:
            place[what] = plain(value)
    return made


def leaf_of(order: Document) -> dict[str, Any]:
    """The first line that has no sub-lines."""
    parents = {str(line.get("number", "")).rpartition("/")[0] for line in order["lines"]} - {""}
    leaf: dict[str, Any] = next(line for line in order["lines"] if str(line.get("number", "")) not in parents)
    return leaf


def with_line(order: Document, changes: Sequence[Change]) -> Document:
    """An order with one line more, like its last one but for some fields."""
    last = order["lines"][-1]
    number = str(1000 + 10 * len(order["lines"]))
    alone = {**order, "lines": [{**last, "number": number}]}
    return {**order, "lines": [*order["lines"], changed(alone, changes)["lines"][0]]}


def neighbours(order: Document, boundaries: Boundaries) -> Iterator[Document]:
    """Orders that differ from one in a single field."""
    for name, values in boundaries.values.items():
        for value in values:
            yield changed(order, [(name, value)])


def further(
    order: Document, names: Sequence[str], boundaries: Boundaries, *, several: bool
) -> Iterator[tuple[Document, int]]:
    """Orders that differ from one in two or three of some fields, the fewest first.

    Args:
        order: The order.
        names: The fields.
        boundaries: Their values.
        several: Whether an order is also tried with a line more.
    """
    choices = {name: boundaries.values.get(name, []) for name in names}
    for name in choices if several else ():
        if name.startswith("line."):
            for value in choices[name]:
                yield with_line(order, [(name, value)]), 1
    for count in range(2, CHANGES + 1):
        made = itertools.chain.from_iterable(
            _spread([choices[name] for name in some], some) for some in itertools.combinations(choices, count)
        )
        for changes in itertools.islice(made, MOST_TOGETHER // 2):
            yield changed(order, changes), count


def _spread(choices: Sequence[Sequence[Any]], names: Sequence[str]) -> Iterator[list[Change]]:
    """Combinations of values, each value of each field soon: counted through at different paces."""
    if not all(choices):
        return
    sizes = [len(each) for each in choices]
    seen: set[tuple[int, ...]] = set()
    for step in range(max(sizes) * 4):
        at = tuple((step + step // size * place) % size for place, size in enumerate(sizes))
        if at not in seen:
            seen.add(at)
            yield [(name, values[place]) for name, values, place in zip(names, choices, at, strict=True)]
