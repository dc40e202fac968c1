"""Operations that may be repeated: a name that a caller gave gives the first result again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from dokima.errors import Conflict, DokimaError
from dokima.model.content import canonical_json, digest_of
from dokima.store.documents import Documents, Done


@dataclass(frozen=True)
class NamedCall:
    """One call that may be repeated.

    Attributes:
        documents: Where it is done.
        name: What the caller calls it; blank for nothing, so that it is done each time.
        by: Who does it.
        digest: Digest of what is asked for.
    """

    documents: Documents
    name: str
    by: str
    digest: str

    @classmethod
    def of(cls, documents: Documents, name: str, by: str, asked: Sequence[Any]) -> NamedCall:
        """An operation; ``asked`` says what is done, to what and how, so that nothing else is taken for it."""
        return cls(documents, name, by, digest_of(canonical_json(list(asked))) if name else "")

    def before(self) -> list[str] | None:
        """What it gave before; None if it was never done.

        Raises:
            Conflict: It was about something else, or what it gave was not kept.
        """
        found = self.documents.done(self.name) if self.name else ()
        if not found:
            return None
        first = found[0]
        about = f"{first.subject} by {first.by} at {first.time}"
        if first.digest != self.digest:
            raise Conflict(f"the operation '{self.name}' was about something else ({about})")
        kept = [each.result for each in found if each.result is not None]
        if len(kept) != len(found):
            raise Conflict(f"the operation '{self.name}' was done, and what it gave was not kept then ({about})")
        return kept

    def gave(self, results: Sequence[tuple[str, str]]) -> list[Done]:
        """What is to be kept of it: the number and the text of each result; nothing if it has no name.

        Raises:
            DokimaError: The name is none for a database.
        """
        if "\0" in self.name:
            raise DokimaError(f"expected the name of an operation (got {self.name!a})")
        return [
            Done(self.name, at, self.digest, subject, self.by, text)
            for at, (subject, text) in enumerate(results)
            if self.name
        ]
