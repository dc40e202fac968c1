"""`Orders`: many orders as columns."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.column import Column, blanks, values_of
from dokima.columns.lazy import LazyColumns, laid_over
from dokima.columns.texts import Texts
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.exact import Grouping
from dokima.exact.integers import Integers, Mask
from dokima.model.agreed_terms import AgreedTerms
from dokima.model.content import fields_digest
from dokima.model.fields import Fields
from dokima.model.order import Order
from dokima.model.parsing import parse_json
from dokima.model.values import split_names


@dataclass(frozen=True)
class Origin:
    """Where orders came from.

    Attributes:
        files: For each order the name of its source, or one name for all; empty for Python.
        header_rows: For each order its row in the source, counted from 1 with the heading as row 1; None if unknown.
        line_rows: The same for each line.
        lines_file: Name of the source of lines, where headers have one of their own.
        letters: The column of a workbook in which a field stands, by level and field; empty for other files.
    """

    files: Sequence[str] = ()
    header_rows: Integers | None = None
    line_rows: Integers | None = None
    lines_file: str = ""
    letters: Mapping[tuple[str, str], str] = field(default_factory=dict)

    def cell(self, level: str, name: str, row: int | None) -> str:
        """The cell of a workbook in which a field stands, such as F5; blank for other files."""
        letters = self.letters.get((level, name), "")
        return f"{letters}{row}" if letters and row is not None else ""

    def file_of(self, level: str, order: int) -> str:
        """The source of an order's header or lines."""
        if level == "line" and self.lines_file:
            return self.lines_file
        return self.files[order if len(self.files) > 1 else 0] if self.files else ""


