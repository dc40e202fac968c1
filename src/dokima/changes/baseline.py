"""`Baseline`: the frozen copy of an order that a change order is measured against."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from dokima.changes.documents import refuse_ended
from dokima.changes.supplements import as_document, combined, frozen, with_terms
from dokima.engine.program import Program, Run
from dokima.errors import DocumentError, Problem
from dokima.model.content import canonical_json, digest_of
from dokima.model.document import Document
from dokima.model.order import Order


@dataclass(frozen=True)
class Baseline:
    """An order as it was: canonical JSON and its SHA-256. Terms and figures are in it.

    Attributes:
        text: Canonical JSON: number, revision, rulebook (fingerprint), the document, and the numbers of its parts.
        digest: SHA-256 of the text, in hexadecimal digits.
    """

    text: str
    digest: str

    @classmethod
    def take(cls, program: Program, orders: Sequence[Order | Document], run: Run) -> Baseline:
        """Freeze an order, and its supplements with it as one order by line number.

        Args:
            program: The rulebook.
            orders: The original first.
            run: What the caller says about the run.

        Raises:
            DocumentError: One of them cannot be read.
            Locked: The original has come to its end.
        """
        documents = [as_document(program, order) for order in orders]
        refuse_ended(program, documents)
        whole = frozen(combined(program, [with_terms(program, document, run) for document in documents]))
        # Said outright, because without terms of its own a draft would be priced anew.
        state = whole.header.get("state") or program.definition.lifecycle.first
        content = {
            "number": documents[0].header.get("number"),
            "revision": documents[0].header.get("revision"),
            "rulebook": program.fingerprint,
            "parts": [str(document.header.get("number") or "") for document in documents],
            "document": whole.with_header(state=state).order().to_dict(),
        }
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
