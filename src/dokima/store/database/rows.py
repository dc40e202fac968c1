"""Orders as rows of the tables of a store, and back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from dokima.engine.running.calculation import Calculation
from dokima.formats.json_files import dumped
from dokima.model.columns import Column, laid_over, values_of
from dokima.model.content import canonical_json
from dokima.model.fields import RECORDS, Field
from dokima.model.orders import Orders
from dokima.model.selecting import number_key
from dokima.model.values import split_names
from dokima.store.database.schema import FIGURE, TOTAL, Schema

TERMS = "terms"
ALL_EMPTY = "*"
"""In a column ``absent``: every field without a value is absent, so that its default stands in; none is blank on
purpose. Else the names of those that are absent."""

Row = dict[str, Any]


@dataclass
class OrderRows:
    """Rows of several orders, without the identities the database gives.

    Attributes:
        headers: A row an order.
        lines: For each order the rows of its lines.
        taxes: For each order the rows of its taxes.
        terms: For each order the text of its agreed terms, None for none.
    """

    headers: list[Row] = field(default_factory=list)
    lines: list[list[Row]] = field(default_factory=list)
    taxes: list[list[Row]] = field(default_factory=list)
    terms: list[str | None] = field(default_factory=list)


def rows_of(orders: Orders, calculation: Calculation, schema: Schema, priced_at: datetime.datetime) -> OrderRows:
    """Rows of orders with their figures.

    Args:
        orders: As they were read, defaults not filled in.
        calculation: Their figures.
        schema: The tables.
        priced_at: When they were priced.
    """
    count, fingerprint = orders.count, calculation.program.fingerprint
    filled = calculation.orders
    shown = replace(
        orders,
        headers=laid_over(orders.headers, {n: filled.header(n) for at, n in orders.fields.computed if at == "header"}),
        lines=laid_over(orders.lines, {n: filled.line(n) for at, n in orders.fields.computed if at == "line"}),
    )
    headers = _level(shown, "header", schema.header, count)
    lines = _level(shown, "line", schema.line, orders.line_count)
    _put(headers, TOTAL, {**calculation.totals, **calculation.order_figures}, schema.totals)
    _put(lines, FIGURE, calculation.figures, schema.figures)
    names = [routine.name for routine in calculation.program.routines]
    for at, (row, routine) in enumerate(zip(headers, calculation.routine_of.tolist(), strict=True)):
        row["number_key"] = number_key(row["number"])
        row["routine"] = names[routine] if routine >= 0 else None
        row["fingerprint"], row["priced_at"] = fingerprint, priced_at
        for name in RECORDS:
            kept = orders.records[name][at] if name in orders.records else None
            row[name] = canonical_json(kept) if kept else None
    terms = [row.pop(TERMS) for row in headers]
    of_order: list[list[Row]] = [[] for _ in range(count)]
    for order, row in zip(orders.order_of.tolist(), lines, strict=True):
        row["place"] = len(of_order[order])
        of_order[order].append(row)
    taxes = [
        [
            {"place": place, "step": tax.step, "category": tax.category, "rate": tax.percent, "taxable": tax.taxable,
             "tax": tax.tax, "reason": tax.reason}
            for place, tax in enumerate(order.tax_breakdown)
        ]
        for order in calculation
    ]  # fmt: skip
    return OrderRows(headers, of_order, taxes, terms)


def _level(orders: Orders, level: str, fields: Mapping[str, Field], count: int) -> list[Row]:
    """The fields of headers or lines."""
    columns = orders.headers if level == "header" else orders.lines
    rows: list[Row] = [{} for _ in range(count)]
    for name in fields:
        values = values_of(columns[name]) if name in columns else [None] * count
        whole = name == "revision"
        for row, value in zip(rows, values, strict=True):
            row[name] = int(value) if whole and value is not None else value
    on_purpose: dict[int, set[str]] = {}
    for name, declared in fields.items():
        if name in columns and declared.default is not None:
            absent = orders.absent.get((level, name))
            blank = columns[name].is_missing()
            for at in np.flatnonzero(blank if absent is None else blank & ~absent).tolist():
                on_purpose.setdefault(at, set()).add(name)
    for at, row in enumerate(rows):
        kept = on_purpose.get(at)
        row["absent"] = ALL_EMPTY if kept is None else ",".join(n for n in fields if row[n] is None and n not in kept)
    return rows


def _put(rows: list[Row], mark: str, columns: Mapping[str, Column], declared: Mapping[str, Field]) -> None:
    for name in declared:
        values: Iterable[Any] = values_of(columns[name]) if name in columns else [None] * len(rows)
        for row, value in zip(rows, values, strict=True):
            row[mark + name] = value


def document_of(
    header: Mapping[str, Any], lines: Sequence[Mapping[str, Any]], terms: str | None, schema: Schema
) -> Row:
    """An order as plain data, as it was saved; fields that the rulebook does not know any more stay out of it.

    Args:
        header: Its row.
        lines: The rows of its lines, in sequence.
        terms: Text of its agreed terms.
        schema: The tables.
    """
    document = _given(header, schema.header)
    for name in RECORDS:
        text = terms if name == TERMS else header[name]
        if text is not None:
            document[name] = json.loads(text)
    return {**document, "lines": [_given(line, schema.line) for line in lines]}


def _given(row: Mapping[str, Any], fields: Mapping[str, Field]) -> Row:
    absent = None if row["absent"] == ALL_EMPTY else set(row["absent"].split(","))
    kept = [name for name in fields if fields[name].value is None]
    kept = [name for name in kept if row[name] is not None or (absent is not None and name not in absent)]
    return {name: split_names(row[name] or "") if fields[name].words else row[name] for name in kept}


def text_of(document: Mapping[str, Any]) -> str:
    """A document as JSON; exact numbers and dates are texts."""
    return dumped(document)
