"""What stands beside the totals of orders: their instalments, and their totals in a second currency.

Where one of them cannot be worked out the totals stand nevertheless, and a warning says why it is blank.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dokima.columns.column import value_at
from dokima.exact import Decimals, compare, stored
from dokima.exact.integers import Integers
from dokima.formulas import Formula, Level
from dokima.formulas.operators import compared, numbers
from dokima.model.finding import Finding
from dokima.model.finding_columns import FEW, Found, OneMessage, Refusals
from dokima.model.said import Said
from dokima.pricing.names.context import Context
from dokima.pricing.steps.instalments import InstalmentPlan, split, what_is_split
from dokima.pricing.steps.reasons import Reasons
from dokima.pricing.steps.results import RoutineResult
from dokima.pricing.steps.routine import Routine


def instalments(
    routine: Routine, context: Context, places: int, totals: Mapping[str, Decimals], result: RoutineResult
) -> tuple[InstalmentPlan | None, list[Found]]:
    """What is to be paid, or what the routine says instead, in instalments; None if it has none.

    Args:
        routine: The routine.
        context: The orders it priced.
        places: Decimal places of their currency.
        totals: Their totals.
        result: What the routine left.
    """
    if not routine.instalments:
        return None, []
    amounts = what_is_split(routine.definition.instalments_of, totals, result.lines, context.by_order)
    plan = split(routine.instalments, amounts, places, routine.definition.rounding, context)
    told = _of_early(routine, plan, context)
    blank = plan.amounts[0].is_missing() & ~amounts.is_missing()
    if not np.count_nonzero(blank):
        return plan, told
    orders = np.flatnonzero(blank)
    known = {
        **dict.fromkeys(np.flatnonzero(plan.mixed).tolist(), Said("their shares have both signs")),
        **dict.fromkeys(np.flatnonzero(plan.weightless).tolist(), Said("all of their shares are 0")),
    }
    whys = _whys([each.share for each in routine.instalments], Reasons(context, routine.figures), context, orders)
    messages = {at: Said("no instalments: {reason}", reason=why) for at, why in (known | whys).items() if why}
    return plan, [*told, *_told(Finding("instalments", "warning", ""), context, messages)]


def _of_early(routine: Routine, plan: InstalmentPlan, context: Context) -> list[Found]:
    """Warnings about early payments: what is unknown or no share of the instalment, and days after it is due."""
    found: list[Found] = []
    for at, (each, early) in enumerate(zip(routine.instalments, plan.early, strict=True)):
        if each.early is None or early is None:
            continue
        nothing = (compare(early.asked, Decimals.zeros(1)) == 0) & ~early.asked.is_missing()
        wanted = early.amount.is_missing() & ~nothing & ~plan.amounts[at].is_missing()
        if not wanted.any() and plan.due[at] is None:
            continue
        orders = np.flatnonzero(wanted)
        whys = _whys([each.early.percent, each.early.by], Reasons(context, routine.figures), context, orders)
        messages: dict[int, str] = {}
        for order in orders.tolist():
            why = whys.get(order)
            if why is None:
                why = Said("expected 0 to 100 % (got {percent})", percent=value_at(early.asked, order))
            if why:
                messages[order] = Said("no early payment of {label}: {reason}", label=each.label, reason=why)
        due = plan.due[at]
        late = np.zeros(0, np.int64) if due is None else np.flatnonzero(compared(early.by, due, ">").is_true())
        for order in late.tolist():
            assert due is not None
            facts = {"label": each.label, "by": value_at(early.by, order), "due": value_at(due, order)}
            messages[order] = Said("the early payment of {label} may be as late as {by}, and it is due {due}", **facts)
        found += _told(Finding("instalments", "warning", ""), context, messages)
    return found


def reported(
    routine: Routine, context: Context, totals: Mapping[str, Decimals]
) -> tuple[dict[str, Decimals], list[Found]]:
    """Rate and totals in the reporting currency: without tax and tax rounded, with tax their sum; empty without one.

    Args:
        routine: The routine.
        context: The orders it priced.
        totals: Their totals.
    """
    program = context.program
    reporting, formula = program.definition.reporting, program.reporting_rate
    if reporting is None or formula is None:
        return {}, []
    places, mode = program.definition.minor_units[reporting.currency], routine.definition.rounding
    rate = numbers(formula.evaluate(context, Level.HEADER)).spread(context.order_count)
    without_tax, tax = ((totals[name] * rate).round(places, mode) for name in ("without_tax", "tax"))
    found = {"rate": stored(rate), "without_tax": without_tax, "tax": tax, "with_tax": without_tax + tax}
    orders = np.flatnonzero(rate.is_missing() & ~totals["without_tax"].is_missing())
    if not len(orders):
        return found, []
    whys = _whys([formula], Reasons(context, routine.figures), context, orders)
    messages = {
        at: Said("no totals in {currency}: {reason}", currency=reporting.currency, reason=why)
        for at, why in whys.items()
        if why
    }
    return found, _told(Finding("reporting", "warning", ""), context, messages)


def _whys(formulas: Sequence[Formula], reasons: Reasons, context: Context, orders: Integers) -> dict[int, str]:
    """Why the first blank one of some formulas is blank, by order; blank itself where a function failed, which is told
    as an error of its own.
    """
    found: dict[int, str] = {}
    for formula in formulas:
        column = formula.evaluate(context, Level.HEADER).spread(context.order_count)
        failed = formula.failures(context, Level.HEADER)
        asked = np.array([at for at in orders.tolist() if at not in found], np.int64)
        asked = asked[column.is_missing()[asked]]
        for at, why in zip(asked.tolist(), reasons.of_formula(formula, asked), strict=True):
            found[at] = "" if failed is not None and failed.codes[at if len(failed) > 1 else 0] >= 0 else why
    return found


def _told(common: Finding, context: Context, messages: Mapping[int, str]) -> list[Found]:
    """A finding for each order with something to be said of it; those of many orders that are alike as columns."""
    alike: dict[str, list[int]] = {}
    for order, message in messages.items():
        alike.setdefault(message, []).append(order)
    found: list[Found] = []
    for message, orders in alike.items():
        refused = Refusals.of(common, context.orders, np.array(orders), None, OneMessage(message))
        found += [refused] if len(orders) > FEW else refused.findings(np.arange(len(orders)))
    return found
