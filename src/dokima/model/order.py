"""`Order` and `Line`: the small objects a person edits."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from typing import Any

from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.model.addresses import after, read_address
from dokima.model.arguments import MOST_WHOLE_TEXT, came
from dokima.model.parsing import parse_json

NO_TEXT = (
    "expected an order (got a text): a file is named by its path, pathlib.Path('orders/SQ-2041.json'), and JSON text "
    "is read by Order.from_json"
)
"""A text that somebody posted must never open a file, so a text is never taken for a path."""


class Line:
    """One line: its number, and its fields as they were given.

    A field that was not given is absent and takes its default; a field given as None is blank and stays so.
    """

    __slots__ = ("fields",)

    def __init__(self, fields: Mapping[str, Any]) -> None:
        self.fields = dict(fields)

    @property
    def number(self) -> str:
        """The line number, which is its whole address."""
        return str(self.fields["number"])

    def __getitem__(self, name: str) -> Any:
        return self.fields[name]

    def get(self, name: str, default: Any = None) -> Any:
        """The field as it was given, or the default if it is absent."""
        return self.fields.get(name, default)

    def __repr__(self) -> str:
        return f"Line({self.fields!r})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Line) and self.fields == other.fields

    __hash__ = None  # type: ignore[assignment]


class Order:
    """A header and its lines, with values as they were given.

    Args:
        number: Order number; may be left out while one order is being tried.
        lines: Lines as mappings; a line without a number gets the next one in steps of ten.
        header: All other header fields.

    Raises:
        DocumentError: Something in ``lines`` is not a line.
    """

    def __init__(self, number: str | int | None = None, *, lines: Iterable[Any] = (), **header: Any) -> None:
        self.header: dict[str, Any] = dict(header)
        if number is not None:
            self.header = {"number": str(number), **header}
        self.lines: list[Line] = []
        self._counted = self._last = 0
        problems = [self._take(at, line) for at, line in enumerate(lines)]
        if found := [problem for problem in problems if problem is not None]:
            raise DocumentError(found)

    def _take(self, at: int, line: Any) -> Problem | None:
        if isinstance(line, Line):
            line = line.fields
        if type(line) is not dict and not isinstance(line, Mapping):
            return Problem(
                self.number, "", f"lines[{at}]", f"expected a line as a mapping of fields (got {came(line)})"
            )
        fields = {str(name): value for name, value in line.items()}
        number = fields.get("number")
        if number is None or number == "":
            fields["number"] = str(after(self._last_number()))
        elif isinstance(number, int) and not isinstance(number, bool):
            fields["number"] = str(number)
        self.lines.append(Line(fields))
        return None

    def _last_number(self) -> int:
        """The highest number of a line so far; each line is looked at once, and only if one comes without a number."""
        for line in self.lines[self._counted :]:
            # One that is no number is reported with all other problems, when the order meets a rulebook.
            with suppress(ValueError, TypeError, AttributeError):
                self._last = max(self._last, read_address(line.fields["number"])[0])
        self._counted = len(self.lines)
        return self._last

    @classmethod
    def all_of(cls, data: Any) -> tuple[list[Order], list[Problem]]:
        """The orders in plain data, and the problems of those that are none.

        Args:
            data: One order, a list of orders, or ``{"orders": [...]}``.
        """
        if isinstance(data, Mapping) and "orders" in data:
            data = data["orders"]
        parts = data if isinstance(data, list | tuple) else [data]
        orders: list[Order] = []
        problems: list[Problem] = []
        for at, part in enumerate(parts):
            try:
                orders.append(part if isinstance(part, Order) else cls.from_dict(part))
            except DocumentError as error:
                place = f"[{at}]" if parts is data else ""
                problems += [_below(place, problem) for problem in error.problems]
        return orders, problems

    @property
    def number(self) -> str:
        """The order number, blank if it has none."""
        return str(self.header.get("number") or "")

    @property
    def rows(self) -> list[dict[str, Any]]:
        """The fields of each line."""
        return [line.fields for line in self.lines]

    def line(self, number: str | int) -> Line:
        """The line with a number.

        Raises:
            NotFound: There is none; names the nearest.
        """
        for line in self.lines:
            if line.number == str(number):
                return line
        hint = nearest(str(number), [line.number for line in self.lines])
        raise NotFound(f"order {self.number} has no line {number}{hint}")

    @classmethod
    def from_dict(cls, document: Mapping[str, Any]) -> Order:
        """An order out of plain data: header fields beside ``lines``.

        Values are read when the order meets a rulebook. A binary float is accepted there in a field that declares
        ``places``, if it has at most 15 significant digits: it then is the decimal that its shortest text shows.

        Raises:
            DocumentError: Not a mapping, or ``lines`` is not a list of lines; with the place of every problem.
        """
        if isinstance(document, str | bytes):
            raise DocumentError([Problem("", "", "", NO_TEXT)])
        if not isinstance(document, Mapping):
            raise DocumentError(
                [Problem("", "", "", f"expected an order as a mapping of fields (got {came(document)})")]
            )
        header = {str(name): value for name, value in document.items() if name != "lines"}
        number = header.pop("number", None)
        lines = document.get("lines", [])
        if not isinstance(lines, list | tuple):
            raise DocumentError(
                [Problem(str(number or ""), "", "lines", f"expected a list of lines (got {came(lines)})")]
            )
        try:
            order = cls(lines=lines)
        except DocumentError as error:
            known = "" if number is None else str(number)
            raise DocumentError([replace(problem, order=known) for problem in error.problems]) from None
        order.header = {**({} if number is None else {"number": _number(number)}), **header}
        return order

    @classmethod
    def from_json(cls, text: str | bytes) -> Order:
        """An order out of JSON text. Never reads a file, whatever the text says.

        Args:
            text: One order as JSON, as text or as bytes in UTF-8. Its numbers are read exactly.

        Raises:
            DocumentError: Not JSON, or not an order; with the place of every problem.
        """
        return cls.from_dict(parse_json(text))

    def to_dict(self) -> dict[str, Any]:
        """The order as plain data; `from_dict` reads it back."""
        return {**self.header, "lines": [dict(line.fields) for line in self.lines]}

    def __repr__(self) -> str:
        count = len(self.lines)
        return f"<Order {self.number or 'without number'}, {count} line{'s' if count != 1 else ''}>"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Order) and self.to_dict() == other.to_dict()

    __hash__ = None  # type: ignore[assignment]


def _below(place: str, problem: Problem) -> Problem:
    """A problem with its place in a list of orders."""
    return replace(problem, field=".".join(part for part in (place, problem.field) if part))


def _number(value: Any) -> Any:
    is_number = isinstance(value, int) and not isinstance(value, bool) and abs(value) < MOST_WHOLE_TEXT
    return str(value) if is_number else value
