"""Stores by their places: opening one, and making and tending one in a database.

What tends a database is imported when it is called, so that a folder needs none of it.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from dokima.errors import DokimaError, Refused
from dokima.rulebook.book import Rulebook
from dokima.store.service import Store

if TYPE_CHECKING:
    from dokima.store.database.redrawing import Refreshed

_MEANT = re.compile(r"\$|(sqlite|postgres)[a-z+]*:|.*\bpassword=")
"""What was meant as a database, whatever is wrong with it: it may hold a password, which no message tells."""


def open_store(
    place: str | Path, book: Rulebook, *, schema: str = "", prefix: str = "", allow_draft: bool = False
) -> Store:
    """Open a store. Nothing is created or altered: `create_store` and `upgrade_store` do that.

    Args:
        place: A folder, or the URL of a database: ``sqlite:///orders.db``, ``postgresql+psycopg://user@host/name``.
            ``$NAME`` in any part of a URL, or in the place of all of it, comes from the environment. Schema and prefix
            may stand in it: ``?schema=shop&prefix=q_``.
        book: The rulebook.
        schema: Schema of the database; the usual one if blank.
        prefix: What the names of its tables begin with.
        allow_draft: Open it also with a rulebook that says it is a draft.

    Raises:
        NotFound: There is no such folder.
        Refused: The rulebook is a draft, or something was left out of it to try that.
        DokimaError: It is no place, cannot be reached, or holds no store, and which command helps; or the database
            keeps a field as another kind than the rulebook has.
    """
    _refuse_unless_released(book, allow_draft)
    if not is_store_url(place):
        from dokima.store.folder import FolderStore

        return FolderStore(place, book)
    from dokima.store.database.store import DatabaseStore

    return DatabaseStore(str(place), book, schema=schema, prefix=prefix)


def _refuse_unless_released(book: Rulebook, allow_draft: bool) -> None:
    """Refuse a rulebook that orders are not to be worked with.

    Raises:
        Refused: It is a draft and nobody allows that, or something was left out of it.
    """
    book.refuse_trial("no store opens")
    if book.declared.definition.status == "draft" and not allow_draft:
        raise Refused(
            f"the rulebook '{book.name}' is a draft: no store opens with it unless that is allowed "
            "(allow_draft=True, --allow-draft); without 'status' it is one to work with"
        )


def is_store_url(place: str | Path) -> bool:
    """Whether a place is a database: a URL, or the name of one in the environment."""
    return isinstance(place, str) and ("://" in place or _MEANT.match(place) is not None)


def create_store(place: str, book: Rulebook, *, schema: str = "", prefix: str = "", allow_draft: bool = False) -> Store:
    """Make the tables of a store in a database, and open it. Nothing that is there is touched.

    Args:
        place: The URL of the database; see `open_store`. A file of SQLite is made.
        book: The rulebook.
        schema: Schema of the database; PostgreSQL makes it if it is not there.
        prefix: What the names of its tables begin with.
        allow_draft: As for `open_store`.

    Raises:
        Refused: As for `open_store`.
        DokimaError: There is a table of one of those names, or the database cannot be reached.
    """
    from dokima.store.database.tending import create

    _refuse_unless_released(book, allow_draft)
    return create(_url(place), book, schema, prefix)


def upgrade_store(
    place: str, book: Rulebook, *, schema: str = "", prefix: str = "", dry_run: bool = False, adopt: bool = False
) -> list[str]:
    """Add what a changed rulebook needs to a store in a database; nothing is ever dropped.

    Args:
        place: The URL of the database.
        book: The rulebook.
        schema: Schema of the database.
        prefix: What the names of its tables begin with.
        dry_run: Only say what would be done.
        adopt: The store is this rulebook's from now on, though it keeps the orders of one of another name.

    Returns:
        The statements.

    Raises:
        DokimaError: A field has come back with another kind, it is another rulebook's, or the database refuses.
    """
    from dokima.store.database.tending import upgrade

    return upgrade(_url(place), book, schema, prefix, dry_run, adopt)


def check_store(place: str, book: Rulebook, *, schema: str = "", prefix: str = "") -> Iterator[str]:
    """What is wrong with a store in a database: tables beside the rulebook, documents, totals, events.

    Every order and every change order is read back. Totals are compared where this rulebook worked them out.

    Args:
        place: The URL of the database.
        book: The rulebook.
        schema: Schema of the database.
        prefix: What the names of its tables begin with.

    Raises:
        DokimaError: It cannot be reached, or holds no store.
    """
    from dokima.store.database.tending import check

    return check(_url(place), book, schema, prefix)


def refresh_drafts(
    place: str,
    book: Rulebook,
    *,
    by: str = "",
    today: datetime.date | None = None,
    schema: str = "",
    prefix: str = "",
    allow_draft: bool = False,
) -> Refreshed:
    """Work out anew the orders in the first state: what their defaults gave, and figures of another rulebook.

    A changed rulebook recomputes nothing by itself: what was agreed stands. A draft of which a drawn value is another
    now is saved with a new revision, and that is told; of the others revisions stay.

    Args:
        place: The URL of the database.
        book: The rulebook.
        by: Who does it.
        today: For ``run.today``; a date that was drawn from it once stays.
        schema: Schema of the database.
        prefix: What the names of its tables begin with.
        allow_draft: As for `open_store`.

    Returns:
        How many were worked out anew, and each value that is another now.

    Raises:
        Refused: As for `open_store`.
        DokimaError: It cannot be reached, or holds no store.
    """
    from dokima.store.database.redrawing import refresh

    _refuse_unless_released(book, allow_draft)
    return refresh(_url(place), book, schema, prefix, by, today)


def store_sql(book: Rulebook, dialect: Literal["sqlite", "postgresql"], *, schema: str = "", prefix: str = "") -> str:
    """The statements that make the tables of a store.

    Args:
        book: The rulebook.
        dialect: Of which database.
        schema: Schema of the database.
        prefix: What the names of its tables begin with.
    """
    from dokima.store.database.tending import written_sql

    return written_sql(book, dialect, schema, prefix)


def _url(place: str | Path) -> str:
    if not is_store_url(place):
        raise DokimaError(f"expected the URL of a database such as sqlite:///orders.db (got '{place}')")
    return str(place)
