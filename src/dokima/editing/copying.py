"""Copying lines: what a copy has of the line it is made from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from dokima.editing.drawing import undrawn
from dokima.model.content import LINE_ASIDE
from dokima.model.document import Document


def with_copies(document: Document, copies: Mapping[str, str], given: Mapping[str, Mapping[str, Any]]) -> Document:
    """A document with copies of some lines: without what happened to them, was stated of them, or a default gave.

    Args:
        document: The document, with marks of what is drawn.
        copies: The number of each new line by the line it is made from, parent lines first.
        given: Fields that the copy of a line has in the place of its own.
    """
    after = document
    for old, into in copies.items():
        kept = undrawn(document.lines[old])
        fields = {name: value for name, value in kept.items() if name not in (*LINE_ASIDE, "number")}
        after = after.with_line(into, {**fields, **given.get(old, {})})
    return after
