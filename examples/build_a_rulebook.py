"""A rulebook without files: the same shape as rulebook.toml, with rows from Python. A rule is tried in two lines.

Prints:

    line 20 DRIP-12: 3 sets come in boxes of 12.
    line 10: 2 x 92.00, 3 % off = 178.48
    line 20: 24 x 74.50, 3 % off = 1734.36
    1912.84 without tax
"""

import dokima

book = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "irrigation", "currency": "EUR"},
        "line": {"per_box": {"kind": "integer", "default": "item.per_box"}},
        "table": {
            "item": {
                "key": {"item": "line.item"},
                "required": True,
                "columns": {"per_box": {"kind": "integer"}},
            },
            "season": {
                "match": {"family": "item.family"},
                "window": {"from": "since", "until": "until", "on": "header.date"},
                "choose": ["highest percent"],
            },
        },
        "rule": [
            {
                "id": "whole-boxes",
                "at": "enter",
                "require": "line.quantity % line.per_box == 0",
                "message": "{line.quantity} sets come in boxes of {line.per_box}.",
            }
        ],
        "routine": {
            "sales": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "goods", "kind": "subtotal"},
                    {"name": "spring", "kind": "discount", "percent": "coalesce(season.percent, 0)", "of": "goods"},
                ]
            }
        },
    },
    tables={
        "item": [
            {"item": "TANK-200", "family": "water", "price": "92.00", "per_box": 1},
            {"item": "DRIP-12", "family": "water", "price": "74.50", "per_box": 12},
        ],
        "season": [{"family": "water", "since": "2026-03-01", "until": "2026-04-30", "percent": 3}],
    },
)

# A rule by itself, on one line: this is all a test of it needs.
for finding in book.check(dokima.Order(lines=[{"number": 20, "item": "DRIP-12", "quantity": 3}]), rule="whole-boxes"):
    print(f"line {finding.line} DRIP-12: {finding.message}")

order = dokima.Order(
    "SQ-1", date="2026-03-02", lines=[{"item": "TANK-200", "quantity": 2}, {"item": "DRIP-12", "quantity": 24}]
)
priced = book.price(order)["SQ-1"]
for line in priced.lines:
    print(f"line {line.number}: {line.quantity} x {line.price}, 3 % off = {line.net}")
print(f"{priced.totals.without_tax} without tax")
