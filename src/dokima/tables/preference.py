"""``choose``: which row is preferred where more than one fits."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.texts import Texts
from dokima.errors import FormulaError, nearest
from dokima.exact import Grouping, ranks
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Frame, Level, Name, UnknownName, compile_formula
from dokima.formulas.expanding import NAMED
from dokima.formulas.names import UnknownLoneName
from dokima.formulas.operators import numbers
from dokima.model.fields import Field

MOST_SPECIFIC = "most specific"
_DIRECTIONS = {"lowest": 1, "earliest": 1, "highest": -1, "latest": -1}


Hint = Callable[[str, Iterable[str]], str]
"""What more is said of a column that is not there, beside those that are."""


@dataclass(frozen=True)
class Criterion:
    """One criterion of ``choose`` and how each row does by it.

    Attributes:
        text: As written.
        rank: For each row a number, lower is preferred, equal is a tie.
    """

    text: str
    rank: Integers


class RowNames:
    """The columns of a table, by their bare names, as a formula of ``choose`` sees them."""

    def __init__(self, fields: Mapping[str, Field], hint: Hint = nearest) -> None:
        self.fields = fields
        self.hint = hint

    def describe(self, name: str) -> Name:
        if name not in self.fields:
            raise UnknownLoneName(f"the table has no column '{name}'{self.hint(name, self.fields)}")
        return Name(self.fields[name].kind, Level.LINE)

    def describe_table(self, name: str) -> Level:
        raise UnknownName(f"choose sees only the columns of its own table (got '{name}')")

    def evidence(self, name: str) -> str:  # noqa: ARG002 (names have it)
        """What rows are chosen by is compared as it is."""
        return ""

    def function(self, name: str) -> None:
        """Own functions work on orders; ``choose`` is about rows."""

    def known(self) -> Iterable[str]:
        return list(self.fields)

    has_texts = False

    def text_of(self, name: str) -> str | None:
        """Named formulas are about orders, not about rows."""
        if name.startswith(f"{NAMED}."):
            raise UnknownName(f"choose sees only the columns of its own table (got '{name}')")
        return None


class RowFrame:
    """The rows of a table as the lines of one order, so that a formula can be evaluated on them."""

    def __init__(self, columns: Mapping[str, Column], size: int) -> None:
        self.columns = columns
        self.order_count = 1
        self.by_order = Grouping.one(size)
        self.order_of: Integers = self.by_order.of
        self.leaf: Mask | None = None
        self.has_own_functions = False
        self.failed: dict[tuple[Formula, Level], Texts | None] = {}
        self.has_failures = False

    def failures(self, name: str) -> None:
        """Criteria call no functions of one's own."""

    def was_given(self, name: str) -> None:
        """Cells have taken their default already."""

    def records(self, name: str) -> Frame:
        raise UnknownName(name)

    def money_places(self, order: int) -> int:  # noqa: ARG002 - rows of a table have no currency of an order
        return 0

    def column(self, name: str) -> Column:
        return self.columns[name]

    line_column = column

    def by_line(self, names: Collection[str]) -> None:
        """Rows have no header."""

    def rows(self, table: str) -> Integers:
        raise UnknownName(table)

    def found(self, table: str) -> Mask:
        raise UnknownName(table)

    def had(self, level: Level) -> None:
        """Rows have no state before."""

    def row_at(self, table: str, order: int, line: int) -> int:  # noqa: ARG002 - a table has no tables in it
        raise UnknownName(table)


def compile_criterion(text: str, fields: Mapping[str, Field], hint: Hint = nearest) -> tuple[int, Formula]:
    """Direction and formula of a criterion such as ``lowest price / base``.

    Raises:
        FormulaError: It is none.
    """
    word, _, rest = text.strip().partition(" ")
    if word not in _DIRECTIONS or not rest.strip():
        wanted = f"'lowest ...', 'highest ...', 'latest ...', 'earliest ...' or '{MOST_SPECIFIC}'"
        raise FormulaError(text, 0, f"expected {wanted}")
    kinds: Sequence[str] = ("date",) if word in ("latest", "earliest") else ("decimal", "integer", "date")
    formula = compile_formula(rest.strip(), RowNames(fields, hint), kinds, what=f"'{word}'")  # type: ignore[arg-type]
    return _DIRECTIONS[word], formula


def rank_criterion(text: str, direction: int, formula: Formula, frame: RowFrame) -> Criterion:
    """How each row does by a criterion; a blank loses."""
    column = formula.evaluate(frame, Level.LINE)
    values = column.days if isinstance(column, Dates) else ranks(numbers(column))
    rank = np.unique(values, return_inverse=True)[1].reshape(-1) * direction
    worst = int(np.abs(rank).max(initial=0)) + 1
    return Criterion(text, np.where(column.is_missing(), worst, rank))


def rank_specific(conditions: Iterable[Column]) -> Criterion:
    """Match columns from left to right: a filled cell beats a blank one."""
    rank: Integers = np.zeros(1, np.int64)
    for column in conditions:
        rank = rank * 2 + column.is_missing()
    return Criterion(MOST_SPECIFIC, rank)


def preference(criteria: Sequence[Criterion], size: int) -> Integers:
    """For each row its place by all criteria; what is still tied goes to the earlier row."""
    place = np.empty(size, np.int64)
    keys = [criterion.rank for criterion in reversed(criteria)]
    place[np.lexsort((np.arange(size), *keys))] = np.arange(size)
    return place
