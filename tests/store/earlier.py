"""The rulebook of the stores that were kept from earlier versions. It stays as it was when they were made."""

from __future__ import annotations

import dokima

ITEMS = [{"item": item, "price": price} for item, price in (("A", "10"), ("B", "100"), ("C", "1"))]


def book():
    """Prices by item, 21 % of tax; growth is ordered separately."""
    data = {
        "rulebook": {"name": "kept", "currency": "EUR"},
        "changes": {"settle": "split"},
        "table": {"item": {"key": {"item": "line.item"}}},
        "routine": {
            "sales": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "vat", "kind": "tax", "percent": "21"},
                ]
            }
        },
    }
    return dokima.Rulebook.from_dict(data, tables={"item": ITEMS})
