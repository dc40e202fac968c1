"""A variance as plain data and rows."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from dokima.changes.deltas import Delta
from dokima.changes.step_moves import lines_with_steps, step_moves
from dokima.changes.variance import LineVariance, Variance
from dokima.columns.cells import cell
from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("order", "line", "status")


def data(variance: Variance, detail: Detail = PLAIN, leave_out: Collection[str] = ()) -> dict[str, Any]:
    """A variance as plain data: changed lines only unless ``every``, without what is named."""
    headers, totals = variance.headers(), variance.totals()
    stepped = lines_with_steps(variance, detail.steps)
    lines = [
        {
            "order": line.order,
            "line": line.line,
            "status": line.status,
            "item": line.item,
            "description": line.description,
            "figures": {
                name: _change(change) for name, change in line.figures.items() if f"line.{name}" not in leave_out
            },
            "fields": {n: _change(change) for n, change in line.fields.items() if f"line.{n}" not in leave_out},
            **({"steps": _steps(variance, line)} if line.line in stepped else {}),
        }
        for line in variance.lines(every=detail.every)
    ]
    return {
        "orders": [
            {
                "number": number,
                "header": {n: _change(moved) for n, moved in headers[number].items() if f"header.{n}" not in leave_out},
                "totals": {n: _change(moved) for n, moved in totals[number].items() if f"header.{n}" not in leave_out},
            }
            for number, *_ in variance.pairs
        ],
        "lines": lines,
        "empty": variance.is_empty,
    }


def _steps(variance: Variance, line: LineVariance) -> list[dict[str, Any]]:
    return [{"step": each.step, **_change(each.moved)} for each in step_moves(variance, line)]


def _change(change: Delta) -> dict[str, str | None]:
    return {"before": cell(change.before, 0), "after": cell(change.after, 0), "variance": cell(change.variance, 0)}


def rows(variance: Variance, detail: Detail = PLAIN, leave_out: Collection[str] = ()) -> list[dict[str, Any]]:
    """One row a line, before, after and variance of each figure side by side."""
    found = []
    for line in variance.lines(every=detail.every):
        row: dict[str, Any] = {"order": line.order, "line": line.line, "status": line.status, "item": line.item}
        for name, change in line.figures.items():
            if f"line.{name}" in leave_out:
                continue
            for part, value in _change(change).items():
                row[f"{name}_{part}"] = value
        found.append(row)
    return found
