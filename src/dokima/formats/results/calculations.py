"""Priced orders as plain data and rows. Exact numbers are written as text."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.cells import cell, cells
from dokima.columns.texts import Texts
from dokima.errors import Problem, refuse_unknown_columns
from dokima.exact.arrow_buffers import arrow_texts
from dokima.exact.integers import Integers
from dokima.formats.csv_files import csv_of_columns
from dokima.formats.json_files import LONG, as_json, json_text
from dokima.formats.results.detail import PLAIN, Detail
from dokima.formats.results.findings import entries
from dokima.formats.results.order_parts import (
    as_json_by_routine,
    breakdown_parts,
    breakdowns,
    entries_as_json,
    figures_as_json,
    figures_of,
    instalment_parts,
    instalments_of,
    records,
    reporting_as_json,
    reporting_texts,
)
from dokima.formats.value_texts import JsonTexts, ValueTexts, csv_of_texts, each_once, lists, objects, whole_text
from dokima.model.listing import Listing
from dokima.pricing.calculation.amounts import amount_texts
from dokima.pricing.calculation.calculation import LINE_FIELDS, Calculation, PricedOrder, TableLevel
from dokima.pricing.calculation.result_tables import AMOUNTS_OF_ORDERS, TableColumns, given_sequence, result_columns
from dokima.pricing.calculation.summing import left_out, sums_of
from dokima.pricing.steps.totals import TOTALS


def columns(detail: Detail) -> tuple[str, ...]:
    """Columns that stand first."""
    if detail.columns:
        return tuple(detail.columns)
    return ("order",) if detail.totals else ("order", "line")


def line_figures(order: PricedOrder) -> list[str]:
    """The figures of an order's lines, in the order of its steps."""
    if order.routine is None:
        return []
    present = order.calculation.figures
    return [name for name in order.routine.line_figures if name in present]


def data(calculation: Calculation, detail: Detail = PLAIN) -> dict[str, Any]:
    """A calculation as plain data, with the line figures named, or all; or its totals; or the columns wanted of either,
    one entry a row.
    """
    if detail.totals and not detail.columns:
        return totals_data(calculation)
    found: dict[str, Any]
    if detail.columns:
        found = {"orders" if detail.totals else "lines": rows(calculation, detail)}
    else:
        lines, where = _line_data(calculation, detail.figures), calculation.orders.line_ranges
        orders = _order_data(calculation)
        for order, start, stop in zip(orders, where[:-1].tolist(), where[1:].tolist(), strict=True):
            order["lines"] = lines[start:stop]
        found = {"orders": orders}
    return {
        **found,
        "findings": calculation.findings.to_dicts(),
        "problems": [problem_data(problem) for problem in calculation.problems],
    }


def json_of_many(calculation: Calculation, detail: Detail = PLAIN) -> str | None:
    """The same as JSON text, made from columns without an object for each line; None for few lines, or for less than
    all of them.
    """
    if detail.totals or detail.columns or calculation.orders.line_count <= LONG:
        return None
    columns = _order_columns(calculation)
    later = {
        "lines": lists(_lines_as_json(calculation, detail.figures), calculation.orders.line_ranges),
        "figures": figures_as_json(calculation),
        "tax_breakdown": entries_as_json(breakdown_parts(calculation), len(calculation)),
        "totals": objects({name: texts.to_json() for name, texts in _total_texts(calculation).items()}),
        "instalments": entries_as_json(instalment_parts(calculation), len(calculation)),
        "reporting": reporting_as_json(calculation),
    }
    of_orders = {
        name: each.to_json() if isinstance(each, ValueTexts) else JsonTexts(arrow_texts(as_json(each), large=True))
        for name, each in columns.items()
        if name not in LATER
    }
    of_orders = {name: JsonTexts(later[name]) if name in LATER else of_orders[name] for name in columns}
    orders = whole_text(objects(of_orders), ",\n")
    rest = json_text(
        {"findings": entries(calculation.findings), "problems": [problem_data(p) for p in calculation.problems]}
    )
    return '{\n  "orders": [\n' + orders + "\n],\n" + rest.removeprefix("{\n")


def _lines_as_json(calculation: Calculation, chosen: Sequence[str]) -> Any:
    """Every line as a JSON object, with the figures that its routine leaves: an Arrow array."""
    columns, wanted = _line_columns(calculation, chosen)
    names = {routine: [*LINE_FIELDS, *figures] for routine, figures in wanted.items()}
    return as_json_by_routine(columns, names, calculation.routine_of[calculation.orders.order_of])


def problem_data(problem: Problem) -> dict[str, Any]:
    """A problem as plain data."""
    return asdict(problem)


# Results are made from whole columns: one value at a time takes a hundred times as long.


