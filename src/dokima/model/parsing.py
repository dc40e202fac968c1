"""JSON text (RFC 8259) as plain data. Numbers become `Decimal` or `int`; none passes through a binary float."""

from __future__ import annotations

import json
from decimal import Decimal, InvalidOperation
from typing import Any, NoReturn

from dokima.errors import DocumentError, Problem
from dokima.exact.conversion import BEYOND
from dokima.limits import NESTING

MOST_DIGITS = 4000
"""Digits that Python reads as a whole number; its own bound is a few hundred above that."""
TOO_DEEP = f"expected {{what}} that is nested at most {NESTING} levels deep"


def parse_json(text: str | bytes) -> Any:
    """JSON as plain data; a name given twice in one object is refused.

    Args:
        text: The text, as bytes in UTF-8 with or without a byte order mark.

    Raises:
        DocumentError: Not JSON, a name twice, NaN or Infinity, or more than a reader can take; names the row.
    """
    if isinstance(text, bytes | bytearray):
        try:
            text = bytes(text).decode("utf-8-sig")
        except UnicodeDecodeError as error:
            _fail(f"expected text in UTF-8 ({error.reason})")
    if not isinstance(text, str):
        _fail(f"expected JSON as text or bytes (got {type(text).__name__})")
    if _is_deeper(text, NESTING):
        _fail(TOO_DEEP.format(what="JSON"))
    try:
        data = json.loads(
            text, parse_float=a_number, parse_int=_whole, parse_constant=_refuse_constant, object_pairs_hook=_once
        )
    except json.JSONDecodeError as error:
        _fail(f"expected JSON ({error.msg} at column {error.colno})", row=error.lineno)
    except RecursionError:  # brackets that are never closed
        _fail(TOO_DEEP.format(what="JSON"))
    if "\\ud" in text.lower():
        _refuse_half_characters(data)
    return data


def _is_deeper(text: str, levels: int) -> bool:
    """Whether brackets lie deeper within each other than some levels: the innermost are taken away once a level."""
    if text.count("[") + text.count("{") <= levels:
        return False
    if "\\" in text:
        text = text.replace("\\\\", "").replace('\\"', "")
    outside = "".join(text.split('"')[::2]).encode("ascii", "ignore")
    brackets = outside.translate(_AS_BRACKETS, _NO_BRACKETS)
    for _ in range(levels):
        left = brackets.replace(b"[]", b"")
        if len(left) == len(brackets):
            return False  # all are gone; or some are never closed, which is for the parser to tell
        brackets = left
    return b"[]" in brackets


_AS_BRACKETS = bytes.maketrans(b"{}", b"[]")
_NO_BRACKETS = bytes(set(range(256)) - set(b"[]{}"))


def a_number(text: str) -> Decimal:
    """A number as it is written; one beyond all bounds becomes one that no field takes, which tells its place."""
    try:
        return Decimal(text)
    except InvalidOperation:
        return Decimal(f"{text[: text.lower().index('e')][:100]}E{'-' if '-' in text[1:] else ''}{BEYOND}")


def _whole(text: str) -> int | Decimal:
    return int(text) if len(text) < MOST_DIGITS else Decimal(text)  # no field takes so many: told with its place


def _refuse_half_characters(data: Any) -> None:
    """Half of a surrogate pair is no character: no file and no report could hold it."""
    try:
        json.dumps(data, ensure_ascii=False, default=str).encode()
    except UnicodeEncodeError as error:
        _fail(f"expected whole characters (got half of a surrogate pair, {error.object[error.start]!r})")


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        _fail("expected each name once in an object (got it twice)", field=twice)
    return found


def _refuse_constant(constant: str) -> NoReturn:
    _fail(f"expected a number (got {constant})")


def _fail(message: str, field: str = "", row: int | None = None) -> NoReturn:
    raise DocumentError([Problem("", "", field, message, "", row)])
