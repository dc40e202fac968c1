"""One priced order as plain data and rows: what its calculation says of it."""

from __future__ import annotations

from typing import Any

from dokima.formats.results import calculations
from dokima.formats.results.detail import PLAIN, Detail
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.result_tables import FIRST_OF_LINES


def columns(detail: Detail) -> tuple[str, ...]:
    """Columns that stand first."""
    if detail.columns or detail.totals:
        return calculations.columns(detail)
    return FIRST_OF_LINES


def data(order: PricedOrder, detail: Detail = PLAIN) -> dict[str, Any]:
    """The order, and the findings about it."""
    whole = calculations.data(order.calculation, detail)
    listed = "number" if "orders" in whole and not (detail.totals or detail.columns) else "order"
    return {
        name: [
            each for each in entries if each.get(listed if name == "orders" else "order", order.number) == order.number
        ]
        for name, entries in whole.items()
    }


def rows(order: PricedOrder, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a line; or one with its totals."""
    wanted = detail.columns
    whole = calculations.rows(
        order.calculation, Detail(**{**vars(detail), "columns": ("order", *wanted) if wanted else ()})
    )
    mine = [row for row in whole if row["order"] == order.number]
    return [{name: row[name] for name in wanted or row} for row in mine]
