"""Own functions of a rulebook, written in Python and called in formulas."""

from __future__ import annotations

import datetime
import inspect
import typing
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

from dokima.exact import parse
from dokima.formulas.functions import Function, Takes
from dokima.formulas.names import FormulaKind
from dokima.model.columns import Column, column_of, value_at

KINDS: dict[Any, tuple[Takes, FormulaKind]] = {
    Decimal: ("number", "decimal"),
    int: ("integer", "integer"),
    str: ("text", "text"),
    bool: ("flag", "flag"),
    datetime.date: ("date", "date"),
}
"""Annotations an own function may use, what such an argument accepts, and what such a result is."""


def function(work: Callable[..., Any] | None = None, *, columns: bool = False) -> Any:
    """Mark a Python function as callable in formulas, under its own name.

    Arguments and result are annotated with `Decimal`, `int`, `str`, `bool` or `datetime.date`. It is called with plain
    values, once for each different combination of them; a blank among them makes the result blank without a call. With
    ``columns=True`` it is called once, with lists of values (None for a blank), and returns a list. A function that
    raises gives a blank.

    Raises:
        TypeError: An argument or the result is not annotated so.
    """

    def mark(body: Callable[..., Any]) -> Callable[..., Any]:
        body.__dokima_function__ = _described(body, columns)  # type: ignore[attr-defined]
        return body

    return mark if work is None else mark(work)


def own_function(body: object) -> Function | None:
    """What `function` has marked, None for anything else."""
    return getattr(body, "__dokima_function__", None)


def _described(body: Callable[..., Any], columns: bool) -> Function:
    hints = typing.get_type_hints(body)
    wanted = ", ".join(kind.__name__ for kind in KINDS)
    names = list(inspect.signature(body).parameters)
    for name in (*names, "return"):
        if hints.get(name) not in KINDS:
            place = "the result" if name == "return" else f"argument '{name}'"
            raise TypeError(f"{body.__name__}: expected {place} to be annotated with one of {wanted}")
    gives = KINDS[hints["return"]][1]
    wholes = [hints[name] is int for name in names]
    apply = _by_column(body, gives, wholes) if columns else _by_value(body, gives, wholes)
    return Function(tuple(KINDS[hints[name]][0] for name in names), gives, apply, least=len(names))


def _values(column: Column, length: int, whole: bool) -> list[Any]:
    spread = column.spread(length)
    values = [value_at(spread, at) for at in range(length)]
    return [int(value) if whole and value is not None else value for value in values]


def _column(kind: FormulaKind, results: Sequence[Any]) -> Column:
    if kind in ("decimal", "integer"):
        return column_of(kind, [None if value is None else parse(value) for value in results])
    return column_of("text" if kind == "blank" else kind, results)


def _by_value(
    body: Callable[..., Any], gives: FormulaKind, wholes: Sequence[bool]
) -> Callable[[Sequence[Column]], Column]:
    def apply(columns: Sequence[Column]) -> Column:
        length = max(len(column) for column in columns)
        rows = list(zip(*(_values(c, length, w) for c, w in zip(columns, wholes, strict=True)), strict=True))
        known: dict[tuple[Any, ...], Any] = {}
        for row in rows:
            if row not in known:
                known[row] = None if None in row else _called(body, row)
        return _column(gives, [known[row] for row in rows])

    return apply


def _called(body: Callable[..., Any], row: tuple[Any, ...]) -> Any:
    try:
        return body(*row)
    except Exception:  # whatever an own function raises makes its value unknown, and unknown fails closed
        return None


def _by_column(
    body: Callable[..., Any], gives: FormulaKind, wholes: Sequence[bool]
) -> Callable[[Sequence[Column]], Column]:
    def apply(columns: Sequence[Column]) -> Column:
        length = max(len(column) for column in columns)
        try:
            results = list(body(*(_values(c, length, w) for c, w in zip(columns, wholes, strict=True))))
        except Exception:  # as above
            results = []
        return _column(gives, results if len(results) == length else [None] * length)

    return apply
