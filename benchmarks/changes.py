"""Baselines, variances of a million lines, and a replay of 200,000 orders on the demo's rulebook."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pandas as pd
from first_slice import DEMO, rows
from measuring import Case, compared, parser, show
from prices import names

import dokima


def frames(count: int, seed: int = 6) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Sales orders of five lines each over the demo's items and customers."""
    rng = np.random.default_rng(seed)
    items = np.array([row["item"] for row in rows("items") if row["list_price"]], object)
    customers = np.array([row["customer"] for row in rows("customers")], object)
    orders = count // 5
    number = names("G", np.arange(orders))
    headers = pd.DataFrame({"order": number, "kind": "sales", "date": "2026-03-02", "pick_up": True})
    headers["customer"] = customers[rng.integers(0, len(customers), orders)]
    lines = pd.DataFrame({"order": np.repeat(number, 5), "line": np.tile(["10", "20", "30", "40", "50"], orders)})
    lines["item"] = items[rng.integers(0, len(items), count)]
    lines["quantity"] = rng.integers(1, 60, count)
    return headers, lines


def done(_: object) -> None:
    """Work whose answer no peer has: nothing to compare."""


def cases(given: Any) -> Iterator[Case]:
    """Each thing beside pricing the same orders, in the same run."""
    book = dokima.load(DEMO)
    many = [{"item": "CLIP-S", "quantity": n % 50 + 1} for n in range(10_000)]
    order = dokima.Order("LONG", kind="sales", customer="FERNHOLT", date="2026-03-02", pick_up=True, lines=many)
    baseline = {"Dokima": lambda: len(book.change(order, by="benchmark").baseline.text)}
    yield compared("a change order opened on an order of 10,000 lines", baseline, runs=3)
    headers, lines = frames(given.lines)
    other = lines.assign(quantity=lines["quantity"] + (np.arange(len(lines)) % 7 == 0))
    before, after = (book.orders((headers, side)) for side in (lines, other))
    priced = [book.price(side, workers=2) for side in (before, after)]

    def pricing() -> None:
        book.price(before, workers=2)

    what = f"variance of {given.lines:,} lines, every seventh changed"
    variance = {"Dokima": lambda: done(book.variance(*priced).status), "pricing them": pricing}
    yield compared(what, variance, runs=min(given.runs, 3))
    found = book.variance(*priced)
    what = f"totals before and after of {len(before):,} orders, as dictionaries"
    yield compared(what, {"Dokima": lambda: done(found.totals())}, runs=1)
    table = pd.read_csv(DEMO / "tables" / "volume_discounts.csv", dtype=str)
    new = dokima.load(DEMO, tables={"volume": table.assign(percent=table["percent"].replace({"4": "5"}))})
    what = f"replay of {len(before):,} orders on another rulebook"
    both = {"Dokima": lambda: done(book.replay(before, new)), "pricing them": pricing}
    yield compared(what, both, runs=min(given.runs, 3))


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
