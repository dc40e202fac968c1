"""What a formula may refer to: names at load time, columns at run time."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from enum import IntEnum
from typing import TYPE_CHECKING, Literal, Protocol

from dokima.columns.column import Column, Kind
from dokima.columns.texts import Texts
from dokima.exact import Grouping
from dokima.exact.integers import Integers, Mask

if TYPE_CHECKING:
    from dokima.formulas.formula import Formula
    from dokima.formulas.functions import Function

FormulaKind = Kind | Literal["blank"]
"""Kind of a formula; "blank" is the literal ``''``, which fits any kind."""

NUMBERS: frozenset[FormulaKind] = frozenset({"decimal", "integer"})


NOT_TABLES = (
    "header", "line", "parent", "was", "was_header", "value", "formula", "run",
    "delivery", "payment", "leaving", "change", "variance", "ledger",
)  # fmt: skip
"""First parts of dotted names that are not tables."""


class Level(IntEnum):
    """How often a formula has a value: once, once per order, or once per line."""

    CONSTANT = 0
    HEADER = 1
    LINE = 2


@dataclass(frozen=True)
class Name:
    """What is known about a dotted name when a rulebook loads.

    Attributes:
        kind: What it holds.
        level: How often it has a value.
        label: The word shown to people.
        rows: Of a field of records their name, ``delivery`` or ``payment``, of lines that leave ``leaving``; blank for
            everything else.
        money: Whether it is an amount of money in the order's currency.
        dotted: The whole name that it is short for; blank if it is that itself.
    """

    kind: FormulaKind
    level: Level
    label: str = ""
    rows: str = ""
    money: bool = False
    dotted: str = ""


class Names(Protocol):
    """The names a formula may use, at load time."""

    def describe(self, name: str) -> Name:
        """Kind and level of a dotted name.

        Raises:
            UnknownName: It may not be used here; the message says why and names the nearest.
        """

    def describe_table(self, name: str) -> Level:
        """Level of a table, for ``found(table)``.

        Raises:
            UnknownName: There is no such table.
        """

    def evidence(self, name: str) -> str:
        """The cell for which a column of a table holds texts; blank for a name whose kind was said by somebody."""

    def function(self, name: str) -> Function | None:
        """The rulebook's own function of that name, None if there is none."""

    def known(self) -> Iterable[str]:
        """All names that may be used here."""

    @property
    def has_texts(self) -> bool:
        """Whether names other than those of named formulas may stand for texts."""

    def text_of(self, name: str) -> str | None:
        """The text that a dotted name stands for, in brackets; None for a name that is no formula's.

        Raises:
            UnknownName: There is no formula of that name; names the nearest.
        """


class Frame(Protocol):
    """The columns behind the names, at run time."""

    @property
    def order_count(self) -> int:
        """Number of orders."""

    @property
    def order_of(self) -> Integers:
        """For each line the position of its order."""

    @property
    def by_order(self) -> Grouping:
        """The lines of each order together."""

    @property
    def leaf(self) -> Mask | None:
        """True for the lines that aggregates run over; None if they run over all."""

    def column(self, name: str) -> Column:
        """The column of a name, at the name's own level."""

    def line_column(self, name: str) -> Column:
        """The column of a name with one value per line."""

    def by_line(self, names: Collection[str]) -> Frame | None:
        """The frame in which each line is an order, where lines have values of their own of one of these names of
        header level; None if all have those of their orders."""

    def rows(self, table: str) -> Integers:
        """For each order or line the row of the table that answers, -1 for none."""

    def found(self, table: str) -> Mask:
        """For each order or line whether the table has an answer."""

    def had(self, level: Level) -> Mask | None:
        """For each order or line whether there is a state before this edit; None if there is for none of them."""

    @property
    def has_own_functions(self) -> bool:
        """Whether formulas may call functions in Python, which may fail: else nothing is ever in error."""

    @property
    def failed(self) -> dict[tuple[Formula, Level], Texts | None]:
        """For each formula, as it was last worked out at a level, the failures of own functions it depends on."""

    @property
    def has_failures(self) -> bool:
        """Whether a name may stand for something in error."""

    def failures(self, name: str) -> Texts | None:
        """The failures a name inherits, at the name's own level; of a table (``item.``), those of finding its row."""

    def was_given(self, name: str) -> Mask | None:
        """For each order or line (the name's own level) whether a field that has a default was given; None for a name
        that is no such field."""

    def money_places(self, order: int) -> int:
        """Decimal places of the currency of an order, 0 if it is unknown."""

    def records(self, name: str) -> Frame:
        """The frame in which each row is a ``delivery`` or ``payment`` of an order, or a line ``leaving`` it."""

    def row_at(self, table: str, order: int, line: int) -> int:
        """The row of the table that answers for a line, or for its order; -1 for none."""


class UnknownName(LookupError):
    """A name that a formula may not use. The message says why."""


class UnknownLoneName(UnknownName):
    """A name without a point that a formula may not use, where names may have none."""
