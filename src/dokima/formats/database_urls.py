"""URLs of databases: taken apart, filled from the environment, checked, and never told with what is secret in them."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from dokima.errors import DokimaError, StoreError
from dokima.model.arguments import is_halved
from dokima.model.databases import VARIABLE, DatabaseUrl

if TYPE_CHECKING:
    from sqlalchemy import URL

_DRIVERS = {"sqlite": "sqlite", "sqlite+pysqlite": "sqlite", "postgresql": "postgresql+psycopg"}
_PARTS = ("username", "password", "host", "database")
_SQLITE_OPTIONS = ("timeout",)
SHORT = 4
"""Letters below which a secret is only found as a word of its own in what others say."""
_LONGEST_PATH = 4096

Permits = Callable[[str], bool]
"""Says whether a variable of the environment may be named."""


@dataclass(frozen=True, repr=False)
class DatabasePlace:
    """A database that can be connected to, and how people are told of it.

    Attributes:
        url: Its URL, filled.
        shown: Where it is, without user and password; of what came from the environment the name.
        secrets: What is never told, each with what is told in its place.
    """

    url: URL
    shown: str
    secrets: tuple[tuple[str, str], ...]

    def __str__(self) -> str:
        return self.shown

    def __repr__(self) -> str:
        return f"<DatabasePlace {self.shown}>"

    def scrubbed(self, said: str) -> str:
        """What somebody else says, without what is secret."""
        for secret, instead in self.secrets:
            found = re.escape(secret)
            pattern = found if len(secret) >= SHORT else rf"(?<!\w){found}(?!\w)"
            said = re.sub(pattern, instead.replace("\\", r"\\"), said)
        return said

    def silence(self, error: BaseException) -> None:
        """Take what is secret out of an exception of somebody else's, and of those that led to it."""
        seen: set[int] = set()
        waiting: list[BaseException | None] = [error]
        while waiting:
            each = waiting.pop()
            if each is None or id(each) in seen:
                continue
            seen.add(id(each))
            each.args = tuple(self.scrubbed(part) if isinstance(part, str) else part for part in each.args)
            for name, value in vars(each).items():  # drivers keep the connection there, and it its password
                if isinstance(value, str):
                    vars(each)[name] = self.scrubbed(value)
                elif isinstance(value, list):
                    vars(each)[name] = [self.scrubbed(str(part)) for part in value]
                elif not isinstance(value, bool | int | BaseException):
                    vars(each)[name] = None
            waiting += [each.__cause__, each.__context__, getattr(each, "orig", None)]

    @contextmanager
    def quietly(self, what: str = "") -> Iterator[None]:
        """Errors of drivers, whatever kind they are of, become one of ours, and hold nothing that is secret.

        Args:
            what: What is done, for messages.

        Raises:
            StoreError: The database cannot be reached, or refuses.
        """
        try:
            yield
        except DokimaError:
            raise
        except Exception as error:  # a driver raises what it likes: ValueError for an option, TypeError for a kind
            self.silence(error)
            said = self.scrubbed(str(getattr(error, "orig", None) or error)).strip().partition("\n")[0]
            raise StoreError(f"{what or self.shown}: {said}") from None


