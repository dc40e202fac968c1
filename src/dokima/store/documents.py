"""`Documents`: what a place must offer to keep orders, change orders and baselines. `Store` does the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import AbstractContextManager
from typing import Literal, Protocol

Kind = Literal["orders", "changes", "baselines", "settlements"]
"""Kinds of documents: orders and supplements as they are now, change orders, what those are measured against, and
what approval made of them."""

Written = Mapping[tuple[Kind, str], str]
"""Texts of documents by kind and number."""


class Transaction(Protocol):
    """The only writer of a place, for a while."""

    def commit(self, documents: Written, name: str = "", *, settles: bool = False) -> None:
        """Make several documents true at once: all of them, or none.

        Args:
            documents: The documents.
            name: What is being done, for whoever finds it cut short.
            settles: Whether they are a settlement, which is counted from then on.

        Raises:
            DokimaError: They cannot be written; says why.
        """


class Documents(Protocol):
    """A place that keeps documents as texts by kind and number."""

    @property
    def place(self) -> str:
        """Where it is, for messages."""

    def read(self, kind: Kind, number: str) -> str | None:
        """The text of a document as it is now; None if there is none.

        Raises:
            DocumentError: It cannot be read.
        """

    def numbers(self, kind: Kind) -> Sequence[str]:
        """The numbers of all documents of a kind, sorted."""

    def settlements(self) -> int:
        """How many settlements have become true."""

    def writing(self, by: str) -> AbstractContextManager[Transaction]:
        """Be the only writer.

        Raises:
            Conflict: Somebody else is writing, and went on for too long.
        """
