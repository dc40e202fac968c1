"""Own functions of a rulebook, written in Python and called in formulas."""

from __future__ import annotations

import datetime
import inspect
import types
import typing
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, TypeVar, overload

import numpy as np

from dokima.columns.column import Column, column_of, values_of
from dokima.columns.shown import shown
from dokima.exact import Grouping, parse
from dokima.exact.integers import Integers
from dokima.formulas.failures import Failures, failed_at
from dokima.formulas.functions import Function, Takes
from dokima.formulas.names import FormulaKind
from dokima.model.arguments import is_halved
from dokima.model.source import note_source

Body = TypeVar("Body", bound=Callable[..., Any])
KINDS: dict[Any, tuple[Takes, FormulaKind]] = {
    Decimal: ("number", "decimal"),
    int: ("integer", "integer"),
    str: ("text", "text"),
    bool: ("flag", "flag"),
    datetime.date: ("date", "date"),
}
"""Annotations an own function may use, what such an argument accepts, and what such a result is."""


@overload
def function(work: Body) -> Body: ...


@overload
def function(*, columns: bool = False, version: str = "") -> Callable[[Body], Body]: ...


def function(work: Callable[..., Any] | None = None, *, columns: bool = False, version: str = "") -> Any:
    """Mark a Python function as callable in formulas, under its own name.

    Arguments and result are annotated with `Decimal`, `int`, `str`, `bool` or `datetime.date`, each with ``| None``
    where it may be blank. It is called with plain values, once for each different combination of them; a blank for an
    argument that takes none makes the result blank without a call. With ``columns=True`` it is called once, with lists
    of values (None for a blank), and returns a list; if that fails, it is called order by order.

    A function that raises, or returns what it did not declare, is an error finding with the values it was given, and
    what depends on it is in error.

    Args:
        work: The function.
        columns: See above.
        version: What the rulebook's fingerprint tells the function apart by, in the place of its source.

    Raises:
        TypeError: An argument or the result is not annotated so.
    """

    def mark(body: Callable[..., Any]) -> Callable[..., Any]:
        body.__dokima_function__ = _described(body, columns)  # type: ignore[attr-defined]
        note_source(body, version)
        return body

    return mark if work is None else mark(work)


def own_function(body: object) -> Function | None:
    """What `function` has marked, None for anything else."""
    return getattr(body, "__dokima_function__", None)


@dataclass(frozen=True)
class Declared:
    """What an annotation says of a value: its Python type, and whether it may be blank."""

    type: Any
    blank: bool

    @classmethod
    def of(cls, hint: Any) -> Declared:
        """Out of an annotation; its type is one of `KINDS` if it may be used."""
        if isinstance(hint, types.UnionType) or typing.get_origin(hint) is typing.Union:
            parts = [part for part in typing.get_args(hint) if part is not type(None)]
            return cls(parts[0] if len(parts) == 1 else hint, len(parts) < len(typing.get_args(hint)))
        return cls(hint, False)

    def wrong(self, value: Any) -> str:
        """What is wrong with a value that was returned, blank for nothing."""
        if value is None:
            return "" if self.blank else "it returned None"
        fits = isinstance(value, Decimal | int if self.type is Decimal else self.type)
        if self.type is datetime.date and isinstance(value, datetime.datetime):
            fits = False
        if isinstance(value, bool) and self.type is not bool:
            fits = False
        if not fits:
            kind = type(value).__name__
            return f"it returned the {kind} {value!r:.60}"
        if isinstance(value, Decimal) and not value.is_finite():
            return f"it returned {value}"
        if isinstance(value, str) and is_halved(value):
            return f"it returned {value!r:.60}, with half of a surrogate pair"
        return ""


def _described(body: Callable[..., Any], columns: bool) -> Function:
    hints = typing.get_type_hints(body)
    wanted = ", ".join(kind.__name__ for kind in KINDS)
    names = list(inspect.signature(body).parameters)
    declared = {name: Declared.of(hints.get(name)) for name in (*names, "return")}
    for name, each in declared.items():
        if each.type not in KINDS:
            place = "the result" if name == "return" else f"argument '{name}'"
            raise TypeError(f"{body.__name__}: expected {place} to be annotated with one of {wanted}")
    own = OwnFunction(body, [declared[name] for name in names], declared["return"], columns)
    takes = tuple(KINDS[declared[name].type][0] for name in names)
    return Function(takes, KINDS[declared["return"].type][1], own.values, least=len(names), own=own)


