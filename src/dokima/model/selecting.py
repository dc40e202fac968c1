"""Which orders are asked for."""

from __future__ import annotations

import datetime
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

import numpy as np

from dokima.columns.dates import Dates
from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.exact.integers import Integers
from dokima.model.arguments import a_text, came, texts_of
from dokima.model.orders import Orders, texts

EQUAL = ("kind", "state", "customer", "supplier", "requested_by")
"""Header fields that a selection compares."""


@dataclass(frozen=True)
class Selection:
    """Which orders are asked for; blank for all.

    Attributes:
        kind: Kind of order.
        state: State of the order.
        customer: Number of the customer.
        supplier: Number of the supplier.
        requested_by: Who asked for it.
        since: First date.
        until: Last date.
        item: Only orders with a line of this item.
        numbers: Only orders of these numbers.
        after: Only orders whose numbers come after this one.
    """

    kind: str = ""
    state: str = ""
    customer: str = ""
    supplier: str = ""
    requested_by: str = ""
    since: datetime.date | str | None = None
    until: datetime.date | str | None = None
    item: str = ""
    numbers: tuple[str, ...] = ()
    after: str = ""

    def __post_init__(self) -> None:
        """Read days that came as text (ISO 8601).

        Raises:
            DokimaError: It is no day, or something else is no text.
        """
        for name in (*EQUAL, "item", "after"):
            a_text(getattr(self, name), name)
        object.__setattr__(self, "numbers", tuple(texts_of(self.numbers, "numbers")))
        for name in ("since", "until"):
            value = getattr(self, name)
            if isinstance(value, str):
                try:
                    object.__setattr__(self, name, datetime.date.fromisoformat(value) if value else None)
                except ValueError:
                    raise DokimaError(f"expected a date such as 2026-03-02 for '{name}' (got '{value}')") from None
            elif value is not None and not isinstance(value, datetime.date):
                raise DokimaError(f"expected a date such as 2026-03-02 for '{name}' (got {came(value)})")

    @classmethod
    def of(cls, wanted: Mapping[str, Any]) -> Selection:
        """A selection by the names of its parts.

        Raises:
            NotFound: There is no such part.
            DokimaError: One of them is something else.
        """
        known = [each.name for each in fields(cls)]
        for name in wanted:
            if name not in known:
                raise NotFound(f"orders are not selected by '{name}'{nearest(name, known)}; {listed(known)}")
        return cls(**wanted)


def number_key(number: str) -> str:
    """What two numbers of the same order have in common: composed letters (Unicode NFC), case aside."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", number).casefold())


def chosen(selection: Selection, orders: Orders) -> Integers:
    """The positions of the orders of a selection among orders that have been read."""
    kept = np.ones(len(orders), bool)
    for name in EQUAL:
        if wanted := getattr(selection, name):
            kept &= np.array([value == wanted for value in texts(orders.header(name)).to_list()], bool)
    if selection.since is not None or selection.until is not None:
        dates = orders.header("date")
        days = dates.to_list() if isinstance(dates, Dates) else [None] * len(orders)
        first, last = str(selection.since or datetime.date.min), str(selection.until or datetime.date.max)
        kept &= np.array([day is not None and first <= str(day) <= last for day in days], bool)
    if selection.item:
        of_item = np.array([item == selection.item for item in texts(orders.line("item")).to_list()], bool)
        having = np.zeros(len(orders), bool)
        having[orders.order_of[of_item]] = True
        kept &= having
    if selection.numbers or selection.after:
        numbers = set(selection.numbers)
        kept &= np.array([(not numbers or n in numbers) and n > selection.after for n in orders.numbers], bool)
    return np.flatnonzero(kept)