def _line_data(calculation: Calculation, chosen: Sequence[str]) -> list[dict[str, Any]]:
    """Every line with its figures as plain data."""
    written, wanted = _line_columns(calculation, chosen)
    columns = each_once(written, ValueTexts.to_list)
    if len(wanted) == 1:
        (names,) = wanted.values()
        return records({name: columns[name] for name in (*LINE_FIELDS, *names)})
    fields = records({name: columns[name] for name in LINE_FIELDS})
    routines = calculation.routine_of[calculation.orders.order_of].tolist()
    return [
        {**line, **{name: columns[name][at] for name in wanted[routine]}}
        for at, (line, routine) in enumerate(zip(fields, routines, strict=True))
    ]


def _figure_texts(calculation: Calculation, name: str) -> ValueTexts:
    return ValueTexts(calculation.figure(name), calculation.least_places(name))


def _line_columns(
    calculation: Calculation, chosen: Sequence[str]
) -> tuple[dict[str, ValueTexts], Mapping[int, Sequence[str]]]:
    """Fields and figures of all lines by name, and for each routine the figures its lines have."""
    columns = {name: ValueTexts(calculation.orders.line(name)) for name in LINE_FIELDS}
    wanted: dict[int, Sequence[str]] = {}
    for at in _one_of_each(calculation):
        names = list(chosen) or line_figures(PricedOrder(calculation, at))
        wanted[int(calculation.routine_of[at])] = names
        columns |= {name: _figure_texts(calculation, name) for name in names if name not in columns}
    if len(wanted) == 1:
        return columns, wanted
    # A line has no figure of a routine that is not its own.
    routine_of = calculation.routine_of[calculation.orders.order_of]
    for name in [each for each in columns if each not in LINE_FIELDS]:
        others = [routine for routine, names in wanted.items() if name not in names]
        columns[name] = columns[name].without(np.isin(routine_of, others))
    return columns, wanted


def _one_of_each(calculation: Calculation) -> list[int]:
    """Positions of orders, one for each routine."""
    found = {int(routine): at for at, routine in enumerate(calculation.routine_of.tolist())}
    return list(found.values())


def _order_data(calculation: Calculation) -> list[dict[str, Any]]:
    """Every order as plain data, its lines still to come."""
    columns = {
        name: each.to_list() if isinstance(each, ValueTexts) else each
        for name, each in _order_columns(calculation).items()
    }
    columns["figures"] = figures_of(calculation)
    columns["tax_breakdown"] = breakdowns(calculation)
    columns["instalments"] = instalments_of(calculation)
    reporting = reporting_texts(calculation)
    if reporting is not None:
        columns["reporting"] = records(each_once(reporting, ValueTexts.to_list))
    totals = each_once(_total_texts(calculation), ValueTexts.to_list)
    return records({**columns, "totals": records(totals)})


def _total_texts(calculation: Calculation) -> dict[str, ValueTexts]:
    return {name: ValueTexts(column, calculation.money_places) for name, column in calculation.totals.items()}


def _order_columns(calculation: Calculation) -> dict[str, ValueTexts | list[Any]]:
    """What is said of every order, by name in its sequence; of `LATER` only the place."""
    orders, later = calculation.orders, [None] * len(calculation)
    names = [routine.name for routine in calculation.program.routines]
    return {
        "number": [number or "" for number in orders.numbers],
        "routine": [names[at] if at >= 0 else None for at in calculation.routine_of.tolist()],
        **{name: ValueTexts(orders.header(name)) for name in ("currency", "date", "customer", "supplier")},
        "prices_include_tax": calculation.inclusive.tolist(),
        **dict.fromkeys(LATER, later),
    }


LATER = ("lines", "figures", "tax_breakdown", "totals", "instalments", "reporting")
"""What an order holds beside its own values: lists and records."""


