"""A change order as plain data: who, when and why, its sums, and its variance. The same in every locale."""

from __future__ import annotations

from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.history import last_entry
from dokima.changes.variance import Variance, for_own_eyes
from dokima.columns.cells import cell
from dokima.formats.results import variances
from dokima.formats.results.detail import PLAIN, Detail
from dokima.formats.results.order_parts import breakdowns
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.parties import PARTIES, party


def columns(detail: Detail) -> tuple[str, ...]:
    """Columns that stand first."""
    return variances.columns(detail)


def data(change: ChangeOrder, detail: Detail = PLAIN) -> dict[str, Any]:
    """A change order as plain data, numbers as text; what lines cost us only if that is asked for."""
    variance, record = change.variance(), change.record
    after = PricedOrder(variance.after, 0)
    decided = last_entry(record, "approved", "rejected", "withdrawn")
    return {
        "number": change.number,
        "order": change.order_number,
        "state": change.state,
        "reason": change.reason,
        "currency": after.header("currency"),
        "order_date": cell(after.header("date")),
        "revision": change.baseline.content.get("revision") or 0,
        "parties": {which: party(after, which) for which in PARTIES},
        "requested_by": record.get("requested_by") or None,
        "opened": {"time": record.get("opened"), "by": record.get("opened_by")},
        "submitted": _entry(last_entry(record, "submitted") if change.state != "draft" else {}),
        "valid_until": cell(change.valid_until),
        "decided": _entry(decided) and {**(_entry(decided) or {}), "reason": decided.get("reason") or None},
        "ordered_separately": change.ordered_separately(variance=variance),
        "tax": _taxes(variance),
        **variances.data(variance, detail, () if detail.with_costs else for_own_eyes(variance.after.program)),
    }


def rows(change: ChangeOrder, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a line, as of its variance."""
    variance = change.variance()
    return variances.rows(variance, detail, () if detail.with_costs else for_own_eyes(variance.after.program))


def _entry(entry: Any) -> dict[str, Any] | None:
    return {"time": entry["time"], "by": entry["by"]} if entry else None


def _taxes(variance: Variance) -> dict[str, list[dict[str, Any]]]:
    """The tax by category and rate, before and after."""
    return {"before": breakdowns(variance.before)[0], "after": breakdowns(variance.after)[0]}
