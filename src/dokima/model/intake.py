"""From values as they were given to `Orders`: every problem in one pass, orders with a problem set aside whole."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import chain
from typing import Any, Protocol

import numpy as np

from dokima.columns.column import Column
from dokima.columns.lazy import LazyColumns, laid_over
from dokima.columns.texts import Texts
from dokima.columns.words import Words
from dokima.errors import DocumentError, Problem, nearest
from dokima.exact.integers import Integers, Mask, everywhere
from dokima.exact.ranking import distinct
from dokima.model.addresses import Address, levels_hint, read_address, write_address
from dokima.model.agreed_terms import wrong_terms
from dokima.model.arguments import came
from dokima.model.fields import RECORDS, RECORDS_OF, Field, Fields
from dokima.model.orders import Orders, Origin
from dokima.model.raw import ABSENT, ColumnValues, RawColumn
from dokima.model.values import BadValue, ValueReader, number_shown

MOST_HINTS = 1_000
"""For so many unknown names the nearest known one is looked for."""


class HeaderAndLines(Protocol):
    """An order in whatever shape: the fields of its header, and those of each line."""

    @property
    def header(self) -> Mapping[str, Any]:
        """The fields of the header."""

    @property
    def rows(self) -> Sequence[Mapping[str, Any]]:
        """The fields of each line."""


@dataclass
class RawOrders:
    """Orders as they were given: columns of headers and lines, and which line belongs to which header.

    ``given`` holds the place of each line among the caller's, where some of those are left out. ``strays`` are names
    that no field has: level, row and name.
    """

    header: Mapping[str, RawColumn]
    line: Mapping[str, RawColumn]
    order_of: Integers
    count: int
    records: Mapping[str, Sequence[Any]] = field(default_factory=dict)
    origin: Origin = field(default_factory=Origin)
    problems: list[Problem] = field(default_factory=list)
    set_aside: set[int] = field(default_factory=set)
    given: Integers | None = None
    strays: Sequence[tuple[str, int, str]] = ()

    @classmethod
    def from_documents(
        cls, documents: Sequence[HeaderAndLines], fields: Fields, files: Sequence[str] = ()
    ) -> RawOrders:
        """Out of orders as they were given, or documents as they were read, with the name of the source of each."""
        headers = [document.header for document in documents]
        rows = [document.rows for document in documents]
        lines = [row for each in rows for row in each]
        sizes = [len(each) for each in rows]
        records: dict[str, Sequence[Any]] = {
            name: [header.get(name) or [] for header in headers] for name in RECORDS if any(name in h for h in headers)
        }
        header, strays = _gather("header", headers, fields.header, RECORDS)
        line, others = _gather("line", lines, fields.line)
        of = np.repeat(np.arange(len(sizes)), sizes)
        return cls(header, line, of, len(sizes), records, Origin(files), strays=[*strays, *others])


def _gather(
    level: str, rows: Sequence[Mapping[str, Any]], known: Container[str], skip: Sequence[str] = ()
) -> tuple[dict[str, RawColumn], list[tuple[str, int, str]]]:
    """The values of each field as a column, and names that no field has.

    A column for each of those as well would let ten thousand names in ten thousand rows fill the memory.
    """
    names = dict.fromkeys(chain.from_iterable(rows))
    if rows and all(len(row) == len(names) for row in rows):
        columns = {name: RawColumn([row[name] for row in rows]) for name in names if name in known}
    else:
        columns = {name: RawColumn.of([row.get(name, ABSENT) for row in rows]) for name in names if name in known}
    odd = {name for name in names if name not in columns and name not in skip}
    return columns, [(level, at, name) for at, row in enumerate(rows) for name in row if name in odd] if odd else []


def read_documents(
    documents: Sequence[HeaderAndLines], fields: Fields, files: Sequence[str] = (), problems: Sequence[Problem] = ()
) -> Orders:
    """Orders out of documents.

    Args:
        documents: Orders as they were given, or documents as they were read.
        fields: The fields they may have.
        files: Name of the source of each.
        problems: Those of documents that are no orders.
    """
    raw = RawOrders.from_documents(documents, fields, files)
    raw.problems += problems
    return read_orders(raw, fields)


def read_orders(raw: RawOrders, fields: Fields, reader: ValueReader | None = None) -> Orders:
    """Read raw orders as their fields want them.

    Orders with a problem are left out whole; ``problems`` of the result lists all problems of all of them.
    """
    return _Intake(raw, fields, reader or ValueReader(short_floats=True)).read()


def read_all(documents: Sequence[HeaderAndLines], fields: Fields) -> Orders:
    """Documents as the columns of one batch: all of them, or none.

    Raises:
        DocumentError: With every problem.
    """
    orders = read_documents(documents, fields)
    if orders.problems:
        raise DocumentError(orders.problems)
    return orders


class _Intake:
    def __init__(self, raw: RawOrders, fields: Fields, reader: ValueReader) -> None:
        self.raw = raw
        self.fields = fields
        self.reader = reader
        self.problems: list[tuple[int, Problem]] = []
        self.bad = set(raw.set_aside)
        self.absent: dict[tuple[str, str], Mask] = {}
        self.sorted_rows: Integers = np.zeros(0, np.int64)

    def read(self) -> Orders:
        raw = self.raw
        self._check_numbers()
        headers = self._read_level("header", raw.header, self.fields.header, raw.count)
        lines = self._read_level("line", raw.line, self.fields.line, len(raw.order_of))
        addresses = self._read_addresses(lines)
        self._check_records()
        numbers, keys, parent_codes = addresses
        lines = laid_over(lines, {"number": numbers})
        # Sort only what is not sorted: files usually come in sequence.
        in_order = _is_ascending(keys)
        order = self.sorted_rows = np.arange(len(keys)) if in_order else np.argsort(keys, kind="stable")
        origin = raw.origin
        orders = Orders(
            fields=self.fields,
            headers=headers,
            lines=lines if in_order else LazyColumns(lines, lambda name: lines[name].take(order)),
            order_of=raw.order_of if in_order else raw.order_of[order],
            count=raw.count,
            absent={
                (level, name): mask if level == "header" or in_order else mask[order]
                for (level, name), mask in self.absent.items()
            },
            records=raw.records,
            given=order if raw.given is None else raw.given[order],
            origin=origin
            if in_order or origin.line_rows is None
            else replace(origin, line_rows=origin.line_rows[order]),
        )
        if parent_codes is not None:
            orders = self._link_parents(orders, parent_codes[order])
        return self._without_bad(orders)

    def _without_bad(self, orders: Orders) -> Orders:
        if self.bad:
            orders = orders.select(np.array(sorted(set(range(orders.count)) - self.bad), np.int64))
        found = [problem for _, problem in sorted(self.problems, key=lambda each: each[0])]
        if found or self.raw.problems:
            object.__setattr__(orders, "problems", (*self.raw.problems, *found))
        return orders

    # -- problems ---------------------------------------------------------------------------------------------

    def _problem(self, level: str, row: int, field: str, message: str) -> None:
        raw = self.raw
        order = row if level == "header" else int(raw.order_of[row])
        rows = raw.origin.header_rows if level == "header" else raw.origin.line_rows
        place = None if rows is None else int(rows[row])
        problem = Problem(
            self.numbers[order],
            self.line_numbers[row] if level == "line" else "",
            field,
            message,
            raw.origin.file_of(level, order),
            place,
            raw.origin.cell(level, field, place),
        )
        self.problems.append((order, problem))
        self.bad.add(order)

    # -- numbers ----------------------------------------------------------------------------------------------

    @cached_property
    def numbers(self) -> list[str]:
        """The order numbers, for messages: those of a million orders in which nothing is wrong are never made."""
        column = self.raw.header.get("number")
        if column is None:
            return [""] * self.raw.count
        spec = self.fields.header["number"]
        texts = (
            list(column.values) if self._is_plain_text(column) else [self._number_of(spec, v) for v in column.values]
        )
        texts.append("")
        return [texts[place] for place in column.places()]

    def _is_plain_text(self, column: RawColumn) -> bool:
        """Whether the values of order numbers are texts that mean themselves."""
        spec = self.fields.header["number"]
        if spec.codes or spec.choices or spec.pattern:
            return False
        if isinstance(column.values, ColumnValues):
            return isinstance(column.values.column, Texts)
        return set(map(type, column.values)) <= {str} and "" not in column.values

    @cached_property
    def line_numbers(self) -> list[str]:
        """The line numbers as they were given, for messages."""
        column, count = self.raw.line.get("number"), len(self.raw.order_of)
        if column is None:
            return [""] * count
        values = [*map(number_shown, column.values), ""]
        return [values[place] for place in column.places()[:count]]

    def _check_numbers(self) -> None:
        """Every order has a number, and each number is there once; one order by itself needs none."""
        raw = self.raw
        column = raw.header.get("number")
        if (
            column is not None
            and column.distinct() is not None
            and not (self.fields.header["number"].codes or self.fields.header["number"].pattern)
        ):
            return
        if column is not None and column.codes is not None and self._is_plain_text(column):
            # Distinct texts, so that distinct codes are distinct numbers.
            codes = column.codes
            if len(codes) and codes.min() >= 0 and np.max(np.bincount(codes)) == 1:
                return
        distinct = set(self.numbers)
        if len(distinct) == raw.count and "" not in distinct:
            return
        seen: dict[str, int] = {}
        for row, number in enumerate(self.numbers):
            if not number:
                # One that cannot be read is none either, and is reported where its column is read.
                if raw.count > 1 and (column is None or column.is_blank(row)):
                    self._problem("header", row, "number", "expected an order number (got a blank)")
            elif number in seen:
                self._problem("header", row, "number", f"expected each order number once (got {number!r} again)")
            seen.setdefault(number, row)

    def _number_of(self, spec: Field, value: Any) -> str:
        """A value as an order number, blank if it is none; reading the column reports that."""
        try:
            return self.reader.read(spec, value) or ""
        except BadValue:
            return ""

    def _read_addresses(self, lines: Mapping[str, Column]) -> tuple[Texts, Integers, Integers | None]:
        """Line numbers in their one form, what lines are sorted by, and codes of parents if there are sub-lines."""
        count = len(self.raw.order_of)
        given = lines.get("number")
        if not isinstance(given, Texts):
            given = Texts(np.full(count, -1, np.int64), Words([]))
        addresses: list[Address | None] = []
        for at, word in enumerate(given.words.items):
            try:
                addresses.append(read_address(word, self.reader.levels))
            except ValueError as error:
                addresses.append(None)
                said = f"{error}{levels_hint(word) if self.reader.levels == '/' else ''}"
                for row in np.flatnonzero(given.codes == at).tolist():
                    self._problem("line", row, "number", said)
        for row in (given.codes < 0).nonzero()[0].tolist():
            such = f"10{self.reader.levels}20"
            self._problem("line", row, "number", f"expected a line number such as 10 or {such} (got a blank)")
        known = sorted({address for address in addresses if address is not None})
        rank = {address: at for at, address in enumerate(known)}
        codes = np.array([-1 if address is None else rank[address] for address in addresses] + [-1], np.int64)
        sequence = codes[given.codes]
        keys = self.raw.order_of * (len(known) + 1) + sequence
        self._check_duplicates(keys, sequence, known)
        parents = None
        if any(len(address) > 1 for address in known):
            above = np.array([rank.get(a[:-1], -2) if len(a) > 1 else -1 for a in known] + [-1], np.int64)
            parents = above[sequence]
        words = Words([write_address(address) for address in known])
        return Texts(sequence, words), keys, parents

    def _check_duplicates(self, keys: Integers, sequence: Integers, known: Sequence[Address]) -> None:
        if _is_ascending(keys) or len(distinct(keys)) == len(keys):
            return
        first: dict[int, int] = {}
        for row, key in enumerate(keys.tolist()):
            if sequence[row] >= 0 and first.setdefault(key, row) != row:
                number = write_address(known[int(sequence[row])])
                self._problem("line", row, "number", f"expected each line number once in an order (got {number} again)")

    def _link_parents(self, orders: Orders, parent_codes: Integers) -> Orders:
        numbers = orders.line("number")
        assert isinstance(numbers, Texts)
        width = len(numbers.words.items) + 1
        keys = orders.order_of * width + numbers.codes
        wanted = orders.order_of * width + parent_codes
        at = np.searchsorted(keys, wanted)
        at[at == len(keys)] = 0
        parent = np.where((parent_codes >= 0) & (keys[at] == wanted), at, -1)
        for row in np.flatnonzero((parent_codes != -1) & (parent < 0)).tolist():
            number = orders.line_numbers[row]
            above = number.rsplit("/", 1)[0]
            self._problem(
                "line",
                int(self.sorted_rows[row]),
                "number",
                f"expected a line {above} above sub-line {number} (there is none)",
            )
        object.__setattr__(orders, "parent", parent)
        return orders

    # -- fields -----------------------------------------------------------------------------------------------

    def _read_level(
        self, level: str, raw: Mapping[str, RawColumn], fields: Mapping[str, Field], count: int
    ) -> Mapping[str, Column]:
        columns: dict[str, Column] = {}
        texts: dict[str, RawColumn] = {}
        for name, column in raw.items():
            if name not in fields:
                given = np.arange(count) if column.absent is None else np.flatnonzero(~column.absent)
                self._unknown([(level, row, name) for row in given.tolist()], fields)
            elif _takes_any_text(fields[name]) and column.is_text:
                texts[name] = column  # nothing can be wrong with it, so it is read when somebody wants it
            else:
                columns[name] = self._read_column(level, fields[name], column)
        self._unknown([stray for stray in self.raw.strays if stray[0] == level], fields)
        for name, field_ in self.fields.missed[level].items():
            if name not in columns and name not in texts:
                if field_.default is not None:
                    self.absent[level, name] = everywhere(count)
                elif field_.required:
                    for row in range(count):
                        self._problem(level, row, name, f"expected a value for {field_.shown} (it is not given)")
        return LazyColumns(
            [name for name in raw if name in fields],
            lambda name: texts[name].read(fields[name], self.reader)[0],
            columns,
        )

    def _unknown(self, strays: Sequence[tuple[str, int, str]], fields: Mapping[str, Field]) -> None:
        hints: dict[str, str] = {}
        for level, row, name in strays:
            if name not in hints:
                hints[name] = nearest(name, fields) if len(hints) < MOST_HINTS else ""
            self._problem(level, row, name, f"expected a known {level} field (got '{name}'{hints[name]})")

    def _read_column(self, level: str, spec: Field, raw: RawColumn) -> Column:
        column, bad = raw.read(spec, self.reader)
        if bad:
            for row in raw.rows_of(list(bad)).tolist():
                self._problem(level, row, spec.name, bad[raw.place(row)])
        absent = raw.absent
        if spec.empty == "absent":
            absent = column.is_missing() if absent is None else absent | column.is_missing()
        if absent is not None and spec.default is not None:
            self.absent[level, spec.name] = absent
        if spec.required:
            blank = column.is_missing() if spec.default is None or absent is None else column.is_missing() & ~absent
            for row in blank.nonzero()[0].tolist():
                if raw.place(row) not in bad:
                    came = "it is not given" if absent is not None and absent[row] else "got a blank"
                    self._problem(level, row, spec.name, f"expected a value for {spec.shown} ({came})")
        return column

    def _check_records(self) -> None:
        for name, rows in self.raw.records.items():
            for at, records in enumerate(rows):
                if not isinstance(records, list | tuple) or not all(isinstance(record, Mapping) for record in records):
                    self._problem("header", at, name, f"expected a list of records (got {came(records)})")
        for word, fields in self.fields.records.items():
            name = RECORDS_OF[word]
            for at, records in enumerate(self.raw.records.get(name, ())):
                for record in records if isinstance(records, list | tuple) else ():
                    if isinstance(record, Mapping):
                        self._check_record(at, name, record, fields)
        for at, terms in enumerate(self.raw.records.get("terms", ())):
            for record in terms if isinstance(terms, list | tuple) else ():
                if isinstance(record, Mapping) and (wrong := wrong_terms(record)):
                    self._problem("header", at, "terms", wrong)

    def _check_record(self, order: int, name: str, record: Mapping[str, Any], fields: Mapping[str, Field]) -> None:
        """Values of a delivery or payment are what their fields want; whatever else it holds is its own business."""
        for field_ in fields.values():
            try:
                blank = self.reader.read(field_, record.get(field_.name)) is None
            except BadValue as error:
                self._problem("header", order, name, f"{field_.name}: {error}")
                continue
            if (blank and field_.required) or (blank and (name, field_.name) == ("payments", "amount")):
                self._problem("header", order, name, f"expected {_an(field_.name)} in each of the {name} (got a blank)")


def _takes_any_text(spec: Field) -> bool:
    """Whether a field holds whatever text, and its blanks mean nothing more than that they are blank."""
    return spec.kind == "text" and not (
        spec.codes or spec.choices or spec.pattern or spec.required or spec.empty == "absent"
    )


def _is_ascending(keys: Integers) -> bool:
    """Whether each key is above the one before it, so that nothing is there twice."""
    return bool((keys[1:] > keys[:-1]).all())


def _an(word: str) -> str:
    return f"an {word}" if word[0] in "aeiou" else f"a {word}"
