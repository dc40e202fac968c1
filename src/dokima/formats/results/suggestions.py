"""Suggested cases as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.suggested_cases import Suggestions


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("case", "reaches", "kills")


def data(suggestions: Suggestions, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """The cases, and what is left."""
    return suggestions.to_dict()


def rows(suggestions: Suggestions, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each case."""
    return [
        {"case": each.case.name, "reaches": "; ".join(each.reaches) or None, "kills": "; ".join(each.kills) or None}
        for each in suggestions
    ]
