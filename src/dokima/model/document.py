"""`Document`: an order as its fields read it. Never changed in place; editing and change orders work on it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.model.addresses import Address, lineage, read_address, write_address
from dokima.model.agreed_terms import AgreedTerms
from dokima.model.content import fields_digest
from dokima.model.fields import DRAWN, RECORDS, Fields
from dokima.model.intake import read_all
from dokima.model.order import Line, Order
from dokima.model.orders import Orders
from dokima.model.splicing import spliced

Values = Mapping[str, Any]
_FEW_LINES = 50
"""Lines up to which it pays to read only those that have changed."""
TERMS = "terms"
"""The header field that holds agreed terms."""


@dataclass(frozen=True)
class Document:
    """A header and lines by number, in sequence. A field that is there as None is blank; one that is not, absent.

    Attributes:
        header: Fields of the header, its records among them.
        lines: Fields of each line by number.
        columns: The same as columns, where somebody has asked for them; a document never changes, and every edit asks
            for them several times.
        since: The columns of a document that differs in a few lines, and the numbers of these; None if there is none.
    """

    header: Values
    lines: Mapping[str, Values]
    columns: dict[int, Orders] = field(default_factory=dict, compare=False, repr=False)
    since: tuple[dict[int, Orders], tuple[str, ...]] | None = field(default=None, compare=False, repr=False)

    @classmethod
    def read(cls, order: Order, fields: Fields) -> Document:
        """Read an order as its fields want it.

        Raises:
            DocumentError: With every problem.
        """
        orders = read_all([order], fields)
        given = {write_address(read_address(line.number)): line.fields for line in order.lines}
        return cls._of(orders, fields, order.header, given)

    @classmethod
    def read_many(cls, orders: Sequence[Order], fields: Fields) -> list[Document]:
        """Each order as `read` gives it; those that can be are read together.

        Raises:
            DocumentError: With every problem of the first that has one.
        """
        if len(orders) > 1 and all(order.number for order in orders):
            with suppress(DocumentError):  # one by one, it is told of which order it is
                together = read_all(orders, fields)
                given = [
                    {write_address(read_address(line.number)): line.fields for line in each.lines} for each in orders
                ]
                values = zip(together.documents(), orders, given, strict=True)
                return [cls._given(read, order.header, lines) for read, order, lines in values]
        return [cls.read(order, fields) for order in orders]

    @classmethod
    def reread(cls, document: Document, fields: Fields) -> Document:
        """Read a document again, of which some values are as somebody has just given them.

        Raises:
            DocumentError: With every problem.
        """
        before, orders = document._since(fields), document.orders(fields)
        if before is None:
            return cls._of(orders, fields, document.header, document.lines)
        lines = dict(document.lines)
        for number in before[1]:
            at = orders.line_numbers.index(number)
            read = orders.line_values(at)
            lines[number] = {name: read.get(name) for name in document.lines[number]}
        return cls(document.header, lines, {id(fields): orders})

    @classmethod
    def from_columns(cls, orders: Orders, position: int = 0) -> Document:
        """The document of one order among columns that have been read."""
        found = orders.document(position)
        lines = {str(line["number"]): line for line in found.pop("lines")}
        return cls(found, lines, {id(orders.fields): orders} if len(orders) == 1 else {})

    @classmethod
    def _of(cls, orders: Orders, fields: Fields, header: Values, lines: Mapping[str, Values]) -> Document:
        """The document that columns of one order hold, with just the fields that were given."""
        return replace(cls._given(orders.document(0), header, lines), columns={id(fields): orders})

    @classmethod
    def _given(cls, read: Values, header: Values, lines: Mapping[str, Values]) -> Document:
        """The document of values that were read, with just the fields that were given."""
        by_number = {str(line["number"]): line for line in read["lines"]}
        return cls(
            {name: header[name] if name in RECORDS else read.get(name) for name in header},
            {number: {name: by_number[number].get(name) for name in lines[number]} for number in by_number},
        )

    @property
    def rows(self) -> list[Values]:
        """The fields of each line."""
        return list(self.lines.values())

    @property
    def number(self) -> str:
        """The order number, blank if it has none."""
        return str(self.header.get("number") or "")

    @cached_property
    def terms(self) -> AgreedTerms | None:
        """What it keeps from when it was agreed; None for nothing."""
        return AgreedTerms.from_records(self.header.get(TERMS))

    def order(self) -> Order:
        """The document as an order of its own, which may be changed without touching this."""
        result = Order()
        result.header = {name: _copied(name, value) for name, value in self.header.items()}
        result.lines = [Line(fields) for fields in self.lines.values()]
        return result

    def orders(self, fields: Fields) -> Orders:
        """The document as columns.

        Raises:
            DocumentError: With every problem.
        """
        if id(fields) not in self.columns:
            before = self._since(fields)
            self.columns[id(fields)] = read_all([self], fields) if before is None else self._spliced(*before)
            object.__setattr__(self, "since", None)  # or every step that can be undone would hold two sets of columns
        return self.columns[id(fields)]

    def _since(self, fields: Fields) -> tuple[Orders, tuple[str, ...]] | None:
        """Columns of which only some lines, by number, must be read again; None if all must."""
        columns, numbers = self.since or ({}, ())
        return (columns[id(fields)], numbers) if id(fields) in columns else None

    def _spliced(self, before: Orders, numbers: tuple[str, ...]) -> Orders:
        """The columns before with some lines read again, and their parent lines for what they are under."""
        wanted = {above for number in numbers for above in lineage(number)}
        rows = {number: line for number, line in self.lines.items() if number in wanted}
        header = {name: value for name, value in self.header.items() if name not in RECORDS}
        read = read_all([Document(header, rows)], before.fields)
        places = {number: at for at, number in enumerate(before.line_numbers)}
        there = {number: at for at, number in enumerate(read.line_numbers)}
        return spliced(before, read, {places[number]: there[number] for number in numbers})

    def digest(self, names: Collection[str]) -> str:
        """Digest of some fields by dotted name, and of the line numbers."""
        return fields_digest(self.header, self.lines.values(), names)

    def line(self, number: str) -> Values:
        """The fields of a line.

        Raises:
            NotFound: There is none with that number; names the nearest.
        """
        if number not in self.lines:
            hint = nearest(number, self.lines)
            raise NotFound(f"order {self.header.get('number', '')} has no line {number}{hint}")
        return self.lines[number]

    def with_line(self, number: str, fields: Values) -> Document:
        """With one line added or replaced.

        Raises:
            DocumentError: It is no line number.
        """
        try:
            address = read_address(number)
        except ValueError as error:
            raise DocumentError([Problem("", "", "number", str(error))]) from None
        lines = {**self.lines, number: {**fields, "number": number}}
        if number in self.lines and number == write_address(address):
            columns, numbers = (self.columns, ()) if self.columns else self.since or ({}, ())
            known = columns and len(numbers) < _FEW_LINES
            return Document(self.header, lines, since=(columns, (*numbers, number)) if known else None)
        return Document(self.header, dict(sorted(lines.items(), key=lambda each: read_address(each[0]))))

    def with_lines(self, changed: Mapping[str, Values]) -> Document:
        """With some lines replaced that are there, under the numbers that they have."""
        lines = {**self.lines, **{number: {**fields, "number": number} for number, fields in changed.items()}}
        columns, numbers = (self.columns, ()) if self.columns else self.since or ({}, ())
        known = columns and len(numbers) + len(changed) <= _FEW_LINES
        return Document(self.header, lines, since=(columns, (*numbers, *changed)) if known else None)

    def without(self, numbers: Iterable[str]) -> Document:
        """Without some lines."""
        gone = set(numbers)
        return Document(self.header, {number: line for number, line in self.lines.items() if number not in gone})

    def with_header(self, **fields: Any) -> Document:
        """With header fields added or replaced."""
        return Document({**self.header, **fields}, self.lines)

    def without_header(self, name: str) -> Document:
        """Without a header field."""
        return Document({key: value for key, value in self.header.items() if key != name}, self.lines)

    def without_headers(self, names: Collection[str]) -> Document:
        """Without some header fields."""
        return Document({key: value for key, value in self.header.items() if key not in names}, self.lines)

    def without_computed(self, fields: Fields) -> Document:
        """Without the fields that are always worked out: a document says nothing of them."""
        gone: dict[str, set[str]] = {"header": set(), "line": set()}
        for level, name in fields.computed:
            gone[level].add(name)
        document = self
        if gone["header"] & set(self.header):
            document = document.without_headers(gone["header"])
        for number, line in self.lines.items() if gone["line"] else ():
            if gone["line"] & set(line):
                kept = {name: value for name, value in line.items() if name not in gone["line"]}
                document = document.with_line(number, kept)
        return document

    @property
    def has_marks(self) -> bool:
        """Whether it says which of its values are drawn."""
        return any(DRAWN in fields for fields in (self.header, *self.lines.values()))

    def with_terms(self, terms: AgreedTerms | None) -> Document:
        """With agreed terms in the place of those it keeps; without any if None."""
        return self.without_header(TERMS) if terms is None else self.with_header(**{TERMS: terms.to_records()})

    def addresses(self) -> list[Address]:
        """The addresses of all lines."""
        return [read_address(number) for number in self.lines]

    def below(self, number: str) -> list[str]:
        """A line and all its sub-lines, itself first."""
        return [each for each in self.lines if each == number or each.startswith(f"{number}/")]

    def is_parent(self, number: str) -> bool:
        """Whether a line has sub-lines."""
        return any(each.startswith(f"{number}/") for each in self.lines)


def _copied(name: str, value: Any) -> Any:
    """A header field, records as copies; what is no list of records is reported when the order is read."""
    if name not in RECORDS or not isinstance(value, list | tuple):
        return value
    return [dict(record) if isinstance(record, Mapping) else record for record in value]


def orders_of(documents: Sequence[Document], fields: Fields) -> Orders:
    """Several documents as the columns of one batch, each with a number of its own.

    Raises:
        DocumentError: With every problem.
    """
    if len(documents) == 1:
        return documents[0].orders(fields)
    return read_all(documents, fields)
