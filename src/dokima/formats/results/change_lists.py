"""A list of change orders as plain data and rows."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Any

from dokima.changes.listing import ChangeEntries, ChangeEntry
from dokima.columns.cells import cell
from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return tuple(each.name for each in fields(ChangeEntry))


def data(entries: ChangeEntries, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One entry a change order."""
    return [{**asdict(entry), "without_tax": cell(entry.without_tax, 0)} for entry in entries]


def rows(entries: ChangeEntries, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a change order."""
    return data(entries, detail)
