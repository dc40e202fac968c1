"""Rows out of other people's databases: one query, read only, with a limit of rows and of time.

A read-only transaction is no sandbox: a function that a query calls may still do what its user may do. The user of the
URL should have the right to select, and no other.
"""

from __future__ import annotations

import os
import re
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.errors import DokimaError, listed, nearest
from dokima.formats.grid import Grid, coded
from dokima.model.databases import Database

if TYPE_CHECKING:
    from sqlalchemy import URL, Connection

_NAME = re.compile(r"\$([A-Za-z_][A-Za-z0-9_]*)")
_PARTS = re.compile(
    r"(?P<quoted>'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|\[[^\]]*\])"
    r"|(?P<comment>--[^\n]*|/\*.*?\*/)"
    r"|(?P<dollar>\$(?P<tag>[A-Za-z_]*)\$.*?\$(?P=tag)\$)"
    r"|(?P<cast>::)"
    r"|:(?P<name>[A-Za-z_][A-Za-z0-9_]*)"
    r"|(?P<end>;)"
    r"|(?P<colon>:)",
    re.DOTALL,
)
"""What matters in SQL: literals and comments, in which nothing is a parameter; casts; parameters; the end."""


def url_of(place: str) -> URL:
    """A URL of a database, ``$NAME`` in any of its parts put in from the environment.

    It is taken apart first and filled in part by part: a password ``p@s/s:w`` must not move the host.

    Raises:
        DokimaError: It is no URL of a database, or a name is not in the environment. No value of the environment is
            ever told.
    """
    from sqlalchemy import make_url
    from sqlalchemy.exc import ArgumentError

    whole = _NAME.fullmatch(place.strip())
    try:
        url = make_url(_value(whole[1]) if whole else place)
    except (ArgumentError, ValueError):
        told = place if whole else re.sub(r"//[^@/]*@", "//...@", place)
        raise DokimaError(f"expected a URL such as sqlite:///orders.db (got '{told}')") from None
    if url.get_backend_name() not in ("sqlite", "postgresql"):
        raise DokimaError(f"expected sqlite or postgresql (got '{url.get_backend_name()}')")
    if url.drivername == "postgresql":
        url = url.set(drivername="postgresql+psycopg")
    if whole:
        return url
    parts = {name: getattr(url, name) for name in ("username", "password", "host", "database")}
    filled: dict[str, Any] = {name: _filled(str(text)) for name, text in parts.items() if text}
    return url.set(**filled)


def _filled(text: str) -> str:
    return _NAME.sub(lambda found: _value(found[1]), text)


def _value(name: str) -> str:
    if name not in os.environ:
        raise DokimaError(f"${name} is not in the environment")
    return os.environ[name]


def parameters_of(query: str) -> tuple[str, list[str]]:
    """A query as SQLAlchemy wants it, and the names of its parameters. Nothing in a literal or a comment is one.

    Raises:
        DokimaError: It is more than one statement.
    """
    names: list[str] = []
    parts: list[str] = []
    at = 0
    for found in _PARTS.finditer(query):
        parts.append(query[at : found.start()])
        at = found.end()
        if found["end"] is not None:
            if query[at:].strip():
                raise DokimaError("expected one statement (there is another after ';')")
        elif found["name"] is not None:
            names.append(found["name"])
            parts.append(f":{found['name']}")
        elif found["comment"] is None:
            parts.append(found[0].replace(":", r"\:"))
        else:
            parts.append(" ")
    return "".join([*parts, query[at:]]), list(dict.fromkeys(names))


def rows_of_query(database: Database, query: str, parameters: Mapping[str, Any], what: str) -> Grid:
    """The rows that a query gives, as a grid; they count from 2, as in a file with a heading.

    Args:
        database: Where.
        query: One statement that selects, with parameters such as ``:since``.
        parameters: A value for each.
        what: What is read, for messages.

    Raises:
        DokimaError: It is no such query, a parameter is missing or unknown, there are more rows than the limit, it
            takes too long, or the database cannot be reached.
    """
    from sqlalchemy import NullPool, create_engine, text
    from sqlalchemy.exc import DBAPIError, ResourceClosedError

    try:
        statement, names = parameters_of(query)
        _check_parameters(names, parameters)
        url = url_of(database.url)
        engine = create_engine(_read_only(url), poolclass=NullPool)
        with engine.connect() as connection, _guarded(connection, database):
            limited = f"SELECT * FROM ({statement}) AS asked LIMIT {database.limit + 1}"
            found = connection.execute(text(limited), {name: parameters[name] for name in names})
            headings = [str(name) for name in found.keys()]  # noqa: SIM118 (a result has no other way)
            rows = found.all()
    except ImportError:
        raise DokimaError(f"{what}: PostgreSQL needs psycopg: pip install 'dokima[postgres]'") from None
    except (DBAPIError, ResourceClosedError) as error:
        said = str(getattr(error, "orig", error)).strip().partition("\n")[0]
        raise DokimaError(f"{what}: {said}") from None
    except DokimaError as error:
        raise DokimaError(f"{what}: {error}") from None
    if len(rows) > database.limit:
        raise DokimaError(f"{what}: expected at most {database.limit:,} rows (there are more); raise 'limit'")
    doubled = sorted({name for name in headings if headings.count(name) > 1})
    if doubled:
        raise DokimaError(f"{what}: expected each column once (got '{doubled[0]}' twice)")
    columns = zip(*rows, strict=True) if rows else ((),) * len(headings)
    return Grid(
        {name: coded([_cell(value) for value in column]) for name, column in zip(headings, columns, strict=True)},
        len(rows),
        np.arange(len(rows)) + 2,
    )


def _cell(value: Any) -> Any:
    """A cell; an empty text is a blank, as in files."""
    return None if value == "" else value


def _check_parameters(names: list[str], parameters: Mapping[str, Any]) -> None:
    for name in names:
        if name not in parameters:
            raise DokimaError(f"expected a value for :{name} (given: {listed(sorted(parameters)) or 'none'})")
    unknown = next((name for name in parameters if name not in names), None)
    if unknown is not None:
        raise DokimaError(f"there is no :{unknown} in the query{nearest(unknown, names)}")


def _read_only(url: URL) -> URL:
    if url.get_backend_name() != "sqlite":
        return url
    path = url.database or ""
    if not os.path.isfile(path):
        raise DokimaError(f"there is no file '{path}'")
    return url.set(database=f"file:{path}?mode=ro", query={**url.query, "uri": "true"})


@contextmanager
def _guarded(connection: Connection, database: Database) -> Iterator[None]:
    """A read-only transaction with a limit of time."""
    if connection.dialect.name == "postgresql":
        connection.exec_driver_sql("SET TRANSACTION READ ONLY")
        connection.exec_driver_sql(f"SET LOCAL statement_timeout = {database.seconds * 1000}")
    else:
        driver: Any = connection.connection.driver_connection
        driver.execute("PRAGMA query_only = ON")
        end = time.monotonic() + database.seconds
        driver.set_progress_handler(lambda: time.monotonic() > end, 10_000)
    try:
        yield
    finally:
        connection.rollback()
