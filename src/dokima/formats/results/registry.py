"""Any result as JSON or CSV: which module knows a kind of result."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from importlib import import_module
from typing import Any

from dokima.errors import DokimaError, refuse_unknown_columns
from dokima.formats.csv_files import csv_of_columns, csv_text
from dokima.formats.json_files import json_text
from dokima.formats.results.detail import PLAIN, Detail

_MODULES: Mapping[str, str] = {
    "AuditRemarks": "remarks",
    "Beginning": "beginnings",
    "Calculation": "calculations",
    "ChangeEntries": "change_lists",
    "ChangeOrder": "changes",
    "Coverage": "coverages",
    "Evaluation": "evaluations",
    "Explanation": "explanations",
    "Findings": "findings",
    "GroupedVariance": "grouped",
    "Ledger": "ledgers",
    "Listing": "listings",
    "ManyEdited": "many_edits",
    "PriceList": "price_lists",
    "PricedOrder": "priced_orders",
    "Proof": "proofs",
    "Replay": "replays",
    "RuleAnswers": "answers",
    "Specification": "specifications",
    "Suggestions": "suggestions",
    "Variance": "variances",
    "VersionChanges": "versions",
}
"""The module for each kind of result. It is imported when it is needed, so that pricing does not wait for variances."""


def _module(result: Any) -> Any:
    for kind in type(result).__mro__:
        if kind.__name__ in _MODULES:
            return import_module(f"dokima.formats.results.{_MODULES[kind.__name__]}")
    raise DokimaError(f"expected a result of a rulebook (got {type(result).__name__})")


def data_of(result: Any, detail: Detail = PLAIN) -> Any:
    """A result as plain data; exact numbers as text.

    Raises:
        DokimaError: It is no result.
    """
    return _module(result).data(result, detail)


def to_json(result: Any, detail: Detail = PLAIN) -> str:
    """A result of a rulebook as JSON; exact numbers are written as text.

    Args:
        result: A calculation, findings, a variance, an explanation, a ledger ...
        detail: How much of it is wanted.

    Raises:
        DokimaError: It is no result.
    """
    module = _module(result)
    text = module.json_of_many(result, detail) if hasattr(module, "json_of_many") else None
    return json_text(module.data(result, detail)) if text is None else text


def to_csv(result: Any, *, columns: Sequence[str] = (), raw: bool = False, detail: Detail = PLAIN) -> str:
    """A result of a rulebook as CSV with a heading: one row a line, a finding, a changed line ...

    Args:
        result: A calculation, findings, a variance, an explanation, a ledger ...
        columns: Only these, in that sequence; of priced orders any field, figure or name of a party.
        raw: Leave texts that a spreadsheet would take for a formula (``=1+1``) as they are; else an apostrophe stands
            before them. Numbers are never touched.
        detail: How much of it is wanted.

    Raises:
        DokimaError: It is no result.
        NotFound: There is no such column; names the nearest.
    """
    module = _module(result)
    detail = replace(detail, columns=tuple(columns)) if columns else detail
    if hasattr(module, "csv_of_many") and not detail.totals:
        text: str | None = module.csv_of_many(result, detail, raw=raw)
        if text is not None:
            return text
    if hasattr(module, "line_columns") and not detail.totals:
        # A million lines as rows would take as long again as to write them.
        cells, texts = module.line_columns(result, detail)
        refuse_unknown_columns(detail.columns, cells)
        cells = {name: cells[name] for name in detail.columns or cells}
        return csv_of_columns(cells, cells if raw else texts, raw=raw)
    rows, first = module.rows(result, detail), () if detail.columns else module.columns(detail)
    known = dict.fromkeys([*module.columns(PLAIN), *(name for row in rows for name in row)])
    if rows:  # without any nobody knows which columns they would have
        refuse_unknown_columns(detail.columns, known)
    wanted = detail.columns or list(known)
    return csv_text([{name: row.get(name) for name in wanted} for row in rows], first or wanted, raw=raw)