def place_of(given: str | DatabaseUrl, permits: Permits | None = None) -> DatabasePlace:
    """A database by its URL, ``$NAME`` in any of its parts put in from the environment.

    It is taken apart first and filled in part by part: a password ``p@s/s:w`` must not move the host.

    Args:
        given: The URL.
        permits: Says which variables may be named; all if None.

    Raises:
        DokimaError: It is no URL of a database, or a variable is not there or may not be named. No value of the
            environment is ever told.
    """
    from sqlalchemy import make_url
    from sqlalchemy.exc import ArgumentError

    said = given if isinstance(given, DatabaseUrl) else DatabaseUrl(given)
    taken: list[tuple[str, str]] = []

    def value(name: str) -> str:
        if permits is not None and not permits(name):
            raise DokimaError(f"${name} may not be named here")
        found = _variable(name)
        taken.append((found, f"${name}"))
        return found

    text = value(said.whole) if said.whole else said.reveal()
    url = None
    if not _is_odd(text):
        try:
            url = make_url(text)
        except (ArgumentError, ValueError):
            url = None  # what it says may hold the password
    if url is None or "@" in (url.host or "") or "@" in text.partition("?")[2]:
        hint = "; in a password / @ : ? are written %2F %40 %3A %3F" if "@" in text else ""
        raise DokimaError(f"expected a URL such as sqlite:///orders.db (got '{said}'{hint})")
    written = url.drivername
    if written not in (*_DRIVERS, *_DRIVERS.values()):
        named = f"${said.whole}" if said.whole else f"'{written}'"
        raise DokimaError(f"expected sqlite or postgresql (got {named})")
    url = url.set(drivername=_DRIVERS.get(written, written))
    shown = f"${said.whole}" if said.whole else _told(url)
    if not said.whole:
        filled: dict[str, Any] = {name: _filled(getattr(url, name), value) for name in _PARTS if getattr(url, name)}
        query = {name: _filled_option(option, value) for name, option in url.query.items()}
        url = url.set(**filled, query=query)
    _refuse_odd(url, shown)
    kept = [*taken, *((each, "***") for each in _of_parts(url, everything=bool(said.whole)))]
    if not said.whole:
        kept += [(each, "***") for each in _of_parts(make_url(text), everything=False)]
    secrets = {form: instead for secret, instead in kept for form in (secret, quote(secret, safe="")) if form}
    longest_first = sorted(secrets.items(), key=lambda pair: -len(pair[0]))
    return DatabasePlace(url, shown, tuple(longest_first))


def filled(text: str) -> str:
    """A name of a schema or a prefix, ``$NAME`` in it put in from the environment.

    Raises:
        DokimaError: A variable is not there.
    """
    return _filled(text, _variable)


def _variable(name: str) -> str:
    if name not in os.environ:
        raise DokimaError(f"${name} is not in the environment")
    return os.environ[name]


def _filled(text: Any, value: Callable[[str], str]) -> str:
    return VARIABLE.sub(lambda found: value(found[1]), str(text))


def _filled_option(option: Any, value: Callable[[str], str]) -> Any:
    return _filled(option, value) if isinstance(option, str) else tuple(_filled(each, value) for each in option)


def _told(url: URL) -> str:
    """Where a database is, without user and password."""
    return f"'{url.database or ''}'" if url.host is None else f"'{url.database or ''}' on {url.host}"


def _of_parts(url: URL, *, everything: bool) -> Iterator[str]:
    """The parts of a URL that are secret: its password and the values of its query; else all of them."""
    for name in _PARTS if everything else ("password",):
        if part := getattr(url, name):
            yield str(part)
    for name, option in url.query.items():
        if name not in ("schema", "prefix"):
            yield from [option] if isinstance(option, str) else option


def _is_odd(text: str) -> bool:
    """Whether a text holds what no URL holds."""
    return "\0" in text or is_halved(text)


def _refuse_odd(url: URL, shown: str) -> None:
    """Refuse what a driver would not understand, or would understand otherwise than it was meant.

    Raises:
        DokimaError: Says what was expected.
    """
    parts = [str(getattr(url, name) or "") for name in _PARTS]
    if any(map(_is_odd, parts)) or any(len(part) > _LONGEST_PATH for part in parts):
        raise DokimaError(f"expected a URL such as sqlite:///orders.db (a part of {shown[:80]} is none of a URL)")
    if url.get_backend_name() == "postgresql":
        return
    if url.host or url.username or url.password or url.port:
        raise DokimaError("expected three slashes before the path of a file, as in sqlite:///orders.db")
    if str(url.database or "").startswith("file:"):
        raise DokimaError(f"expected the path of a file (got {shown})")
    for name, option in url.query.items():
        if name in ("schema", "prefix"):
            continue
        if name not in _SQLITE_OPTIONS:
            raise DokimaError(f"SQLite has no option '{name}' here; there is {', '.join(_SQLITE_OPTIONS)}")
        if not isinstance(option, str) or not re.fullmatch(r"\d{1,6}(\.\d{1,3})?", option):
            raise DokimaError(f"'{name}': expected a number of seconds")
