"""A whole sales routine over a million lines in 200,000 orders, beside the same work written by hand four times.

Three price tables, three discounts, freight, a rebate on the order apportioned to its lines to the cent, tax per rate
on the document. The peers in their best form: DuckDB SQL and Polars on two threads with every code and every amount a whole
number, pandas with floats, and a plain `Decimal` loop. The exact ones must agree on every order's total before a ratio is printed; for pandas the orders
it gets wrong are counted. Tables and orders are in memory on every side before the clock starts.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import numpy as np
import pandas as pd
from measuring import Case, compared, parser, show
from prices import names

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


def coded(tables: dict[str, pd.DataFrame]) -> dict[str, pd.DataFrame]:
    """The form the peers like best: every code a small whole number, money in cents, percentages and weights likewise."""

    def code(values: Any, of: Any) -> Any:
        return pd.Series(np.arange(len(of), dtype=np.int32), index=of).reindex(values).to_numpy()

    def whole(values: Any, places: int) -> Any:
        return np.array([int(Decimal(value).scaleb(places)) for value in values], np.int64)

    t = tables
    customers, items = t["customer"].customer, t["item"].item
    segments, families = t["customer"].segment.unique(), t["family_off"].family.unique()
    orders, lines = len(t["headers"]), len(t["lines"])
    of_item = {"family": code(t["item"].family, families), "price": whole(t["item"].price, 2),
               "weight": whole(t["item"].weight, 3), "season": whole(t["item"].season, 0),
               "rate": np.where(t["item"].tax_class == "full", 21, 9)}  # fmt: skip
    return {name: pd.DataFrame(columns) for name, columns in {
        "customer": {"customer": code(customers, customers), "segment": code(t["customer"].segment, segments),
                     "p1": whole(t["customer"].percent, 1)},
        "item": {"item": code(items, items), **of_item},
        "own": {"customer": code(t["own"].customer, customers), "item": code(t["own"].item, items), "w": whole(t["own"].price, 2)},
        "grouped": {"segment": code(t["group"].segment, segments), "item": code(t["group"].item, items), "g": whole(t["group"].price, 2)},
        "family_off": {"segment": code(t["family_off"].segment, segments), "family": code(t["family_off"].family, families),
                       "p2": whole(t["family_off"].percent, 1)},
        "headers": {"o": np.arange(orders, dtype=np.int32), "customer": code(t["headers"].customer, customers)},
        "lines": {"o": np.repeat(np.arange(orders, dtype=np.int32), 5), "seq": np.arange(lines, dtype=np.int32),
                  "item": code(t["lines"].item, items), "quantity": t["lines"].quantity.to_numpy(np.int64)},
    }.items()}  # fmt: skip


def by_duckdb(tables: dict[str, pd.DataFrame]) -> Callable[[], Any]:
    """SQL in whole cents on two threads; only orders that get the rebate are sorted for its odd cents."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2; SET preserve_insertion_order = false")
    for name, frame in coded(tables).items():
        base.register("raw", frame)
        base.execute(f"CREATE TABLE {name} AS SELECT * FROM raw")
    query = """
    WITH goods AS (
      SELECT o, seq, i.rate, c.p1, f.p2, i.season AS p3, quantity * coalesce(w, g, i.price) AS a,
        (i.weight * quantity * 38 + 500) // 1000 AS freight
      FROM lines JOIN headers h USING (o) JOIN customer c USING (customer) JOIN item i USING (item)
      LEFT JOIN own USING (customer, item)
      LEFT JOIN grouped ON grouped.segment = c.segment AND grouped.item = lines.item
      JOIN family_off f ON f.segment = c.segment AND f.family = i.family),
    first AS (SELECT o, seq, rate, p2, p3, freight, a - (a * p1 + 500) // 1000 AS a FROM goods),
    second AS (SELECT o, seq, rate, p3, freight, a - (a * p2 + 500) // 1000 AS a FROM first),
    net AS MATERIALIZED (SELECT o, seq, rate, a - (a * p3 + 50) // 100 + freight AS net FROM second),
    big AS (SELECT o, (sum(net)::BIGINT * 3 + 50) // 100 - sum(net * 3 // 100)::BIGINT AS more
      FROM net GROUP BY o HAVING sum(net) >= 500000),
    ranked AS (SELECT o, rate, net - net * 3 // 100 - CASE WHEN row_number() OVER (PARTITION BY o
      ORDER BY net * 3 % 100 DESC, seq) <= more THEN 1 ELSE 0 END AS net FROM net JOIN big USING (o)),
    every AS (SELECT o, rate, net FROM net ANTI JOIN big USING (o) UNION ALL SELECT o, rate, net FROM ranked),
    taxed AS (SELECT o, rate, sum(net)::BIGINT AS n FROM every GROUP BY o, rate)
    SELECT o, sum(n + (n * rate + 50) // 100)::BIGINT AS total FROM taxed GROUP BY o ORDER BY o"""
    return lambda: np.asarray(base.execute(query).fetchnumpy()["total"]).astype(np.int64)


