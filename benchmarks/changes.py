"""Baselines, variances of a million lines, and a replay of 200,000 orders on the demo's rulebook."""

from __future__ import annotations

import argparse
import resource

import numpy as np
import pandas as pd
from first_slice import DEMO, rows
from prices import names, timed

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


def main() -> None:
    """Print times and memory."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    asked = parser.parse_args()
    book = dokima.load(DEMO)
    many = [{"item": "CLIP-S", "quantity": n % 50 + 1} for n in range(10_000)]
    order = dokima.Order("LONG", kind="sales", customer="FERNHOLT", date="2026-03-02", pick_up=True, lines=many)
    seconds, change = timed(lambda: book.change(order, by="benchmark"), 2)
    print(f"baseline of an order of 10,000 lines: {seconds:.2f} s, {len(change.baseline.text) / 1e6:.1f} MB")
    headers, lines = frames(asked.lines)
    other = lines.assign(quantity=lines["quantity"] + (np.arange(len(lines)) % 7 == 0))
    before, after = (book.price((headers, side), workers=2) for side in (lines, other))
    pricing, _ = timed(lambda: book.price(before.orders, workers=2), 1)
    seconds, variance = timed(lambda: book.variance(before, after), 2)
    changed = int((variance.status != 0).sum())
    print(
        f"variance of {asked.lines:,} lines, {changed:,} of them changed: {seconds:.2f} s (pricing takes {pricing:.2f} s)"
    )
    table = pd.read_csv(DEMO / "tables" / "volume_discounts.csv", dtype=str)
    new = dokima.load(DEMO, tables={"volume": table.assign(percent=table["percent"].replace({"4": "5"}))})
    orders = before.orders
    seconds, replay = timed(lambda: book.replay(orders, new), 1)
    said = f"{replay.changed_lines:,} lines in {replay.changed_orders:,} orders change"
    print(f"replay of {len(orders):,} orders: {seconds:.2f} s; {said}")
    print(f"peak memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20:.1f} GB")


if __name__ == "__main__":
    main()
