"""Findings as plain data and rows."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.model.findings import COLUMNS, Findings


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return COLUMNS


def data(findings: Findings, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """How many orders were looked at, the findings, and what came of each rule; times in seconds."""
    rules = [asdict(each) for each in findings.summary]
    return {"orders": findings.orders, "findings": findings.to_dicts(), "rules": rules}


def rows(findings: Findings, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row a finding, without the values it saw."""
    return [{name: row[name] for name in COLUMNS} for row in findings.to_dicts()]
