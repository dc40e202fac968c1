"""Totals that the header of an export states, and what stands in them beside the amounts of the lines."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import TYPE_CHECKING

from dokima.inference.arithmetic import ENOUGH, Numbers, sums_of
from dokima.inference.profiles import FileProfile
from dokima.inference.taxes import one_rate, taxes_of_orders
from dokima.inference.words import suggests

if TYPE_CHECKING:
    from dokima.inference.roles import Roles

FEWEST_ORDERS = 5
"""Orders from which on it is no chance that a column of theirs makes up the difference to another."""


def find_totals(roles: Roles, lines: FileProfile, stated: Mapping[str, Numbers]) -> None:
    """Sums that the header states: of the amounts, of their tax, or of both.

    Args:
        roles: The roles.
        lines: The columns of the lines.
        stated: The numbers of the header, one for each order.
    """
    if roles.identity is None:
        return
    amounts = lines.numbers(roles.identity.amount)
    net = sums_of(amounts, roles.groups, roles.count)
    if roles.tax is not None:
        taxes = taxes_of_orders(amounts, lines.numbers(roles.tax.rate), roles.groups, roles.count)
        gross = {way: _plus(net, mine) for way, mine in taxes.items()}
        hits = {
            way: max((_equal(each, gross[way]) + _equal(each, taxes[way]) for each in stated.values()), default=0)
            for way in taxes
        }
        # Tax of the whole document is what standards want; lines that have their own prove nothing against it.
        roles.tax_per = "line" if hits["line"] > hits["document"] else "document"
        _repeated(roles, stated, gross[roles.tax_per], "stated_with_tax", f"{roles.identity.amount} with tax")
        _repeated(roles, stated, taxes[roles.tax_per], "stated_tax", "the tax")
    _repeated(roles, stated, net, "stated_line_net", roles.identity.amount)
    if roles.tax is None:
        _beside(roles, stated, net)


def _beside(roles: Roles, stated: Mapping[str, Numbers], net: Numbers) -> None:
    """What an order bears beside its lines where a total says so: a charge such as freight, tax, or both."""
    free = {name: values for name, values in stated.items() if roles.role(name, "header") is None and any(values)}
    taxes = [name for name in free if suggests(name, "tax_rate") or suggests(name, "tax_amount")]
    charges = [name for name in free if name not in taxes]
    for charge, tax in ((c, t) for c in ("", *charges) for t in ("", *taxes) if c or t):
        base = _with(net, free.get(charge, ()))
        rate = one_rate(base, free[tax]) if tax else None
        whole = _with(base, free.get(tax, ()))
        for total, sums in free.items():
            equal = _equal(sums, whole)
            if total in (charge, tax) or (tax and rate is None):
                continue
            if len(sums) < FEWEST_ORDERS or equal < ENOUGH * len(sums):
                continue
            said = f"in {equal} of {len(sums)} orders"
            beside = " and ".join(filter(None, (charge, tax)))
            if charge:
                roles.put(charge, "header", "charge_amount", f"it stands in {total} beside the lines {said}")
            if tax:
                roles.tax_percent = rate
                roles.put(
                    tax, "header", "stated_tax", f"{rate} % of the lines{' with the charge' if charge else ''}, {said}"
                )
            field = "stated_with_tax" if tax else "stated_without_tax"
            roles.put(total, "header", field, f"the lines with {beside} {said}")
            return


def _with(some: Numbers, others: Numbers) -> Numbers:
    """Both together, where a blank among the others is nothing."""
    return _plus(some, [each or Decimal(0) for each in others]) if others else some


def of_orders(roles: Roles, column: Numbers) -> Numbers:
    """The value of each order in a column that repeats it on every line."""
    found: list[Decimal | None] = [None] * roles.count
    for group, value in zip(reversed(roles.groups), reversed(column), strict=True):
        found[group] = value
    return found


def _plus(some: Numbers, others: Numbers) -> Numbers:
    return [None if a is None or b is None else a + b for a, b in zip(some, others, strict=True)]


def _equal(stated: Numbers, sums: Numbers) -> int:
    return sum(1 for value, mine in zip(stated, sums, strict=True) if value is not None and value == mine)


def _repeated(roles: Roles, stated: Mapping[str, Numbers], sums: Numbers, field_: str, what: str) -> None:
    for name, values in stated.items():
        equal = _equal(values, sums)
        if roles.role(name, "header") is None and equal >= ENOUGH * len(values) and len(values) > 1:
            roles.put(name, "header", field_, f"the sum of {what} in {equal} of {len(values)} orders")
