"""The same orders in the shapes in which they come: one file in three sequences of numbers, two files, tables, frames.

Orders of one to seven lines, ten columns of which five are read, two hundred thousand items. Each line has a price by
item, a discount in percent rounded half to even, and a tax in percent rounded half up on the order by rate. The peer is
DuckDB with SQL in whole cents, written by hand, which reads the same files, tables or frames. Each run is a process of
its own on two threads; what lies in memory lies there before the clock starts. Count, sum and sum of squares of all
totals are compared before a ratio is printed.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from files import RULEBOOK
from measuring import Case, in_processes, parser, report_process, show
from pyarrow import compute, parquet

SHAPES = {
    "rising": "one file of rows, order numbers that rise as texts",
    "by length": "one file of rows, order numbers that rise by their length (O9, O10)",
    "mixed": "one file of rows, order numbers in no sequence",
    "two files": "a file of headers and one of lines",
    "two tables": "two tables of Arrow",
    "two frames": "two data frames of pandas with Arrow's types",
}
LAYOUT = """
[layout.flat]
[layout.flat.header]
number = "order"
customer = "customer"
date = "date"
[layout.flat.line]
number = "line"
item = "item"
quantity = "quantity"
"""
NUMBERS: dict[str, Callable[[int], list[str]]] = {
    "rising": lambda count: [f"O{n:08}" for n in range(count)],
    "by length": lambda count: [f"O{n}" for n in range(count)],
    "mixed": lambda count: [f"O{n * 7919 % count}" for n in range(count)],
}
SQL = """
WITH goods AS (
  SELECT l."order" AS o, i.rate AS rate, l.quantity::BIGINT * (i.price * 100)::BIGINT AS cents, (i.percent * 10)::BIGINT AS tenths
  FROM {lines} l JOIN '{folder}/items.parquet' i USING (item)),
