"""Orders as rows of the tables of a store, and back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from dokima.columns.column import Column, values_of
from dokima.columns.lazy import laid_over
from dokima.formats.json_files import dumped
from dokima.model.content import canonical_json
from dokima.model.fields import RECORDS, Field
from dokima.model.orders import Orders
from dokima.model.selecting import number_key
from dokima.model.values import split_names
from dokima.pricing.calculation.calculation import Calculation
from dokima.store.database.schema import Schema

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


def rows_of(
    documents: Sequence[Mapping[str, Any]],
    orders: Orders,
    calculation: Calculation,
    schema: Schema,
    priced_at: datetime.datetime,
) -> OrderRows:
    """Rows of orders with their figures.

    Args:
        documents: The orders as plain data, which tells a field that is blank from one that is absent.
        orders: The same as they were read, defaults not filled in.
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
    by_number = {str(each["number"]): each for each in documents}
    whole = [by_number[number] for number in orders.numbers]
    given_lines = [{str(line["number"]): line for line in each.get("lines") or ()} for each in whole]
    places = zip(orders.order_of.tolist(), orders.line_numbers, strict=True)
    headers = _level(shown, "header", schema, count, whole)
    lines = _level(shown, "line", schema, orders.line_count, [given_lines[order][line] for order, line in places])
    _put(headers, {**calculation.totals, **calculation.order_figures}, schema.names["total"])
    _put(lines, calculation.figures, schema.names["figure"])
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


def _level(orders: Orders, level: str, schema: Schema, count: int, given: Sequence[Mapping[str, Any]]) -> list[Row]:
    """The fields of headers or lines."""
    columns = orders.headers if level == "header" else orders.lines
    names = schema.names[level]
    rows: list[Row] = [{} for _ in range(count)]
    for name, column in names.items():
        values = values_of(columns[name]) if name in columns else [None] * count
        whole = name == "revision"
        for row, value in zip(rows, values, strict=True):
            row[column] = int(value) if whole and value is not None else value
    for row, mine in zip(rows, given, strict=True):
        empty = [name for name, column in names.items() if row[column] is None]
        on_purpose = {name for name in empty if name in mine}
        row["absent"] = ",".join(name for name in empty if name not in on_purpose) if on_purpose else ALL_EMPTY
    return rows


def _put(rows: list[Row], columns: Mapping[str, Column], names: Mapping[str, str]) -> None:
    for name, its_column in names.items():
        values: Iterable[Any] = values_of(columns[name]) if name in columns else [None] * len(rows)
        for row, value in zip(rows, values, strict=True):
            row[its_column] = value


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
    document = _given(header, schema.header, schema.names["header"])
    for name in RECORDS:
        text = terms if name == TERMS else header[name]
        if text is not None:
            document[name] = json.loads(text)
    return {**document, "lines": [_given(line, schema.line, schema.names["line"]) for line in lines]}


def _given(row: Mapping[str, Any], fields: Mapping[str, Field], names: Mapping[str, str]) -> Row:
    absent = None if row["absent"] == ALL_EMPTY else set(row["absent"].split(","))
    values = {name: row[names[name]] for name in fields if fields[name].value is None}
    kept = [n for n, value in values.items() if value is not None or (absent is not None and n not in absent)]
    return {name: split_names(values[name] or "") if fields[name].words else values[name] for name in kept}


def text_of(document: Mapping[str, Any]) -> str:
    """A document as JSON; exact numbers and dates are texts."""
    return dumped(document)
