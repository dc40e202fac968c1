"""Names of columns: those of the fields, and names of ours where a database would take a field's for another."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from string import ascii_lowercase, ascii_uppercase

from dokima.errors import DokimaError
from dokima.model.content import digest_of

LONGEST_NAME = 63
"""Bytes that PostgreSQL keeps of a name; it cuts the rest off in silence."""
SYSTEM = frozenset(("ctid", "xmin", "xmax", "cmin", "cmax", "tableoid", "oid", "rowid", "_rowid_"))
"""What PostgreSQL (documentation 5.6, System Columns) and SQLite (rowid tables) call columns of their own."""
_FOLDED = str.maketrans(ascii_uppercase, ascii_lowercase)


def folded(name: str) -> str:
    """A name as SQLite compares it: without regard to case, of ASCII letters alone."""
    return name.translate(_FOLDED)


def names_of_columns(own: Collection[str], fields: Iterable[str]) -> dict[str, str]:
    """The name of the column of each field: its own, unless somebody else has that.

    A database compares names without regard to case, or has columns of its own. A field whose name is taken gets
    ``field_`` before it; where capitals alone tell two fields apart, the one with capitals says where they stand, as a
    number: of ``budget`` and ``Budget`` the second is ``field_budget_caps_1``. What a name becomes depends on nothing
    but the set of the fields, and is the same in every database.

    Args:
        own: Names that are taken already.
        fields: Names of the fields.
    """
    taken = {folded(name) for name in own} | SYSTEM
    found: dict[str, str] = {}
    for name in sorted(dict.fromkeys(fields), key=lambda each: (each != folded(each), each)):
        column = name
        if folded(column) in taken:
            capitals = sum(1 << at for at, letter in enumerate(name) if letter in ascii_uppercase)
            column = f"field_{folded(name)}" + (f"_caps_{capitals:x}" if capitals else "")
        while folded(column) in taken:
            column = f"field_{column}"
        taken.add(folded(column))
        found[name] = column
    return found


def quoted(name: str) -> str:
    """A name in the text of a statement (SQL:2016, delimited identifier)."""
    return '"' + name.replace('"', '""') + '"'


def refuse_unless_name(name: str, what: str) -> None:
    """Refuse what no database takes for a name.

    Args:
        name: The name; a blank one is none.
        what: What it is the name of.

    Raises:
        DokimaError: It is longer than PostgreSQL keeps, or holds what no text of a database may hold.
    """
    try:
        size = len(name.encode())
    except UnicodeEncodeError:
        size = -1
    if size < 0 or "\0" in name:
        raise DokimaError(f"expected the name of a {what} (got {name!a})")
    if size > LONGEST_NAME:
        raise DokimaError(f"a name in a database has at most {LONGEST_NAME} bytes (got the {what} '{name}')")


def name_of_check(table: str, column: str, what: str) -> str:
    """The name of a check, short enough for every database."""
    name = f"{table}_{column}_{what}"
    if len(name.encode()) <= LONGEST_NAME:
        return name
    return f"check_{digest_of(name)[:40]}_{what}"
