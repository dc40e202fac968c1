"""A whole sales routine over a million lines in 200,000 orders, beside the same work written by hand four times.

Three price tables, three discounts, freight, a rebate on the order apportioned to its lines to the cent, tax per rate
on the document. The peers: DuckDB SQL with DECIMAL on two threads, Polars with decimals, pandas with floats, and a
plain `Decimal` loop. The exact ones must agree on every order's total before a ratio is printed; for pandas the orders
it gets wrong are counted. Tables and orders are in memory on every side before the clock starts.
"""

from __future__ import annotations

import argparse
import gc
import resource
import threading
import time
from collections import defaultdict
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from prices import names, timed

import dokima

CENT, HUNDRED = Decimal("0.01"), Decimal(100)
BOOK: dict[str, Any] = {
    "rulebook": {"name": "sales", "currency": "EUR"},
    "table": {
        "customer": {"key": {"customer": "header.customer"}},
        "item": {"key": {"item": "line.item"}},
        "own": {"key": {"customer": "header.customer", "item": "line.item"}},
        "group": {"key": {"segment": "customer.segment", "item": "line.item"}},
        "family_off": {"key": {"segment": "customer.segment", "family": "item.family"}},
        "rate": {"key": {"tax_class": "item.tax_class"}},
    },
    "routine": {
        "sales": {
            "step": [
                {"name": "price", "kind": "price", "options": [
                    {"value": "own.price"}, {"value": "group.price"}, {"value": "item.price"}]},
                {"name": "agreed", "kind": "discount", "percent": "customer.percent"},
                {"name": "family", "kind": "discount", "percent": "family_off.percent"},
                {"name": "season", "kind": "discount", "percent": "item.season"},
                {"name": "freight", "kind": "charge", "amount": "item.weight * line.quantity * 0.38"},
                {"name": "rebate", "kind": "discount", "over": "order", "percent": "3",
                 "when": "header.amount >= 5000"},
                {"name": "vat", "kind": "tax", "percent": "rate.percent"},
            ]
        }
    },
}  # fmt: skip


