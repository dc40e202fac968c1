"""Rows out of other people's databases: one query, read only, with a limit of rows and of time.

A read-only transaction is no sandbox: a function that a query calls may still do what its user may do. The user of the
URL should have the right to select, and no other.
"""

from __future__ import annotations

import datetime
import json
import pickle
import re
import subprocess
import sys
import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from types import NoneType
from typing import Any
from urllib.parse import quote

import numpy as np

from dokima.errors import DokimaError, listed, nearest
from dokima.formats.database_urls import DatabasePlace, place_of
from dokima.formats.grid import Grid, coded
from dokima.formats.regular_files import reached
from dokima.model.databases import Database

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
    if database.access.trust == "nothing":
        raise DokimaError(f"{what}: no database is asked, because the rulebook is trusted with nothing")
    try:
        statement, names = parameters_of(query)
        _check_parameters(names, parameters)
        place = place_of(database.url, database.access.permits)
        asked = f"SELECT * FROM ({statement}) AS asked LIMIT {database.limit + 1}"
        given = {name: parameters[name] for name in names}
        read = _of_sqlite if place.url.get_backend_name() == "sqlite" else _of_postgres
        headings, rows = read(place, database, asked, given)
    except DokimaError as error:
        raise type(error)(f"{what}: {error}") from None
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


Rows = tuple[list[str], list[Any]]
"""Headings and rows."""


def _of_postgres(place: DatabasePlace, database: Database, asked: str, given: Mapping[str, Any]) -> Rows:
    """What a query gives, in a transaction that only reads and has a limit of time."""
    try:
        from sqlalchemy import NullPool, create_engine, text

        engine = create_engine(place.url, poolclass=NullPool)
    except ImportError:
        raise DokimaError("PostgreSQL needs psycopg: pip install 'dokima[postgres]'") from None
    with place.quietly(), engine.connect() as connection:
        connection.exec_driver_sql("SET TRANSACTION READ ONLY")
        connection.exec_driver_sql(f"SET LOCAL statement_timeout = {database.seconds * 1000}")
        found = connection.execution_options(stream_results=True).execute(text(asked), dict(given))
        headings = [str(name) for name in found.keys()]  # noqa: SIM118 (a result has no other way)
        rows = _held(found.partitions(1000), database)
        connection.rollback()
    return headings, rows


def _of_sqlite(place: DatabasePlace, database: Database, asked: str, given: Mapping[str, Any]) -> Rows:
    """What a query gives, in a process of its own that is ended when its time is over."""
    uri = f"file:{quote(str(_path_of(place, database)))}?mode=ro"
    values = {name: value.isoformat() if isinstance(value, datetime.date) else value for name, value in given.items()}
    odd = next((name for name, each in values.items() if not isinstance(each, str | int | float | NoneType)), None)
    if odd is not None:
        raise DokimaError(f"expected a text, a number or a date for :{odd} (got {type(values[odd]).__name__})")
    # Colons that are none of a parameter were marked for another reader.
    wanted = {"uri": uri, "query": asked.replace(r"\:", ":"), "parameters": values}
    timeout = place.url.query.get("timeout", database.seconds)
    if not sys.executable:  # a program that holds Python and is none
        raise DokimaError("SQLite is read by a Python of its own, and there is none here")
    command = [sys.executable, "-I", str(Path(__file__).with_name("sqlite_reader.py"))]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as child:
        ends = threading.Timer(database.seconds, child.kill)
        ends.start()
        try:
            _ask(child, json.dumps({**wanted, "timeout": str(timeout)}))
            found = list(_read(child, database))
        finally:
            in_time = ends.is_alive()
            ends.cancel()
            child.kill()
    if not in_time:
        raise DokimaError(f"interrupted: it ran for {database.seconds} seconds; raise 'seconds'")
    if not found or isinstance(found[-1], str):
        raise DokimaError(place.scrubbed(found[-1].partition("\n")[0]) if found else "the process of SQLite has ended")
    headings, *parts = found
    return [str(name) for name in headings], [row for part in parts for row in part]


def _ask(child: subprocess.Popen[bytes], text: str) -> None:
    assert child.stdin is not None
    with suppress(BrokenPipeError):  # it has ended already, and what it said is read below
        child.stdin.write(text.encode())
        child.stdin.close()


def _read(child: subprocess.Popen[bytes], database: Database) -> Iterator[Any]:
    """What the reader of SQLite has to say: headings, all rows, and a text if it was not all well."""
    parts = iter(lambda: _part(child.stdout), None)
    first, said = next(parts, None), list[str]()

    def rows() -> Iterator[Sequence[Any]]:
        for part in parts:
            if isinstance(part, str):
                said.append(part)
            else:
                yield part

    if first is not None:
        yield first
        if not isinstance(first, str):
            yield _held(rows(), database)
            yield from said


def _part(out: Any) -> Any:
    try:
        return pickle.load(out)  # of our own process
    except (EOFError, pickle.UnpicklingError):
        return None


def _held(parts: Iterable[Sequence[Any]], database: Database) -> list[Any]:
    """Rows, as long as they are not more than may be held.

    Raises:
        DokimaError: They hold too much.
    """
    rows: list[Any] = []
    size = 0
    for some in parts:
        rows += some
        size += sum(len(value) for row in some for value in row if isinstance(value, str | bytes))
        if size > database.megabytes * 2**20:
            raise DokimaError(f"expected rows of at most {database.megabytes:,} MB (there is more); raise 'megabytes'")
    return rows


def _path_of(place: DatabasePlace, database: Database) -> Path:
    """The file of SQLite, beside the rulebook unless its path is whole.

    Raises:
        DokimaError: There is no such file, or it does not lie where its rulebook may look.
    """
    access = database.access
    try:
        path = reached(Path(access.folder), place.url.database or "", access).resolve()
    except DokimaError:  # which would tell the path, whatever it came from
        said = f"{place.shown} lies outside the folder of the rulebook; --trust all lets it be read"
        raise DokimaError(said) from None
    if not path.is_file():
        raise DokimaError(f"there is no file {place.shown}")
    return path
