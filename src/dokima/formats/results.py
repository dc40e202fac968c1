"""Results out: calculations, findings and variances as plain data and as CSV. Exact numbers are written as text."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from dokima.changes.grouping import GroupedVariance, VarianceGroup
from dokima.changes.variance import Delta, Variance
from dokima.engine.calculation import Calculation, PricedOrder, TaxRow, amount_figures
from dokima.engine.explaining import Explanation
from dokima.engine.summing import left_out, sums_of
from dokima.errors import Problem
from dokima.formats.guarding import neutral
from dokima.formats.jsondocs import json_text
from dokima.model.columns import shown, values_of
from dokima.model.findings import COLUMNS, Findings
from dokima.rules.verdicts import RuleAnswer


def cell(value: Any, places: int | None = None) -> str | None:
    """A value as text: numbers in full, amounts with their places, a blank as None."""
    if value is None:
        return None
    if isinstance(value, Decimal) and places is not None:
        return format(value, "f")
    return shown(value)


def line_figures(order: PricedOrder) -> list[str]:
    """The figures of an order's lines, in the order of its steps."""
    if order.routine is None:
        return []
    amounts = amount_figures(order.routine)
    steps = [name.split(".")[1] for name in order.routine.figures if name.startswith("line.")]
    present = order.calculation.figures
    return [name for name in dict.fromkeys(["price", *steps, *amounts]) if name in present]


def answer_data(answer: RuleAnswer) -> dict[str, Any]:
    """What came of asking a rule about one order or line, as plain data."""
    values = {name: cell(value) for name, value in answer.values.items()}
    return {
        **{name: getattr(answer, name) for name in ("rule", "moment", "order", "line", "result", "message", "reason")},
        "values": values,
    }


def summary_data(findings: Findings) -> list[dict[str, Any]]:
    """What came of each rule, as plain data; times in seconds."""
    return [asdict(each) for each in findings.summary]


def calculation_data(calculation: Calculation, figures: Sequence[str] = ()) -> dict[str, Any]:
    """A calculation as plain data, with the line figures named, or all."""
    lines = _line_data(calculation, figures)
    return {
        "orders": [_order_data(order, lines) for order in calculation],
        "findings": calculation.findings.to_dicts(),
        "problems": [problem_data(problem) for problem in calculation.problems],
    }


def problem_data(problem: Problem) -> dict[str, Any]:
    """A problem as plain data."""
    return asdict(problem)


def _line_data(calculation: Calculation, chosen: Sequence[str]) -> list[dict[str, Any]]:
    """Every line with its figures as plain data, from whole columns: one value at a time takes far longer."""
    orders = calculation.orders
    fields = {name: list(values_of(orders.line(name))) for name in ("number", "item", "description", "unit")}
    quantities = [cell(value) for value in values_of(orders.line("quantity"))]
    wanted = {at: list(chosen) or line_figures(PricedOrder(calculation, at)) for at in _one_of_each(calculation)}
    places = {name: calculation.figure_values(name) for names in wanted.values() for name in names}
    texts = {name: [cell(value, 0) for value in values] for name, values in places.items()}
    routines = calculation.routine_of[orders.order_of].tolist()
    names_of = {int(calculation.routine_of[at]): names for at, names in wanted.items()}
    return [
        {
            "number": fields["number"][at],
            "item": fields["item"][at],
            "description": fields["description"][at],
            "quantity": quantities[at],
            "unit": fields["unit"][at],
            **{name: texts[name][at] for name in names_of[routine]},
        }
        for at, routine in enumerate(routines)
    ]


def _one_of_each(calculation: Calculation) -> list[int]:
    """Positions of orders, one for each routine."""
    found = {int(routine): at for at, routine in enumerate(calculation.routine_of.tolist())}
    return list(found.values())


def _order_data(order: PricedOrder, lines: Sequence[dict[str, Any]]) -> dict[str, Any]:
    second, where = order.reporting, order.calculation.orders.lines_of(order.position)
    return {
        "number": order.number,
        "routine": order.routine.name if order.routine else None,
        "currency": order.header("currency"),
        "date": cell(order.header("date")),
        "customer": order.header("customer"),
        "supplier": order.header("supplier"),
        "prices_include_tax": order.prices_include_tax,
        "lines": list(lines[where]),
        "figures": {name: cell(value) for name, value in order.figures.items()},
        "tax_breakdown": [tax_data(row, order.places) for row in order.tax_breakdown],
        "totals": {name: cell(value, order.places) for name, value in asdict(order.totals).items()},
        "instalments": [
            {"label": row.label, "due": cell(row.due), "amount": cell(row.amount, order.places)}
            for row in order.instalments
        ],
        "reporting": None if second is None else {name: cell(value, 0) for name, value in asdict(second).items()},
    }


def tax_data(row: TaxRow, places: int) -> dict[str, Any]:
    """A row of a tax breakdown as plain data; amounts with the currency's places."""
    return {
        "step": row.step,
        "category": row.category,
        "percent": cell(row.percent),
        "taxable": cell(row.taxable, places),
        "tax": cell(row.tax, places),
        "reason": row.reason,
    }


def calculation_rows(calculation: Calculation, figures: Sequence[str] = ()) -> list[dict[str, Any]]:
    """One row a line, for CSV."""
    return [
        {"order": data["number"], **{("line" if name == "number" else name): value for name, value in line.items()}}
        for data in calculation_data(calculation, figures)["orders"]
        for line in data["lines"]
    ]


