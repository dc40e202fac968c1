"""Databases that a rulebook reads from, and what is asked of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from dokima.model.settings import Name, setting


@dataclass(frozen=True)
class Database:
    """A database of somebody else, which is only read."""

    url: str = setting("Its URL; `$NAME` in any part of it comes from the environment.")
    limit: int = setting("The most rows that a query may give.", default=1_000_000)
    seconds: int = setting("For how long a query may run.", default=60)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        return "" if self.limit > 0 and self.seconds > 0 else "expected 'limit' and 'seconds' above 0"


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
