"""The functions of the formula language that work value by value."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import TYPE_CHECKING, Literal, cast

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import EPOCH, Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number, Quotient, magnitude, stored
from dokima.exact.integers import common_length, either
from dokima.formulas.names import FormulaKind
from dokima.formulas.operators import compared, numbers, pick

if TYPE_CHECKING:
    from dokima.formulas.custom import OwnFunction

Takes = Literal["number", "integer", "text", "date", "flag", "any", "ordered"]
"""Kinds a function accepts; "ordered" is numbers or dates, "any" everything."""


@dataclass(frozen=True)
class Function:
    """A function of columns.

    Attributes:
        takes: What each argument must be; all further ones must be as the last if ``more``.
        gives: The kind of the result; "same" for that of the arguments, which then must agree.
        apply: Does it.
        more: Whether further arguments may follow.
        least: Fewest arguments.
        own: The function in Python behind it, if it is the rulebook's own.
    """

    takes: tuple[Takes, ...]
    gives: FormulaKind | Literal["same"]
    apply: Callable[[Sequence[Column]], Column]
    more: bool = False
    least: int = 1
    own: OwnFunction | None = None


def _number(work: Callable[[Number], Number]) -> Callable[[Sequence[Column]], Column]:
    return lambda columns: work(numbers(columns[0]))


def _whole(mode: str) -> Callable[[Number], Number]:
    return lambda value: value.round(0, mode)


def _extreme(keeps: str) -> Callable[[Sequence[Column]], Column]:
    def two(a: Column, b: Column) -> Column:
        kept = compared(a, b, keeps)
        chosen = pick(kept.values, a, b)
        missing = kept.missing
        return chosen if missing is None else chosen.spread(common_length(len(chosen), len(missing))).without(missing)

    return lambda columns: reduce(two, columns)


def coalesce(columns: Sequence[Column]) -> Column:
    """For each place the first value that is not blank."""
    return reduce(_first_known, columns)


def _first_known(a: Column, b: Column) -> Column:
    length = common_length(len(a), len(b))
    if a.missing is None:
        return a.spread(length)
    there = ~a.is_missing()
    return pick(there, a, b) if np.count_nonzero(there) else b.spread(length)


def is_blank(columns: Sequence[Column]) -> Column:
    """True where there is no value."""
    return Flags(columns[0].is_missing())


def round_to(value: Number, step: Number, mode: str) -> Number:
    """Rounded to a multiple of the step; blank for a step of 0."""
    return (Quotient.of(value) / step).round(0, mode) * step


# -- text -----------------------------------------------------------------------------------------------------


def _words(work: Callable[[str], str]) -> Callable[[Sequence[Column]], Column]:
    def apply(columns: Sequence[Column]) -> Column:
        column = cast(Texts, columns[0])
        changed = Texts.of([work(word) for word in column.words.items])
        codes = np.append(changed.codes, -1)[column.codes]
        return Texts(codes, changed.words)

    return apply


def _length(columns: Sequence[Column]) -> Column:
    column = cast(Texts, columns[0])
    sizes = np.array([len(word) for word in column.words.items] + [0], np.int64)
    return Decimals(sizes[column.codes], 0, column.missing)


def _text_test(work: Callable[[str, str], bool]) -> Callable[[Sequence[Column]], Column]:
    def apply(columns: Sequence[Column]) -> Column:
        a, b = cast(Texts, columns[0]), cast(Texts, columns[1])
        missing = either(a.missing, b.missing)
        if len(b) == 1:
            part = b.words.items[int(b.codes[0])] if b.codes[0] >= 0 else ""
            answers = np.array([work(word, part) for word in a.words.items] + [False], bool)
            return Flags(answers[a.codes], missing)
        length = common_length(len(a), len(b))
        keys = a.spread(length).codes * (len(b.words.items) + 1) + b.codes
        pairs, back = np.unique(keys, return_inverse=True)
        firsts = np.zeros(len(pairs), np.int64)
        firsts[back] = np.arange(length)
        left, right = a.spread(length).take(firsts).to_list(), b.take(firsts).to_list()
        answers = np.array([work(x or "", y or "") for x, y in zip(left, right, strict=True)], bool)
        return Flags(answers[back], missing)

    return apply


def matcher(pattern: str) -> Callable[[Sequence[Column]], Column]:
    """Whether the whole text fits a pattern in the RE2 syntax, whose time grows only with the length of the text.

    Raises:
        ValueError: The pattern is not valid; says why.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    whole = rf"\A(?:{pattern})\z"

    def test(words: list[str]) -> np.ndarray:
        return np.asarray(pc.match_substring_regex(pa.array(words, pa.string()), whole), dtype=bool)

    try:
        test(["x"])
    except pa.ArrowInvalid as error:
        raise ValueError(str(error).split(": ", 1)[-1]) from None

    def apply(columns: Sequence[Column]) -> Column:
        column = cast(Texts, columns[0])
        return Flags(np.append(test(column.words.items), False)[column.codes], column.missing)

    return apply


