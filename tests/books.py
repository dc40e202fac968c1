"""Small rulebooks for tests, built in Python."""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path
from typing import Any

import dokima

DEMO = Path(dokima.__file__).parent / "demo" / "quillmere"

ITEMS = [
    {"item": "PANE", "family": "glazing", "list_price": "48.50", "weight": "11.2", "tax_class": "standard"},
    {"item": "VENT", "family": "vents", "list_price": "129.90", "weight": "6.85", "tax_class": "standard"},
    {"item": "DAY", "family": "services", "list_price": "640.00", "weight": "0", "tax_class": "reduced"},
    {"item": "FREE", "family": "services", "list_price": None, "weight": "0", "tax_class": "standard"},
]
RATES = [
    {"tax_class": "standard", "percent": "21", "category": "S"},
    {"tax_class": "reduced", "percent": "9", "category": "S"},
]


def definition(**sections: Any) -> dict[str, Any]:
    """A rulebook with items, tax and one routine; sections given replace or extend its own."""
    data: dict[str, Any] = {
        "rulebook": {"name": "small", "currency": "EUR"},
        "table": {
            "item": {"key": {"item": "line.item"}, "columns": {"list_price": {"kind": "decimal"}}},
            "rate": {"key": {"tax_class": "item.tax_class"}},
        },
        "routine": {
            "sales": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]},
                    {"name": "goods", "kind": "subtotal"},
                    {"name": "vat", "kind": "tax", "percent": "rate.percent", "category": "rate.category"},
                ]
            }
        },
    }
    for name, section in sections.items():
        data[name] = {**data[name], **section} if isinstance(data.get(name), dict) else section
    return data


def book(tables: dict[str, Any] | None = None, **sections: Any) -> dokima.Rulebook:
    """A compiled rulebook out of `definition`."""
    rows = {"item": ITEMS, "rate": RATES, **(tables or {})}
    return dokima.Rulebook.from_dict(definition(**sections), tables=rows)


def routine(*steps: dict[str, Any], **settings: Any) -> dict[str, Any]:
    """A routine section: the given steps after a price step that takes ``line.quantity`` times 1 unless one is given."""
    if not steps or steps[0]["kind"] != "price":
        steps = ({"name": "price", "kind": "price", "options": [{"value": "1"}]}, *steps)
    return {"sales": {"step": list(steps), **settings}}


FIELDS = {
    "header": {"country": {}, "rush": {"kind": "flag"}, "due": {"kind": "date"}, "credit": {"kind": "decimal"}},
    "line": {"colour": {}, "weight": {"kind": "decimal"}, "fitted": {"kind": "flag"}, "boxes": {"kind": "integer"}},
}


def worked_out(formula: str, header: dict[str, Any] | None = None, *lines: dict[str, Any]) -> list[Any]:
    """The values of a formula, one per line, or a list of one for a formula of header level."""
    tried = book(**FIELDS, routine=routine({"name": "result", "kind": "figure", "value": formula}))
    calculation = tried.price(dokima.Order("A", lines=lines or [{"quantity": 1}], **(header or {})))
    order = calculation["A"]
    if "result" in order.figures:
        return [order.figures["result"]]
    return [line.figure("result") for line in order.lines]


def text(value: Any) -> str | None:
    """A value as its exact text, to tell 1.50 from 1.5."""
    return None if value is None else format(value, "f") if isinstance(value, Decimal) else str(value)
