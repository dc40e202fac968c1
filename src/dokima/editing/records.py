"""Deliveries and payments of the order being edited."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.errors import Refused
from dokima.exact import decimals, parse, text, to_decimals
from dokima.model.document import Document
from dokima.model.states import CLOSED
from dokima.pricing.defaults.delivering import delivered_quantities, open_lines
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Program, Run

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


def with_quantities(program: Program, document: Document, record: Record) -> list[Record]:
    """The records of a delivery, with the quantities it brings where that is said otherwise than by a number.

    What was delivered without a quantity is what is open of its line, and without a line what is open of the order.

    Args:
        program: The rulebook.
        document: The order before it was recorded.
        record: What is recorded.
    """
    lifecycle = program.definition.lifecycle
    if lifecycle.deliveries.get(str(record["state"])) != "delivered" or record.get("quantity") is not None:
        return [record]
    known = [each for each in document.header.get("deliveries") or () if each.get("id") == record["id"]]
    line = record.get("line")
    if line is None and known:
        # It is about the records there are; of those that name a quantity it stays.
        named = [str(each["line"]) for each in known if each.get("line") is not None]
        lacking = [str(each["line"]) for each in known if each.get("line") is not None and each.get("quantity") is None]
        whole = len(named) < len(known)
    else:
        mine = [each for each in known if str(each.get("line")) == line]
        if any(each.get("quantity") is not None for each in mine):
            return [record]
        lacking, whole = [] if line is None else [line], line is None
    orders = prepare(program, document.orders(program.fields), Run())
    leaf = orders.leaf
    left = {
        number: quantity
        for at, (number, quantity) in enumerate(zip(orders.line_numbers, open_lines(orders), strict=True))
        if (leaf is None or leaf[at]) and quantity
    }
    wanted = [number for number in left if whole or number in lacking]
    found: list[Record] = [{**record, "line": number, "quantity": left[number]} for number in wanted]
    # The first is about all records of the delivery; the others say what each line gets of it.
    return found if line is not None or (whole and not known) else [record, *found]


def delivered_again(program: Program, before: Document, after: Document) -> Document:
    """The document with what its deliveries have brought since in ``delivered`` of their lines.

    What a line states beyond its recorded deliveries, because another system counted it, is kept.
    """
    lifecycle = program.definition.lifecycle
    lines = {
        number: fields.get("quantity")
        for number, fields in before.lines.items()
        if not before.is_parent(number) and fields.get("state") != CLOSED
    }
    old, new = (delivered_quantities(lifecycle, each.header.get("deliveries") or (), lines) for each in (before, after))
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
