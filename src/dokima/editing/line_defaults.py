"""Drawing defaults into lines: when a line enters, and again when its item changes."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from dokima.engine.program import Program, Run
from dokima.engine.running.preparing import prepare
from dokima.model.columns import value_at
from dokima.model.document import Document


def fill_in_defaults(program: Program, document: Document, number: str, run: Run) -> Document:
    """The document with the absent fields of a line drawn from their defaults; a blank default leaves them absent."""
    wanted = [name for level, name, _ in program.defaults if level == "line" and name not in document.lines[number]]
    if not wanted:
        return document
    drawn = _defaults(program, document, number, wanted, run)
    filled = {name: value for name, value in drawn.items() if value is not None}
    return document.with_line(number, {**document.lines[number], **filled}) if filled else document


def without_defaults(
    program: Program, document: Document, number: str, kept: Collection[str], run: Run
) -> dict[str, Any]:
    """The fields of a line without those that hold just what their default gives, so that they are drawn again.

    Args:
        program: The rulebook.
        document: The document before the change.
        number: The line.
        kept: Fields that stay in any case.
        run: What the caller says about the run.
    """
    fields = dict(document.lines[number])
    for level, name, _ in program.defaults:
        if level == "line" and name in fields and name not in kept:
            rest = {other: value for other, value in document.lines[number].items() if other != name}
            drawn = _defaults(program, document.with_line(number, rest), number, [name], run)
            if drawn[name] == document.lines[number][name]:
                del fields[name]
    return fields


def _defaults(program: Program, document: Document, number: str, names: Collection[str], run: Run) -> dict[str, Any]:
    orders = prepare(program, document.orders(program.fields), run)
    at = orders.line_numbers.index(number)
    return {name: value_at(orders.line(name), at) for name in names}
