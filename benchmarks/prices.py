"""Find the winning row of a price table: a million lines against a million rows, beside the same join in DuckDB SQL.

Three kinds of rows (customer and item, segment and item, item only), each with a window and a break; the lowest price
wins, then the earlier row. Both sides must name the same row for every line before a ratio is printed. Then: loading
the table from CSV and Parquet, one line repriced in an order of 100, and how time grows with the number of lines.
"""

from __future__ import annotations

import argparse
import gc
import resource
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

import dokima
from dokima.engine.program import Run
from dokima.engine.running.context import Context

SEGMENTS = 50
BOOK: dict[str, Any] = {
    "rulebook": {"name": "prices", "currency": "EUR"},
    "table": {
        "customer": {"key": {"customer": "header.customer"}},
        "deals": {
            "match": {"customer": "header.customer", "segment": "customer.segment", "item": "line.item"},
            "window": {"from": "starts", "until": "ends", "on": "header.date"},
            "breaks": {"least": "line.quantity"},
            "choose": ["lowest price"],
            "columns": {"price": {"kind": "decimal"}},
        },
    },
    "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "deals.price"}]}]}},
}


def deals(rows: int, customers: int, items: int, rng: np.random.Generator) -> pd.DataFrame:
    """70 % of the rows for a customer and an item, 25 % for a segment and an item, 5 % for an item."""
    kinds = rng.permutation(np.repeat([0, 1, 2], [int(rows * 0.7), int(rows * 0.25), rows - int(rows * 0.95)]))
    start = np.datetime64("2025-01-01") + rng.integers(0, 500, rows)
    return pd.DataFrame(
        {
            "customer": np.where(kinds == 0, names("C", rng.integers(0, customers, rows)), None),
            "segment": np.where(kinds == 1, names("S", rng.integers(0, SEGMENTS, rows)), None),
            "item": names("I", rng.integers(0, items, rows)),
            "starts": (start).astype(str),
            "ends": (start + rng.integers(200, 700, rows)).astype(str),
            "least": rng.choice(["0", "5", "10", "50"], rows),
            "price": (rng.integers(100, 100_000, rows)).astype(str),
        }
    )


def names(letter: str, numbers: Any) -> Any:
    """C17, C4, ... out of numbers."""
    words = np.array([f"{letter}{n}" for n in range(int(numbers.max()) + 1)], object)
    return words[numbers]


def lines(count: int, customers: int, items: int, rng: np.random.Generator) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Headers and lines of orders of five lines each."""
    orders = count // 5
    number = np.array([f"O{n}" for n in range(orders)], object)
    headers = pd.DataFrame(
        {
            "order": number,
            "customer": names("C", rng.integers(0, customers, orders)),
            "date": (np.datetime64("2025-10-01") + rng.integers(0, 120, orders)).astype(str),
        }
    )
    body = pd.DataFrame(
        {
            "order": np.repeat(number, 5),
            "line": np.tile(["10", "20", "30", "40", "50"], orders),
            "item": names("I", rng.integers(0, items, count)),
            "quantity": rng.integers(1, 80, count),
        }
    )
    return headers, body


def timed(work: Callable[[], Any], times: int = 3) -> tuple[float, Any]:
    """The best of some runs, in seconds, and the result."""
    best, result = float("inf"), None
    for _ in range(times):
        gc.collect()
        start = time.perf_counter()
        result = work()
        best = min(best, time.perf_counter() - start)
    return best, result


def by_sql(table: pd.DataFrame, headers: pd.DataFrame, body: pd.DataFrame, segments: pd.DataFrame) -> tuple[float, Any]:
    """The same in DuckDB on two threads, tables loaded before the clock starts: winning row of each line, -1 for none."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2")
    numbered = table.assign(row=np.arange(len(table)))
    base.register("t", numbered.astype({"least": int, "price": int}))
    base.register("h", headers.merge(segments, on="customer"))
    base.register("b", body.assign(line=np.arange(len(body))))
    base.execute(
        "CREATE TABLE deals AS SELECT row, customer, segment, item, starts::DATE AS starts, ends::DATE AS ends, least, "
        "price::DECIMAL(12,2) AS price FROM t"
    )
    base.execute(
        "CREATE TABLE asked AS SELECT line, customer, segment, item, quantity, date::DATE AS date "
        'FROM b JOIN h ON b."order" = h."order"'
    )
    fits = "a.date BETWEEN d.starts AND d.ends AND a.quantity >= d.least"
    query = f"""
        SELECT a.line, coalesce(arg_min(f.row, f.price * 10000000 + f.row), -1) AS row FROM asked a LEFT JOIN (
          SELECT a.line, d.row, d.price FROM asked a JOIN deals d ON a.customer = d.customer AND a.item = d.item AND {fits}
          UNION ALL
          SELECT a.line, d.row, d.price FROM asked a JOIN deals d
            ON a.segment = d.segment AND a.item = d.item AND d.customer IS NULL AND {fits}
          UNION ALL
          SELECT a.line, d.row, d.price FROM asked a JOIN deals d
            ON a.item = d.item AND d.customer IS NULL AND d.segment IS NULL AND {fits}
        ) f ON f.line = a.line GROUP BY a.line"""
    seconds, found = timed(lambda: base.execute(query).fetchnumpy())
    result = np.full(len(body), -1)
    result[found["line"]] = found["row"]
    return seconds, result