# -- dates ----------------------------------------------------------------------------------------------------

_FIRST_DAY, _LAST_DAY = 1 - EPOCH, 3_652_059 - EPOCH


def _days_between(columns: Sequence[Column]) -> Column:
    a, b = cast(Dates, columns[0]), cast(Dates, columns[1])
    return Decimals(b.days - a.days, 0, either(a.missing, b.missing))


def _add_days(columns: Sequence[Column]) -> Column:
    start, count = cast(Dates, columns[0]), stored(numbers(columns[1]))
    days = start.days + np.clip(count.units, -(10**7), 10**7).astype(np.int64)
    outside = (days < _FIRST_DAY) | (days > _LAST_DAY)
    missing = either(either(start.missing, count.missing), outside if outside.any() else None)
    return Dates(np.where(outside, 0, days), missing)


def _date_part(work: Callable[[np.ndarray], np.ndarray]) -> Callable[[Sequence[Column]], Column]:
    def apply(columns: Sequence[Column]) -> Column:
        dates = cast(Dates, columns[0])
        return Decimals(work(dates.days).astype(np.int64), 0, dates.missing)

    return apply


def _year(days: np.ndarray) -> np.ndarray:
    return days.astype("M8[D]").astype("M8[Y]").astype(np.int64) + 1970


def _month(days: np.ndarray) -> np.ndarray:
    return days.astype("M8[D]").astype("M8[M]").astype(np.int64) % 12 + 1


def _weekday(days: np.ndarray) -> np.ndarray:
    return (days + 3) % 7 + 1  # day 0, 1970-01-01, was a Thursday


FUNCTIONS: dict[str, Function] = {
    "floor": Function(("number",), "integer", _number(_whole("floor"))),
    "ceil": Function(("number",), "integer", _number(_whole("ceiling"))),
    "abs": Function(("number",), "same", _number(magnitude)),
    "min": Function(("ordered",), "same", _extreme("<="), more=True, least=2),
    "max": Function(("ordered",), "same", _extreme(">="), more=True, least=2),
    "coalesce": Function(("any",), "same", coalesce, more=True, least=2),
    "blank": Function(("any",), "flag", is_blank),
    "starts_with": Function(("text", "text"), "flag", _text_test(str.startswith), least=2),
    "ends_with": Function(("text", "text"), "flag", _text_test(str.endswith), least=2),
    "contains": Function(("text", "text"), "flag", _text_test(lambda text, part: part in text), least=2),
    "upper": Function(("text",), "text", _words(str.upper)),
    "lower": Function(("text",), "text", _words(str.lower)),
    "trim": Function(("text",), "text", _words(str.strip)),
    "length": Function(("text",), "integer", _length),
    "days_between": Function(("date", "date"), "integer", _days_between, least=2),
    "add_days": Function(("date", "integer"), "date", _add_days, least=2),
    "year": Function(("date",), "integer", _date_part(_year)),
    "month": Function(("date",), "integer", _date_part(_month)),
    "weekday": Function(("date",), "integer", _date_part(_weekday)),
}

SPECIAL = ("round", "round_to", "matches", "found", "date")
"""Functions whose arguments the compiler itself reads: literals and table names."""
