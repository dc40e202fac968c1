"""Agreed terms of the order being edited: kept when it leaves draft, and for every line that comes in later."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from dokima.editing.document import Document
from dokima.engine.agreed_terms import by_number
from dokima.engine.capturing_terms import agreed_terms
from dokima.engine.program import Program, Run
from dokima.model.content import fields_digest

TERMS = "terms"


def keep_terms(program: Program, document: Document, run: Run) -> Document:
    """The document with the terms it is to keep: none as a draft, else those of every line as it stands now."""
    first = program.definition.lifecycle.first
    state = document.header.get("state") or first
    terms = document.header.get(TERMS)
    if state == first and run.terms == "by state":
        return document.without_header(TERMS) if terms is not None else document
    if not terms and program.definition.lifecycle.ends_unfulfilled(str(state)):
        return document  # nothing was agreed, and nothing will be
    if terms and _is_kept(document, terms):
        return document
    records = agreed_terms(program, document.orders(program.fields), run)
    return document.with_header(**{TERMS: records}) if records else document


def _is_kept(document: Document, terms: list[Mapping[str, Any]]) -> bool:
    """Whether the terms are those of the document as it stands: every line has its own, and nothing has moved."""
    by_line = by_number(terms)
    header = by_line.pop("", {})
    leaves = {number for number in document.lines if not document.is_parent(number)}
    plain = document.order().to_dict()
    return leaves == set(by_line) and fields_digest(plain, header.get("fields", ())) == header.get("digest")


def without_terms(document: Document, numbers: Collection[str]) -> Document:
    """The document without the terms of some lines, which then take the rulebook's answers of today."""
    terms = document.header.get(TERMS)
    if not terms:
        return document
    return document.with_header(**{TERMS: [record for record in terms if record.get("line") not in numbers]})


def terms_of_line(document: Document, number: str) -> bool:
    """Whether a line keeps terms."""
    return any(record.get("line") == number for record in document.header.get(TERMS) or ())
