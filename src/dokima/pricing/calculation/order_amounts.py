"""What an order comes to, as a person reads it: its totals, the rows of its taxes, its instalments."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from decimal import Decimal

from dokima.columns.column import value_at
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.steps.instalments import EarlyPayment


@dataclass(frozen=True)
class TaxRow:
    """One row of an order's tax breakdown: category, percent, sum without tax, tax, and the reason if there is one."""

    step: str
    category: str | None
    percent: Decimal
    taxable: Decimal
    tax: Decimal
    reason: str | None


@dataclass(frozen=True)
class EarlyPaymentRow:
    """What an instalment comes to if it is paid by a day: percent, what is deducted, and what is paid then."""

    by: datetime.date
    percent: Decimal
    discount: Decimal
    amount: Decimal


def early_row(early: EarlyPayment, order: int, places: int) -> EarlyPaymentRow | None:
    """What an instalment of one order comes to if it is paid early; None if nothing may be deducted.

    Args:
        early: The same of many orders.
        order: The position of the order among them.
        places: Decimal places of its currency.
    """
    if early.amount.is_missing()[order]:
        return None
    discount, amount = (amount_at(each, order, places) for each in (early.discount, early.amount))
    return EarlyPaymentRow(value_at(early.by, order), value_at(early.percent, order), discount, amount)


@dataclass(frozen=True)
class InstalmentRow:
    """One instalment of an order: what it is called, the day it is due (None for no day), its amount, and what it comes
    to if it is paid early (None if nothing may be deducted).
    """

    label: str
    due: datetime.date | None
    amount: Decimal | None
    early: EarlyPaymentRow | None = None


@dataclass(frozen=True)
class ReportingTotals:
    """Totals in a second currency: what one of the order's currency is in it, and the totals; None where unknown."""

    currency: str
    rate: Decimal | None
    without_tax: Decimal | None
    tax: Decimal | None
    with_tax: Decimal | None


@dataclass(frozen=True)
class Totals:
    """The totals of an order, with the names of the EN 16931 semantic model; None where they are unknown."""

    line_net: Decimal | None
    allowances: Decimal | None
    charges: Decimal | None
    without_tax: Decimal | None
    tax: Decimal | None
    with_tax: Decimal | None
    prepaid: Decimal | None
    rounding: Decimal | None
    payable: Decimal | None