def rows(calculation: Calculation, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a line; or one an order with its totals."""
    if not detail.totals:
        return records(line_columns(calculation, detail)[0])
    table = TableColumns(calculation.program, "headers")
    own = [name for name, place in table.usual.items() if place.of == "header" and name not in (*_TOTALLED, "number")]
    refuse_unknown_columns(detail.columns, dict.fromkeys((*_TOTALLED, *table.every, "instalments")))
    wanted = detail.columns or (*_TOTALLED, *own)
    beside = [name for name in wanted if name not in (*_TOTALLED, "instalments")]
    more = {
        name: ValueTexts(column, calculation.money_places if place.of in AMOUNTS_OF_ORDERS else None).to_list()
        for name, (place, column) in (result_columns(calculation, "headers", beside) if beside else {}).items()
    }
    if "instalments" in wanted:
        more["instalments"] = [
            "; ".join(f"{each['due'] or each['label']} {each['amount']}" for each in mine) or None
            for mine in instalments_of(calculation)
        ]
    blank = dict.fromkeys(more)
    found = [
        {**row, **({name: column[at] for name, column in more.items()} if at < len(calculation) else blank)}
        for at, row in enumerate(total_rows(calculation))
    ]
    return [{name: row.get(name) for name in wanted} for row in found]


_TOTALLED = ("order", "kind", "date", "customer", "supplier", "currency", "lines", *TOTALS, "left_out")
"""The columns of every table of totals; the rulebook's own fields of the header come after them."""


def line_columns(calculation: Calculation, detail: Detail = PLAIN) -> tuple[dict[str, list[Any]], Sequence[str]]:
    """The table of lines as columns, and the names of those that hold texts.

    Raises:
        NotFound: A column that is wanted is none; names the nearest.
    """
    found, texts = _table_columns(calculation, "lines", detail)
    return each_once(found, ValueTexts.to_list), texts


def csv_of_many(calculation: Calculation, detail: Detail, *, raw: bool) -> str | None:
    """Lines as CSV text, made without an object for each value; None for few lines, or a single column."""
    if calculation.orders.line_count <= LONG:
        return None
    found, texts = _table_columns(calculation, "lines", detail)
    return csv_of_texts(found, () if raw else texts) if len(found) > 1 else None


def csv_of_table(calculation: Calculation, level: TableLevel, columns: Sequence[str] = ()) -> str:
    """A table of a calculation as CSV with a heading: of the lines as `to_csv` gives it.

    Args:
        calculation: Priced orders.
        level: ``lines`` or ``headers``.
        columns: Only these, as for `Calculation.to_arrow`.

    Raises:
        NotFound: There is no such column.
    """
    found, texts = _table_columns(calculation, level, Detail(columns=columns))
    if len(found) > 1:
        return csv_of_texts(found, texts)
    return csv_of_columns(each_once(found, ValueTexts.to_list), texts)


def _table_columns(
    calculation: Calculation, level: TableLevel, detail: Detail
) -> tuple[dict[str, ValueTexts], Sequence[str]]:
    """The columns of a table, not written yet, and those that hold texts."""
    wanted = list(detail.columns)
    if detail.figures and not wanted:
        usual = TableColumns(calculation.program, level).usual
        wanted = [*(name for name, place in usual.items() if place.of != "figure"), *detail.figures]
    found, texts = dict[str, ValueTexts](), list[str]()
    sequence = given_sequence(calculation) if level == "lines" else None
    for name, (place, column) in result_columns(calculation, level, wanted).items():
        least: Integers | int | None = None
        if level == "headers":
            least = calculation.money_places if place.of in AMOUNTS_OF_ORDERS else None
        elif place.of == "figure":
            least = calculation.least_places(place.name)
        if sequence is not None:
            column = column.take(sequence)  # noqa: PLW2901
            least = least[sequence] if isinstance(least, np.ndarray) else least
        found[name] = ValueTexts(column, least)
        texts += [name] if isinstance(column, Texts) else []
    return found, texts


def chosen_columns(calculation: Calculation, detail: Detail) -> Listing:
    """The columns that were asked for as a list: a row a line, or with totals a row an order."""
    if detail.totals:
        found, texts = rows(calculation, detail), set[str]()
    else:
        columns, of_text = line_columns(calculation, detail)
        found, texts = records(columns), set(of_text)
    program = calculation.program
    fields = {**program.definition.fields.header, **program.definition.fields.line}
    labels = {name: program.label(_dotted(name, fields)) for name in detail.columns}
    texts |= {name for name, spec in fields.items() if spec.kind not in ("decimal", "integer")}
    whole = tuple({name: value if name in texts else _number(value) for name, value in row.items()} for row in found)
    return Listing(whole, tuple(detail.columns), "chosen", labels)


def _dotted(name: str, fields: Collection[str]) -> str:
    return name if "." in name else f"{'header' if name in fields else 'line'}.{name}"


def _number(value: Any) -> Any:
    try:
        return Decimal(value) if isinstance(value, str) else value
    except ArithmeticError:
        return value


def total_rows(calculation: Calculation) -> list[dict[str, Any]]:
    """One row an order with date, party and totals, for CSV; of one that is in no sum, why."""
    reasons = {each.order: each.reason for each in left_out(calculation)}
    orders = calculation.orders
    lines = orders.by_order if orders.leaf is None else orders.by_order.at(np.flatnonzero(orders.leaf))
    rows = records(
        {
            "order": orders.numbers,
            **{name: cells(orders.header(name)) for name in ("kind", "date", "customer", "supplier", "currency")},
            "lines": lines.sizes.astype(str).tolist(),
            **{name: amount_texts(column, calculation.money_places) for name, column in calculation.totals.items()},
        }
    )
    for row in rows:
        row["left_out"] = reasons.pop(row["order"], None)
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
