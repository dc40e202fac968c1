"""What priced orders hold beside their lines: figures, taxes, instalments, totals in a second currency.

Each is worked out once as columns, and written from these as plain data or as JSON.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from dokima.columns.texts import Texts
from dokima.exact import Grouping, Number
from dokima.exact.arrow_buffers import arrow_positions, arrow_texts, interleaved
from dokima.exact.integers import Integers
from dokima.formats.value_texts import JsonTexts, ValueTexts, each_once, lists, objects
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.steps.instalments import EarlyPayment
from dokima.pricing.steps.taxing import TaxGroups


def as_json_by_routine(
    columns: Mapping[str, ValueTexts], wanted: Mapping[int, Sequence[str]], routine_of: Integers
) -> Any:
    """Rows as JSON objects, each with the columns of its routine: an Arrow array."""
    written = each_once(columns, ValueTexts.to_json)
    if len(wanted) == 1:
        (names,) = wanted.values()
        return _objects_of(written, names, len(routine_of))
    rows = {routine: np.flatnonzero(routine_of == routine) for routine in wanted}
    found = [
        _objects_of({name: written[name].take(rows[at]) for name in names}, names, len(rows[at]))
        for at, names in wanted.items()
    ]
    return interleaved(found, np.concatenate(list(rows.values())))


def _objects_of(columns: Mapping[str, JsonTexts], names: Sequence[str], count: int) -> Any:
    """Some of the columns as JSON objects, which are empty without any."""
    if names:
        return objects({name: columns[name] for name in names})
    return _same("{}", count)


def records(columns: Mapping[str, Sequence[Any]]) -> list[dict[str, Any]]:
    """Columns as a list of entries."""
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def _figure_columns(calculation: Calculation) -> tuple[dict[str, ValueTexts], dict[int, Sequence[str]]]:
    """Header figures of figure steps by name, and which of them an order has, by its routine."""
    routines = calculation.program.routines
    columns = {}
    for name, column in calculation.order_figures.items():
        steps = [routine.step(name) for routine in routines]
        least = np.array([0 if step is None else step.definition.places or 0 for step in steps] + [0], np.int64)
        columns[name] = ValueTexts(column, least[calculation.routine_of] if isinstance(column, Number) else None)
    own = {at: tuple(routine.header_figures) for at, routine in enumerate(routines)}
    there = np.unique(calculation.routine_of).tolist()
    return columns, {at: own.get(at, ()) for at in there}


def figures_of(calculation: Calculation) -> list[dict[str, Any]]:
    """Header figures of figure steps; an order has those of its own routine."""
    texts, own = _figure_columns(calculation)
    columns = each_once(texts, ValueTexts.to_list)
    blank = [None] * len(calculation)
    return [
        {name: columns.get(name, blank)[at] for name in own[routine]}
        for at, routine in enumerate(calculation.routine_of.tolist())
    ]


def figures_as_json(calculation: Calculation) -> Any:
    """The same as JSON objects: an Arrow array."""
    texts, own = _figure_columns(calculation)
    blank = ValueTexts(Texts.blanks(len(calculation)))
    names = {name for each in own.values() for name in each}
    return as_json_by_routine({name: texts.get(name, blank) for name in names}, own, calculation.routine_of)


Parts = Sequence[tuple[Integers, Mapping[str, ValueTexts]]]
"""Entries of orders: of each the position of its order, and columns of what it says."""


def _entries_of(parts: Parts, count: int) -> list[list[dict[str, Any]]]:
    """The entries of each order as plain data."""
    found: list[list[dict[str, Any]]] = [[] for _ in range(count)]
    for orders, columns in parts:
        for order, row in zip(orders.tolist(), records(each_once(columns, ValueTexts.to_list)), strict=True):
            found[order].append(row)
    return found


def entries_as_json(parts: Parts, count: int) -> Any:
    """The same as JSON lists: an Arrow array."""
    from pyarrow import concat_arrays

    if not parts:
        return _same("[]", count)
    rows = [objects({name: texts.to_json() for name, texts in columns.items()}) for _, columns in parts]
    order_of = np.concatenate([orders for orders, _ in parts])
    by_order = np.argsort(order_of, kind="stable")
    return lists(concat_arrays(rows).take(arrow_positions(by_order)), Grouping(order_of, count).ranges)


def breakdowns(calculation: Calculation) -> list[list[dict[str, Any]]]:
    """The tax breakdown of each order as plain data; amounts with the places of its currency."""
    return _entries_of(breakdown_parts(calculation), len(calculation))


def breakdown_parts(calculation: Calculation) -> Parts:
    return [(groups.order, _breakdown_columns(calculation, groups)) for groups in calculation.taxes]


def _breakdown_columns(calculation: Calculation, groups: TaxGroups) -> dict[str, ValueTexts]:
    places = calculation.money_places
    if not isinstance(places, int):
        places = places[groups.order]
    return {
        "step": ValueTexts(Texts.of([groups.step]).spread(len(groups.order))),
        "category": ValueTexts(groups.category),
        "percent": ValueTexts(groups.rate),
        "taxable": ValueTexts(groups.taxable, places),
        "tax": ValueTexts(groups.tax, places),
        "reason": ValueTexts(groups.reason),
    }


def instalments_of(calculation: Calculation) -> list[list[dict[str, Any]]]:
    return _entries_of(instalment_parts(calculation), len(calculation))


def instalment_parts(calculation: Calculation) -> Parts:
    parts: list[tuple[Integers, Mapping[str, ValueTexts]]] = []
    for plan in calculation.plans:
        count = len(plan.orders)
        has_early = any(plan.early)
        for label, due, amount, early in zip(plan.labels, plan.due, plan.amounts, plan.early, strict=True):
            columns = {
                "label": ValueTexts(Texts.of([label]).spread(count)),
                "due": ValueTexts(Texts.blanks(count) if due is None else due),
                "amount": ValueTexts(amount, calculation.minor_units[plan.orders]),
            }
            if has_early:  # of a routine without early payments nothing is said of them
                columns |= _early_texts(early, count, calculation.minor_units[plan.orders])
            parts.append((plan.orders, columns))
    return parts


def _early_texts(early: EarlyPayment | None, count: int, places: Integers) -> dict[str, ValueTexts]:
    if early is None:
        blank = ValueTexts(Texts.blanks(count))
        return dict.fromkeys(("early_by", "early_percent", "early_discount", "early_amount"), blank)
    return {
        "early_by": ValueTexts(early.by),
        "early_percent": ValueTexts(early.percent),
        "early_discount": ValueTexts(early.discount, places),
        "early_amount": ValueTexts(early.amount, places),
    }


def reporting_as_json(calculation: Calculation) -> Any:
    """Totals in the reporting currency as JSON, null without one: an Arrow array."""
    texts = reporting_texts(calculation)
    if texts is None:
        return _same("null", len(calculation))
    return objects({name: each.to_json() for name, each in texts.items()})


def _same(text: str, count: int) -> Any:
    return arrow_texts([text], large=True).take(arrow_positions(np.zeros(count)))


def reporting_texts(calculation: Calculation) -> Mapping[str, ValueTexts] | None:
    """Totals in the reporting currency; None without one."""
    definition, columns = calculation.program.definition, calculation.reporting
    if definition.reporting is None or not columns:
        return None
    currency = definition.reporting.currency
    places = definition.minor_units[currency]
    return {
        "currency": ValueTexts(Texts.of([currency]).spread(len(calculation))),
        "rate": ValueTexts(columns["rate"], 0),
        **{name: ValueTexts(columns[name], places) for name in ("without_tax", "tax", "with_tax")},
    }
