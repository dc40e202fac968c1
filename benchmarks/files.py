"""Orders from a Parquet file to the totals of each: six million lines, two hundred thousand items.

Every line has a price by item, a discount in percent rounded half to even, and a tax in percent rounded half up on the
order by rate. The peers do the same sums written by hand in whole cents, which is their best form: DuckDB SQL with
integers, and Polars with integers. Each run is a process of its own that reads the files and leaves the total of every
order; memory is the most that process had. Runs are interleaved, and every total is compared before a ratio is printed.
"""

from __future__ import annotations

import argparse
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from measuring import Case, in_processes, parser, report_process, show
from pyarrow import compute, dataset, parquet

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
    customer = pa.array([f"C{n:06}" for n in range(200_000)])

    def some(first: int, orders: int) -> pa.Table:
        order = pa.array([f"O{n:08}" for n in range(first, first + orders)])
        of = np.repeat(np.arange(orders), 4)
        return pa.table({
            "order": order.take(pa.array(of)),
            "customer": customer.take(pa.array(rng.integers(0, 200_000, orders)[of])),
            "date": pa.array((20_000 + rng.integers(0, 365, orders))[of].astype(np.int32), pa.date32()),
            "line": pa.array(["10", "20", "30", "40"]).take(pa.array(np.tile(np.arange(4), orders))),
            "item": item.take(pa.array(rng.integers(0, items, len(of)))),
            "quantity": decimal(rng.integers(1, 40, len(of)) * 100, 2),
        })  # fmt: skip

    # A hundred million lines at once would fill the memory.
    parts = (some(first, min(2_500_000, lines // 4 - first)) for first in range(0, lines // 4, 2_500_000))
    head = next(parts)
    with parquet.ParquetWriter(folder / "lines.parquet", head.schema) as file:
        file.write_table(head)
        del head
        for part in parts:
            file.write_table(part)
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


def one_thread(folder: Path) -> Path:
    """A folder of files with every figure of every line, as the command line writes it."""
    return written(folder, dokima_of(folder))


def two_threads(folder: Path) -> Path:
    """The same with two threads."""
    return written(folder, dokima_of(folder), workers=2)


def two_processes(folder: Path) -> Path:
    """The same with two processes of this machine."""
    import dokima

    book = dokima_of(folder)
    with dokima.worker_processes(book, 2) as pool:
        return written(folder, book, workers=2, executor=pool)


def totals_by_two_processes(folder: Path) -> Path:
    """The totals of the orders only, with two processes, to a folder of files."""
    import dokima

    book = dokima_of(folder)
    with dokima.worker_processes(book, 2) as pool:
        return written(folder, book, workers=2, executor=pool, totals=True)


def two_dask_workers(folder: Path) -> Path:
    """The same with two workers of a Dask cluster on this machine, started beforehand."""
    import dokima

    book = dokima_of(folder)
    with dokima.dask_workers(book, os.environ["DASK_SCHEDULER"]) as pool:
        return written(folder, book, workers=2, executor=pool)


def dokima_of(folder: Path) -> Any:
    """The rulebook of a folder."""
    import dokima

    return dokima.load(folder)


def written(folder: Path, book: Any, **how: Any) -> Path:
    """Price the orders of a folder into a new folder beside them."""
    import dokima

    out = folder / f"{os.getpid()}.parquet"
    dokima.price_files(book, folder / "lines.parquet", out, **how)
    return out


TOTALS = {"Dokima": by_dokima, "DuckDB": by_duckdb, "Polars": by_polars}
WAYS: dict[str, Callable[[Path], Any]] = {
    **TOTALS, "one thread": one_thread, "two threads": two_threads, "two processes": two_processes,
    "two Dask workers": two_dask_workers, "two processes, to Parquet": totals_by_two_processes,
}  # fmt: skip
SHARED = ("one thread", "two threads", "two processes", "two Dask workers")
GROWING = ("Dokima", "two processes, to Parquet")


def one(way: str, folder: Path) -> None:
    """One run in this process: leaves the totals, prints seconds and memory."""
    start = time.perf_counter()
    found = WAYS[way](folder)
    seconds = time.perf_counter() - start
    report_process(seconds)
    if isinstance(found, Path):
        column = dataset.dataset(found, exclude_invalid_files=True).to_table(columns=["with_tax"])["with_tax"]
        shutil.rmtree(found)
        found = np.array([len(column), int(compute.sum(column).as_py() * 100)])
    np.save(folder / f"{way}.npy", found)


def commands(ways: Iterable[str], folder: Path) -> dict[str, list[str]]:
    """The arguments of a run of each way."""
    return {way: [__file__, "--run", way, str(folder)] for way in ways}


def cases(given: Any) -> Iterator[Case]:
    """From file to totals beside the peers, from file to file in several ways, and how it grows."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make(folder, given.lines, given.items)

        def answer(way: str) -> Any:
            return np.load(folder / f"{way}.npy")

        what = (
            f"from Parquet to the totals of {given.lines // 4:,} orders: {given.lines:,} lines, {given.items:,} items"
        )
        said = "starting and reading included; peers in whole cents by hand"
        yield in_processes(what, commands(TOTALS, folder), answer, given.runs, said)

    yield in_processes(
        "what two processes of this machine are worth: the same plain NumPy in one after the other, and side by side",
        {"two after one another": [__file__, "--ceiling", "1"], "two side by side": [__file__, "--ceiling", "2"]},
        lambda _: 0,
        given.runs,
    )
    with tempfile.TemporaryDirectory() as name, dask_of_two() as address:
        folder = Path(name)
        make(folder, given.shared, given.items)
        os.environ["DASK_SCHEDULER"] = address
        what = f"from Parquet to Parquet, every figure of {given.shared:,} lines"
        ran, said = commands(SHARED, folder), "starting and reading included; Dask and its workers are there already"
        yield in_processes(what, ran, lambda way: np.load(folder / f"{way}.npy"), given.runs, said)
    for lines in given.growth:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            make(folder, lines, given.items)
            what = f"the same totals of {lines:,} lines, streamed"
            ran = commands(GROWING, folder)
            yield in_processes(what, ran, lambda way: summed(folder / f"{way}.npy"), 1, "memory must not grow")  # noqa: B023


def summed(file: Path) -> np.ndarray[Any, Any]:
    """How many totals a run has left, and their sum."""
    found = np.load(file)
    return found if len(found) == 2 else np.array([len(found), found.sum()])


def plain_work(_: int) -> None:
    """Arithmetic on columns, and nothing else."""
    column = np.arange(3_000_000)
    for _turn in range(150):
        _ = column * 3 // 7


def ceiling(processes: int) -> None:
    """The work of two, in so many processes."""
    from multiprocessing import get_context

    with get_context("spawn").Pool(processes) as pool:
        pool.map(np.arange, [1, 1])  # they are there
        start = time.perf_counter()
        pool.map(plain_work, [0, 1], chunksize=1)
        report_process(time.perf_counter() - start)


@contextmanager
def dask_of_two() -> Iterator[str]:
    """The address of a cluster of two processes with one thread each.

    It is started as Dokima starts one: Dask's own setting of memory would reach the other sides too.
    """
    from dokima.cluster.executors import local_cluster

    with local_cluster(2) as cluster:
        yield cluster.scheduler_address


def main() -> None:
    given = parser(__doc__, 6_000_000)
    given.add_argument("--items", type=int, default=200_000)
    given.add_argument("--shared", type=int, default=10_000_000, help="so many lines from file to file")
    given.add_argument(
        "--growth", type=int, nargs="*", default=[10_000_000, 30_000_000, 100_000_000], help="also so many lines"
    )
    given.add_argument("--run", nargs=2, metavar=("WAY", "FOLDER"), help=argparse.SUPPRESS)
    given.add_argument("--ceiling", type=int, help=argparse.SUPPRESS)
    asked = given.parse_args()
    if asked.ceiling:
        ceiling(asked.ceiling)
        return
    if asked.run:
        one(asked.run[0], Path(asked.run[1]))
        return
    show(cases(asked), asked)


if __name__ == "__main__":
    main()
