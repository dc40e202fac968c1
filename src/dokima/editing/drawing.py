"""Drawn values of the order being edited: drawn when a line enters, and again when what they follow from changes."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.exact.integers import Mask
from dokima.model.document import Document, orders_of
from dokima.model.fields import DRAWN
from dokima.model.orders import Orders, texts
from dokima.model.values import split_names
from dokima.pricing.defaults import drawing
from dokima.pricing.names.context import Before
from dokima.pricing.program import Program, Run

Moved = Mapping[str, Any]
"""A value that was drawn again: ``line`` (blank for the header), ``field``, ``from`` and ``to``."""


def with_marks(program: Program, document: Document, run: Run) -> Document:
    """The document with marks of what is drawn: its own, else of what holds just what its default gives."""
    if not program.drawable or document.has_marks:
        return document
    orders = drawing.marked(program, document.orders(program.fields), run)
    return _marked([document], orders, range(orders.line_count))[0]


def now_given(fields: Mapping[str, Any], names: Collection[str]) -> dict[str, Any]:
    """The fields of a header or line without the marks of some of them, which somebody gives."""
    found = dict(fields)
    if found.get(DRAWN):
        found[DRAWN] = [name for name in found[DRAWN] if name not in names]
    return found


def undrawn(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of a line that were given."""
    gone = {DRAWN, *(fields.get(DRAWN) or ())}
    return {name: value for name, value in fields.items() if name not in gone}


def draw(program: Program, before: Document, after: Document, run: Run) -> tuple[Document, list[Moved]]:
    """The document with what follows from an edit drawn, and each value that is another now.

    Args:
        program: The rulebook.
        before: The document before the edit, with marks.
        after: The document as it would be.
        run: What the caller says about the run.
    """
    if not program.drawable:
        return after, []
    was, orders = before.orders(program.fields), after.orders(program.fields)
    found = drawing.redrawn(program, Before.of_one(was, orders.line_numbers), orders, run)
    return _with_values([after], found.orders, found.fields)[0], _moved(orders, found)[0]


def _moved(orders: Orders, found: drawing.Redrawn) -> list[list[Moved]]:
    """For each order the values that nobody gave and that are others now."""
    moved: list[list[Moved]] = [[] for _ in range(orders.count)]
    for (level, name), at, old, new in found.moves:
        line = "" if level == "header" else orders.line_numbers[at]
        order = at if level == "header" else int(orders.order_of[at])
        moved[order].append({"line": line, "field": name, "from": old, "to": new})
    return moved


def draw_all(program: Program, documents: Sequence[Document], run: Run) -> list[Document]:
    """Documents with everything that their defaults give, marked as drawn; those with numbers together."""
    if not program.drawable:
        return list(documents)
    together = len({document.number for document in documents} - {""}) == len(documents)
    found: list[Document] = []
    for some in [documents] if together else [[document] for document in documents]:
        drawn = drawing.all_drawn(program, orders_of(some, program.fields), run)
        found += _with_values(some, drawn.orders, drawn.fields)
    return found


def draw_afresh(program: Program, documents: Sequence[Document], run: Run) -> tuple[list[Document], list[list[Moved]]]:
    """Documents with numbers with everything drawn again that defaults have drawn, and each value that is another now.

    What was drawn from the day or the user of a run stays: nobody draws it twice.
    """
    orders = orders_of(documents, program.fields)
    found = drawing.drawn_afresh(program, orders, run)
    return _with_values(documents, found.orders, found.fields), _moved(orders, found)


def _value(orders: Orders, level: str, name: str, at: int) -> Any:
    return value_at(orders.header(name) if level == "header" else orders.line(name), at)


def _with_values(documents: Sequence[Document], orders: Orders, fields: Mapping[drawing.Key, Mask]) -> list[Document]:
    """Documents with the values that some columns hold, and with their marks."""
    headers = [dict(document.header) for document in documents]
    lines: dict[int, dict[str, Any]] = {}
    of = orders.order_of.tolist()
    for (level, name), mask in fields.items():
        for at in np.flatnonzero(mask).tolist():
            if level == "header":
                into = headers[at]
            else:
                into = lines.setdefault(at, dict(documents[of[at]].lines[orders.line_numbers[at]]))
            into.pop(name, None)
            if (value := _value(orders, level, name, at)) is not None:
                into[name] = value
    found = list(documents)
    for order, changed in _by_order(
        of, {at: (orders.line_numbers[at], values) for at, values in lines.items()}
    ).items():
        found[order] = found[order].with_lines(changed)
    for at, header in enumerate(headers):
        if header != found[at].header:
            found[at] = Document(header, found[at].lines)
    return _marked(found, orders, lines)


def _marked(documents: Sequence[Document], orders: Orders, places: Iterable[int]) -> list[Document]:
    """Documents with the marks that columns hold, on their headers and on the lines at some places."""
    found, marks = list(documents), texts(orders.line(DRAWN)).to_list()
    of = orders.order_of.tolist()
    marked = {}
    for at in places:
        number = orders.line_numbers[at]
        line = found[of[at]].lines[number]
        if (names := _names(marks[at])) != line.get(DRAWN):
            marked[at] = number, {**line, DRAWN: names}
    for order, changed in _by_order(of, marked).items():
        found[order] = found[order].with_lines(changed)
    for at, text in enumerate(texts(orders.header(DRAWN)).to_list()):
        if (names := _names(text)) != found[at].header.get(DRAWN):
            found[at] = found[at].with_header(**{DRAWN: names})
    return found


def _by_order(
    of: Sequence[int], lines: Mapping[int, tuple[str, dict[str, Any]]]
) -> dict[int, dict[str, dict[str, Any]]]:
    """Lines by the position of their order and their number."""
    found: dict[int, dict[str, dict[str, Any]]] = {}
    for at, (number, values) in lines.items():
        found.setdefault(of[at], {})[number] = values
    return found


def _names(text: str | None) -> list[str] | None:
    return None if text is None else split_names(text)


def names_of(moved: Iterable[Moved]) -> dict[str, list[str]]:
    """The fields that were drawn again, by line (blank for the header)."""
    found: dict[str, list[str]] = {}
    for each in moved:
        found.setdefault(each["line"], []).append(each["field"])
    return found
