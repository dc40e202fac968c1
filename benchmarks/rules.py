"""Twenty rules of mixed kinds over many lines: ours, hand-written Polars, hand-written pandas, and a plain Python loop.

All four must count the same refusals for every rule before a ratio is printed. Reading is not measured for anyone: each
side starts from the form it likes best, for Polars enumerations and whole hundredths. Ours is the public verb, which
also writes a message with the values seen for every refusal (about two lines in a hundred are refused); the peers count.
"""

from __future__ import annotations

import random
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

import pandas as pd
from measuring import Case, compared, parser, show

import dokima

COUNTRIES = ["NL", "BE", "DE", "LU", "CH"]
FAMILIES = ["frames", "glazing", "crating", "vents", "services"]
ITEMS = [
    {"item": f"I{n}", "family": FAMILIES[n % 5], "unit": "DAY" if n % 5 == 4 else "C62", "pack": 1 + n % 4, "weight": 3 + n % 40, "list_price": 10 + n}
    for n in range(200)
]  # fmt: skip
CUSTOMERS = [{"customer": f"C{n}", "country": COUNTRIES[n % 5], "limit": 40 + n % 60} for n in range(500)]
DAY = date(2026, 3, 2)

RULES: dict[str, tuple[str | None, str]] = {
    "positive": (None, "line.quantity > 0"),
    "not-huge": (None, "line.quantity <= 55"),
    "half-days": ("line.unit == 'DAY'", "line.quantity % 0.5 == 0"),
    "whole-pieces": ("line.unit == 'C62'", "line.quantity % 1 == 0"),
    "packs": ("item.family == 'frames'", "line.quantity % item.pack == 0"),
    "known-unit": (None, "line.unit in ['C62', 'DAY', 'MTK']"),
    "unit-of-item": (None, "line.unit == item.unit"),
    "reason": ("not blank(line.price_override)", "not blank(line.override_reason)"),
    "not-too-cheap": ("not blank(line.price_override)", "line.price_override >= item.list_price * 0.7"),
    "not-too-dear": ("not blank(line.price_override)", "line.price_override <= item.list_price * 1.5"),
    "carrier": (None, "item.weight * line.quantity <= 2200"),
    "not-late": (None, "days_between(header.date, line.due_date) >= 0"),
    "not-far": (None, "days_between(header.date, line.due_date) <= 170"),
    "no-glass-abroad": ("item.family == 'glazing'", "customer.country in ['NL', 'BE', 'DE', 'LU']"),
    "crates": ("any(item.family == 'glazing')", "any(item.family == 'crating')"),
    "few-lines": (None, "count() <= 8"),
    "pieces": (None, "sum(line.quantity) <= customer.limit * 6"),
    "family-limit": (None, "sum(line.quantity, by=item.family) <= 160"),
    "no-twins": (None, "distinct(line.item) == count()"),
    "one-big-line": (None, "highest(line.quantity) < sum(line.quantity) or count() == 1"),
}
ORDER_RULES = ("crates", "few-lines", "pieces", "no-twins", "one-big-line")


