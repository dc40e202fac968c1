"""Find the winning row of a price table: a million lines against a million rows, beside the same join in DuckDB SQL.

Three kinds of rows (customer and item, segment and item, item only), each with a window and a break; the lowest price
wins, then the earlier row. Both sides must name the same row for every line before a ratio is printed. Then: loading
the table from CSV and Parquet, and one order of 100 lines priced against it.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from measuring import Case, compared, parser, show

import dokima
from dokima.pricing.names.context import Context
from dokima.pricing.program import Run

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


def by_sql(table: pd.DataFrame, headers: pd.DataFrame, body: pd.DataFrame, segments: pd.DataFrame) -> Callable[[], Any]:
    """The same in DuckDB on two threads: the winning row of each line, -1 for none.

    Tables are loaded and codes are enumerations before the clock starts; both make it faster than with texts.
    """
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2")
    numbered = table.assign(row=np.arange(len(table)))
    base.register("t", numbered.astype({"least": int, "price": int}))
    base.register("h", headers.merge(segments, on="customer"))
    base.register("b", body.assign(line=np.arange(len(body))))
    for code, source in (("customer", "h"), ("segment", "h"), ("item", "t")):
        base.execute(f"CREATE TYPE {code}s AS ENUM (SELECT DISTINCT {code} FROM {source} WHERE {code} IS NOT NULL UNION "
                     f"SELECT DISTINCT {code} FROM {'b' if code == 'item' else 't'} WHERE {code} IS NOT NULL ORDER BY 1)")  # fmt: skip
    codes = "customer::customers AS customer, segment::segments AS segment, item::items AS item"
    base.execute(
        f"CREATE TABLE deals AS SELECT row, {codes}, starts::DATE AS starts, ends::DATE AS ends, least, price::BIGINT * 100 AS price FROM t"
    )
    base.execute(
        f"CREATE TABLE asked AS SELECT line, {codes}, quantity, date::DATE AS date "
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

    def run() -> Any:
        found = base.execute(query).fetchnumpy()
        result = np.full(len(body), -1)
        result[found["line"]] = found["row"]
        return result

    return run


def cases(given: Any) -> Iterator[Case]:
    """The winning rows, loading the table, an order repriced."""
    rng = np.random.default_rng(2041)
    # So many pairs of customer and item that about 15 % of the lines find a row of the first kind that fits.
    customers, items = max(given.rows // 1000, 10), max(given.rows // 500, 10)
    table = deals(given.rows, customers, items, rng)
    segments = pd.DataFrame({"customer": names("C", np.arange(customers))})
    segments["segment"] = names("S", np.arange(customers) % SEGMENTS)
    headers, body = lines(given.lines, customers, items, rng)
    book = dokima.Rulebook.from_dict(BOOK, tables={"customer": segments, "deals": table})
    orders = book.orders((headers, body))

    def find() -> Any:
        return book.program.tables["deals"].find(Context(book.program, orders, Run()))

    what = f"the winning row of {given.rows:,} rows for {given.lines:,} lines"
    yield compared(what, {"Dokima": find, "DuckDB": by_sql(table, headers, body, segments)}, runs=given.runs)
    yield from _loading(table, segments, given.runs)
    order = dokima.Order(
        "ONE", customer="C1", date="2025-11-01", lines=[{"item": f"I{n}", "quantity": 10} for n in range(100)]
    )
    one = book.orders(order)
    what = f"one order of 100 lines priced against {given.rows:,} rows"
    yield compared(what, {"Dokima": lambda: len(book.price(one))}, runs=given.runs, times=20)


def _loading(table: pd.DataFrame, segments: pd.DataFrame, runs: int) -> Iterator[Case]:
    import duckdb

    with tempfile.TemporaryDirectory() as folder:
        for name in ("deals.csv", "deals.parquet"):
            path = Path(folder) / name
            table.to_csv(path, index=False) if name.endswith("csv") else table.to_parquet(path, index=False)
            given = {**BOOK, "table": {**BOOK["table"], "deals": {**BOOK["table"]["deals"], "file": name}}}
            (Path(folder) / "rulebook.toml").write_text(_toml(given))

            def ours() -> int:
                return len(dokima.load(folder, tables={"customer": segments}).program.tables["deals"].preference)

            def sql() -> int:
                base = duckdb.connect()
                base.execute(f"SET threads = 2; CREATE TABLE deals AS SELECT * FROM '{path}'")  # noqa: B023
                return int(base.execute("SELECT count(*) FROM deals").fetchall()[0][0])

            what = f"a table of {len(table):,} rows loaded from {name}"
            yield compared(
                what, {"Dokima": ours, "DuckDB": sql}, runs=min(runs, 3), notes="ours checks and indexes it too"
            )


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


if __name__ == "__main__":
    arguments = parser(__doc__)
    arguments.add_argument("--rows", type=int, default=1_000_000)
    asked = arguments.parse_args()
    show(cases(asked), asked)
