"""A rulebook of tools for hire, most of whose values are drawn: days from two dates, unit and pack from the tool."""

from __future__ import annotations

from typing import Any

import dokima

TOOLS = [{"item": "SAW", "unit": "C62", "pack": "10"}, {"item": "DRILL", "unit": "PCE", "pack": "12"}]


def hire(tools: list[dict[str, Any]] | None = None, **sections: Any) -> dokima.Rulebook:
    """The rulebook, 10 a day for a line; sections given extend its own. Stores kept from earlier versions know it."""
    data: dict[str, Any] = {
        "rulebook": {"name": "hire", "currency": "EUR"},
        "header": {"segment": {"default": "'trade'"}},
        "line": {
            "first": {"kind": "date"},
            "last": {"kind": "date"},
            "days": {"kind": "decimal", "default": "days_between(line.first, line.last) + 1"},
            "unit": {"default": "item.unit"},
            "pack": {"kind": "decimal", "default": "item.pack"},
        },
        "table": {"item": {"key": {"item": "line.item"}, "columns": {"pack": {"kind": "decimal"}}}},
        "routine": {"hire": {"step": [{"name": "price", "kind": "price", "options": [{"value": "10 * line.days"}]}]}},
    }
    for name, section in sections.items():
        data[name] = {**data[name], **section} if isinstance(data.get(name), dict) else section
    return dokima.Rulebook.from_dict(data, tables={"item": tools or TOOLS})


def two_days(number: str | None = None, **fields: Any) -> dict[str, Any]:
    """A line of a saw from 1 to 2 May."""
    line = {"item": "SAW", "quantity": 1, "first": "2026-05-01", "last": "2026-05-02", **fields}
    return line if number is None else {"number": number, **line}
