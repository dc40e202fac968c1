"""What must be true of a settlement before it is one: nothing delivered is taken back, tax is what documents keep."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.changes.supplements import total
from dokima.engine.running.calculation import PricedOrder
from dokima.errors import Refused
from dokima.exact import decimals, to_decimals
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.model.states import CLOSED


def refuse_undercut(old: Document, new: Document) -> None:
    """Refuse a settlement that takes back what is delivered or closed, whatever the sign or the shape of the change.

    Raises:
        Refused: Names the first such line.
    """
    number = str(old.header.get("number") or "")
    for line, fields in old.lines.items():
        bound = fields.get("quantity") if fields.get("state") == CLOSED else fields.get("delivered")
        if not bound or old.is_parent(line):
            continue
        found = new.lines.get(line)
        left = None if found is None or new.is_parent(line) else found.get("quantity")
        same = found is not None and plain(found.get("item")) == plain(fields.get("item"))
        if left is None or not same or (left < bound if bound > 0 else left > bound):
            what = "closed" if fields.get("state") == CLOSED else "delivered"
            raise Refused(f"{number} line {line}: {bound} are {what} already, and less would be left")


def tax_by_terms(order: PricedOrder) -> Decimal:
    """The tax of a document, worked out from nothing but the amounts and rates it keeps.

    A document whose taxes stand on each other or are in its prices says its own tax; their parts do not follow from one
    rate.
    """
    routine = order.routine
    taxes = [] if routine is None else [step for step in routine.steps if step.way.is_tax]
    plain_taxes = not order.prices_include_tax and not any(step.definition.on_top_of for step in taxes)
    if routine is None or not plain_taxes or routine.definition.tax_per != "document":
        return order.totals.tax or Decimal(0)
    terms = order.calculation.orders.terms(order.position)
    untaxed = {step.name: step.sign for step in routine.steps if step.sign and not step.way.taxed}
    groups: dict[tuple[str, Any, Any], list[Decimal]] = {}
    for line in () if terms is None else terms.lines.values():
        for step, tax in line.taxes.items():
            if tax is not None and tax.get("percent") is not None:
                moved = [-sign * Decimal(line.figures.get(name) or 0) for name, sign in untaxed.items()]
                amount = total([Decimal(line.figures.get("without_tax") or 0), *moved])
                groups.setdefault((step, tax.get("category"), tax["percent"]), []).append(amount)
    modes = {step.name: step.rounding for step in taxes}
    found = []
    for (step, _, percent), amounts in groups.items():
        exact = decimals([total(amounts)]) * decimals([percent]).shifted(2)
        found += to_decimals(exact.round(order.places, modes[step]))
    return total([each for each in found if each is not None])
