"""Orders from a Parquet file to the totals of each: six million lines, two hundred thousand items.

Every line has a price by item, a discount in percent rounded half to even, and a tax in percent rounded half up on the
order by rate. The peers do the same sums written by hand in whole cents, which is their best form: DuckDB SQL with
integers, and Polars with integers. Each run is a process of its own that reads the files and leaves the total of every
order; memory is the most that process had. Runs are interleaved, and every total is compared before a ratio is printed.
"""

from __future__ import annotations

import argparse
import json
import statistics
import subprocess
import sys
import tempfile
import time
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import compute, parquet

RULEBOOK = """
[rulebook]
name = "files"
currency = "EUR"

[table.item]
file = "items.parquet"
key = { item = "line.item" }

[routine.sales]
rounding = "half-even"
step = [
  { name = "price", kind = "price", options = [{ value = "item.price" }] },
  { name = "discount", kind = "discount", percent = "item.percent" },
  { name = "vat", kind = "tax", percent = "item.rate", rounding = "half-up" },
]
"""


def make(folder: Path, lines: int, items: int) -> None:
    """Files of items and of lines; four lines an order, half of them with headers repeated as exports have them."""
    rng = np.random.default_rng(2041)
    orders = lines // 4
    item = pa.array([f"I{n:06}" for n in range(items)])

    def decimal(units: np.ndarray[Any, Any], places: int) -> pa.Array:
        whole = pa.array(units.astype(np.int64)).cast(pa.decimal128(19, 0))
        unit = pa.scalar(Decimal(1).scaleb(-places), pa.decimal128(places + 1, places))
        return compute.multiply(whole, unit).cast(pa.decimal128(9, places))

    parquet.write_table(
        pa.table({
            "item": item,
            "price": decimal(rng.integers(100, 90_000, items), 2),
            "percent": decimal(rng.integers(0, 200, items), 1),
            "rate": pa.array(rng.choice([21, 9, 0], items)),
        }),
        folder / "items.parquet",
    )  # fmt: skip
    order = pa.array([f"O{n:07}" for n in range(orders)])
    customer = pa.array([f"C{n:06}" for n in range(200_000)])
    of = np.repeat(np.arange(orders), 4)
    parquet.write_table(
        pa.table({
            "order": order.take(pa.array(of)),
            "customer": customer.take(pa.array(rng.integers(0, 200_000, orders)[of])),
            "date": pa.array((20_000 + rng.integers(0, 365, orders))[of].astype(np.int32), pa.date32()),
            "line": pa.array(["10", "20", "30", "40"]).take(pa.array(np.tile(np.arange(4), orders))),
            "item": item.take(pa.array(rng.integers(0, items, lines))),
            "quantity": decimal(rng.integers(1, 40, lines) * 100, 2),
        }),
        folder / "lines.parquet",
    )  # fmt: skip
    (folder / "rulebook.toml").write_text(RULEBOOK, encoding="utf-8")


def by_dokima(folder: Path) -> np.ndarray[Any, Any]:
    """The public verbs: load, price, the totals."""
    import dokima

    book = dokima.load(folder)
    found = []
    for calculation in book.stream(folder / "lines.parquet", workers=2):
        assert not calculation.findings
        found.append(calculation.totals["with_tax"].at(2).units)
    return np.concatenate(found)


