"""Findings as plain data, rows and columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from json.encoder import encode_basestring
from typing import Any

from dokima.exact.integers import Integers
from dokima.formats.json_files import LONG, Written, as_json, dumped, json_text
from dokima.formats.results.detail import PLAIN, Detail
from dokima.model.finding import COLUMNS, Finding
from dokima.model.finding_columns import FindingColumns, Refusals
from dokima.model.findings import Findings


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return COLUMNS


def data(findings: Findings, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """How many orders were looked at, the findings, and what came of each rule; times in seconds."""
    return _around(findings, findings.to_dicts())


def json_of_many(findings: Findings, detail: Detail = PLAIN) -> str | None:  # noqa: ARG001
    """The same as JSON text, made without an object for each finding; None for few."""
    return None if len(findings) <= LONG else json_text(_around(findings, entries(findings)))


def _around(findings: Findings, entries: Sequence[Any]) -> dict[str, Any]:
    rules = [asdict(each) for each in findings.summary]
    return {"orders": findings.orders, "findings": entries, "rules": rules}


def line_columns(findings: Findings, detail: Detail = PLAIN) -> tuple[dict[str, list[Any]], Sequence[str]]:  # noqa: ARG001
    """One row a finding, without the values it saw, as columns; and which of them are texts."""
    return {name: findings.column(name) for name in COLUMNS}, COLUMNS


def entries(findings: Findings) -> list[Any]:
    """Each finding as plain data; many of them as JSON already, each on one line."""
    if len(findings) <= LONG:
        return findings.to_dicts()
    if isinstance(findings.items, FindingColumns):
        return Written(findings.items.written(_refusals, _one))
    return Written(map(_one, findings))


def _one(finding: Finding) -> str:
    return dumped(finding.to_dict())


def _refusals(refusals: Refusals, rows: Integers) -> list[str]:
    """Rows of columns as JSON: what they share is written once."""
    own = ("order", "line", "message")
    parts = {name: f'"{name}": {dumped(value).replace("%", "%%")}' for name, value in refusals.common.to_dict().items()}
    parts |= {name: f'"{name}": %s' for name in own}
    values = refusals.shown_values(rows)
    seen = ", ".join(f"{encode_basestring(name)}: %s" for name in values)
    template = "{" + ", ".join({**parts, "values": f'"values": {{{seen}}}'}.values()) + "}"
    cells = [as_json(refusals.column(name, rows)) for name in own] + [as_json(each) for each in values.values()]
    return [template % row for row in zip(*cells, strict=True)]
