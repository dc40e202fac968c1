"""Agreed terms: the table answers and figures that an order keeps once it leaves draft, laid over those of today."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np

from dokima.columns.column import Column, column_of, value_at, values_of
from dokima.columns.flags import Flags
from dokima.columns.positions import take_or_blank
from dokima.exact import Decimals, from_fractions
from dokima.exact.integers import Mask
from dokima.formulas import Formula, Level
from dokima.formulas.operators import alike, pick
from dokima.model.agreed_terms import Agreed, AgreedTerms
from dokima.model.content import plain
from dokima.model.fields import Field
from dokima.model.orders import Orders
from dokima.model.values import BadValue, ValueReader
from dokima.pricing.program import Program, Run
from dokima.pricing.steps.results import KeptTax
from dokima.tables.table import AMOUNT, Table


@dataclass(frozen=True)
class KeptOrder:
    """What one order keeps.

    Attributes:
        terms: Its agreed terms.
        unchanged: Whether nothing that its figures follow from has changed since they were kept.
    """

    terms: AgreedTerms
    unchanged: bool

    @property
    def frozen(self) -> bool:
        """Whether tax and advance are kept as they were too."""
        return self.unchanged and self.terms.frozen


def kept_orders(program: Program, orders: Orders, run: Run) -> list[KeptOrder | None] | None:
    """What each order keeps; None if none keeps anything. A draft keeps nothing, unless the run says otherwise."""
    records = orders.records.get("terms")
    if records is None or not any(records) or run.terms == "ignore":
        return None
    base = orders.unfilled or orders
    state, first = base.header("state"), program.definition.lifecycle.first
    states = values_of(state) if run.terms == "by state" else [""] * orders.count
    kept = [None if (known or first) == first and run.terms == "by state" else orders.terms(at)
            for at, known in enumerate(states)]  # fmt: skip
    digests: dict[int, str] = {}
    for names in {frozenset(terms.fields) for terms in kept if terms is not None}:
        mine = [at for at, terms in enumerate(kept) if terms is not None and names == frozenset(terms.fields)]
        digests |= zip(mine, base.select(np.array(mine, np.int64)).digests(names), strict=True)
    found = [None if terms is None else KeptOrder(terms, digests[at] == terms.digest) for at, terms in enumerate(kept)]
    return found if any(found) else None


@dataclass
class _Gathered:
    """Values of one name and the places they belong to."""

    places: list[int] = field(default_factory=list)
    values: list[Any] = field(default_factory=list)

    def add(self, place: int, value: Any) -> None:
        self.places.append(place)
        self.values.append(value)

    def column(self, kind: Any, length: int) -> tuple[Mask, Column]:
        """A mask of the places that have a value of their own, and the values at them."""
        spec, reader = Field("", kind), ValueReader()
        known: dict[Any, Any] = {}  # many lines keep the same, and most kept values are texts
        for value in dict.fromkeys(each for each in self.values if isinstance(each, str)):
            known[value] = _read(reader, spec, value)
        read = [known[each] if isinstance(each, str) else _read(reader, spec, each) for each in self.values]
        place = np.full(length, -1, np.int64)
        place[self.places] = np.arange(len(self.places))
        return place >= 0, take_or_blank(column_of(kind, read), place)


def _read(reader: ValueReader, spec: Field, value: Any) -> Any:
    """A kept value as the field holds it; None where the table's column has changed its kind since: what was kept
    cannot be told in today's.
    """
    try:
        return reader.read(spec, value)
    except BadValue:
        return None


Band = Sequence[str | None]
"""A band of a graduated price as it is kept: from which value on it counts, its price, and per how many units."""


@dataclass(frozen=True, eq=False)
class AgreedColumns:
    """What the orders of a piece keep, as columns.

    Attributes:
        answers: By dotted name of a table's column: where it is kept, and the values.
        asked: By table, for each order or line (the table's level) whether its answer is kept.
        found: By table, the same places and whether a row had been found.
        bands: By graduated table, for each line its kept bands.
        figures: By figure: where it stands as kept, and the amounts.
        taxes: By tax step, what each line is taxed with.
        frozen: Lines whose tax and advance stand as they were too.
        emptied: Orders from which a settlement took every line: whatever is worked out for such an order is 0.
        orders: Orders that keep terms.
        lines: Lines that keep terms.
        checked: Lines whose figures were computed when they were kept, so that formulas must reproduce them.
        rows: By table, for each place the row that had answered, in words.
        agreed_on: Day on which the answers at a place were agreed, as far as it was noted.
        asks: By table that reads a field of ``reprice_on`` over several lines, what each of its formulas had asked.
        own: Answers of tables of the header that a line keeps otherwise than its order does, because it comes from a
            document with another header: where, and the values, by dotted name.
    """

    answers: Mapping[str, tuple[Mask, Column]]
    asked: Mapping[str, Mask]
    found: Mapping[str, tuple[Mask, Mask]]
    bands: Mapping[str, Mapping[int, Sequence[Band]]]
    figures: Mapping[str, tuple[Mask, Decimals]]
    taxes: Mapping[str, KeptTax]
    frozen: Mask
    emptied: Mask
    orders: Mask
    lines: Mask
    checked: Mask
    rows: Mapping[str, Mapping[int, str]]
    agreed_on: Mapping[tuple[Level, int], str] = field(default_factory=dict)
    asks: Mapping[str, Sequence[tuple[Mask, Column]]] = field(default_factory=dict)
    own: Mapping[str, tuple[Mask, Column]] = field(default_factory=dict)

    def by_line(self, name: str, of_orders: Column) -> Column:
        """An answer of a table of the header, once per line: that of its order, or the one that a line has of its own.

        Args:
            name: Dotted name of the column.
            of_orders: The answer of each line's order.
        """
        if name not in self.own:
            return of_orders
        kept, values = self.own[name]
        return pick(kept, values, alike(values, of_orders)[1])

    def over(self, name: str, today: Column, graded: Column | None = None, moved: Mask | None = None) -> Column:
        """The answers of today with the kept ones in their places; of a graduated table worked out from kept bands.

        Args:
            name: Dotted name of the column.
            today: What the table says today.
            graded: Of a graduated table the value that is graded.
            moved: Places where what the table is asked has moved, so that today's answer counts.
        """
        table, _, column = name.partition(".")
        if column == AMOUNT and table in self.bands and graded is not None:
            places = sorted(self.bands[table])
            amounts = [_by_bands(self.bands[table][at], value_at(graded, at)) for at in places]
            kept, values = self._spread(places, amounts, len(today))
            return pick(kept, values, alike(values, today)[1])
        if name not in self.answers:
            return today
        kept, values = self.answers[name]
        kept = kept if moved is None else kept & ~moved
        return pick(kept, values, alike(values, today)[1])

    @staticmethod
    def _spread(places: Sequence[int], values: Sequence[Fraction | None], length: int) -> tuple[Mask, Column]:
        place = np.full(length, -1, np.int64)
        place[places] = np.arange(len(places))
        return place >= 0, take_or_blank(from_fractions(values), place)


def _by_bands(bands: Sequence[Band], value: Decimal | None) -> Fraction | None:
    """What a value comes to, band by band; a negative one mirrors."""
    if value is None:
        return None
    whole, rest = Fraction(0), abs(Fraction(value))
    for least, price, base in reversed(bands):
        start = Fraction(least or 0)
        if rest > start:
            if price is None or base is None or not Fraction(base):
                return None
            whole += (rest - start) * Fraction(price) / Fraction(base)
            rest = start
    return whole if value >= 0 else -whole


def _kept_tax(kept: Mapping[int, Mapping[str, Any] | None], length: int) -> KeptTax:
    """What lines are taxed with as columns; None is a line that the tax does not meet."""
    parts = {name: _Gathered() for name in ("there", "percent", "category", "reason")}
    for place, tax in kept.items():
        parts["there"].add(place, tax is not None)
        for name in ("percent", "category", "reason"):
            parts[name].add(place, None if tax is None else tax.get(name))
    there, applies = parts["there"].column("flag", length)
    percent = parts["percent"].column("decimal", length)[1]
    texts = [parts[name].column("text", length)[1] for name in ("category", "reason")]
    assert isinstance(applies, Flags)
    return KeptTax(there, applies.is_true(), percent, *texts)  # type: ignore[arg-type]


def shared_asks(table: Table, reprice_on: Sequence[str]) -> list[Formula]:
    """The formulas of a table that read a field of ``reprice_on`` over several lines: another line may move them."""
    return [
        formula
        for formula in table.formulas()
        if any(name in reprice_on for name in formula.reads) and any(node.gathers for node in formula.root.walk())
    ]


def agreed_columns(program: Program, orders: Orders, kept: Sequence[KeptOrder | None]) -> AgreedColumns | None:
    """What orders keep, as columns beside their lines.

    A line whose own fields named in ``reprice_on`` have changed keeps nothing; if one of the header has, no line does.

    Args:
        program: The rulebook.
        orders: The orders, lines without sub-lines only.
        kept: What each of them keeps.
    """
    if not any(kept):
        return None
    gathering = _Gathering(program, orders)
    for at, each in enumerate(kept):
        if each is not None and gathering.applies(each.terms, at, "header"):
            gathering.take_order(at, each)
    return gathering.columns()


class _Gathering:
    def __init__(self, program: Program, orders: Orders) -> None:
        self.program = program
        self.orders = orders
        self.answers: dict[str, _Gathered] = {}
        self.own: dict[str, _Gathered] = {}
        self.found: dict[str, _Gathered] = {}
        self.bands: dict[str, dict[int, Sequence[Band]]] = {}
        self.figures: dict[str, _Gathered] = {}
        self.rows: dict[str, dict[int, str]] = {}
        self.asks: dict[str, dict[int, _Gathered]] = {}
        self.checked = np.zeros(orders.line_count, bool)
        self.frozen = np.zeros(orders.line_count, bool)
        self.emptied = np.zeros(orders.count, bool)
        self.taxes: dict[str, dict[int, Mapping[str, Any] | None]] = {}
        self.agreed_on: dict[tuple[Level, int], str] = {}
        self.kept_orders = np.zeros(orders.count, bool)
        self.kept_lines = np.zeros(orders.line_count, bool)

    def applies(self, agreed: Agreed, at: int, level: str) -> bool:
        """Whether the fields that would call for a new price are what they were."""
        column = self.orders.header if level == "header" else self.orders.line
        known = self.orders.fields.header if level == "header" else self.orders.fields.line
        basis = agreed.basis.items()
        return all(name in known and plain(value_at(column(name), at)) == value for name, value in basis)

    def take_order(self, at: int, kept: KeptOrder) -> None:
        self._take_answers(kept.terms, at)
        self.kept_orders[at] = True
        self.agreed_on[Level.HEADER, at] = kept.terms.day
        where = self.orders.lines_of(at)
        self.emptied[at] = bool(kept.terms.emptied) and where.start == where.stop
        for place in range(where.start, where.stop):
            line = kept.terms.lines.get(self.orders.line_numbers[place])
            if line is None or not self.applies(line, place, "line"):
                continue
            self._take_answers(line, place, self._take_own(line, place))
            self.kept_lines[place] = True
            self.frozen[place] = kept.frozen
            for step, tax in line.taxes.items():
                self.taxes.setdefault(step, {})[place] = tax
            self.agreed_on[Level.LINE, place] = line.day
            if kept.unchanged:
                # Settled figures were shared out, so formulas need not give them; computed ones must be reproduced.
                self.checked[place] = not kept.terms.settled
                for name, value in line.figures.items():
                    self.figures.setdefault(name, _Gathered()).add(place, value)

    def _take_own(self, line: Agreed, place: int) -> Collection[str]:
        """Take the answers of a line that are those of another header; the names of them."""
        tables, found = self.program.tables, []
        for name, value in line.answers.items():
            table, _, column = name.partition(".")
            if table in tables and tables[table].level is Level.HEADER:
                found.append(name)
                if column in tables[table].fields:
                    self.own.setdefault(name, _Gathered()).add(place, value)
        return found

    def _take_answers(self, agreed: Agreed, place: int, aside: Collection[str] = ()) -> None:
        for name, value in agreed.answers.items():
            table, _, column = name.partition(".")
            if name in aside:
                continue
            if table in self.program.tables and column in self.program.tables[table].fields:
                if column == AMOUNT and isinstance(value, list):
                    self.bands.setdefault(table, {})[place] = value
                else:
                    self.answers.setdefault(name, _Gathered()).add(place, value)
        for table, values in agreed.asks.items():
            for at, value in enumerate(values):
                self.asks.setdefault(table, {}).setdefault(at, _Gathered()).add(place, value)
        for table, row in agreed.rows.items():
            self.found.setdefault(table, _Gathered()).add(place, row is not None)
            self.rows.setdefault(table, {})[place] = row or ""

    def _length(self, table: str) -> int:
        level = self.program.tables[table].level
        return self.orders.count if level is Level.HEADER else self.orders.line_count

    def columns(self) -> AgreedColumns:
        tables, length = self.program.tables, self.orders.line_count
        found: dict[str, tuple[Mask, Mask]] = {}
        for table, each in self.found.items():
            if table in tables:
                mask, column = each.column("flag", self._length(table))
                found[table] = mask, ~column.is_missing() & np.asarray(column.values)  # type: ignore[union-attr]
        figures = {name: each.column("decimal", length) for name, each in self.figures.items()}
        return AgreedColumns(
            answers={
                name: each.column(tables[table].fields[column].kind, self._length(table))
                for name, each in self.answers.items()
                for table, _, column in [name.partition(".")]
            },
            own={
                name: each.column(tables[table].fields[column].kind, length)
                for name, each in self.own.items()
                for table, _, column in [name.partition(".")]
            },
            asked={table: mask for table, (mask, _) in found.items()},
            found=found,
            bands=self.bands,
            figures={name: (mask, column) for name, (mask, column) in figures.items() if isinstance(column, Decimals)},
            taxes={step: _kept_tax(kept, length) for step, kept in self.taxes.items()},
            frozen=self.frozen,
            emptied=self.emptied,
            orders=self.kept_orders,
            lines=self.kept_lines,
            checked=self.checked,
            rows=self.rows,
            agreed_on=self.agreed_on,
            asks={
                name: [
                    parts[at].column(formula.kind if formula.kind != "blank" else "text", self._length(name))
                    for at, formula in enumerate(shared_asks(tables[name], self.program.definition.reprice_on))
                    if at in parts
                ]
                for name, parts in self.asks.items()
                if name in tables
            },
        )
