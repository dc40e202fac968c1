"""JSON of somebody else as two tables, of headers and of lines, for a rulebook that is proposed for it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from dokima.errors import DokimaError
from dokima.formats.registry import module_of
from dokima.formats.sniffing import RawSheet
from dokima.inference.words import suggests

Rows = Sequence[Mapping[str, Any]]


def tables_of_documents(path: Path) -> tuple[list[RawSheet], str]:
    """Headers and lines, each line with the number of its order; and the name under which an order has its lines, blank
    for rows that stand for themselves, one a line: they are one table.

    Raises:
        DocumentError: The file cannot be read.
        DokimaError: Nothing tells one order from another.
    """
    orders = module_of(path).read_documents(path)
    documents = [{**order.header, **({"lines": order.rows} if order.lines else {})} for order in orders]
    key = _lines_in(documents)
    if not key:
        return [_sheet(path, [dict(_flat(each)) for each in documents])], ""
    headers = [dict(_flat({name: value for name, value in each.items() if name != key})) for each in documents]
    number = _number_in(headers)
    if not number:
        raise DokimaError(f"{path.name}: nothing tells one order from another; is it an export of orders?")
    lines = [
        (header[number], dict(_flat(line)))
        for header, document in zip(headers, documents, strict=True)
        for line in _objects(document.get(key))
    ]
    link = f"{number} of the order" if any(number in line for _, line in lines) else number
    return [_sheet(path, headers), _sheet(path, [{link: of, **line} for of, line in lines])], key


def _objects(value: Any) -> list[Mapping[str, Any]]:
    """The objects in a list; what is none is told when the orders are read."""
    return [each for each in value if isinstance(each, Mapping)] if isinstance(value, list | tuple) else []


def _lines_in(documents: Rows) -> str:
    """The name of the list of objects that most orders have."""
    counts: dict[str, int] = {}
    for each in documents:
        for name, value in each.items():
            if _objects(value):
                counts[name] = counts.get(name, 0) + 1
    return max(counts, key=lambda name: counts[name], default="")


def _number_in(headers: Rows) -> str:
    """The field that every order has, each another: the one that is called most like a number of orders."""
    found = []
    for name in dict.fromkeys(name for each in headers for name in each):
        values = [each.get(name) for each in headers]
        if None not in values and len(set(map(str, values))) == len(values):
            found.append(name)
    return max(found, key=lambda name: suggests(name, "header.number"), default="")


def _flat(data: Mapping[str, Any], above: str = "") -> Iterator[tuple[str, Any]]:
    """The values of an object by their paths; lists are left out."""
    for name, value in data.items():
        path = f"{above}{name}"
        if isinstance(value, Mapping):
            yield from _flat(value, f"{path}.")
        elif not isinstance(value, list | tuple):
            yield path, value if value != "" else None


def _sheet(path: Path, rows: Rows) -> RawSheet:
    headings = list(dict.fromkeys(name for each in rows for name in each))
    cells = [[each.get(name) for name in headings] for each in rows]
    return RawSheet(path, "", "", True, "", 1, headings, cells, range(1, len(cells) + 1), (), ())