def by_polars(tables: dict[str, pd.DataFrame]) -> Callable[[], Any]:
    """Polars in whole cents, lazily, on two threads (``POLARS_MAX_THREADS``).

    Keys of two columns are one number each: a join on two columns took sixteen times as long.
    """
    import polars as pl

    col, long = pl.col, pl.Int64
    t = {name: pl.from_pandas(frame) for name, frame in coded(tables).items()}
    lines = len(t["lines"])
    pair = lambda a, b: (col(a).cast(long) * 10_000 + col(b)).alias(f"{a}_{b}")  # noqa: E731
    own = t["own"].select(pair("customer", "item"), "w").lazy()
    grouped = t["grouped"].select(pair("segment", "item"), "g").lazy()
    off = t["family_off"].select(pair("segment", "family"), "p2").lazy()

    def work() -> Any:
        f = t["lines"].lazy().join(t["headers"].lazy(), on="o").join(t["customer"].lazy(), on="customer")
        f = f.join(t["item"].lazy(), on="item").with_columns(
            pair("customer", "item"), pair("segment", "item"), pair("segment", "family")
        )
        f = f.join(own, on="customer_item", how="left").join(grouped, on="segment_item", how="left")
        f = f.join(off, on="segment_family").with_columns(a=col("quantity") * pl.coalesce("w", "g", "price"))
        for percent in ("p1", "p2"):
            f = f.with_columns(a=col("a") - (col("a") * col(percent) + 500) // 1000)
        freight = (col("weight") * col("quantity") * 38 + 500) // 1000
        f = f.select("o", "seq", col("rate").cast(long), n=col("a") - (col("a") * col("season") + 50) // 100 + freight)
        f = f.with_columns(part=col("n") * 3 // 100, key=(col("n") * 3 % 100) * lines + (lines - 1 - col("seq")))
        more = (col("n").sum() * 3 + 50) // 100 - col("part").sum()
        big = f.group_by("o").agg(whole=col("n").sum(), more=more, keys=col("key").sort(descending=True))
        least = col("keys").list.get(col("more") - 1, null_on_oob=True)
        f = f.join(big.filter(col("whole") >= 500_000).select("o", "more", least=least), on="o", how="left")
        extra = ((col("more") > 0) & (col("key") >= col("least"))).cast(long)
        f = f.with_columns(n=pl.when(col("more").is_null()).then(col("n")).otherwise(col("n") - col("part") - extra))
        g = f.group_by("o", "rate").agg(col("n").sum())
        g = g.with_columns(total=col("n") + (col("n") * col("rate") + 50) // 100)
        return g.group_by("o").agg(col("total").sum()).sort("o").collect()["total"].to_numpy()

    return work


def by_pandas(tables: dict[str, pd.DataFrame]) -> Callable[[], Any]:
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

    return work


def by_loop(tables: dict[str, pd.DataFrame]) -> Callable[[], Any]:
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

    return work


def cases(given: Any) -> Iterator[Case]:
    """The whole routine, and how it grows."""
    tables = data(given.lines)
    book = dokima.Rulebook.from_dict(BOOK, tables={name: tables[name] for name in BOOK["table"]})
    orders = book.orders((tables["headers"], tables["lines"]))
    sides = {
        "Dokima": lambda: np.asarray(book.price(orders, workers=2).totals["with_tax"].at(2).units, np.int64),
        "DuckDB": by_duckdb(tables),
        "Polars": by_polars(tables),
        "pandas, in floats": by_pandas(tables),
        "a Decimal loop": by_loop(tables),
    }
    what = f"a whole routine on {given.lines:,} lines in {len(orders):,} orders, in memory"
    yield compared(
        what, sides, runs=given.runs, inexact=("pandas, in floats",), once=("a Decimal loop", "pandas, in floats"),
        notes="ours keeps every figure of every line, the peers the totals of the orders",
    )  # fmt: skip


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
