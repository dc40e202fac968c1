"""An order as the editor keeps it: values read once, never changed in place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.model.addresses import Address, read_address, write_address
from dokima.model.fields import RECORDS, Fields
from dokima.model.intake import RawOrders, read_orders
from dokima.model.order import Line, Order
from dokima.model.orders import Orders

Values = Mapping[str, Any]


@dataclass(frozen=True)
class Document:
    """A header and lines by number, in sequence. A field that is there as None is blank; one that is not, absent."""

    header: Values
    lines: Mapping[str, Values]

    @classmethod
    def read(cls, order: Order, fields: Fields) -> Document:
        """Read an order as its fields want it.

        Raises:
            DocumentError: With every problem.
        """
        orders = read_orders(RawOrders.from_documents([order]), fields)
        if orders.problems:
            raise DocumentError(orders.problems)
        typed = orders.document(0)
        by_number = {str(line["number"]): line for line in typed["lines"]}
        given = {write_address(read_address(line.number)): line.fields for line in order.lines}
        header = {name: order.header[name] if name in RECORDS else typed.get(name) for name in order.header}
        lines = {n: {name: by_number[n].get(name) for name in given[n]} for n in by_number}
        document = cls(header, lines)
        document._remember(fields, orders)
        return document

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
        known: tuple[Fields, Orders] | None = self.__dict__.get("_known")
        if known is not None and known[0] is fields:
            return known[1]
        orders = read_orders(RawOrders.from_documents([self.order()]), fields)
        if orders.problems:
            raise DocumentError(orders.problems)
        self._remember(fields, orders)
        return orders

    def _remember(self, fields: Fields, orders: Orders) -> None:
        """Keep the columns: a document never changes, and several ask for them in every edit."""
        self.__dict__["_known"] = (fields, orders)

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
            read_address(number)
        except ValueError as error:
            raise DocumentError([Problem("", "", "number", str(error))]) from None
        lines = {**self.lines, number: {**fields, "number": number}}
        return replace(self, lines=dict(sorted(lines.items(), key=lambda each: read_address(each[0]))))

    def without(self, numbers: Iterable[str]) -> Document:
        """Without some lines."""
        gone = set(numbers)
        return replace(self, lines={number: fields for number, fields in self.lines.items() if number not in gone})

    def with_header(self, **fields: Any) -> Document:
        """With header fields added or replaced."""
        return replace(self, header={**self.header, **fields})

    def without_header(self, name: str) -> Document:
        """Without a header field."""
        return replace(self, header={key: value for key, value in self.header.items() if key != name})

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
    """A header field, records as copies; what is no list of records is told when the order is read."""
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
    orders = read_orders(RawOrders.from_documents([each.order() for each in documents]), fields)
    if orders.problems:
        raise DocumentError(orders.problems)
    return orders
