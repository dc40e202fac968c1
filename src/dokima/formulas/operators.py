"""Arithmetic, comparison and logic on columns, with Kleene's logic for blanks."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from dokima.columns.column import Column, blanks, choose, kind_of
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number, compare, remainder, whole_division
from dokima.exact.integers import Mask, common_length, either


def numbers(column: Column) -> Number:
    """The column, which has been checked to hold numbers; a literal blank, which fits any kind, holds none."""
    return column if isinstance(column, Number) else Decimals.blanks(_blank(column))


def flags(column: Column) -> Flags:
    """The column, which has been checked to hold flags, or nothing but blanks."""
    if isinstance(column, Flags):
        return column
    length = _blank(column)
    return Flags(np.zeros(length, bool), np.ones(length, bool))


def _blank(column: Column) -> int:
    """The length of a column of blanks, whose kind says nothing."""
    assert bool(column.is_missing().all())
    return len(column)


ARITHMETIC: dict[str, Callable[[Number, Number], Number]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "//": whole_division,
    "%": remainder,
}

COMPARISONS: dict[str, Callable[[np.ndarray, np.ndarray], Mask]] = {
    "==": np.equal,
    "!=": np.not_equal,
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
}


def compared(a: Column, b: Column, operator: str) -> Flags:
    """Comparison of two columns of one kind: blank where one of them is."""
    missing = either(a.missing, b.missing)
    if isinstance(a, Texts) and isinstance(b, Texts) and operator in ("==", "!="):
        same = _same_text(a, b)
        return Flags(same if operator == "==" else ~same, missing)
    return Flags(COMPARISONS[operator](*_comparable(a, b)), missing)


def _comparable(a: Column, b: Column) -> tuple[np.ndarray, np.ndarray]:
    """Arrays that compare as the values of two columns of one kind do."""
    if isinstance(a, Texts) and isinstance(b, Texts):
        rank = {word: at for at, word in enumerate(sorted({*a.words.items, *b.words.items}))}
        x, y = (np.array([rank[word] for word in t.words.items] + [-1], np.int64)[t.codes] for t in (a, b))
        return x, y
    if isinstance(a, Dates) and isinstance(b, Dates):
        return a.days, b.days
    if isinstance(a, Flags) and isinstance(b, Flags):
        return a.values, b.values
    if isinstance(a, Decimals) and isinstance(b, Decimals):
        return a.beside(b)
    return compare(numbers(a), numbers(b)), np.zeros(1, np.int8)


def _same_text(a: Texts, b: Texts) -> Mask:
    if len(a.codes) == 1 and len(b.codes) > 1:
        a, b = b, a
    same: Mask
    if len(b.codes) == 1:
        code = int(b.codes[0])
        same = a.codes == (a.words.index.get(b.words.items[code], -2) if code >= 0 else -2)
    else:
        same = a.codes == b.in_words(a.words)
    return same


def logical_and(a: Flags, b: Flags) -> Flags:
    """False if one is false, whatever the other."""
    if a.missing is None and b.missing is None:
        return Flags(a.values & b.values)
    true, false = a.is_true() & b.is_true(), a.is_false() | b.is_false()
    return Flags(true, ~(true | false))


def logical_or(a: Flags, b: Flags) -> Flags:
    """True if one is true, whatever the other."""
    if a.missing is None and b.missing is None:
        return Flags(a.values | b.values)
    true, false = a.is_true() | b.is_true(), a.is_false() & b.is_false()
    return Flags(true, ~(true | false))


def logical_not(a: Flags) -> Flags:
    """Blank stays blank."""
    return Flags(~a.values, a.missing)


def selected(condition: Flags, yes: Column, no: Column) -> Column:
    """``yes if condition else no``: blank where the condition is."""
    picked = pick(condition.is_true(), yes, no)
    gone = condition.missing
    return picked if gone is None else picked.spread(common_length(len(picked), len(gone))).without(gone)


def pick(condition: Mask, yes: Column, no: Column) -> Column:
    """``yes`` where the condition is true, ``no`` elsewhere; both of one kind."""
    return choose(condition, *alike(yes, no))


def alike(a: Column, b: Column) -> tuple[Column, Column]:
    """Both columns with one kind, where one of them may be the blank literal."""
    if type(a) is type(b) or kind_of(a) == kind_of(b):
        return a, b
    if bool(b.is_missing().all()):
        return a, blanks(kind_of(a), len(b))
    return blanks(kind_of(b), len(a)), b
