"""What differs commercially between two states of a document, in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from dokima.changes.documents import Plain
from dokima.columns.shown import shown
from dokima.model.content import HEADER_ASIDE, LINE_ASIDE, plain
from dokima.model.document import Document, Values
from dokima.model.fields import DRAWN


def commercial_fields(document: Document) -> tuple[Plain, dict[str, Plain]]:
    """The fields of header and lines that are commercial, as plain values, and the answers each line has agreed."""
    header = {name: plain(value) for name, value in document.header.items() if name not in HEADER_ASIDE}
    lines = {
        number: {name: plain(value) for name, value in fields.items() if name not in (*LINE_ASIDE, "number")}
        for number, fields in document.lines.items()
    }
    for number, line in ({} if document.terms is None else document.terms.lines).items():
        if number in lines:
            lines[number]["agreed terms"] = plain(line.answers)
    return header, lines


def moved(before: Document, after: Document) -> Iterator[str]:
    """What differs commercially between two documents, in words; what a default gave follows from the rest."""
    (header, lines), (header_now, lines_now) = commercial_fields(before), commercial_fields(after)
    drawn = _drawn(before.header, after.header)
    for name in dict.fromkeys([*header, *header_now]):
        if name not in drawn and header.get(name) != header_now.get(name):
            yield f"{name.replace('_', ' ')} was {_said(header.get(name))} and is {_said(header_now.get(name))}"
    for number in dict.fromkeys([*lines, *lines_now]):
        if number not in lines_now:
            yield f"line {number} is gone"
        elif number not in lines:
            yield f"line {number} is new"
        else:
            old, new = lines[number], lines_now[number]
            drawn = _drawn(before.lines[number], after.lines[number])
            for name in dict.fromkeys([*old, *new]):
                if name not in drawn and old.get(name) != new.get(name):
                    said = (
                        "" if name == "agreed terms" else f" was {_said(old.get(name))} and is {_said(new.get(name))}"
                    )
                    yield f"line {number}: {name.replace('_', ' ')}{said or ' have moved'}"


def _drawn(before: Values, after: Values) -> set[str]:
    """The fields that hold on both sides what a default gave, or that one side leaves to it."""
    sides = [set(side.get(DRAWN) or ()) | ({*before, *after} - set(side)) for side in (before, after)]
    named = {name for side in (before, after) for name in side.get(DRAWN) or ()}
    return sides[0] & sides[1] & named


def _said(value: Any) -> str:
    return "blank" if value is None else shown(value)
