"""A variance by a field as plain data and rows."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from dokima.changes.grouping import GroupedVariance, VarianceGroup
from dokima.columns.cells import cell
from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("row", "value")


def data(grouped: GroupedVariance, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """A variance by a field as plain data."""
    return {
        "by": grouped.by,
        "currencies": [
            {
                "currency": block.currency,
                "groups": [group_data(group) for group in block.groups],
                "total": group_data(block.total),
            }
            for block in grouped.blocks
        ],
        "left_out": [asdict(each) for each in grouped.left_out],
    }


def rows(grouped: GroupedVariance, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row a group and one a total, for CSV; then the orders that were left out, and why."""
    found = [
        {"row": "total" if group is block.total else "group", **group_data(group)}
        for block in grouped.blocks
        for group in (*block.groups, block.total)
    ]
    return found + [{"row": "left out", "value": each.order, "left_out": each.reason} for each in grouped.left_out]


def group_data(group: VarianceGroup) -> dict[str, Any]:
    """Lines of a variance taken together by a field, as plain data: before, after and variance of each figure."""
    sums = {f"{n}_{part}": cell(v, 0) for n, vs in group.figures.items() for part, v in zip(_PARTS, vs, strict=True)}
    return {"value": cell(group.value), "currency": group.currency, "lines": group.lines, **sums}


_PARTS = ("before", "after", "variance")
