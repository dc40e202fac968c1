"""Remarks of an audit as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.remark import AuditRemarks


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("check", "severity", "table", "file", "rows", "path", "message", "example")


def data(remarks: AuditRemarks, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One entry a remark."""
    return [each.to_dict() for each in remarks]


def rows(remarks: AuditRemarks, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a remark; the rows it is about, and the example to try, in one cell each."""
    found = []
    for row in data(remarks, detail):
        example = " ".join(f"{name}={value}" for name, value in row["example"].items())
        found.append({**row, "rows": " ".join(map(str, row["rows"])), "example": example})
    return found
