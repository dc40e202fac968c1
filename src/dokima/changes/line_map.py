"""`LineMap`: for each line of an order as a whole the lines of documents that it stands for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from dokima.model.document import Document
from dokima.model.links import Place


@dataclass(frozen=True)
class LineMap:
    """The lines of an original and its supplements, taken together as one order.

    Attributes:
        places: By number in the whole the lines of documents it stands for, parent lines among them.
    """

    places: Mapping[str, Sequence[Place]] = field(default_factory=dict)

    @classmethod
    def of_one(cls, document: Document) -> LineMap:
        """The map of a document that is the whole order."""
        return cls({number: ((document.number, number),) for number in document.lines})

    @classmethod
    def read(cls, kept: Mapping[str, Iterable[Sequence[str]]]) -> LineMap:
        """The map as a baseline keeps it."""
        return cls({name: tuple((str(place[0]), str(place[1])) for place in places) for name, places in kept.items()})

    def to_plain(self) -> dict[str, list[list[str]]]:
        """The map as plain data; `read` reads it back."""
        return {name: [list(place) for place in places] for name, places in self.places.items()}

    @cached_property
    def names(self) -> Mapping[Place, str]:
        """The number in the whole of each line of a document."""
        return {place: name for name, places in self.places.items() for place in places}

    def line_in(self, name: str, document: str) -> str | None:
        """The number that a line of the whole has in a document; None if it is not there."""
        return next((line for where, line in self.places.get(name, ()) if where == document), None)

    @property
    def given(self) -> dict[str, dict[str, str]]:
        """By document the lines that have another number in the whole, and that number."""
        found: dict[str, dict[str, str]] = {}
        for (document, line), name in self.names.items():
            if line != name:
                found.setdefault(document, {})[line] = name
        return found

    def standing_for(self, name: str) -> list[Place]:
        """The lines that a line of the whole stands for, where one of them has another number in its document."""
        places = list(self.places.get(name, ()))
        return places if any(line != name for _, line in places) else []