def generated(count: int) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Headers and lines, five lines an order on average; about two lines of each hundred break some rule."""
    rng = random.Random(3)
    headers, lines = [], []
    rare = lambda: rng.random() < 0.004  # noqa: E731
    crates = [item for item in ITEMS if item["family"] == "crating"]
    at_home = [item for item in ITEMS if item["family"] != "glazing"]
    while len(lines) < count:
        number, customer = f"O{len(headers)}", rng.choice(CUSTOMERS)
        headers.append((number, customer["customer"], DAY))
        among = at_home if customer["country"] == "CH" and not rare() else ITEMS
        items = rng.sample(among, rng.randint(9, 10) if rare() else rng.randint(1, 7))
        if {item["family"] for item in items} & {"glazing"} and not rare():
            items = [*(item for item in items if item["family"] != "crating"), rng.choice(crates)]
        if rare():
            items.append(items[0])
        for n, item in enumerate(items):
            packs = item["pack"] if item["family"] == "frames" else 1
            quantity = packs * rng.randint(1, 55 // packs) if item["unit"] == "C62" else rng.randint(1, 20) / 2
            if rare():
                quantity += 0.25
            override = round(item["list_price"] * rng.uniform(0.7, 1.5), 2) if rng.random() < 0.1 else None
            if override is not None and rng.random() < 0.05:
                override = round(item["list_price"] * rng.choice([0.6, 1.6]), 2)
            reason = "agreed" if override is not None and rng.random() < 0.95 else None
            unit = "KGM" if rare() else item["unit"]
            due = date.fromordinal(DAY.toordinal() + (rng.choice([-1, 175]) if rare() else rng.randint(0, 170)))
            lines.append((number, 10 * (n + 1), item["item"], quantity, unit, override, reason, due))
    names = ["order", "line", "item", "quantity", "unit", "price_override", "override_reason", "due_date"]
    return pd.DataFrame(headers, columns=["order", "customer", "date"]), pd.DataFrame(lines, columns=names)


def by_dokima(headers: pd.DataFrame, lines: pd.DataFrame) -> Callable[[], dict[str, int]]:
    """The rulebook, on orders read beforehand."""
    rules = [{"id": name, "at": "save", "when": when, "require": require} for name, (when, require) in RULES.items()]
    line = {
        "quantity": {"kind": "decimal", "places": 2, "floats": "round"},
        "price_override": {"kind": "decimal", "places": 2, "floats": "round"},
    }
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "rules", "currency": "EUR"},
            "line": line,
            "table": {"item": {"key": {"item": "line.item"}}, "customer": {"key": {"customer": "header.customer"}}},
            "rule": [{key: value for key, value in rule.items() if value is not None} for rule in rules],
        },
        tables={"item": ITEMS, "customer": CUSTOMERS},
    )
    orders = book.orders((headers, lines))

    def run() -> dict[str, int]:
        return {of.rule: of.refused for of in book.check(orders, workers=2).summary if of.rule in RULES}

    return run


def by_pandas(headers: pd.DataFrame, lines: pd.DataFrame) -> Callable[[], dict[str, int]]:
    """The same by hand, in floats."""
    items = pd.DataFrame(ITEMS).set_index("item").rename(columns={"unit": "unit_item"})
    customers = pd.DataFrame(CUSTOMERS).set_index("customer")
    headers, lines = (
        headers.assign(date=pd.to_datetime(headers.date)),
        lines.assign(due_date=pd.to_datetime(lines.due_date)),
    )

    def run() -> dict[str, int]:
        heads = headers.join(customers, on="customer").set_index("order")
        f = lines.join(items, on="item").join(heads[["date", "country", "limit"]], on="order")
        q, day = f.quantity, (f.due_date - f.date).dt.days
        override = f.price_override.notna()
        g = f.assign(glazing=f.family == "glazing", crating=f.family == "crating").groupby("order", sort=False)
        o = g.agg(
            count=("item", "size"),
            pieces=("quantity", "sum"),
            most=("quantity", "max"),
            kinds=("item", "nunique"),
            limit=("limit", "first"),
            glazing=("glazing", "any"),
            crating=("crating", "any"),
        )
        families = f.groupby(["order", "family"], sort=False).quantity.transform("sum")
        bad = {
            "positive": ~(q > 0), "not-huge": ~(q <= 55), "half-days": (f.unit == "DAY") & (q % 0.5 != 0), "whole-pieces": (f.unit == "C62") & (q % 1 != 0),
            "packs": (f.family == "frames") & (q % f["pack"] != 0), "known-unit": ~f.unit.isin(["C62", "DAY", "MTK"]), "unit-of-item": f.unit != f.unit_item,
            "reason": override & f.override_reason.isna(), "not-too-cheap": override & ((f.price_override * 100).round() < (f.list_price * 70)),
            "not-too-dear": override & ((f.price_override * 100).round() > f.list_price * 150), "carrier": f.weight * q > 2200, "not-late": day < 0, "not-far": day > 170,
            "no-glass-abroad": (f.family == "glazing") & ~f.country.isin(["NL", "BE", "DE", "LU"]), "crates": o.glazing & ~o.crating, "few-lines": o["count"] > 8,
            "pieces": o.pieces > o.limit * 6, "family-limit": families > 160, "no-twins": o.kinds != o["count"], "one-big-line": ~((o.most < o.pieces) | (o["count"] == 1)),
        }  # fmt: skip
        return {name: int(mask.sum()) for name, mask in bad.items()}

    return run


def by_polars(headers: pd.DataFrame, lines: pd.DataFrame) -> Callable[[], dict[str, int]]:
    """The same by hand, lazily, on two threads: texts are enumerations, quantities and prices whole hundredths."""
    import polars as pl

    def coded(frame: pl.DataFrame, **words: list[str]) -> pl.LazyFrame:
        return frame.with_columns(pl.col(name).cast(pl.Enum(of)) for name, of in words.items()).lazy()

    of_item, of_customer = [row["item"] for row in ITEMS], [row["customer"] for row in CUSTOMERS]
    units, numbers = ["C62", "DAY", "MTK", "KGM"], headers["order"].tolist()
    items = coded(pl.DataFrame(ITEMS), item=of_item, unit=units, family=FAMILIES)
    customers = coded(pl.DataFrame(CUSTOMERS), customer=of_customer, country=COUNTRIES)
    heads = coded(pl.from_pandas(headers), order=numbers, customer=of_customer).with_columns(
        pl.col("date").cast(pl.Date)
    )
    hundredths = [(pl.col(name) * 100).round().cast(pl.Int64) for name in ("quantity", "price_override")]
    rows = pl.from_pandas(lines).with_columns(*hundredths, pl.col("due_date").cast(pl.Date))
    rows = coded(rows, order=numbers, item=of_item, unit=units)
    heads, rows = heads.collect().lazy(), rows.collect().lazy()
    c = pl.col

    def run() -> dict[str, int]:
        f = rows.join(items, on="item", how="left", suffix="_item").join(
            heads.join(customers, on="customer", how="left"), on="order", how="left"
        )
        day, override = (c("due_date") - c("date")).dt.total_days(), c("price_override").is_not_null()
        q, price = c("quantity"), c("price_override")
        bad = {
            "positive": q <= 0, "not-huge": q > 5500, "half-days": (c("unit") == "DAY") & (q % 50 != 0), "whole-pieces": (c("unit") == "C62") & (q % 100 != 0),
            "packs": (c("family") == "frames") & (q % (c("pack") * 100) != 0), "known-unit": ~c("unit").is_in(["C62", "DAY", "MTK"]), "unit-of-item": c("unit") != c("unit_item"),
            "reason": override & c("override_reason").is_null(), "not-too-cheap": override & (price < c("list_price") * 70), "not-too-dear": override & (price > c("list_price") * 150),
            "carrier": c("weight") * q > 220000, "not-late": day < 0, "not-far": day > 170, "no-glass-abroad": (c("family") == "glazing") & (c("country") == "CH"),
        }  # fmt: skip
        per_line = f.select(**{name: mask.sum() for name, mask in bad.items()})
        # A group-by and not a window: each line of a family beyond its limit counts.
        families = f.group_by("order", "family").agg(q.sum(), count=pl.len())
        per_family = families.select(c("count").filter(q > 16000).sum().alias("family-limit"))
        o = f.group_by("order").agg(
            count=pl.len(), pieces=q.sum(), most=q.max(), kinds=c("item").n_unique(), limit=c("limit").first(),
            glazing=(c("family") == "glazing").any(), crating=(c("family") == "crating").any(),
        )  # fmt: skip
        worse = {
            "crates": c("glazing") & ~c("crating"), "few-lines": c("count") > 8, "pieces": c("pieces") > c("limit") * 600, "no-twins": c("kinds") != c("count"),
            "one-big-line": ~((c("most") < c("pieces")) | (c("count") == 1)),
        }  # fmt: skip
        per_order = o.select(**{name: mask.sum() for name, mask in worse.items()})
        found = pl.collect_all([per_line, per_family, per_order])
        return {name: int(frame[name][0]) for frame in found for name in frame.columns}

    return run


def by_loop(headers: pd.DataFrame, lines: pd.DataFrame) -> Callable[[], dict[str, int]]:
    """The same in plain Python, one order after the other."""
    items, customers = {i["item"]: i for i in ITEMS}, {c["customer"]: c for c in CUSTOMERS}
    by_order: dict[str, list[Any]] = defaultdict(list)
    for row in lines.astype(object).where(lines.notna(), None).itertuples(index=False):
        by_order[row.order].append(
            (items[row.item], row.quantity, row.unit, row.price_override, row.override_reason, row.due_date)
        )
    orders = [(h.date, customers[h.customer], by_order[h.order]) for h in headers.itertuples(index=False)]

    def run() -> dict[str, int]:
        bad: Counter[str] = Counter()
        for day, customer, rows in orders:
            families: dict[str, float] = defaultdict(float)
            for item, q, *_ in rows:
                families[item["family"]] += q
            for item, q, unit, override, reason, due in rows:
                family, days = item["family"], (due - day).days
                bad["positive"] += not q > 0
                bad["not-huge"] += not q <= 55
                bad["half-days"] += unit == "DAY" and q % 0.5 != 0
                bad["whole-pieces"] += unit == "C62" and q % 1 != 0
                bad["packs"] += family == "frames" and q % item["pack"] != 0
                bad["known-unit"] += unit not in ("C62", "DAY", "MTK")
                bad["unit-of-item"] += unit != item["unit"]
                if override is not None:
                    bad["reason"] += reason is None
                    bad["not-too-cheap"] += round(override * 100) < item["list_price"] * 70
                    bad["not-too-dear"] += round(override * 100) > item["list_price"] * 150
                bad["carrier"] += item["weight"] * q > 2200
                bad["not-late"] += days < 0
                bad["not-far"] += days > 170
                bad["no-glass-abroad"] += family == "glazing" and customer["country"] not in ("NL", "BE", "DE", "LU")
                bad["family-limit"] += families[family] > 160
            pieces, most = sum(row[1] for row in rows), max(row[1] for row in rows)
            bad["crates"] += "glazing" in families and "crating" not in families
            bad["few-lines"] += len(rows) > 8
            bad["pieces"] += pieces > customer["limit"] * 6
            bad["no-twins"] += len({row[0]["item"] for row in rows}) != len(rows)
            bad["one-big-line"] += not (most < pieces or len(rows) == 1)
        return dict(bad)

    return run


def cases(given: Any) -> Iterator[Case]:
    """Twenty rules on all lines."""
    frames = generated(given.lines)
    makers = {"Dokima": by_dokima, "Polars": by_polars, "pandas": by_pandas, "a Python loop": by_loop}
    sides = {name: make(*frames) for name, make in makers.items()}
    refused = sum(sides["Dokima"]().values())
    what = f"{len(RULES)} rules on {len(frames[1]):,} lines in {len(frames[0]):,} orders, {refused:,} refusals"
    yield compared(
        what,
        sides,
        runs=given.runs,
        once=("a Python loop",),
        notes="ours finds, sorts and keeps each refusal; its message is put together where it is read",
    )


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
