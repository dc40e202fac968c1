"""What rules of approving see of a change: who is behind it, what it moves, and what it leaves of the budget."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import decimals
from dokima.formulas import Level, Name
from dokima.rules.rule import IS_CHANGE

CHANGE_FACTS: Mapping[str, Name] = {
    "change.opened_by": Name("text", Level.HEADER, "who opened the change"),
    "change.submitted_by": Name("text", Level.HEADER, "who submitted the change"),
    "change.requested_by": Name("text", Level.HEADER, "who asked for the change"),
    "change.valid_until": Name("date", Level.HEADER, "until when the change is offered"),
    "variance.without_tax": Name("decimal", Level.HEADER, "variance without tax", money=True),
    "variance.with_tax": Name("decimal", Level.HEADER, "variance with tax", money=True),
    "variance.margin": Name("decimal", Level.HEADER, "variance of the margin", money=True),
    "ledger.headroom": Name("decimal", Level.HEADER, "left of the budget", money=True),
    "ledger.headroom_after": Name("decimal", Level.HEADER, "left of the budget after the change", money=True),
}
"""Names that rules of the moment ``approve`` may read, beside what they see of the order as it is to be."""


def change_column(name: str, facts: Mapping[str, Any] | None, orders: int) -> Column:
    """A fact of the change being approved, once per order; blank where it is unknown."""
    if name == IS_CHANGE:
        return Flags(np.full(orders, facts is not None))
    value = (facts or {}).get(name)
    if CHANGE_FACTS[name].kind == "text":
        return Texts.of([value or None] * orders)
    if CHANGE_FACTS[name].kind == "date":
        return Dates.of([value] * orders)
    return decimals([value] * orders)
