"""`PriceList`: every price and discount that applies to somebody, or to an item."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from dokima.columns.shown import shown
from dokima.model.said import SHOWN
from dokima.tables.assembly import Node

SOON = 60
"""Days within which an end is worth telling."""


@dataclass(frozen=True)
class Where:
    """The row of a table that something came from.

    Attributes:
        table: The table.
        label: The word shown to people.
        file: Its file, blank for Python.
        row: Number of the row in the file.
        valid_from: First day; None for open.
        valid_until: Last day; None for open.
    """

    table: str
    label: str
    file: str
    row: int
    valid_from: datetime.date | None = None
    valid_until: datetime.date | None = None

    @property
    def place(self) -> str:
        """File and row."""
        return f"{self.file} row {self.row}".strip()


@dataclass(frozen=True)
class OnTop:
    """A discount on top of a price: its step, percentage (None for an amount), amount, and where it came from."""

    step: str
    label: str
    percent: Decimal | None
    amount: Decimal
    where: Where | None


@dataclass(frozen=True)
class PriceRow:
    """What one item costs somebody from some quantity on.

    Attributes:
        party: Customer, supplier or group, such as ``segment trade``.
        name: What the party is called.
        item: The item.
        description: What it is.
        unit: The unit.
        quantity: From this quantity on.
        list_price: What it costs whoever has no terms of his own; None for nothing.
        price: The unit price; None if there is none.
        source: Where the price came from, in words.
        where: The row it came from; None where no table was asked.
        is_agreed: Whether the price depends on who buys or sells.
        discounts: Discounts on top of it.
        net_each: What one costs after the discounts, to four places.
        left_out: Steps that are left out, because they depend on who it is.
        above: The break that the quantity is just above, where only what is above it counts; None elsewhere.
    """

    party: str
    name: str
    item: str
    description: str
    unit: str
    quantity: Decimal
    list_price: Decimal | None
    price: Decimal | None
    source: str
    where: Where | None
    is_agreed: bool
    discounts: Sequence[OnTop]
    net_each: Decimal | None
    left_out: Sequence[str] = ()
    above: Decimal | None = None

    @property
    def is_both(self) -> bool:
        """Whether a discount comes on top of an agreed price, which is worth a second look."""
        return self.is_agreed and bool(self.discounts)

    @property
    def valid_until(self) -> datetime.date | None:
        """The first day on which its price or a discount of it ends."""
        places = [self.where, *(each.where for each in self.discounts)]
        return min((each.valid_until for each in places if each and each.valid_until), default=None)

    def ends_soon(self, today: datetime.date) -> bool:
        """Whether it ends within `SOON` days."""
        end = self.valid_until
        return end is not None and (end - today).days <= SOON

    @property
    def terms(self) -> tuple[Any, ...]:
        """What it comes to, whatever the quantity: equal terms at a higher quantity are not told again."""
        rates = tuple((each.step, each.percent if each.percent is not None else each.amount) for each in self.discounts)
        return (self.price, self.list_price, rates)


@dataclass(frozen=True)
class OtherTerm:
    """Another term of a party, such as the percentage that it pays in advance."""

    label: str
    values: Mapping[str, Any]
    where: Where


@dataclass(frozen=True)
class PriceList:
    """Prices and discounts that apply on a day.

    Attributes:
        title: Whose, or of which item.
        date: The day.
        currency: Their currency.
        rows: The prices, by party, item, unit and quantity.
        terms: Other terms of the party.
        components: What an item is made of, with values; empty for one that is no assembly.
        by_party: Whether it is about one item, and its rows about who pays what.
    """

    title: str
    date: datetime.date
    currency: str
    rows: Sequence[PriceRow]
    terms: Sequence[OtherTerm] = ()
    components: Sequence[Node] = field(default_factory=tuple)
    by_party: bool = False

    def __len__(self) -> int:
        return len(self.rows)

    def __repr__(self) -> str:
        return f"<PriceList {self.title} on {self.date}: {len(self)} prices; {SHOWN}>"

    def to_dicts(self) -> list[dict[str, Any]]:
        """A row for each price as plain data, values as text."""
        return [_row_data(row, self.date) for row in self.rows]

    def to_frame(self) -> Any:
        """A pandas DataFrame with a row for each price, numbers as `Decimal`."""
        import pandas as pd

        numbers = ("quantity", "list_price", "price", "net_each")
        return pd.DataFrame(
            [
                {**data, **{name: getattr(row, name) for name in numbers}}
                for row, data in zip(self.rows, self.to_dicts(), strict=True)
            ]
        )


def _row_data(row: PriceRow, today: datetime.date) -> dict[str, Any]:
    where = row.where
    return {
        "party": row.party,
        "name": row.name,
        "item": row.item,
        "description": row.description,
        "unit": row.unit,
        "quantity": shown(row.quantity),
        "list_price": _plain(row.list_price),
        "price": _plain(row.price),
        "source": row.source,
        "table": where.table if where else None,
        "file": where.file if where else None,
        "row": str(where.row) if where else None,
        "valid_from": _plain(where.valid_from) if where else None,
        "valid_until": _plain(row.valid_until),
        "ends_soon": shown(row.ends_soon(today)),
        "discounts": "; ".join(_discount(each) for each in row.discounts) or None,
        "net_each": _plain(row.net_each),
        "left_out": "; ".join(row.left_out) or None,
        "agreed": shown(row.is_agreed),
        "agreed_and_discount": shown(row.is_both),
    }


def _discount(each: OnTop) -> str:
    amount = f"{shown(each.percent)} %" if each.percent is not None else shown(each.amount)
    return f"{each.label} {amount}" + (f" ({each.where.place})" if each.where else "")


def _plain(value: Any) -> str | None:
    return None if value is None else shown(value)