def total_rows(calculation: Calculation) -> list[dict[str, Any]]:
    """One row an order with date, party and totals, for CSV; of one that is in no sum, why."""
    reasons = {each.order: each.reason for each in left_out(calculation)}
    rows = []
    for order in calculation:
        row: dict[str, Any] = {"order": order.number}
        row |= {name: cell(order.header(name)) for name in ("kind", "date", "customer", "supplier", "currency")}
        row["lines"] = str(sum(1 for line in order.lines if not line.is_parent))
        row |= {name: cell(value, order.places) for name, value in asdict(order.totals).items()}
        rows.append({**row, "left_out": reasons.pop(order.number, None)})
    return rows + [{"order": order, "left_out": reason} for order, reason in reasons.items()]


def totals_data(calculation: Calculation) -> dict[str, Any]:
    """The totals of orders as plain data: one entry an order, one sum for each kind and currency, what is in none."""
    return {
        "orders": [row for row in total_rows(calculation) if "lines" in row],
        "sums": [
            {
                "kind": each.kind or None,
                "currency": each.currency or None,
                "orders": each.orders,
                "left_out": each.left_out,
                **{name: cell(value, 0) for name, value in each.totals.items()},
            }
            for each in sums_of(calculation)
        ],
        "left_out": [asdict(each) for each in left_out(calculation)],
    }


def variance_data(variance: Variance, *, every: bool = False, leave_out: Collection[str] = ()) -> dict[str, Any]:
    """A variance as plain data: changed lines only unless ``every``, without the figures named."""
    headers, totals = variance.headers(), variance.totals()
    lines = [
        {
            "order": line.order,
            "line": line.line,
            "status": line.status,
            "item": line.item,
            "description": line.description,
            "figures": {name: _change(change) for name, change in line.figures.items() if name not in leave_out},
            "fields": {name: _change(change) for name, change in line.fields.items()},
        }
        for line in variance.lines(every=every)
    ]
    return {
        "orders": [
            {
                "number": number,
                "header": {name: _change(change) for name, change in headers[number].items()},
                "totals": {name: _change(change) for name, change in totals[number].items() if name not in leave_out},
            }
            for number, *_ in variance.pairs
        ],
        "lines": lines,
        "empty": variance.is_empty,
    }


def _change(change: Delta) -> dict[str, str | None]:
    return {"before": cell(change.before, 0), "after": cell(change.after, 0), "variance": cell(change.variance, 0)}


def variance_rows(variance: Variance, *, every: bool = False, leave_out: Collection[str] = ()) -> list[dict[str, Any]]:
    """One row a line, before, after and variance of each figure side by side, for CSV."""
    rows = []
    for line in variance.lines(every=every):
        row: dict[str, Any] = {"order": line.order, "line": line.line, "status": line.status, "item": line.item}
        for name, change in line.figures.items():
            if name in leave_out:
                continue
            for part, value in _change(change).items():
                row[f"{name}_{part}"] = value
        rows.append(row)
    return rows


def grouped_data(grouped: GroupedVariance) -> dict[str, Any]:
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


def grouped_rows(grouped: GroupedVariance) -> list[dict[str, Any]]:
    """One row a group and one a total, for CSV; then the orders that were left out, and why."""
    rows = [
        {"row": "total" if group is block.total else "group", **group_data(group)}
        for block in grouped.blocks
        for group in (*block.groups, block.total)
    ]
    return rows + [{"row": "left out", "value": each.order, "left_out": each.reason} for each in grouped.left_out]


def group_data(group: VarianceGroup) -> dict[str, Any]:
    """Lines of a variance taken together by a field, as plain data: before, after and variance of each figure."""
    sums = {f"{n}_{part}": cell(v, 0) for n, vs in group.figures.items() for part, v in zip(_PARTS, vs, strict=True)}
    return {"value": cell(group.value), "currency": group.currency, "lines": group.lines, **sums}


_PARTS = ("before", "after", "variance")


def csv_text(rows: Iterable[Mapping[str, Any]], columns: Sequence[str] = (), *, raw: bool = False) -> str:
    """Rows as CSV with a heading (RFC 4180, lines ended with a line feed); a blank is an empty cell.

    Args:
        rows: The rows, values by heading.
        columns: Headings that stand first, whether or not there are rows.
        raw: Leave texts that a spreadsheet would take for a formula as they are, for programs.
    """
    rows = list(rows)
    if not raw:
        rows = [{n: neutral(v) if isinstance(v, str) else v for n, v in row.items()} for row in rows]
    names = list(dict.fromkeys([*columns, *(name for row in rows for name in row)]))
    out = io.StringIO()
    writer = csv.DictWriter(out, names, lineterminator="\n", restval="")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


Result = Calculation | Findings | Variance | Explanation


def to_json(result: Result) -> str:
    """A calculation, findings, a variance or an explanation as JSON; exact numbers are written as text."""
    if isinstance(result, Calculation):
        return json_text(calculation_data(result))
    if isinstance(result, Variance):
        return json_text(variance_data(result))
    return result.to_json() if isinstance(result, Findings) else json_text(result.to_dict())


def to_csv(result: Calculation | Findings | Variance, *, raw: bool = False) -> str:
    """A calculation (one row a line), findings, or a variance (one row a changed line) as CSV with a heading.

    Args:
        result: The result.
        raw: Leave texts that a spreadsheet would take for a formula (``=1+1``) as they are; else an apostrophe stands
            before them. Numbers are never touched.
    """
    if isinstance(result, Findings):
        return csv_text([{name: row[name] for name in COLUMNS} for row in result.to_dicts()], COLUMNS, raw=raw)
    if isinstance(result, Variance):
        return csv_text(variance_rows(result), ("order", "line", "status"), raw=raw)
    return csv_text(calculation_rows(result), ("order", "line"), raw=raw)
