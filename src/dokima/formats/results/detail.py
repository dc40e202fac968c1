"""`Detail`: how much of a result is wanted, whether as plain data, as rows, or as a report."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from dokima.changes.ledger import Ledger
    from dokima.explaining.explanation import QuantityPrice


@dataclass(frozen=True)
class Detail:
    """How much of a result is wanted. Each kind of result heeds what concerns it.

    Attributes:
        every: Of a variance or change order, unchanged lines too.
        with_costs: Of a change order, what lines cost us and what they earn, too.
        figures: Of priced orders, the line figures shown; those that make up the amount (as data: all) if empty.
        totals: Of priced orders, one row an order and a sum for each currency, without their lines.
        technical: Of an explanation, formulas and names too.
        quantities: Of an explanation, what the line costs at other quantities.
        columns: Of priced orders as a table of lines, or of totals, the columns wanted, in that sequence; all if empty.
        steps: Of a variance or change order the line of which every step's variance is wanted, or ``all``; blank for
            none.
        ledger: Of a change order, the ledger of its order, which says what the budget leaves.
    """

    every: bool = False
    with_costs: bool = False
    figures: Sequence[str] = ()
    totals: bool = False
    technical: bool = False
    quantities: Sequence[QuantityPrice] = ()
    ledger: Ledger | None = None
    columns: Sequence[str] = ()
    steps: str = ""


PLAIN = Detail()
"""Nothing special."""