@dataclass(frozen=True)
class OwnFunction:
    """A function of a rulebook in Python.

    Attributes:
        body: The function.
        takes: What each argument is declared as.
        gives: What the result is declared as.
        columns: Whether it is called with columns.
    """

    body: Callable[..., Any]
    takes: Sequence[Declared]
    gives: Declared
    columns: bool

    def values(self, columns: Sequence[Column]) -> Column:
        """The results alone."""
        return self.call(columns, None)[0]

    def call(self, columns: Sequence[Column], order_of: Integers | None) -> tuple[Column, Failures | None]:
        """The results, blank where a call failed, and those failures.

        Args:
            columns: The arguments, each of one length or of length 1.
            order_of: For each row the position of its order; None where rows have none.
        """
        length = max((len(column) for column in columns), default=1)
        rows = list(zip(*(self._listed(at, column, length) for at, column in enumerate(columns)), strict=True))
        rows = rows or [()] * length
        outcome = self._by_column(rows, order_of) if self.columns else self._by_value(rows)
        kind = KINDS[self.gives.type][1]
        return _column(kind, [value for value, _ in outcome]), failed_at([failure for _, failure in outcome])

    def _listed(self, at: int, column: Column, length: int) -> list[Any]:
        values = values_of(column.spread(length))
        return [int(value) if self.takes[at].type is int and value is not None else value for value in values]

    def _by_value(self, rows: Sequence[tuple[Any, ...]]) -> list[tuple[Any, str]]:
        known: dict[tuple[Any, ...], tuple[Any, str]] = {}
        for row in rows:
            if row not in known:
                missing = any(value is None and not each.blank for value, each in zip(row, self.takes, strict=True))
                known[row] = (None, "") if missing else self._called(row)
        return [known[row] for row in rows]

    def _called(self, row: tuple[Any, ...]) -> tuple[Any, str]:
        try:
            value = self.body(*row)
        except Exception as error:  # whatever an own function raises is told, with what it was given
            return None, f"{self._told(row)} failed: {_raised(error)}"
        return self._checked(value, row)

    def _checked(self, value: Any, row: tuple[Any, ...]) -> tuple[Any, str]:
        wrong = self.gives.wrong(value)
        if not wrong:
            return value, ""
        wanted = self.gives.type.__name__ + (" or None" if self.gives.blank else "")
        return None, f"{self._told(row)} failed: {wrong}, expected {wanted}"

    def _by_column(self, rows: Sequence[tuple[Any, ...]], order_of: Integers | None) -> list[tuple[Any, str]]:
        """All rows in one call; if that fails, the rows of each order by themselves, so that others are unaffected."""
        values, failure = self._called_columns(rows)
        if not failure:
            return [self._checked(value, row) for value, row in zip(values, rows, strict=True)]
        outcome: list[tuple[Any, str]] = [(None, failure)] * len(rows)
        of: Integers = np.arange(len(rows)) if order_of is None or len(order_of) != len(rows) else order_of
        orders = Grouping(of, int(of.max(initial=-1)) + 1)
        if len(there := np.flatnonzero(orders.sizes)) > 1:
            for order in there.tolist():
                places = orders.members(order)
                mine = self._by_column(
                    [rows[at] for at in places], None if len(places) == 1 else np.zeros(len(places), np.int64)
                )
                for at, each in zip(places, mine, strict=True):
                    outcome[at] = each
        return outcome

    def _called_columns(self, rows: Sequence[tuple[Any, ...]]) -> tuple[list[Any], str]:
        name = self.body.__name__
        given = [list(values) for values in zip(*rows, strict=True)]
        try:
            values = list(self.body(*given))
        except Exception as error:  # as above
            return [], f"{name}() failed: {_raised(error)}"
        if len(values) != len(rows):
            return [], f"{name}() failed: it returned {len(values)} values, expected {len(rows)}"
        return values, ""

    def _told(self, row: tuple[Any, ...]) -> str:
        return f"{self.body.__name__}({', '.join(shown(value) for value in row)})"


def _raised(error: Exception) -> str:
    said = str(error)
    return f"{type(error).__name__}: {said}" if said else type(error).__name__


def _column(kind: FormulaKind, results: Sequence[Any]) -> Column:
    if kind in ("decimal", "integer"):
        return column_of(kind, [None if value is None else parse(value) for value in results])
    return column_of("text" if kind == "blank" else kind, results)
