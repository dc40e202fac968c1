"""What a formula gives as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.columns.cells import cell
from dokima.explaining.evaluation import Evaluation
from dokima.formats.results.detail import PLAIN, Detail


def data(evaluation: Evaluation, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001 (all results are asked alike)
    """The evaluation."""
    return evaluation.to_dict()


def rows(evaluation: Evaluation, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each value: of the line or order, or of each line."""
    values = evaluation.values or [(evaluation.line, evaluation.value)]
    return [{"order": evaluation.order, "line": line, "value": cell(value)} for line, value in values]


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """Columns that stand first."""
    return ("order", "line", "value")
