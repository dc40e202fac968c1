"""Agreed terms of the order being edited: kept when it leaves draft, and for every line that comes in later."""

from __future__ import annotations

from collections.abc import Collection

from dokima.model.document import TERMS, Document
from dokima.pricing.program import Program, Run
from dokima.pricing.running.capturing_terms import capture_terms


def keep_terms(program: Program, document: Document, run: Run) -> Document:
    """The document with the terms it is to keep: none as a draft, else those of every line as it stands now."""
    first = program.definition.lifecycle.first
    state = document.header.get("state") or first
    if state == first and run.terms == "by state":
        return document.without_header(TERMS) if document.header.get(TERMS) is not None else document
    if document.terms is None and program.definition.lifecycle.ends_undelivered(str(state)):
        return document  # nothing was agreed, and nothing will be
    if _is_kept(document):
        return document
    terms = capture_terms(program, document.orders(program.fields), run)
    return document if terms is None else document.with_terms(terms)


def _is_kept(document: Document) -> bool:
    """Whether the terms are those of the document as it stands: every line has its own, and nothing has moved."""
    terms = document.terms
    leaves = {number for number in document.lines if not document.is_parent(number)}
    return terms is not None and leaves == set(terms.lines) and document.digest(terms.fields) == terms.digest


def without_terms(document: Document, numbers: Collection[str]) -> Document:
    """The document without the terms of some lines, which then take the rulebook's answers of today."""
    terms = document.terms
    return document if terms is None else document.with_terms(terms.without_lines(numbers))
