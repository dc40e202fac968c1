"""What callers hand over: texts, whole numbers, lists of texts; anything else is told with the name it was given as."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any

from dokima.errors import DokimaError

MOST_WHOLE_TEXT = 10**100
"""Below it a whole number is taken for a text, such as the number of an order."""


def is_halved(text: str) -> bool:
    """Whether half of a surrogate pair is in a text: no file, no database and no report could hold it."""
    if text.isascii():
        return False
    try:
        text.encode()
    except UnicodeEncodeError:
        return True
    return False


def a_text(value: Any, name: str) -> str:
    """A text.

    Raises:
        DokimaError: It is none, or holds half a character.
    """
    if not isinstance(value, str):
        raise DokimaError(f"{name}: expected a text (got {came(value)})")
    if is_halved(value):
        raise DokimaError(f"{name}: expected whole characters (got half of a surrogate pair in {value!a:.60})")
    return value


def texts_of(value: Any, name: str) -> Sequence[str]:
    """Several texts.

    Raises:
        DokimaError: It is one text, or no list of them.
    """
    if isinstance(value, str) or not isinstance(value, Iterable):
        raise DokimaError(f"{name}: expected a list of texts (got {came(value)})")
    return [a_text(each, name) for each in value]


def line_number_of(value: Any) -> str:
    """The number of a line as text, whatever it came as; one that is none is not found."""
    return came(value) if isinstance(value, int) else str(value)


def line_numbers_of(value: Any, name: str) -> list[str]:
    """Numbers of lines.

    Raises:
        DokimaError: It is one number, or no list of them.
    """
    if isinstance(value, str) or not isinstance(value, Iterable):
        raise DokimaError(f"{name}: expected a list of line numbers (got {came(value)})")
    return [line_number_of(each) for each in value]


def a_count(value: Any, name: str) -> int:
    """A whole number of 0 or more.

    Raises:
        DokimaError: It is none.
    """
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise DokimaError(f"{name}: expected a whole number of 0 or more (got {came(value)})")
    return value


def came(value: Any) -> str:
    """What came, in at most 60 letters."""
    try:
        return f"{value!s:.60}" if isinstance(value, Decimal) else f"{value!r:.60}"
    except ValueError:  # a whole number of more digits than Python writes
        return "a number of very many digits"
