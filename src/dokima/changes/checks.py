"""What must be true of a settlement: nothing delivered is taken back, and tax differs by roundings only."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from dokima.changes.documents import total
from dokima.errors import Refused, listed
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.model.states import CLOSED
from dokima.pricing.calculation.calculation import PricedOrder

_NEAREST = ("half-up", "half-even", "half-down")
"""Rounding modes of which a result is off by half a unit at most; of all others by a whole one."""


def refuse_undercut(old: Document, new: Document) -> None:
    """Refuse a settlement that takes back what is delivered or closed, whatever the sign or the shape of the change.

    Raises:
        Refused: Names the first such line.
    """
    if new is old:
        return
    for line, fields in old.lines.items():
        bound = fields.get("quantity") if fields.get("state") == CLOSED else fields.get("delivered")
        if not bound or old.is_parent(line):
            continue
        found = new.lines.get(line)
        left = None if found is None or new.is_parent(line) else found.get("quantity")
        same = found is not None and plain(found.get("item")) == plain(fields.get("item"))
        if left is None or not same or (left < bound if bound > 0 else left > bound):
            what = "closed" if fields.get("state") == CLOSED else "delivered"
            raise Refused(f"{old.number} line {line}: {bound} are {what} already, and less would be left")


def refuse_more_than_rounding(change: str, rounding: Decimal, entered: Sequence[PricedOrder]) -> None:
    """Refuse a difference of tax that is more than the roundings which enter it.

    Each document rounds the tax of each category and rate (with ``tax_per = "line"`` of each line) by itself: half a
    minor unit at most, in modes that do not go to the nearest a whole one.

    Args:
        change: Number of the change order.
        rounding: The difference.
        entered: Every order whose tax is in it: baseline, approved order, documents before and after.

    Raises:
        Refused: Says what the documents come to, and what rounding explains.
    """
    most = total(_most_by_rounding(order) for order in entered)
    if abs(rounding) > most:
        taxes = listed(f"{order.totals.tax:f} on {order.number}" for order in entered[2:] if order.totals.tax)
        raise Refused(
            f"{change} cannot be settled: the tax of its documents differs by {rounding:f} from what was "
            f"approved, and rounding explains {most:f} at most ({taxes})"
        )


def _most_by_rounding(order: PricedOrder) -> Decimal:
    """By how much the tax of an order may differ from the exact one."""
    routine = order.routine
    if routine is None:
        return Decimal(0)
    taxes = [step for step in routine.steps if step.way.is_tax]
    if routine.definition.tax_per == "line":
        own = [step for step in routine.steps if step.joins]
        rows = (len(taxes) + len(own)) * len([line for line in order.lines if not line.is_parent])
    else:
        rows = len(order.tax_breakdown)
    # What stands on another tax stands on its rounding too.
    rows += sum(len(step.definition.on_top_of) for step in taxes)
    part = Decimal("0.5") if all(step.rounding in _NEAREST for step in taxes) else Decimal(1)
    return rows * part.scaleb(-order.places)
