"""Deliveries and payments of the order being edited."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.engine.program import Program
from dokima.engine.running.delivering import delivered_quantities
from dokima.errors import Refused
from dokima.exact import decimals, parse, text, to_decimals
from dokima.model.document import Document

Record = Mapping[str, Any]


def with_delivery(deliveries: Sequence[Record], record: Record) -> list[Record]:
    """Deliveries with a new one, or with a new state of one that is there; whatever it does not say stays.

    A delivery has one record for each line it brings. Without a line the record is about all of them.
    """
    same = [at for at, each in enumerate(deliveries) if each.get("id") == record["id"]]
    line = record.get("line")
    if line is not None:
        # A record that named no line so far is that of the first line that is named.
        mine = [at for at in same if str(deliveries[at].get("line")) == line]
        same = mine or [at for at in same if deliveries[at].get("line") is None][:1]
    if not same:
        return [*deliveries, dict(record)]
    return [{**each, **record} if at in same else each for at, each in enumerate(deliveries)]


def delivered_again(program: Program, before: Document, after: Document) -> Document:
    """The document with what its deliveries have brought since in ``delivered`` of their lines.

    What a line states beyond its recorded deliveries, because another system counted it, is kept.
    """
    lifecycle = program.definition.lifecycle
    old, new = (delivered_quantities(lifecycle, each.header.get("deliveries") or ()) for each in (before, after))
    for number in dict.fromkeys([*old, *new]):
        if number not in after.lines or old.get(number) == new.get(number):
            continue
        stated = after.lines[number].get("delivered")
        known = old.get(number, Decimal(0))
        aside = Decimal(0) if stated is None else stated - known
        (total,) = to_decimals(decimals([aside]) + decimals([new.get(number, Decimal(0))]))
        after = after.with_line(number, {**after.lines[number], "delivered": total})
    return after


def refuse_payment(amount: Any, payable: Decimal | None) -> None:
    """Refuse a payment that cannot be right.

    Raises:
        Refused: It is below 0, beyond what is payable, or nobody knows what that is.
    """
    units, places = parse(amount)
    paid = Decimal(text((units, places)))
    if payable is None:
        raise Refused(f"a payment of {paid} is refused: what is payable is unknown while the order cannot be priced")
    if paid < 0 or paid > max(payable, Decimal(0)):
        said = (
            f"a payment of {paid} is refused: expected an amount from 0 to {max(payable, 0 * payable)}, what is payable"
        )
        raise Refused(f"{said} ([states] payments = 'free' lifts this)")
