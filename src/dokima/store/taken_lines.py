"""`TakenLines`: numbers of lines that are taken in the other documents of an order, and in its pending changes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from dokima.model.addresses import is_address
from dokima.model.links import given_numbers, linked_numbers
from dokima.model.parsing import parse_json
from dokima.store.documents import Documents


@dataclass(frozen=True)
class TakenLines:
    """Read when somebody asks; most edits add no line.

    Attributes:
        documents: Where the documents are kept.
        root: Number of the original.
        document: Number of the document that is edited, whose own lines are known; blank if a change is.
        change: Number of the change that is edited, likewise. The documents of a change are in its baseline.
    """

    documents: Documents
    root: str
    document: str = ""
    change: str = ""

    def __iter__(self) -> Iterator[str]:
        yield from self._pending()
        if not self.document:
            return
        original = self._read(self.documents.read_orders([self.root]).values())
        header = original[0] if original else {}
        yield from given_numbers(header).values()
        family = [self.root, *linked_numbers(header, "supplement")]
        others = self.documents.read_orders([number for number in family if number != self.document])
        yield from _numbers(self._read(others.values()))

    def _pending(self) -> Iterator[str]:
        names = [name for name in self.documents.changes_of(self.root) if name != self.change]
        texts = [text for name in names if (text := self.documents.read("changes", name)) is not None]
        mine = [each for each in self._read(texts) if each.get("order") == self.root]
        yield from _numbers(each.get("document") for each in mine if each.get("state") in ("draft", "submitted"))

    @staticmethod
    def _read(texts: Iterable[str]) -> list[Mapping[str, Any]]:
        found = [parse_json(text) for text in texts]
        return [each for each in found if isinstance(each, Mapping)]


def _numbers(documents: Iterable[Any]) -> Iterator[str]:
    """The numbers of the lines of some documents; of what is none there are none."""
    for document in documents:
        lines = document.get("lines") if isinstance(document, Mapping) else None
        for line in lines or ():
            if isinstance(line, Mapping) and is_address(line.get("number")):
                yield str(line["number"])
