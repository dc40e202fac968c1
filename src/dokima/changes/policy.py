"""A house policy of settlement, written in Python."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from dokima.changes.variance import LineVariance
from dokima.model.source import note_source

Body = TypeVar("Body", bound=Callable[[LineVariance], bool])
_MARK = "__dokima_settling__"


def settling(body: Body) -> Body:
    """Mark a function of a rulebook's Python file as its settlement policy.

    It is given the variance of a line that grew or was added, and says whether that growth is ordered separately. It
    takes the place of ``[changes] settle``.
    """
    setattr(body, _MARK, True)
    note_source(body)
    return body


def is_policy(body: Any) -> bool:
    """Whether something is a settlement policy."""
    return bool(getattr(body, _MARK, False))
