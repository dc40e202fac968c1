"""`open_store`: the store of a place, whatever it is."""

from __future__ import annotations

from pathlib import Path

from dokima.rulebook.book import Rulebook
from dokima.store.service import Store


def open_store(place: str | Path, book: Rulebook, *, schema: str = "", prefix: str = "") -> Store:
    """Open a store. Nothing is created or altered: ``dokima store create`` and ``upgrade`` do that.

    Args:
        place: A folder, or the URL of a database: ``sqlite:///orders.db``, ``postgresql+psycopg://user@host/name``.
            ``$NAME`` in any part of a URL, or in the place of all of it, comes from the environment.
        book: The rulebook.
        schema: Schema of the database; the usual one if blank.
        prefix: What the names of its tables begin with.

    Raises:
        NotFound: There is no such folder.
        DokimaError: It is no place, cannot be reached, or holds no store; says which command helps.
    """
    if isinstance(place, Path) or not is_url(place):
        from dokima.store.folder import FolderStore

        return FolderStore(place, book)
    from dokima.store.database.store import DatabaseStore

    return DatabaseStore(place, book, schema=schema, prefix=prefix)


def is_url(place: str) -> bool:
    """Whether a place is a database: a URL, or the name of one in the environment."""
    return "://" in place or place.startswith("$")
