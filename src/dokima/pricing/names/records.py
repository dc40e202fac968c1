"""`RecordFrame`: the deliveries or payments of orders as rows, so that aggregates can run over them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.columns.texts import Texts
from dokima.exact import Grouping
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Frame, Level
from dokima.model.fields import RECORDS_OF, Field
from dokima.model.values import ValueReader

if TYPE_CHECKING:
    from dokima.formulas.formula import Formula
    from dokima.model.orders import Orders


class RecordFrame:
    """A frame whose rows are the records of one kind, each belonging to its order; header values are those of the
    frame.

    Args:
        frame: The columns of the orders.
        orders: The orders.
        name: ``delivery`` or ``payment``.
    """

    def __init__(self, frame: Frame, orders: Orders, name: str) -> None:
        self._frame = frame
        self._name = name
        self._fields: Mapping[str, Field] = orders.fields.records[name]
        kept = orders.records.get(RECORDS_OF[name]) or [()] * orders.count
        self._rows: list[Mapping[str, Any]] = [record for records in kept for record in records]
        self.order_of: Integers = np.repeat(np.arange(orders.count), [len(records) for records in kept])
        self.order_count = orders.count
        self.by_order = Grouping(self.order_of, self.order_count)
        self.leaf: Mask | None = None
        self._columns: dict[str, Column] = {}

    def column(self, name: str) -> Column:
        """The column of a dotted name: of a field of the records, or of header level."""
        head, _, tail = name.partition(".")
        if head != self._name:
            return self._frame.column(name)
        if tail not in self._columns:
            self._columns[tail] = self._values(tail)
        return self._columns[tail]

    def _values(self, field: str) -> Column:
        """The values of a field of the records."""
        reader, spec = ValueReader(), self._fields[field]
        return column_of(spec.kind, [reader.read(spec, record.get(field)) for record in self._rows])

    def line_column(self, name: str) -> Column:
        """The column of a dotted name with one value per record."""
        column = self.column(name)
        return column if name.startswith(f"{self._name}.") else column.take(self.order_of)

    def by_line(self, names: Collection[str]) -> None:
        """Records have the header of their order."""

    def rows(self, table: str) -> Integers:
        """The rows of a table that is found once per order."""
        return self._frame.rows(table)

    def found(self, table: str) -> Mask:
        """Whether such a table has an answer."""
        return self._frame.found(table)

    def had(self, level: Level) -> None:
        """Records have no state before an edit."""

    def was_given(self, name: str) -> Mask | None:
        """Whether a header field that has a default was given; fields of records have none."""
        return None if name.startswith(f"{self._name}.") else self._frame.was_given(name)

    def row_at(self, table: str, order: int, line: int) -> int:
        """The row of such a table."""
        return self._frame.row_at(table, order, line)

    @property
    def has_own_functions(self) -> bool:
        """Whether the rulebook has functions in Python."""
        return self._frame.has_own_functions

    @property
    def failed(self) -> dict[tuple[Formula, Level], Texts | None]:
        """Those of the orders' frame."""
        return self._frame.failed

    @property
    def has_failures(self) -> bool:
        """Whether a name may stand for something in error."""
        return self._frame.has_failures

    def failures(self, name: str) -> Texts | None:
        """The failures a name inherits; records have none of their own."""
        return None if name.startswith(f"{self._name}.") else self._frame.failures(name)

    def money_places(self, order: int) -> int:
        """Decimal places of the currency of an order."""
        return self._frame.money_places(order)

    def records(self, name: str) -> Frame:
        """No aggregate over records stands inside another."""
        raise KeyError(name)


class LeavingLines(RecordFrame):
    """A frame whose rows are the lines that leave an order together, each belonging to its order.

    Args:
        frame: The columns of the orders.
        orders: The orders.
        places: Where the lines that leave and have no sub-lines stand among theirs.
    """

    def __init__(self, frame: Frame, orders: Orders, places: Integers) -> None:
        super().__init__(frame, orders, "delivery")
        self._name, self._places = "leaving", places
        self.order_of = orders.order_of[places]
        self.by_order = Grouping(self.order_of, self.order_count)

    def _values(self, field: str) -> Column:
        return self._frame.column(f"line.{field}").take(self._places)
