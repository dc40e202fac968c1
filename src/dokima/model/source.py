"""What a piece of Python is told apart by: the version it says, else its source."""

from __future__ import annotations

from collections.abc import Callable
from inspect import getsource
from textwrap import dedent
from typing import Any

from dokima.errors import DokimaError

_TOLD_APART = "__dokima_source__"


def note_source(body: Callable[..., Any], version: str = "") -> None:
    """Note what a function is told apart by, while its source is what it was made from.

    Args:
        body: The function.
        version: What it is told apart by in the place of its source; changes whenever it gives another answer.
    """
    found = f"{body.__qualname__} version {version}" if version else _source(body)
    setattr(body, _TOLD_APART, found)


def source_of(body: Any) -> str:
    """The version of a function or class, else its source without indentation. The same in every version of Python.

    Raises:
        DokimaError: It has neither, so that nobody could tell whether it has changed.
    """
    found: str = getattr(body, _TOLD_APART, "") or _source(body)
    if not found:
        name = getattr(body, "__qualname__", repr(body))
        message = (
            f"the source of {name} cannot be found; say version='1' where it is declared, and another when it changes"
        )
        raise DokimaError(message)
    return found


def _source(body: Any) -> str:
    """The source without indentation, blank if it cannot be found."""
    try:
        return dedent(getsource(body))
    except (OSError, TypeError):
        return ""
