"""What rules of approving are told of a change: people, variance, and the budget before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.changes.documents import total
from dokima.changes.history import last_entry, offered_until
from dokima.changes.variance import Variance
from dokima.model.document import Document
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.program import Program


def change_facts(
    program: Program, record: Mapping[str, Any], after: Document, held: Sequence[PricedOrder], variance: Variance
) -> dict[str, Any]:
    """The facts of a change by the names that rules read them under (``engine.approving.CHANGE_FACTS``).

    Args:
        program: The rulebook.
        record: What the change order keeps of people and times.
        after: The order as it is to be; its budget is the one that counts afterwards.
        held: The original and its supplements as they are now.
        variance: What the change comes to.
    """
    if not any(rule.wants_change for rule in program.rules):
        return {}
    ((_, totals),) = variance.totals().items()
    moved = {name: totals[name].variance for name in ("without_tax", "with_tax", "margin") if name in totals}
    budget_of = program.definition.changes.budget_of
    current = [getattr(each.totals, budget_of) for each in held]
    now = _left(held[0].header("budget"), current)
    later = _left(after.header.get("budget"), [*current, moved[budget_of]])
    return {
        "change.opened_by": record.get("opened_by"),
        "change.submitted_by": last_entry(record, "submitted").get("by"),
        "change.requested_by": record.get("requested_by"),
        "change.valid_until": offered_until(record, program.definition.report.valid_days),
        **{f"variance.{name}": value for name, value in moved.items()},
        "ledger.headroom": now,
        "ledger.headroom_after": later,
    }


def _left(budget: Decimal | None, spent: Sequence[Decimal | None]) -> Decimal | None:
    """What is left of a budget; None without one, or where a sum is unknown."""
    known = [-each for each in spent if each is not None]
    return None if budget is None or len(known) < len(spent) else total([budget, *known])