taken AS (SELECT o, rate, cents, cents * tenths // 1000 AS part, cents * tenths % 1000 AS rest FROM goods),
net AS (SELECT o, rate, sum(cents - part - CASE WHEN rest > 500 OR (rest = 500 AND part % 2 = 1) THEN 1 ELSE 0 END)::BIGINT AS net
  FROM taken GROUP BY o, rate)
SELECT o, sum(net + (net * rate + 50) // 100)::BIGINT AS total FROM net GROUP BY o"""


def make(folder: Path, orders: int, items: int) -> None:
    """Files of items, of headers and of lines, and flat ones with the order numbers in each sequence."""
    rng = np.random.default_rng(2042)
    item = pa.array([f"I{n:06}" for n in range(items)])

    def decimal(units: np.ndarray[Any, Any], places: int) -> pa.Array:
        return pa.array(units.astype(np.int64)).cast(pa.decimal128(19, 0)).cast(pa.decimal128(19 + places, places))

    hundredths = pa.array(rng.integers(100, 90_000, items)).cast(pa.decimal128(19, 0))
    cents = compute.multiply(hundredths, pa.scalar("0.01").cast(pa.decimal128(3, 2)))
    tenths = pa.array(rng.integers(0, 200, items)).cast(pa.decimal128(19, 0))
    percent = compute.multiply(tenths, pa.scalar("0.1").cast(pa.decimal128(2, 1)))
    rate = pa.array(rng.choice([21, 9, 0], items))
    parquet.write_table(
        pa.table({"item": item, "price": cents, "percent": percent, "rate": rate}), folder / "items.parquet"
    )
    (folder / "rulebook.toml").write_text(RULEBOOK + LAYOUT, encoding="utf-8")
    sizes = rng.integers(1, 8, orders)
    of = pa.array(np.repeat(np.arange(orders), sizes))
    count = len(of)
    customer = pa.array([f"C{n:06}" for n in range(100_000)]).take(pa.array(rng.integers(0, 100_000, orders)))
    date = pa.array((20_000 + rng.integers(0, 365, orders)).astype(np.int32), pa.date32())
    line = pa.array([str(10 * (at + 1)) for at in range(7)]).take(pa.array(np.concatenate(list(map(np.arange, sizes)))))
    remark = pa.array([f"some remark {n}" for n in range(1000)])
    lines = {
        "line": line,
        "item": item.take(pa.array(rng.integers(0, items, count))),
        "quantity": decimal(rng.integers(1, 40, count), 2),
    }
    more = {
        "remark": remark.take(pa.array(rng.integers(0, 1000, count))),
        "seen": pa.array(rng.integers(0, 10**6, count).astype(str)),
        "weight": pa.array(rng.random(count)),
        "place": pa.array(rng.integers(0, 5, count).astype(str)),
    }
    for name, numbers in NUMBERS.items():
        number = pa.array(numbers(orders))
        flat = {"order": number.take(of), "customer": customer.take(of), "date": date.take(of), **lines, **more}
        parquet.write_table(pa.table(flat), folder / f"{name}.parquet", row_group_size=250_000)
        if name == "by length":
            parquet.write_table(
                pa.table({"number": number, "customer": customer, "date": date}), folder / "heads.parquet"
            )
            body = {"order": number.take(of), "number": line, "item": lines["item"], "quantity": lines["quantity"]}
            parquet.write_table(pa.table(body), folder / "rows.parquet")


def source_of(shape: str, folder: Path) -> Any:
    """What is priced: a file, two of them, or what lies in memory already."""
    if shape in NUMBERS:
        return folder / f"{shape}.parquet"
    both = [folder / "heads.parquet", folder / "rows.parquet"]
    if shape == "two files":
        return both
    tables = tuple(parquet.read_table(each) for each in both)
    if shape == "two tables":
        return tables
    import pandas as pd

    return tuple(each.to_pandas(types_mapper=pd.ArrowDtype) for each in tables)


def by_dokima(shape: str, folder: Path, source: Any) -> np.ndarray[Any, Any]:
    """The public verbs: load, price, the totals; frames are priced whole."""
    import dokima

    book = dokima.load(folder)
    if shape == "two frames":
        return book.price(source).totals["with_tax"].at(2).units
    layout = "flat" if shape in NUMBERS else None
    pieces = book.stream(source, layout, workers=2)
    return np.concatenate([each.totals["with_tax"].at(2).units for each in pieces])


def by_duckdb(shape: str, folder: Path, source: Any) -> np.ndarray[Any, Any]:
    """SQL in whole cents on two threads; of two tables it needs the lines alone."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2; SET preserve_insertion_order = false")
    lines = f"'{source}'" if shape in NUMBERS else f"'{source[1]}'" if shape == "two files" else "bodies"
    if lines == "bodies":
        base.register("bodies", source[1])
    return np.asarray(base.execute(SQL.format(folder=folder, lines=lines)).fetchnumpy()["total"]).astype(np.int64)


WAYS = {"Dokima": by_dokima, "DuckDB": by_duckdb}


def one(way: str, shape: str, folder: Path) -> None:
    """One run in this process: leaves what the totals come to, prints seconds and memory."""
    source = source_of(shape, folder)
    start = time.perf_counter()
    found = WAYS[way](shape, folder, source)
    report_process(time.perf_counter() - start)
    np.save(folder / f"{way}.npy", np.array([len(found), found.sum(), (found * found).sum()]))


def cases(given: Any) -> Iterator[Case]:
    """Each shape beside the peer."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make(folder, given.orders, given.items)
        for shape, said in SHAPES.items():
            commands = {way: [__file__, "--run", way, shape, str(folder)] for way in WAYS}
            what = f"{given.orders:,} orders of one to seven lines: {said}"
            yield in_processes(what, commands, lambda way: np.load(folder / f"{way}.npy"), given.runs)


def main() -> None:
    given = parser(__doc__)
    given.add_argument("--orders", type=int, default=1_500_000)
    given.add_argument("--items", type=int, default=200_000)
    given.add_argument("--run", nargs=3, metavar=("WAY", "SHAPE", "FOLDER"), help=argparse.SUPPRESS)
    asked = given.parse_args()
    if asked.run:
        one(asked.run[0], asked.run[1], Path(asked.run[2]))
        return
    show(cases(asked), asked)


if __name__ == "__main__":
    main()
