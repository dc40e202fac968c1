"""Orders as JSON (RFC 8259). Numbers may be JSON numbers or text; none passes through a binary float."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable
from decimal import Decimal
from json.encoder import encode_basestring
from pathlib import Path
from typing import Any

import orjson

from dokima.columns.shown import shown
from dokima.errors import DocumentError, Problem
from dokima.formats.regular_files import regular
from dokima.model.order import Order
from dokima.model.orders import Orders


def read_documents(path: Path) -> list[Order]:
    """The orders of a JSON file: one order, a list of orders, or ``{"orders": [...]}``.

    Raises:
        DocumentError: There is no such file, or it is not JSON or holds no orders; names the row.
    """
    try:
        text = regular(path).read_bytes()
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    try:
        return Orders.from_json(text)
    except DocumentError as error:
        raise DocumentError([_in_file(problem, path.name) for problem in error.problems]) from None


def _in_file(problem: Problem, file: str) -> Problem:
    return Problem(problem.order, problem.line, problem.field, problem.message, file, problem.row)


LONG = 500
"""Entries of a list from which on each stands on a line of its own: a hundred thousand indented ones nobody reads."""


def json_text(data: Any) -> str:
    """Plain data as JSON; exact numbers, dates and the like are written as text."""
    if isinstance(data, dict) and any(isinstance(value, list) and len(value) > LONG for value in data.values()):
        parts = (f"  {dumped(name)}: {_part(value)}" for name, value in data.items())
        return "{\n" + ",\n".join(parts) + "\n}"
    return _part(data)


class Written(list[str]):
    """Entries of a list that are JSON already, each on one line."""


def _part(value: Any) -> str:
    if isinstance(value, Written):
        return "[\n" + ",\n".join(value) + "\n]"
    if isinstance(value, list) and len(value) > LONG:
        return "[\n" + ",\n".join(map(dumped, value)) + "\n]"
    return _indented(value)


def _indented(value: Any) -> str:
    """A value as JSON, two spaces a level."""
    try:
        return orjson.dumps(value, default=_plain, option=_INDENTED).decode()
    except orjson.JSONEncodeError:  # a whole number of more than 64 bits
        return json.dumps(value, default=_plain, indent=2, ensure_ascii=False)


_INDENTED = orjson.OPT_INDENT_2 | orjson.OPT_PASSTHROUGH_DATETIME | orjson.OPT_PASSTHROUGH_DATACLASS


def as_json(values: Iterable[Any]) -> list[str]:
    """Each value as JSON on one line. Most are texts, which need no encoder of their own."""
    return [encode_basestring(each) if isinstance(each, str) else dumped(each) for each in values]


def dumped(value: Any) -> str:
    """A value as JSON on one line."""
    if value is None or isinstance(value, bool):
        return _WORDS[value]  # the same few again, and an encoder takes fifty times as long
    if not value and isinstance(value, dict | list):
        return "{}" if isinstance(value, dict) else "[]"
    return _ON_ONE_LINE(value)


_WORDS = {None: "null", True: "true", False: "false"}


def _plain(value: Any) -> Any:
    if isinstance(value, Decimal | datetime.date):
        return shown(value)
    if isinstance(value, Iterable):
        return list(value)
    raise TypeError(f"cannot write {value!r} as JSON")


_ON_ONE_LINE = json.JSONEncoder(ensure_ascii=False, default=_plain).encode