def main() -> None:
    """Print the comparison."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--rows", type=int, default=1_000_000)
    parser.add_argument("--growth", action="store_true", help="also 10,000 to 10,000,000 lines")
    asked = parser.parse_args()
    rng = np.random.default_rng(2041)
    # So many pairs of customer and item that about 15 % of the lines find a row of the first kind that fits.
    customers, items = max(asked.rows // 1000, 10), max(asked.rows // 500, 10)
    table = deals(asked.rows, customers, items, rng)
    segments = pd.DataFrame({"customer": names("C", np.arange(customers))})
    segments["segment"] = names("S", np.arange(customers) % SEGMENTS)
    headers, body = lines(asked.lines, customers, items, rng)
    book = dokima.Rulebook.from_dict(BOOK, tables={"customer": segments, "deals": table})
    orders = book.orders((headers, body))

    def find() -> Any:
        return book.program.tables["deals"].find(Context(book.program, orders, Run()))

    ours, rows = timed(find)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    sql, theirs = by_sql(table, headers, body, segments)
    if not np.array_equal(rows, theirs):
        raise SystemExit(f"the two differ on {int((rows != theirs).sum())} lines")
    pairs = set(zip(table["customer"], table["item"], strict=True))
    asking = headers.set_index("order")["customer"].reindex(body["order"]).to_numpy()
    hit = np.mean([pair in pairs for pair in zip(asking, body["item"], strict=True)])
    print(
        f"{asked.lines:,} lines, {asked.rows:,} rows; {hit:.0%} of the lines have a customer's row; all answers equal"
    )
    print(f"winning row: Dokima {ours:.2f} s, DuckDB on two threads {sql:.2f} s: ratio {sql / ours:.1f}")
    print(f"peak memory so far {memory:.2f} GB")
    _loading(table, segments)
    _one_line(book)
    if asked.growth:
        _growth(book, customers, items, rng)


def _loading(table: pd.DataFrame, segments: pd.DataFrame) -> None:
    with tempfile.TemporaryDirectory() as folder:
        for name in ("deals.csv", "deals.parquet"):
            path = Path(folder) / name
            table.to_csv(path, index=False) if name.endswith("csv") else table.to_parquet(path, index=False)
            given = {**BOOK, "table": {**BOOK["table"], "deals": {**BOOK["table"]["deals"], "file": name}}}
            toml = _toml(given)
            (Path(folder) / "rulebook.toml").write_text(toml)
            seconds, _ = timed(lambda: dokima.load(folder, tables={"customer": segments}), 1)
            print(f"loading and indexing {len(table):,} rows from {name}: {seconds:.2f} s")


def _toml(data: dict[str, Any]) -> str:
    """The rulebook as TOML; JSON arrays and strings are TOML too."""
    import json

    deals_, customer = data["table"]["deals"], data["table"]["customer"]
    inline = lambda mapping: "{ " + ", ".join(f"{key} = {json.dumps(value)}" for key, value in mapping.items()) + " }"  # noqa: E731
    return "\n".join(
        [
            '[rulebook]\nname = "prices"\ncurrency = "EUR"',
            f"[table.customer]\nkey = {inline(customer['key'])}",
            f'[table.deals]\nfile = "{deals_["file"]}"\nmatch = {inline(deals_["match"])}',
            f"window = {inline(deals_['window'])}\nbreaks = {inline(deals_['breaks'])}",
            f"choose = {json.dumps(deals_['choose'])}\ncolumns.price = {{ kind = 'decimal' }}",
            "[routine.all]\nstep = [{ name = 'price', kind = 'price', options = [{ value = 'deals.price' }] }]",
        ]
    )


def _one_line(book: dokima.Rulebook) -> None:
    """A change of one line in an order of 100, and its new price, with the large tables loaded."""
    order = dokima.Order(
        "ONE", customer="C1", date="2025-11-01", lines=[{"item": f"I{n}", "quantity": 10} for n in range(100)]
    )
    editor = book.edit(order, by="benchmark")
    edits: list[float] = []
    for quantity in range(20, 60):
        start = time.perf_counter()
        editor.change_line(500, quantity=quantity)
        _ = editor.line(500).price
        edits.append(time.perf_counter() - start)
    orders = book.orders(order)
    prices, _ = timed(lambda: book.price(orders), 20)
    print(
        f"one order of 100 lines priced: {prices * 1000:.2f} ms; edited and repriced: {np.median(edits) * 1000:.2f} ms"
    )


def _growth(book: dokima.Rulebook, customers: int, items: int, rng: np.random.Generator) -> None:
    for count in (10_000, 100_000, 1_000_000, 10_000_000):
        headers, body = lines(count, customers, items, rng)
        orders = book.orders((headers, body))
        seconds, _ = timed(lambda orders=orders: book.price(orders), 1)  # type: ignore[misc]
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
        print(
            f"{count:>12,} lines priced in {seconds:7.2f} s, {seconds / count * 1e6:5.2f} us a line, peak {memory:.1f} GB"
        )


if __name__ == "__main__":
    main()
