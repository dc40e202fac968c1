"""A ledger as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.changes.ledger import Ledger
from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ()


def data(ledger: Ledger, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """The ledger."""
    return ledger.to_dict()


def rows(ledger: Ledger, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row a line of the order."""
    found: list[dict[str, Any]] = ledger.to_dict()["lines"]
    return found
