"""An explanation as plain data and rows."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from dokima.columns.cells import cell
from dokima.explaining.explanation import Explanation
from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ()


def data(explanation: Explanation, detail: Detail = PLAIN) -> dict[str, Any]:
    """The explanation, and what the line costs at other quantities."""
    found = explanation.to_dict()
    return {**found, "quantities": _quantities(detail)} if detail.quantities else found


def rows(explanation: Explanation, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a quantity that was tried, else one a step."""
    if detail.quantities:
        return _quantities(detail)
    return [{key: step[key] for key in ("step", "kind", "value", "source")} for step in explanation.to_dict()["steps"]]


def _quantities(detail: Detail) -> list[dict[str, Any]]:
    return [{key: cell(value, 0) for key, value in asdict(each).items()} for each in detail.quantities]
