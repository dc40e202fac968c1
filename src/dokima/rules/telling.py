"""What a rule says of the orders or lines that it refused or could not decide, and the values it saw there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.column import Column, values_of
from dokima.exact.integers import Integers
from dokima.formulas import BlankSearch, Frame, Level
from dokima.formulas.names import NOT_TABLES
from dokima.model.said import Said
from dokima.rules.rule import Rule


@dataclass(frozen=True)
class RefusedRows:
    """What a rule says of many orders or lines that it refused.

    Attributes:
        rule: The rule.
        frame: The columns it saw.
        orders: For each row the position of its order.
        lines: For each row the position of its line; None for a rule of the order.
    """

    rule: Rule
    frame: Frame
    orders: Integers
    lines: Integers | None

    @cached_property
    def _in_message(self) -> Sequence[Column]:
        return self.rule.message.values(self.frame, self.orders, self.lines)

    @cached_property
    def _seen(self) -> Mapping[str, Column]:
        return columns_seen(self.rule.reads, self.frame, self.orders, self.lines)

    def messages(self, rows: Integers) -> Sequence[str]:
        """The messages of some rows."""
        values = [column.take(rows) for column in self._in_message]
        return self.rule.message.of_values(values, self.frame, self.orders[rows])

    def seen(self, rows: Integers) -> Mapping[str, Sequence[Any]]:
        """The values that were seen in some rows, by name."""
        return {name: values_of(column.take(rows)) for name, column in self._seen.items()}


class UndecidedRows(RefusedRows):
    """The same of orders or lines for which it could not be decided, and why not."""

    @cached_property
    def _whys(self) -> Sequence[str]:
        return whys_undecided(self.rule, self.frame, self.orders, self.lines)

    def messages(self, rows: Integers) -> Sequence[str]:
        """The messages of some rows, each with the first cause."""
        said = list(zip(super().messages(rows), (self._whys[row] for row in rows.tolist()), strict=True))
        known = {each: could_not_be_decided(*each) for each in set(said)}
        return [known[each] for each in said]


def could_not_be_decided(message: str, why: str) -> Said:
    """The message of a rule that could not be decided, and why."""
    return Said("{message} (could not be decided: {why})", message=message, why=why)


def whys_undecided(rule: Rule, frame: Frame, orders: Integers, lines: Integers | None) -> list[str]:
    """Why a rule could not be decided at some orders or lines: the first cause in the first formula that is blank."""
    found = ["a value is blank"] * len(orders)
    still = np.arange(len(orders))
    for formula in (rule.when, rule.require, rule.valid):
        if formula is None or not len(still):
            continue
        search = BlankSearch(formula, frame)
        theirs = None if lines is None or formula.level is not Level.LINE else lines[still]
        blank = search.blank(orders[still], theirs)
        causes = search.causes(orders[still[blank]], None if theirs is None else theirs[blank])
        for at, cause in zip(still[blank].tolist(), causes, strict=True):
            found[at] = cause.text
            table = cause.name.partition(".")[0]
            if table and table not in NOT_TABLES and cause.line is None:
                line = -1 if theirs is None else int(lines[at])  # type: ignore[index]
                if frame.row_at(table, int(orders[at]), line) < 0:
                    # The row that is missing says more than the value that nobody gave.
                    found[at] = Said("table {table} has no row that fits", table=table)
        still = still[~blank]
    return found


def values_seen(
    reads: Mapping[str, Level], frame: Frame, orders: Integers, lines: Integers | None
) -> list[dict[str, Any]]:
    """The values behind the names a rule reads; for a rule of the whole order only those of the header.

    Args:
        reads: Names and their levels.
        frame: Their columns.
        orders: Positions of the orders.
        lines: Positions of the lines; None for a rule of the order.
    """
    columns = {name: values_of(column) for name, column in columns_seen(reads, frame, orders, lines).items()}
    if not columns:
        return [{} for _ in range(len(orders))]
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def columns_seen(
    reads: Mapping[str, Level], frame: Frame, orders: Integers, lines: Integers | None
) -> dict[str, Column]:
    """The same as columns, one value for each of those orders and lines."""
    columns: dict[str, Column] = {}
    for name, level in reads.items():
        if level is Level.LINE and lines is None:
            continue
        column = frame.column(name)
        positions = lines if level is Level.LINE and lines is not None else orders
        if level is Level.CONSTANT or len(column) == 1:
            positions = np.zeros(len(orders), np.int64)
        columns[name] = column.take(positions)
    return columns