def by_duckdb(folder: Path) -> np.ndarray[Any, Any]:
    """SQL in whole cents on two threads."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2; SET preserve_insertion_order = false")
    query = f"""
    WITH goods AS (
      SELECT l."order" AS o, i.rate AS rate, l.quantity::BIGINT * (i.price * 100)::BIGINT AS cents, (i.percent * 10)::BIGINT AS tenths
      FROM '{folder}/lines.parquet' l JOIN '{folder}/items.parquet' i USING (item)),
    taken AS (SELECT o, rate, cents, cents * tenths // 1000 AS part, cents * tenths % 1000 AS rest FROM goods),
    net AS (SELECT o, rate, sum(cents - part - CASE WHEN rest > 500 OR (rest = 500 AND part % 2 = 1) THEN 1 ELSE 0 END)::BIGINT AS net
      FROM taken GROUP BY o, rate)
    SELECT o, sum(net + (net * rate + 50) // 100)::BIGINT AS total FROM net GROUP BY o ORDER BY o"""
    return np.asarray(base.execute(query).fetchnumpy()["total"]).astype(np.int64)


def by_polars(folder: Path) -> np.ndarray[Any, Any]:
    """Polars, lazily, in whole cents, as many threads as it takes."""
    import polars as pl

    cents, part, rest, rate, net = (pl.col(name) for name in ("cents", "part", "rest", "rate", "net"))
    items = pl.scan_parquet(folder / "items.parquet").select(
        "item",
        "rate",
        (pl.col("price") * 100).cast(pl.Int64).alias("unit"),
        (pl.col("percent") * 10).cast(pl.Int64).alias("tenths"),
    )
    found = (
        pl.scan_parquet(folder / "lines.parquet").select("order", "item", pl.col("quantity").cast(pl.Int64))
        .join(items, on="item")
        .with_columns((pl.col("quantity") * pl.col("unit")).alias("cents"))
        .with_columns((cents * pl.col("tenths") // 1000).alias("part"), (cents * pl.col("tenths") % 1000).alias("rest"))
        .with_columns((cents - part - ((rest > 500) | ((rest == 500) & (part % 2 == 1))).cast(pl.Int64)).alias("net"))
        .group_by("order", "rate").agg(net.sum())
        .group_by("order").agg((net + (net * rate + 50) // 100).sum().alias("total"))
        .sort("order").collect(engine="streaming")
    )  # fmt: skip
    return found["total"].to_numpy()


WAYS = {"Dokima": by_dokima, "DuckDB": by_duckdb, "Polars": by_polars}


def one(way: str, folder: Path, out: Path) -> None:
    """One run in this process: writes the totals, prints seconds and memory."""
    start = time.perf_counter()
    found = WAYS[way](folder)
    seconds = time.perf_counter() - start
    np.save(out, found)
    print(json.dumps({"seconds": seconds, "memory": most_memory()}))


def most_memory() -> int:
    """The most memory this process has had, in bytes (Linux). `getrusage` would count that of the process it was begun by."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) * 1024


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=6_000_000)
    parser.add_argument("--items", type=int, default=200_000)
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--only", nargs="*", default=list(WAYS))
    parser.add_argument("--run", nargs=3, metavar=("WAY", "FOLDER", "OUT"), help=argparse.SUPPRESS)
    given = parser.parse_args()
    if given.run:
        one(given.run[0], Path(given.run[1]), Path(given.run[2]))
        return
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make(folder, given.lines, given.items)
        results: dict[str, list[dict[str, float]]] = {way: [] for way in given.only}
        for _ in range(given.runs):
            for way in given.only:
                command = [sys.executable, __file__, "--run", way, name, str(folder / f"{way}.npy")]
                done = subprocess.run(command, capture_output=True, text=True, check=False)
                if done.returncode:
                    raise SystemExit(done.stderr)
                results[way].append(json.loads(done.stdout))
        totals = {way: np.load(folder / f"{way}.npy") for way in given.only}
    first = totals[given.only[0]]
    for way, found in totals.items():
        if not np.array_equal(first, found):
            raise SystemExit(f"{way} differs from {given.only[0]} in {(first != found).sum()} orders")
    print(
        f"{given.lines:,} lines in {len(first):,} orders, {given.items:,} items; all totals equal; medians of {given.runs} runs"
    )
    medians = {way: statistics.median(run["seconds"] for run in runs) for way, runs in results.items()}
    for way, runs in results.items():
        seconds = [run["seconds"] for run in runs]
        memory = max(run["memory"] for run in runs) / 2**30
        ratio = medians[given.only[0]] / medians[way]
        print(
            f"{way:8} {medians[way]:6.2f} s ({min(seconds):.2f} to {max(seconds):.2f})   {memory:.2f} GB   1 : {ratio:.2f}"
        )


if __name__ == "__main__":
    main()
