"""What came of an operation on many orders as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.editing.many import ManyEdited
from dokima.formats.results.detail import PLAIN, Detail


def data(edited: ManyEdited, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001 (all results are asked alike)
    """The orders that were changed, and why others were not."""
    return {
        "changed": [order.to_dict() for order in edited.orders],
        "refused": [{"order": number, "why": str(error)} for number, error in edited.refused.items()],
    }


def rows(edited: ManyEdited, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each order."""
    changed = [{"order": order.number, "outcome": "changed", "why": None} for order in edited.orders]
    return changed + [{"order": number, "outcome": "refused", "why": str(e)} for number, e in edited.refused.items()]


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """Columns that stand first."""
    return ("order", "outcome", "why")
