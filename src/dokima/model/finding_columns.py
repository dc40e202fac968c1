"""Findings of many lines as columns: each becomes a `Finding` only where somebody looks at it.

A rule that refuses half a million lines says the same of all of them but for where it is and what it saw. To make an
object of each takes a hundred times as long as the rule.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

import numpy as np

from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import begins
from dokima.model.addresses import Address, read_address
from dokima.model.finding import Finding
from dokima.model.orders import Orders, texts

FEW = 200
"""Findings of a rule up to which they are made at once: so few cost nothing, and keep no columns alive."""
CHUNK = 10_000
"""Findings made together where all are asked for in turn."""


class Told(Protocol):
    """What is said of rows that were refused, put together where somebody asks."""

    def messages(self, rows: Integers) -> Sequence[str]:
        """The messages of some rows."""

    def seen(self, rows: Integers) -> Mapping[str, Sequence[Any]]:
        """The values that were seen in some rows, by name."""


@dataclass(frozen=True)
class OneMessage:
    """The same message for every row, and no values."""

    message: str

    def messages(self, rows: Integers) -> Sequence[str]:
        """The message, once a row."""
        return [self.message] * len(rows)

    def seen(self, rows: Integers) -> Mapping[str, Sequence[Any]]:  # noqa: ARG002
        """None."""
        return {}


class OrderPlaces:
    """Where each of some orders stands among them, by its number.

    Args:
        numbers: The order numbers in their sequence.
    """

    def __init__(self, numbers: Texts) -> None:
        self._words, codes = numbers.words, numbers.codes
        # The orders of a piece have neighbouring codes, however many words all orders share.
        self._low = int(codes.min()) if len(codes) else 0
        self._at = np.full(int(codes.max(initial=self._low)) - self._low + 2, len(codes))
        self._at[codes - self._low] = np.arange(len(codes))

    def of_column(self, numbers: Texts) -> Integers:
        """For each number where its order stands; the count of orders for a number that is none of theirs."""
        at = numbers.in_words(self._words) - self._low
        places: Integers = self._at[np.where((at < 0) | (at >= len(self._at)), -1, at)]
        return places


@dataclass(frozen=True, eq=False)
class Refusals:
    """What one rule found at one moment, a row for each order or line that it refused.

    Attributes:
        common: What all rows share: the finding without its order, line, message and values.
        order_numbers: The order of each row.
        line_numbers: The line of each row; None for a rule of the order.
        told: What is said of them.
    """

    common: Finding
    order_numbers: Texts
    line_numbers: Texts | None
    told: Told

    @classmethod
    def of(cls, common: Finding, source: Orders, orders: Integers, lines: Integers | None, told: Told) -> Refusals:
        """What was found of some orders or lines.

        Args:
            common: What all rows share.
            source: The orders.
            orders: For each row the position of its order.
            lines: For each row the position of its line; None for a rule of the order.
            told: What is said of them.
        """
        line_numbers = None if lines is None else texts(source.line("number")).take(lines)
        return cls(common, texts(source.header("number")).take(orders), line_numbers, told)

    def __len__(self) -> int:
        return len(self.order_numbers)

    def findings(self, rows: Integers) -> list[Finding]:
        """Some rows as findings."""
        common = self.common
        seen = map(dict, _rows_of(self.told.seen(rows), len(rows)))
        rows_of = zip(self.orders(rows), self.lines(rows), self.told.messages(rows), seen, strict=True)
        return [
            Finding(
                common.rule, common.severity, message, order, line, common.field, saw, common.undecided,
                common.moment, common.help,
            )
            for order, line, message, saw in rows_of
        ]  # fmt: skip

    def orders(self, rows: Integers) -> list[str]:
        """Order numbers of some rows."""
        return [number or "" for number in self.order_numbers.take(rows).to_list()]

    def lines(self, rows: Integers) -> list[str]:
        """Line numbers of some rows."""
        if self.line_numbers is None:
            return [""] * len(rows)
        return [number or "" for number in self.line_numbers.take(rows).to_list()]

    def column(self, name: str, rows: Integers) -> Sequence[Any]:
        """One attribute of some rows."""
        match name:
            case "order":
                return self.orders(rows)
            case "line":
                return self.lines(rows)
            case "message":
                return self.told.messages(rows)
            case "values":
                return [dict(row) for row in _rows_of(self.told.seen(rows), len(rows))]
        return [getattr(self.common, name)] * len(rows)

    def shown_values(self, rows: Integers) -> Mapping[str, Sequence[str | None]]:
        """The values seen in some rows as text; each distinct one is written once."""
        written = {}
        for name, values in self.told.seen(rows).items():
            known = {value: None if value is None else shown(value) for value in set(values)}
            written[name] = [known[value] for value in values]
        return written

    def ranks(self, orders: OrderPlaces, lines: Mapping[str, int], rules: Mapping[str, int]) -> Integers:
        """For each row the ranks of its order, of its line and of its rule, one below the other."""
        count, order = len(self), orders.of_column(self.order_numbers)
        one = np.full(count, lines[""], np.int64)
        line = one if self.line_numbers is None else self.line_numbers.mapped(lines.__getitem__)
        return np.stack([order, line, np.full(count, rules[self.common.rule], np.int64)])

    @property
    def rules(self) -> set[str]:
        """The rules there are, each once."""
        return {self.common.rule}

    @cached_property
    def known_lines(self) -> set[str]:
        """The line numbers there are, each once."""
        return {""} if self.line_numbers is None else set(self.line_numbers.distinct().values())


@dataclass(frozen=True, eq=False)
class _Singles:
    """Findings that were made one by one, among columns."""

    items: Sequence[Finding]

    def __len__(self) -> int:
        return len(self.items)

    def findings(self, rows: Integers) -> list[Finding]:
        return [self.items[at] for at in rows.tolist()]

    def column(self, name: str, rows: Integers) -> Sequence[Any]:
        return [getattr(self.items[at], name) for at in rows.tolist()]

    def ranks(self, orders: OrderPlaces, lines: Mapping[str, int], rules: Mapping[str, int]) -> Integers:
        order = orders.of_column(Texts.of([each.order for each in self.items])).tolist()
        ranks = [(at, lines[each.line], rules[each.rule]) for at, each in zip(order, self.items, strict=True)]
        return np.array(ranks, np.int64).T

    @property
    def rules(self) -> set[str]:
        return {each.rule for each in self.items}

    @property
    def known_lines(self) -> set[str]:
        return {each.line for each in self.items}


Part = Refusals | _Singles
Found = Finding | Refusals


class FindingColumns(Sequence[Finding]):
    """Findings in some sequence, most of them as columns.

    Args:
        parts: What they are made of.
        part_of: For each finding its part.
        rows: For each finding its row in that part.
    """

    __hash__ = None  # type: ignore[assignment]  # as a finding has none: it holds the values it saw

    def __init__(self, parts: Sequence[Part], part_of: Integers, rows: Integers) -> None:
        self.parts = parts
        self._part_of = part_of
        self._rows = rows

    @classmethod
    def of(cls, found: Iterable[Found | FindingColumns]) -> FindingColumns:
        """What was found, one after the other as it comes."""
        parts: list[Part] = []
        singles: list[Finding] = []
        of_parts: list[Integers] = []
        rows: list[Integers] = []

        def add(part: Part, these: Integers) -> None:
            of_parts.append(np.full(len(these), len(parts), np.int64))
            rows.append(these)
            parts.append(part)

        def finish() -> None:
            if singles:
                add(_Singles(tuple(singles)), np.arange(len(singles)))
                singles.clear()

        for each in found:
            if isinstance(each, Finding):
                singles.append(each)
                continue
            finish()
            if isinstance(each, Refusals):
                add(each, np.arange(len(each)))
            else:
                of_parts.append(each._part_of + len(parts))
                rows.append(each._rows)
                parts += each.parts
        finish()
        return cls(parts, np.concatenate(of_parts), np.concatenate(rows))

    def sorted(self, orders: Texts) -> FindingColumns:
        """The same by order, line number and rule; findings of the order come before those of its lines.

        Args:
            orders: The order numbers in their sequence.
        """
        place_of = OrderPlaces(orders)
        addresses = addresses_of({line for part in self.parts for line in part.known_lines} | {""})
        ranks = {address: rank for rank, address in enumerate(sorted(set(addresses.values())))}
        line_ranks = {line: ranks[address] for line, address in addresses.items()}
        rules = {rule: rank for rank, rule in enumerate(sorted({rule for part in self.parts for rule in part.rules}))}
        ranked = np.concatenate([part.ranks(place_of, line_ranks, rules) for part in self.parts], axis=1)
        starts = np.cumsum([0, *(len(part) for part in self.parts)])
        order, line, rule = ranked[:, starts[self._part_of] + self._rows]
        return self.at(np.lexsort((rule, line, order)))

    def __len__(self) -> int:
        return len(self._rows)

    def __iter__(self) -> Iterator[Finding]:
        for start in range(0, len(self), CHUNK):
            yield from self.at(slice(start, start + CHUNK))._made()

    def __getitem__(self, index: Any) -> Any:
        if isinstance(index, slice):
            return self.at(index)
        at = range(len(self))[index]
        return self.parts[self._part_of[at]].findings(self._rows[at : at + 1])[0]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __reduce__(self) -> tuple[Any, ...]:
        return tuple, (list(self),)  # the columns of a rule stay where they are

    def kept(self, keep: Callable[[Finding], bool]) -> FindingColumns:
        """Those that a test keeps which asks neither for order and line nor for message and values."""
        kept: Mask = np.zeros(len(self), bool)
        for part, mine in self._by_part():
            if isinstance(part, Refusals):
                kept[mine] = keep(part.common)
            else:
                kept[mine] = [keep(part.items[row]) for row in self._rows[mine].tolist()]
        return self if kept.all() else self.at(np.flatnonzero(kept))

    def column(self, name: str) -> list[Any]:
        """One attribute of all findings."""
        return self._gathered(lambda part, rows: part.column(name, rows))

    def written(
        self, refusals: Callable[[Refusals, Integers], Sequence[str]], one: Callable[[Finding], str]
    ) -> list[str]:
        """Something about each finding as text.

        Args:
            refusals: Gives it for rows of columns.
            one: Gives it for a finding that was made by itself.
        """
        return self._gathered(
            lambda part, rows: (
                refusals(part, rows) if isinstance(part, Refusals) else [one(each) for each in part.findings(rows)]
            )
        )

    def at(self, positions: Integers | slice) -> FindingColumns:
        """Those at some positions."""
        return FindingColumns(self.parts, self._part_of[positions], self._rows[positions])

    def _made(self) -> list[Finding]:
        return self._gathered(lambda part, rows: part.findings(rows))

    def _gathered(self, of: Callable[[Part, Integers], Sequence[Any]]) -> list[Any]:
        """What a function gives for the rows of each part, in the sequence of the findings."""
        by_part = list(self._by_part())
        if len(by_part) == 1:
            return list(of(by_part[0][0], self._rows))
        gathered = np.empty(len(self), object)
        for part, mine in by_part:
            gathered[mine] = np.fromiter(of(part, self._rows[mine]), object, len(mine))
        return list(gathered.tolist())

    def _by_part(self) -> Iterator[tuple[Part, Integers]]:
        """Each part of which there is a finding, and where its findings stand."""
        sequence = np.argsort(self._part_of, kind="stable")
        starts = np.flatnonzero(begins(self._part_of[sequence]))
        for mine in np.split(sequence, starts[1:]) if len(sequence) else ():
            yield self.parts[self._part_of[mine[0]]], mine


def addresses_of(lines: AbstractSet[str]) -> dict[str, Address]:
    """Line numbers taken apart, a blank one into nothing. Many orders have few; each is taken apart once."""
    return {line: read_address(line) if line else () for line in lines}


def one_by_one(found: Iterable[Found]) -> Iterator[Finding]:
    """Each by itself."""
    for each in found:
        if isinstance(each, Refusals):
            yield from each.findings(np.arange(len(each)))
        else:
            yield each


def _rows_of(columns: Mapping[str, Sequence[Any]], count: int) -> Iterable[Iterable[tuple[str, Any]]]:
    """The rows of columns, each as pairs of name and value."""
    if not columns:
        return [()] * count
    names = list(columns)
    return (zip(names, row, strict=True) for row in zip(*columns.values(), strict=True))
