"""A price list as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.columns.cells import cell
from dokima.explaining.price_list import PriceList
from dokima.formats.results.detail import PLAIN, Detail


def data(prices: PriceList, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001 (all results are asked alike)
    """The prices, other terms, and what an assembly is made of."""
    return {
        "title": prices.title,
        "date": cell(prices.date),
        "currency": prices.currency,
        "prices": prices.to_dicts(),
        "terms": [
            {
                "label": each.label,
                **{name: cell(value) for name, value in each.values.items()},
                "table": each.where.table,
                "file": each.where.file,
                "row": str(each.where.row),
                "valid_until": cell(each.where.valid_until),
            }
            for each in prices.terms
        ],
        "components": [{key: cell(value) for key, value in node.to_dict().items()} for node in prices.components],
    }


def rows(prices: PriceList, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each price."""
    return prices.to_dicts()


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """Columns that stand first."""
    return ("party", "name", "item", "description", "unit", "quantity", "list_price", "price")
