"""`Baseline`: the frozen copy of an order that a change order is measured against."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from dokima.changes.combining import combined
from dokima.changes.documents import as_document, frozen, refuse_ended, with_terms
from dokima.changes.line_map import LineMap
from dokima.errors import DocumentError, Problem
from dokima.model.content import canonical_json, digest_of
from dokima.model.document import Document
from dokima.model.order import Order
from dokima.pricing.program import Program, Run


@dataclass(frozen=True)
class Baseline:
    """An order as it was: canonical JSON and its SHA-256. Terms and figures are in it.

    Attributes:
        text: Canonical JSON: number, revision, rulebook (fingerprint), the document, the numbers of its parts, the map
            of its lines to theirs, and where there are several the parts as they were.
        digest: SHA-256 of the text, in hexadecimal digits.
    """

    text: str
    digest: str

    @classmethod
    def take(cls, program: Program, orders: Sequence[Order | Document], run: Run) -> Baseline:
        """Freeze an order, and its supplements with it as one order.

        Args:
            program: The rulebook.
            orders: The original first.
            run: What the caller says about the run.

        Raises:
            DocumentError: One of them cannot be read.
            Locked: Every one of them has come to its end.
            Refused: They cannot be taken together.
        """
        documents = [as_document(program, order) for order in orders]
        refuse_ended(program, documents)
        agreed = [with_terms(program, document, run) for document in documents]
        found = combined(program, agreed)
        whole = frozen(found.document)
        # Said outright, because without terms of its own a draft would be priced anew.
        state = whole.header.get("state") or program.definition.lifecycle.first
        content = {
            "number": documents[0].header.get("number"),
            "revision": documents[0].header.get("revision"),
            "rulebook": program.fingerprint,
            "parts": [document.number for document in documents],
            "map": found.map.to_plain(),
            "document": whole.with_header(state=state).order().to_dict(),
        }
        if len(documents) > 1 or found.map.given:
            content["documents"] = [document.order().to_dict() for document in agreed]
        text = canonical_json(content)
        return cls(text, digest_of(text))

    @classmethod
    def read(cls, text: str, digest: str, name: str = "") -> Baseline:
        """A baseline that was kept, verified.

        Args:
            text: Its text.
            digest: What its SHA-256 must be.
            name: What it is called in messages.

        Raises:
            DocumentError: A byte of it has changed.
        """
        found = digest_of(text)
        if found != digest:
            message = f"the baseline has been changed: its SHA-256 is {found}, expected {digest}"
            raise DocumentError([Problem(name, "", "baseline", message)])
        return cls(text, digest)

    @cached_property
    def content(self) -> dict[str, Any]:
        """What the text says; numbers are text."""
        found: dict[str, Any] = json.loads(self.text)
        return found

    @property
    def number(self) -> str:
        """Number of the original."""
        return str(self.content["number"] or "")

    @property
    def parts(self) -> list[str]:
        """Numbers of the original and its supplements."""
        return list(self.content["parts"])

    def document(self, program: Program) -> Document:
        """The frozen order."""
        return as_document(program, Order.from_dict(self.content["document"]))

    @property
    def is_mapped(self) -> bool:
        """Whether it says which lines of documents its lines stand for; one of an earlier version of several documents
        does not."""
        return "map" in self.content or len(self.parts) == 1

    def map(self, program: Program) -> LineMap:
        """The lines of documents that its lines stand for; of an earlier version those of the original."""
        kept = self.content.get("map")
        return LineMap.of_one(self.document(program)) if kept is None else LineMap.read(kept)

    def documents(self, program: Program) -> list[Document]:
        """The original and its supplements as they were, with their terms; of an earlier version the whole alone."""
        kept = self.content.get("documents")
        if kept is None:
            return [self.document(program)]
        return [as_document(program, Order.from_dict(each)) for each in kept]
