"""What came of every rule, as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.columns.cells import cell
from dokima.formats.results.detail import PLAIN, Detail
from dokima.rules.verdicts import RuleAnswers

_NAMES = ("rule", "moment", "order", "line", "result", "message", "reason")


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return _NAMES


def data(answers: RuleAnswers, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One entry for each rule and each order or line it was asked about."""
    return [
        {
            **{name: getattr(answer, name) for name in _NAMES},
            "values": {name: cell(value) for name, value in answer.values.items()},
        }
        for answer in answers
    ]


def rows(answers: RuleAnswers, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row an answer."""
    return data(answers, detail)
