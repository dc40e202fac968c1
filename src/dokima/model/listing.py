"""`Listing`: rows about many orders, as people look for them and programs read them."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from dokima.columns.shown import shown
from dokima.errors import Problem
from dokima.exact import added
from dokima.model.said import SHOWN

SUMMED = {
    "orders": ("currency", ("without_tax", "tax", "with_tax")),
    "lines": ("unit", ("quantity", "delivered", "open")),
}
"""What rows of a level are summed by, and which of their columns."""


@dataclass(frozen=True)
class Listing(Sequence[Mapping[str, Any]]):
    """A list of orders or lines: rows with the same columns, numbers exact.

    Attributes:
        rows: The rows.
        columns: Their columns.
        level: What a row is: ``orders``, ``lines``, ``events``, ``outcomes``, ``rows`` of a table or ``values``;
            ``chosen`` for columns that were asked for.
        labels: Headings for people, by column; the columns that are the same in every list have words of their own.
        problems: What is wrong with orders that could not be read, and may be missing here.
        title: What stands above it; a word for what its rows are if blank.
        found: How many rows there are in all, where only some are listed.
    """

    rows: tuple[Mapping[str, Any], ...]
    columns: tuple[str, ...]
    level: str
    labels: Mapping[str, str] = field(default_factory=dict)
    problems: Sequence[Problem] = ()
    title: str = ""
    found: int | None = None

    def __len__(self) -> int:
        return len(self.rows)

    def __getitem__(self, index: Any) -> Any:
        return self.rows[index]

    def __repr__(self) -> str:
        return f"<Listing: {len(self)} {self.level}; {SHOWN}>"

    def sums(self) -> dict[str, dict[str, Decimal]]:
        """Sums by currency of the totals, or by unit of the quantities; rows without a figure add nothing."""
        if self.level not in SUMMED:
            return {}
        by, every = SUMMED[self.level]
        names = [name for name in every if name in self.columns]
        if by not in self.columns or not names:
            return {}
        found: dict[str, dict[str, Decimal]] = {}
        for row in self.rows:
            mine = found.setdefault(str(row[by] or ""), dict.fromkeys(names, Decimal(0)))
            for name in names:
                if row[name] is not None:
                    mine[name] = added((mine[name], row[name]))  # 0.00 keeps its places
        return found

    def to_dicts(self) -> list[dict[str, Any]]:
        """The rows as plain data, values as text."""
        return [{name: _text(row[name]) for name in self.columns} for row in self.rows]

    def to_frame(self) -> Any:
        """A pandas DataFrame, numbers as `Decimal`."""
        import pandas as pd

        return pd.DataFrame([dict(row) for row in self.rows], columns=list(self.columns))

    def to_arrow(self) -> Any:
        """A `pyarrow.Table`: numbers as decimals, dates as days, all else as text; a list of nothing has kinds too."""
        import pyarrow as pa

        return pa.table({name: _arrow_column(name, [row[name] for row in self.rows]) for name in self.columns})


_NUMBERS = frozenset(name for _, names in SUMMED.values() for name in names)
_DAYS = frozenset({"date", "due_date"})
_MOST_DIGITS = 38
"""Digits of Arrow's decimals; what needs more is written as text."""


def _arrow_column(name: str, values: Sequence[Any]) -> Any:
    """The values of a column as an Arrow array; its kind is theirs, and where all are blank that of its name."""
    import pyarrow as pa

    kinds = {type(value) for value in values if value is not None}
    if kinds == {bool}:
        return pa.array(values, pa.bool_())
    if kinds == {datetime.date} or (not kinds and name in _DAYS):
        return pa.array(values, pa.date32())
    if kinds == {int} and all(value is None or abs(value) < 2**63 for value in values):
        return pa.array(values, pa.int64())
    if (kinds and kinds <= {int, Decimal}) or (not kinds and name in _NUMBERS):
        numbers = [None if value is None else Decimal(value) for value in values]
        written = [each.as_tuple() for each in numbers if each is not None]
        places = max((max(-int(each.exponent), 0) for each in written), default=2)
        whole = max((len(each.digits) + max(int(each.exponent), -len(each.digits)) for each in written), default=1)
        if max(whole, 0) + places <= _MOST_DIGITS:
            return pa.array(numbers, pa.decimal128(_MOST_DIGITS, places))
    return pa.array([None if value is None else shown(value) for value in values], pa.string())


def with_places(value: Decimal, places: int) -> Decimal:
    """A number written with at least so many decimal places."""
    sign, digits, exponent = value.as_tuple()
    more = places + int(exponent)
    return value if more <= 0 else Decimal((sign, (*digits, *[0] * more), -places))


def _text(value: Any) -> str | None:
    if value is None:
        return None
    return format(value, "f") if isinstance(value, Decimal) else shown(value)