def data(count: int) -> dict[str, pd.DataFrame]:
    """Tables and orders of five lines each; numbers are text of exact decimals."""
    rng = np.random.default_rng(2041)
    customers, items, segments, families = 2000, 1000, 20, 12
    item = names("I", np.arange(items))

    def number(low: int, high: int, size: int, places: int) -> list[str]:
        return [str(Decimal(int(n)).scaleb(-places)) for n in rng.integers(low, high, size)]

    def pairs(a: Any, b: Any, size: int) -> tuple[Any, Any]:
        chosen = rng.choice(len(a) * len(b), size, replace=False)
        return a[chosen // len(b)], b[chosen % len(b)]

    customer, segment = names("C", np.arange(customers)), names("S", np.arange(segments))
    family = names("F", np.arange(families))
    own, grouped, off = pairs(customer, item, 300_000), pairs(segment, item, 6_000), pairs(segment, family, 240)
    orders = count // 5
    return {
        "customer": pd.DataFrame(
            {"customer": customer, "segment": segment[np.arange(customers) % segments],
             "percent": number(0, 80, customers, 1)}
        ),
        "item": pd.DataFrame(
            {"item": item, "family": family[rng.integers(0, families, items)], "price": number(100, 90_000, items, 2),
             "weight": number(0, 40_000, items, 3), "season": number(0, 8, items, 0),
             "tax_class": np.where(rng.random(items) < 0.8, "full", "low")}
        ),
        "own": pd.DataFrame({"customer": own[0], "item": own[1], "price": number(100, 80_000, len(own[0]), 2)}),
        "group": pd.DataFrame({"segment": grouped[0], "item": grouped[1], "price": number(100, 85_000, 6_000, 2)}),
        "family_off": pd.DataFrame({"segment": off[0], "family": off[1], "percent": number(0, 60, 240, 1)}),
        "rate": pd.DataFrame({"tax_class": ["full", "low"], "percent": ["21", "9"]}),
        "headers": pd.DataFrame({"order": names("O", np.arange(orders)), "customer": customer[rng.integers(0, customers, orders)]}),
        "lines": pd.DataFrame(
            {"order": np.repeat(names("O", np.arange(orders)), 5), "line": np.tile(["10", "20", "30", "40", "50"], orders),
             "item": item[rng.integers(0, items, count)], "quantity": rng.integers(1, 40, count)}
        ),
    }  # fmt: skip


def by_duckdb(tables: dict[str, pd.DataFrame]) -> tuple[float, Any]:
    """SQL with DECIMAL on two threads."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2")
    kinds = {"price": "DECIMAL(12,2)", "percent": "DECIMAL(6,2)", "weight": "DECIMAL(9,3)", "season": "DECIMAL(6,2)"}
    for name, frame in tables.items():
        base.register("raw", frame.assign(seq=np.arange(len(frame))))
        columns = ", ".join(f'"{c}"::{kinds[c]} AS "{c}"' if c in kinds else f'"{c}"' for c in [*frame.columns, "seq"])
        base.execute(f"CREATE TABLE t_{name} AS SELECT {columns} FROM raw")
    query = """
    WITH priced AS (
      SELECT l.seq, h.seq AS o, round(l.quantity * coalesce(w.price, g.price, i.price), 2)::DECIMAL(14,2) AS goods,
        c.percent AS p1, f.percent AS p2, i.season AS p3,
        round(i.weight * l.quantity * 0.38::DECIMAL(4,2), 2)::DECIMAL(14,2) AS freight, r.percent AS rate
      FROM t_lines l JOIN t_headers h USING ("order") JOIN t_customer c USING (customer) JOIN t_item i USING (item)
      LEFT JOIN t_own w ON w.customer = h.customer AND w.item = l.item
      LEFT JOIN t_group g ON g.segment = c.segment AND g.item = l.item
      JOIN t_family_off f ON f.segment = c.segment AND f.family = i.family
      JOIN t_rate r USING (tax_class)),
    first AS (SELECT *, (goods - round(goods * p1 * 0.01::DECIMAL(3,2), 2))::DECIMAL(14,2) AS a FROM (
      SELECT seq, o, goods, p1, p2, p3, freight, rate FROM priced)),
    second AS (SELECT *, (a - round(a * p2 * 0.01::DECIMAL(3,2), 2))::DECIMAL(14,2) AS b FROM first),
    third AS (SELECT seq, o, rate, (b - round(b * p3 * 0.01::DECIMAL(3,2), 2) + freight)::DECIMAL(14,2) AS net FROM second),
    summed AS (SELECT *, sum(net) OVER (PARTITION BY o) AS whole FROM third),
    cents AS (SELECT *, CASE WHEN whole >= 5000 THEN (net * 300)::BIGINT ELSE 0 END AS units FROM summed),
    parts AS (SELECT *, units // 100 AS part, units % 100 AS rest, sum(units) OVER w AS all_units,
      sum(units // 100) OVER w AS given FROM cents WINDOW w AS (PARTITION BY o)),
    shared AS (SELECT o, rate, net, part + CASE WHEN row_number() OVER (PARTITION BY o ORDER BY rest DESC, seq)
      <= (all_units + 50) // 100 - given THEN 1 ELSE 0 END AS rebate FROM parts),
    taxed AS (SELECT o, rate, (sum(net) * 100)::BIGINT - sum(rebate)::BIGINT AS cents FROM shared GROUP BY o, rate)
    SELECT o, sum(cents + (cents * rate::BIGINT + 50) // 100)::BIGINT AS total FROM taxed GROUP BY o ORDER BY o"""
    seconds, found = timed(lambda: base.execute(query).fetchnumpy(), 2)
    return seconds, np.asarray(found["total"]).astype(np.int64)


def by_polars(tables: dict[str, pd.DataFrame]) -> tuple[float, Any]:
    """Polars with decimals, as its own users write it."""
    import polars as pl

    # A product keeps the places of its factors, so all of them get the six that no product here exceeds.
    wide = pl.Decimal(38, 6)
    exact = dict.fromkeys(("price", "percent", "weight", "season"), wide)
    t = {
        name: pl.from_pandas(frame).with_columns(pl.col(c).cast(k) for c, k in exact.items() if c in frame.columns)
        for name, frame in tables.items()
    }
    cents = lambda e: e.round(2, mode="half_away_from_zero").cast(wide)  # noqa: E731
    hundred, freight = pl.lit(Decimal("0.01")).cast(wide), pl.lit(Decimal("0.38")).cast(wide)
    col = pl.col

    def work() -> Any:
        f = (
            t["lines"].with_row_index("seq").join(t["headers"].with_row_index("o"), on="order")
            .join(t["customer"].rename({"percent": "p1"}), on="customer").join(t["item"], on="item")
            .join(t["own"].rename({"price": "w"}), on=["customer", "item"], how="left")
            .join(t["group"].rename({"price": "g"}), on=["segment", "item"], how="left")
            .join(t["family_off"].rename({"percent": "p2"}), on=["segment", "family"])
            .join(t["rate"].rename({"percent": "rate"}), on="tax_class").sort("seq").lazy()
        )  # fmt: skip
        q = col("quantity").cast(wide)
        f = f.with_columns(a=cents(q * pl.coalesce("w", "g", "price")))
        for percent in ("p1", "p2", "season"):
            f = f.with_columns(a=col("a") - cents(col("a") * col(percent) * hundred))
        f = f.with_columns(net=col("a") + cents(col("weight") * q * freight))
        f = f.with_columns(n=(col("net") * 100).cast(pl.Int64), rate=col("rate").cast(pl.Int64))
        f = f.with_columns(units=pl.when(col("n").sum().over("o") >= 500_000).then(col("n") * 3).otherwise(0))
        f = f.with_columns(part=col("units") // 100, rest=col("units") % 100)
        left = (col("units").sum().over("o") + 50) // 100 - col("part").sum().over("o")
        place = (col("rest") * 8 - pl.int_range(pl.len()).over("o")).rank("ordinal", descending=True).over("o")
        f = f.with_columns(base=col("n") - col("part") - (place <= left).cast(pl.Int64))
        g = f.group_by("o", "rate").agg(col("base").sum())
        g = g.with_columns(total=col("base") + (col("base") * col("rate") + 50) // 100)
        return g.group_by("o").agg(col("total").sum()).sort("o").collect()["total"].to_numpy()

    return timed(work, 2)


def by_pandas(tables: dict[str, pd.DataFrame]) -> tuple[float, Any]:
    """Binary floats; the rebate is simply 3 % of each line."""
    t = {name: frame.copy() for name, frame in tables.items()}
    for frame in t.values():
        for name in {"price", "percent", "weight", "season"} & set(frame.columns):
            frame[name] = frame[name].astype(float)

    def work() -> Any:
        f = t["lines"].merge(t["headers"].assign(o=np.arange(len(t["headers"]))), on="order", how="left")
        f = f.merge(t["customer"].rename(columns={"percent": "p1"}), on="customer", how="left").merge(
            t["item"], on="item", how="left"
        )
        f = f.merge(t["own"].rename(columns={"price": "w"}), on=["customer", "item"], how="left")
        f = f.merge(t["group"].rename(columns={"price": "g"}), on=["segment", "item"], how="left")
        f = f.merge(t["family_off"].rename(columns={"percent": "p2"}), on=["segment", "family"], how="left")
        f = f.merge(t["rate"].rename(columns={"percent": "rate"}), on="tax_class", how="left")
        a = (f["quantity"] * f["w"].fillna(f["g"]).fillna(f["price"])).round(2)
        for name in ("p1", "p2", "season"):
            a = a - (a * f[name] / 100).round(2)
        f["net"] = a + (f["weight"] * f["quantity"] * 0.38).round(2)
        whole = f.groupby("o")["net"].transform("sum")
        f["net"] -= np.where(whole >= 5000, (f["net"] * 0.03).round(2), 0)
        g = f.groupby(["o", "rate"])["net"].sum().reset_index()
        g["total"] = g["net"] + (g["net"] * g["rate"] / 100).round(2)
        return (g.groupby("o")["total"].sum() * 100).round().astype(np.int64).to_numpy()

    return timed(work, 2)


def by_loop(tables: dict[str, pd.DataFrame]) -> tuple[float, Any]:
    """One order after the other with `Decimal`."""
    num = Decimal
    customers = {r.customer: (r.segment, num(r.percent)) for r in tables["customer"].itertuples()}
    items = {
        r.item: (r.family, num(r.price), num(r.weight), num(r.season), r.tax_class) for r in tables["item"].itertuples()
    }
    own = {(r.customer, r.item): num(r.price) for r in tables["own"].itertuples()}
    group = {(r.segment, r.item): num(r.price) for r in tables["group"].itertuples()}
    off = {(r.segment, r.family): num(r.percent) for r in tables["family_off"].itertuples()}
    rates = {r.tax_class: num(r.percent) for r in tables["rate"].itertuples()}
    of_order: dict[str, list[Any]] = defaultdict(list)
    for r in tables["lines"].itertuples():
        of_order[r.order].append((r.item, int(r.quantity)))
    headers = list(zip(tables["headers"]["order"], tables["headers"]["customer"], strict=True))

    def work() -> Any:
        totals = []
        for number, who in headers:
            segment, percent = customers[who]
            nets, classes = [], []
            for code, quantity in of_order[number]:
                family, price, weight, season, tax_class = items[code]
                price = own.get((who, code)) or group.get((segment, code)) or price
                a = (quantity * price).quantize(CENT, ROUND_HALF_UP)
                for p in (percent, off[segment, family], season):
                    a -= (a * p / HUNDRED).quantize(CENT, ROUND_HALF_UP)
                nets.append(a + (weight * quantity * Decimal("0.38")).quantize(CENT, ROUND_HALF_UP))
                classes.append(tax_class)
            if sum(nets) >= 5000:
                exact = [net * 3 / HUNDRED for net in nets]
                parts = [each.quantize(CENT, "ROUND_DOWN") for each in exact]
                left = int((sum(exact).quantize(CENT, ROUND_HALF_UP) - sum(parts)) * 100)
                for at in sorted(range(len(nets)), key=lambda at: (parts[at] - exact[at], at))[:left]:
                    parts[at] += CENT
                nets = [net - part for net, part in zip(nets, parts, strict=True)]
            base: dict[str, Decimal] = defaultdict(Decimal)
            for net, tax_class in zip(nets, classes, strict=True):
                base[tax_class] += net
            totals.append(sum(b + (b * rates[c] / HUNDRED).quantize(CENT, ROUND_HALF_UP) for c, b in base.items()))
        return np.array([int(total * 100) for total in totals])

    return timed(work, 1)


def main() -> None:
    """Print the comparison."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--growth", action="store_true", help="also 10,000 to 10,000,000 lines, memory included")
    asked = parser.parse_args()
    tables = data(asked.lines)
    rows = {name: frame for name, frame in tables.items() if name in BOOK["table"]}
    book = dokima.Rulebook.from_dict(BOOK, tables=rows)
    orders = book.orders((tables["headers"], tables["lines"]))
    ours, calculation = timed(lambda: book.price(orders, workers=2))
    units = calculation.totals["with_tax"].at(2)
    found = np.asarray(units.units, np.int64)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    print(f"{asked.lines:,} lines, {len(orders):,} orders: Dokima on two threads {ours:.2f} s, peak {memory:.2f} GB")
    peers = {"DuckDB, two threads": by_duckdb, "Polars decimals": by_polars, "a Decimal loop": by_loop}
    for name, peer in peers.items():
        seconds, theirs = peer(tables)
        if not np.array_equal(found, theirs):
            raise SystemExit(f"{name} and Dokima differ on {int((found != theirs).sum())} orders")
        print(f"{name:>20}: {seconds:6.2f} s, {seconds / ours:5.1f} times as long; every total equal")
    seconds, theirs = by_pandas(tables)
    wrong = int((found != theirs).sum())
    print(f"{'pandas floats':>20}: {seconds:6.2f} s, {seconds / ours:5.1f} times as long; {wrong:,} orders wrong")
    if asked.growth:
        _growth(book)


def resident() -> float:
    """Memory of this process in GB (Linux)."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 2**30


def watched(done: threading.Event, peak: list[float]) -> None:
    """Keep the largest memory seen until it is done."""
    while not done.wait(0.01):
        peak[0] = max(peak[0], resident())


def _growth(book: dokima.Rulebook) -> None:
    """Time, and the memory that figures take: all of them together, and piece by piece."""
    for pieces in (True, False):
        print("piece by piece" if pieces else "all figures kept")
        for count in (10_000, 100_000, 1_000_000, 10_000_000):
            frames = data(count)
            orders = book.orders((frames["headers"], frames["lines"]))
            del frames
            gc.collect()
            held = resident()
            done, peak = threading.Event(), [held]
            watch = threading.Thread(target=watched, args=(done, peak))
            watch.start()
            start = time.perf_counter()
            if pieces:
                sums = [group.totals["with_tax"].units.sum() for group in book.stream(orders, lines=100_000)]
                assert len(sums) == max(count // 100_000, 1)
            else:
                book.price(orders, workers=2)
            spent = time.perf_counter() - start
            done.set()
            watch.join()
            each = f"{spent / count * 1e6:.2f} us a line"
            print(f"{count:>12,} lines in {spent:6.2f} s, {each}, {peak[0] - held:.2f} GB for figures")


if __name__ == "__main__":
    main()
