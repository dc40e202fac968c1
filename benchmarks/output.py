"""What comes out, and edits: results as JSON and CSV, findings with their messages, one line changed, an audit.

The peer of writing is pandas, which writes the same figures from a frame that is there beforehand.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterator
from typing import Any

import numpy as np
import pandas as pd
from measuring import Case, compared, parser, show
from routine import BOOK, data

import dokima

REFUSING = {
    "rulebook": {"name": "refusing", "currency": "EUR"},
    "table": {"item": {"key": {"item": "line.item"}}},
    "routine": {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "item.price"}]}]}},
    "rule": [
        {"id": "fewer", "at": "enter", "require": "line.quantity < 0", "message": "{line.item} has {line.quantity}"}
    ],
}


def cases(given: Any) -> Iterator[Case]:
    """Writing, refusing, editing, auditing."""
    tables = data(given.lines)
    book = dokima.Rulebook.from_dict(BOOK, tables={name: tables[name] for name in BOOK["table"]})
    calculation = book.price((tables["headers"], tables["lines"]), workers=2)
    frame = calculation.lines
    runs = min(given.runs, 3)
    what = f"{given.lines:,} priced lines as CSV text"
    yield compared(
        what,
        {"Dokima": lambda: rows(dokima.to_csv(calculation)), "pandas": lambda: rows(frame.to_csv(index=False))},
        runs=runs,
    )
    texts = frame.astype(str)
    what = f"{given.lines:,} priced lines as JSON text"
    sides = {
        "Dokima": lambda: bool(dokima.to_json(calculation)),
        "pandas": lambda: bool(texts.to_json(orient="records")),
    }
    yield compared(what, sides, runs=runs, notes="ours with orders, totals and taxes")
    yield from refusals(given.lines // 2, runs)
    yield from edits(book, tables, given.runs)
    yield from audit(given.lines // 10)


def rows(text: str) -> int:
    """How many rows a CSV text has."""
    return text.count("\n")


def refusals(lines: int, runs: int) -> Iterator[Case]:
    """Every line refused."""
    book = dokima.Rulebook.from_dict(REFUSING, tables={"item": pd.DataFrame({"item": ["A"], "price": ["1.00"]})})
    frame = pd.DataFrame({"order": np.repeat([f"O{n}" for n in range(lines // 5)], 5)})
    frame = frame.assign(
        line=np.tile(["10", "20", "30", "40", "50"], lines // 5), item="A", quantity=np.arange(lines) % 7 + 1
    )
    orders = book.orders(frame)
    findings = book.check(orders)
    yield compared(f"{lines:,} refusals found", {"Dokima": lambda: len(book.check(orders))}, runs=runs)
    yield compared(f"{lines:,} findings as JSON text", {"Dokima": lambda: bool(dokima.to_json(findings))}, runs=runs)
    yield compared(f"{lines:,} findings as CSV text", {"Dokima": lambda: rows(dokima.to_csv(findings))}, runs=runs)
    unknown = book.orders(frame.assign(item="B"))
    nothing = {"Dokima": lambda: len(book.price(unknown).findings)}
    yield compared(f"{lines:,} lines without a price, each with its reason", nothing, runs=runs)


def edits(book: dokima.Rulebook, tables: dict[str, pd.DataFrame], runs: int) -> Iterator[Case]:
    """One line changed and the new total read."""
    for count in (100, 10_000):
        lines = [
            {
                "number": str(10 * n + 10),
                "item": tables["lines"]["item"][n % len(tables["lines"])],
                "quantity": n % 30 + 1,
            }
            for n in range(count)
        ]
        text = json.dumps(
            {"number": "ONE", "currency": "EUR", "customer": tables["headers"]["customer"][0], "lines": lines}
        )
        editor = book.edit(dokima.Order.from_json(text), by="benchmark")
        turn = iter(range(10**9))

        def edit() -> bool:
            editor.change_line("500", quantity=next(turn) % 30 + 1)  # noqa: B023
            return editor.totals.payable is not None  # noqa: B023

        what = f"one line of an order of {count:,} changed, and its new total"
        yield compared(what, {"Dokima": edit}, runs=runs, times=20 if count < 1000 else 1)


def audit(rows_: int) -> Iterator[Case]:
    """A price table looked over."""
    table = [{"item": f"I{n % 1000}", "customer": f"C{n // 1000}", "price": str(n % 97 + 1)} for n in range(rows_)]
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "audit", "currency": "EUR"},
            "table": {"own": {"key": {"item": "line.item", "customer": "header.customer"}}},
            "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "own.price"}]}]}},
        },
        tables={"own": table},
    )
    day = datetime.date(2026, 3, 2)
    yield compared(f"an audit of {rows_:,} rows", {"Dokima": lambda: len(book.audit(day))}, runs=3)


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
