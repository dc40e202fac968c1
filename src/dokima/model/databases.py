"""Databases that a rulebook reads from, and what is asked of them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from dokima.model.settings import Name, Reads, setting

Trust = Literal["folder", "all", "nothing"]
"""What a rulebook may reach: what lies in its folder, anything, or nothing but its own texts and tables."""
VARIABLES = "DOKIMA_"
"""What the names of the variables of the environment begin with that a rulebook may name, where nobody says more."""
VARIABLE = re.compile(r"\$([A-Za-z_][A-Za-z0-9_]*)")
"""How a variable of the environment is named."""
_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*://")
_HIDDEN = "***"


class DatabaseUrl:
    """A URL as it came from outside. No text that is made of it holds its password, nor any value of its query.

    Args:
        text: The URL.
    """

    __slots__ = ("_text",)

    def __init__(self, text: str) -> None:
        self._text = text

    def reveal(self) -> str:
        """The URL with all that is in it, for whoever connects."""
        return self._text

    @property
    def names(self) -> list[str]:
        """The variables of the environment that it names."""
        return list(dict.fromkeys(VARIABLE.findall(self._text)))

    @property
    def whole(self) -> str:
        """The variable that stands in the place of all of it; blank if there is none."""
        found = VARIABLE.fullmatch(self._text.strip())
        return found[1] if found else ""

    def __str__(self) -> str:
        """Scheme, user, host and path. What is no URL might be anything, and is not told."""
        if self.whole:
            return self._text.strip()
        scheme = _SCHEME.match(self._text)
        if scheme is None:
            return _HIDDEN
        rest, asks, query = self._text[scheme.end() :].partition("?")
        # A password may hold any mark, written as it should be or not: all before the last @ is user and password.
        if "@" in query:
            return f"{scheme[0]}{_HIDDEN}"
        user, at, place = rest.rpartition("@")
        if at:
            user = user.partition(":")[0] + (f":{_HIDDEN}" if ":" in user else "")
            user = _HIDDEN if "/" in user else user
        elif ":" in place.partition("/")[0]:
            place = f"{place.partition(':')[0]}:{_HIDDEN}"
        names = [part.partition("=")[0] for part in query.split("&")] if asks else []
        return f"{scheme[0]}{user}{at}{place}{asks}{'&'.join(f'{name}={_HIDDEN}' for name in names)}"

    def __repr__(self) -> str:
        return f"DatabaseUrl({str(self)!r})"

    def __eq__(self, other: object) -> bool:
        """Whether two URLs name the same place, whatever their passwords."""
        return isinstance(other, DatabaseUrl) and str(self) == str(other)

    def __hash__(self) -> int:
        return hash(str(self))


UrlText = Annotated[DatabaseUrl, Reads("url")]


@dataclass(frozen=True)
class Access:
    """What a rulebook may reach, as whoever loads it says.

    Attributes:
        trust: What it may reach.
        folder: Its folder, blank for none.
        environment: The variables of the environment that it may name; None for those that begin with ``DOKIMA_``, and
            where it may reach anything for all.
    """

    trust: Trust = "all"
    folder: str = ""
    environment: Sequence[str] | None = None

    def permits(self, name: str) -> bool:
        """Whether it may name a variable."""
        if self.environment is not None:
            return name in self.environment
        return self.trust == "all" or (self.trust == "folder" and name.startswith(VARIABLES))


@dataclass(frozen=True)
class Database:
    """A database of somebody else, which is only read.

    Attributes:
        access: What its rulebook may reach.
    """

    url: UrlText = setting("Its URL; `$NAME` in any part of it comes from the environment.")
    limit: int = setting("The most rows that a query may give.", default=1_000_000)
    megabytes: int = setting("The most that the rows of a query may hold.", default=1000)
    seconds: int = setting("For how long a query may run.", default=60)
    access: Access = Access()

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        fits = self.limit > 0 and self.seconds > 0 and self.megabytes > 0
        return "" if fits else "expected 'limit', 'megabytes' and 'seconds' above 0"


@dataclass(frozen=True)
class TableQuery:
    """The query that gives the rows of a table."""

    source: Name = setting("The database, `[source.NAME]`.")
    query: str = setting("A query, such as `select item, price from prices`; its columns are those of the table.")


@dataclass(frozen=True)
class LayoutQueries:
    """The queries that give orders.

    Attributes:
        database: The database, once it is known.
    """

    source: Name = setting("The database, `[source.NAME]`.")
    headers: str = setting("A query of headers; of flat rows, a row a line, where `lines` is left out.")
    lines: str = setting("A query of lines.", default="")
    link: str = setting("The column of the lines that names the order.", default="order")
    database: Database | None = None


@dataclass(frozen=True)
class Query:
    """A query that stands in for the rows of a table; see `Rulebook.with_tables`.

    Attributes:
        source: The database, by its name in the rulebook.
        query: The query, with parameters such as ``:place``.
        parameters: Their values.
    """

    source: str
    query: str
    parameters: Mapping[str, Any] = field(default_factory=dict)