@dataclass(frozen=True, eq=False)
class Orders:
    """Many orders as columns. Lines are kept order by order, in the sequence of their numbers.

    Attributes:
        fields: The fields that headers and lines may have.
        headers: Header columns, one value per order; a field nobody gave has no column.
        lines: Line columns, one value per line.
        order_of: For each line the position of its order.
        absent: Per level ("header", "line") and field, True where it was not given and takes its default.
        records: Per order the records of its header (links, payments, deliveries), by name.
        parent: For each line the position of its parent line, -1 for none; None if no order has sub-lines.
        given: For each line its place among the lines as the caller gave them.
        problems: What was wrong with orders that were set aside.
        origin: Where the orders came from.
        unfilled: The same orders before defaults were filled in; None if these are they.
        failed: Own functions that failed in the defaults of fields read so far, by level and field.
        taken_from: The orders these are a selection of, and which of their headers and lines; None for all.
    """

    fields: Fields
    headers: Mapping[str, Column]
    lines: Mapping[str, Column]
    order_of: Integers
    count: int
    absent: Mapping[tuple[str, str], Mask] = field(default_factory=dict)
    records: Mapping[str, Sequence[Any]] = field(default_factory=dict)
    parent: Integers | None = None
    given: Integers = field(default_factory=lambda: np.zeros(0, np.int64))
    problems: tuple[Problem, ...] = ()
    origin: Origin = Origin()
    unfilled: Orders | None = None
    failed: dict[tuple[str, str], Texts] = field(default_factory=dict)
    taken_from: tuple[Orders, Any, Any] | None = None

    @staticmethod
    def from_json(text: str | bytes) -> list[Order]:
        """The orders of a JSON text, as a list of documents for a rulebook to read. Never reads a file.

        Args:
            text: One order, a list of orders, or ``{"orders": [...]}``, as text or as bytes in UTF-8.

        Raises:
            DocumentError: Not JSON, or something in it is no order; with the place of every problem.
        """
        orders, problems = Order.all_of(parse_json(text))
        if problems:
            raise DocumentError(problems)
        return orders

    def __getstate__(self) -> dict[str, Any]:
        """What goes to another process: these orders, and not those they were taken from."""
        # Every column is made first: then it is known which defaults have failed.
        made = {"headers": dict(self.headers), "lines": dict(self.lines)}
        keys = [*(("header", name) for name in made["headers"]), *(("line", name) for name in made["lines"])]
        failed = {key: found for key in keys if (found := self.failures(*key)) is not None}
        kept = {each.name: getattr(self, each.name) for each in fields(self)}
        return {**kept, **made, "failed": failed, "taken_from": None}

    def __len__(self) -> int:
        return self.count

    def __repr__(self) -> str:
        return f"<Orders: {self.count} orders, {self.line_count} lines, {len(self.problems)} problems>"

    @property
    def line_count(self) -> int:
        """Number of lines of all orders."""
        return len(self.order_of)

    @cached_property
    def numbers(self) -> list[str]:
        """The order numbers, blank for an order without one."""
        return [number or "" for number in texts(self.header("number")).to_list()]

    @cached_property
    def line_numbers(self) -> list[str]:
        """The line numbers."""
        return [number or "" for number in texts(self.line("number")).to_list()]

    def numbers_at(self, orders: Integers) -> list[str]:
        """The numbers of a few of many orders."""
        return [number or "" for number in texts(self.header("number")).take(orders).to_list()]

    def line_numbers_at(self, lines: Integers) -> list[str]:
        """The numbers of a few of many lines."""
        return [number or "" for number in texts(self.line("number")).take(lines).to_list()]

    @property
    def leaf(self) -> Mask | None:
        """True for lines without sub-lines; None if no line has any."""
        if self.parent is None:
            return None
        leaf = np.ones(self.line_count, bool)
        leaf[self.parent[self.parent >= 0]] = False
        return leaf

    def header(self, name: str) -> Column:
        """One header field of all orders."""
        found: Column | None = self.headers.get(name)
        return self._blanks("header", name) if found is None else found

    def line(self, name: str) -> Column:
        """One line field of all lines."""
        found: Column | None = self.lines.get(name)
        return self._blanks("line", name) if found is None else found

    def _blanks(self, level: str, name: str) -> Column:
        """The column of a field nobody gave; made once, because somebody may ask for it order by order."""
        found = self._blank_columns.get((level, name))
        if found is None:
            fields, size = (
                (self.fields.header, self.count) if level == "header" else (self.fields.line, self.line_count)
            )
            found = self._blank_columns[level, name] = blanks(fields[name].kind, size)
        return found

    @cached_property
    def _blank_columns(self) -> dict[tuple[str, str], Column]:
        return {}

    @property
    def has_failures(self) -> bool:
        """Whether an own function failed in the default of a field that has been read."""
        return bool(self.failed) or (self.taken_from is not None and self.taken_from[0].has_failures)

    def failures(self, level: str, name: str) -> Texts | None:
        """For each order or line the own function that failed in the default of a field; None if none did."""
        found = self.failed.get((level, name))
        if found is not None or self.taken_from is None:
            return found
        whole, headers, lines = self.taken_from
        found = whole.failures(level, name)
        return None if found is None else found.take(headers if level == "header" else lines)

    def was_absent(self, level: str, name: str) -> Mask | None:
        """For each order or line whether a field was not given, and so took its default; None if all have it."""
        base = self.unfilled or self
        found = base.absent.get((level, name))
        if found is not None or base.taken_from is None:
            return found
        whole, headers, lines = base.taken_from
        found = whole.was_absent(level, name)
        return None if found is None else found[headers if level == "header" else lines]

    def position(self, number: str) -> int:
        """The position of an order.

        Raises:
            NotFound: There is none with that number; names the nearest.
        """
        if number not in self._places:
            raise NotFound(f"there is no order {number}{nearest(number, self.numbers)}")
        return self._places[number]

    @cached_property
    def _places(self) -> dict[str, int]:
        return {number: at for at, number in enumerate(self.numbers)}

    @cached_property
    def by_order(self) -> Grouping:
        """The lines of each order together."""
        return Grouping(self.order_of, self.count)

    @property
    def line_ranges(self) -> Integers:
        """Where the lines of each order begin, and at the end where those of the last one end."""
        return self.by_order.ranges

    def lines_of(self, position: int) -> slice:
        """Where the lines of an order stand."""
        start, stop = self.line_ranges[position : position + 2]
        return slice(int(start), int(stop))

    def choose(self, numbers: Collection[str]) -> Orders:
        """The orders with these numbers; what is wrong with others is of no matter.

        Raises:
            DocumentError: One of them was set aside; says why.
            NotFound: There is none with such a number; names the nearest.
        """
        set_aside = [problem for problem in self.problems if problem.order in numbers]
        if set_aside:
            raise DocumentError(set_aside)
        chosen = self.select(np.array(sorted({self.position(number) for number in numbers}), np.int64))
        return replace(chosen, problems=())

    def select(self, positions: Integers) -> Orders:
        """Some of the orders, in ascending sequence of their positions."""
        if len(positions) == self.count:
            return self
        wanted = np.full(self.count, -1, np.int64)
        wanted[positions] = np.arange(len(positions))
        kept = self.lines_at(positions)
        parent = self.parent
        if parent is not None:
            place = np.full(self.line_count + 1, -1, np.int64)
            place[kept] = np.arange(len(kept))
            parent = place[parent[kept]]
        return self._reduced(positions, kept, wanted[self.order_of[kept]], len(positions), parent)

    def without(self, problems: Mapping[int, Problem]) -> Orders:
        """The same with some orders, by position, set aside for what is wrong with them."""
        rest = self.select(np.array([at for at in range(self.count) if at not in problems], np.int64))
        return replace(rest, problems=(*self.problems, *problems.values()))

    def pieces(self, lines: int) -> Iterator[tuple[int, int]]:
        """Ranges of orders (first position, position after the last), each with about that many lines."""
        if self.count > 0 and self.line_count <= lines:
            yield 0, self.count
            return
        ends = self.line_ranges[1:]
        start = 0
        while start < self.count:
            begun = int(ends[start - 1]) if start else 0
            stop = max(start + 1, int(np.searchsorted(ends, begun + lines, side="right")))
            yield start, stop
            start = stop

    def part(self, start: int, stop: int) -> Orders:
        """The orders of a range of positions; their columns are views, nothing is copied."""
        if (start, stop) == (0, self.count):
            return self
        headers, lines = slice(start, stop), slice(*np.searchsorted(self.order_of, [start, stop]).tolist())
        parent = self.parent
        if parent is not None:
            parent = np.where(parent[lines] < 0, -1, parent[lines] - lines.start)
        return self._reduced(headers, lines, self.order_of[lines] - start, stop - start, parent)

    def _reduced(self, headers: Any, lines: Any, order_of: Integers, count: int, parent: Integers | None) -> Orders:
        origin = self.origin
        rows = range(self.count)[headers] if isinstance(headers, slice) else headers.tolist()
        return Orders(
            fields=self.fields,
            headers=LazyColumns(self.headers, lambda name: self.headers[name].take(headers)),
            lines=LazyColumns(self.lines, lambda name: self.lines[name].take(lines)),
            order_of=order_of,
            count=count,
            absent={key: mask[headers if key[0] == "header" else lines] for key, mask in self.absent.items()},
            records={name: [records[at] for at in rows] for name, records in self.records.items()},
            parent=parent,
            given=self.given[lines],
            origin=Origin(
                [origin.files[at] for at in rows] if len(origin.files) > 1 else origin.files,
                None if origin.header_rows is None else origin.header_rows[headers],
                None if origin.line_rows is None else origin.line_rows[lines],
                origin.lines_file,
                origin.letters,
            ),
            taken_from=(self, headers, lines),
        )

    def leaves(self) -> tuple[Orders, Integers | None]:
        """The orders with only their lines that have no sub-lines, and where those stand; None if all have none."""
        leaf = self.leaf
        if leaf is None:
            return self, None
        kept = np.flatnonzero(leaf)
        reduced = Orders(
            fields=self.fields,
            headers=self.headers,
            lines=LazyColumns(self.lines, lambda name: self.lines[name].take(kept)),
            order_of=self.order_of[kept],
            count=self.count,
            absent={key: mask if key[0] == "header" else mask[kept] for key, mask in self.absent.items()},
            records=self.records,
            given=self.given[kept],
            taken_from=(self, slice(None), kept),
        )
        return reduced, kept

    def lines_at(self, positions: Integers) -> Integers:
        """Where the lines of some orders stand."""
        if len(positions) == self.count:
            return np.arange(self.line_count)
        wanted = np.zeros(self.count, bool)
        wanted[positions] = True
        return np.flatnonzero(wanted[self.order_of])

    def with_columns(
        self, headers: Mapping[str, Column], lines: Mapping[str, Column], unfilled: Orders | None = None
    ) -> Orders:
        """The same orders with some columns added or replaced, none of them absent any more.

        Args:
            headers: Columns of headers by field.
            lines: Columns of lines by field.
            unfilled: The orders before defaults were filled in, if these columns are the defaults.
        """
        replaced = {*(("header", name) for name in headers), *(("line", name) for name in lines)}
        return Orders(
            fields=self.fields,
            headers=laid_over(self.headers, headers),
            lines=laid_over(self.lines, lines),
            order_of=self.order_of,
            count=self.count,
            absent={key: mask for key, mask in self.absent.items() if key not in replaced},
            records=self.records,
            parent=self.parent,
            given=self.given,
            problems=self.problems,
            origin=self.origin,
            unfilled=unfilled,
        )

    def without_computed(self) -> Orders:
        """The same orders without the fields that are always worked out: a document says nothing of them."""
        given = [(level, name) for level, name in self.fields.computed
                 if name in (self.headers if level == "header" else self.lines)]  # fmt: skip
        if not given:
            return self
        headers, lines = ({name: columns[name] for name in columns if (level, name) not in given}
                          for level, columns in (("header", self.headers), ("line", self.lines)))  # fmt: skip
        return replace(self, headers=headers, lines=lines)

    def documents(self) -> Iterator[dict[str, Any]]:
        """Every order as plain data, with the fields it has a value for."""
        ranges = self.line_ranges.tolist()
        for start, stop in self.pieces(_DOCUMENTS):
            # A column at a time: one order at a time takes ten times as long.
            lines = self._values("line", self.lines, slice(ranges[start], ranges[stop]))
            headers = self._values("header", self.headers, slice(start, stop))
            for at, header in enumerate(headers, start=start):
                records = {name: rows[at] for name, rows in self.records.items() if rows[at]}
                mine = lines[ranges[at] - ranges[start] : ranges[at + 1] - ranges[start]]
                yield {**header, **records, "lines": mine}

    def document(self, position: int) -> dict[str, Any]:
        """One order as plain data, with the fields it has a value for, and as None those that are blank on purpose."""
        where = self.lines_of(position)
        (header,) = self._values("header", self.headers, slice(position, position + 1))
        lines = self._values("line", self.lines, where)
        records = {name: rows[position] for name, rows in self.records.items() if rows[position]}
        return {**header, **records, "lines": lines}

    def line_values(self, position: int) -> dict[str, Any]:
        """One line as plain data, as in `document`."""
        return self._values("line", self.lines, slice(position, position + 1))[0]

    def terms(self, position: int) -> AgreedTerms | None:
        """What an order keeps from when it was agreed; None for nothing."""
        kept = self.records.get("terms")
        return None if kept is None else AgreedTerms.from_records(kept[position])

    def digest(self, position: int, names: Collection[str]) -> str:
        """Digest of some fields of an order by dotted name, and of its line numbers; that of its `Document`."""
        (found,) = self.part(position, position + 1).digests(names)
        return found

    def digests(self, names: Collection[str]) -> list[str]:
        """The `digest` of every order."""
        wanted = {"line.number", *names}
        headers = {name: self.headers[name] for name in self.headers if f"header.{name}" in wanted}
        lines = {name: self.lines[name] for name in self.lines if f"line.{name}" in wanted}
        records = [name for name in self.records if f"header.{name}" in wanted]
        of_header = self._values("header", headers, slice(0, self.count))
        of_line = self._values("line", lines, slice(0, self.line_count))
        ranges = self.line_ranges.tolist()
        return [
            fields_digest(
                {**header, **{name: self.records[name][at] for name in records}},
                of_line[ranges[at] : ranges[at + 1]],
                names,
            )
            for at, header in enumerate(of_header)
        ]

    def _values(self, level: str, columns: Mapping[str, Column], where: slice) -> list[dict[str, Any]]:
        """Values of headers or lines; a blank that would else be taken for absent, and take its default, is None."""
        fields = self.fields.header if level == "header" else self.fields.line
        places = np.arange(where.start, where.stop)
        found: list[dict[str, Any]] = [{} for _ in places]
        for name, column in columns.items():
            blank, words = fields[name].default is not None, fields[name].words
            absent = self.absent.get((level, name))
            gone = [False] * len(places) if absent is None else absent[where].tolist()
            for into, value, left_out in zip(found, values_of(column.take(places)), gone, strict=True):
                if value is not None or (blank and not left_out):
                    into[name] = split_names(value) if words else value
        return found


_DOCUMENTS = 20_000
"""Lines that are made into documents together."""


def texts(column: Column) -> Texts:
    """The column, which is known to hold text."""
    assert isinstance(column, Texts)
    return column
