"""What changed between two versions of a rulebook, as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.versions import VersionChanges


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("path", "row", "change", "before", "after")


def data(changes: VersionChanges, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """The changes."""
    return changes.to_dict()


def rows(changes: VersionChanges, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each change."""
    found: list[dict[str, Any]] = changes.to_dict()["changes"]
    return found
