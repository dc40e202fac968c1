"""Twenty rules of mixed kinds over many lines: ours, hand-written pandas, hand-written Polars, and a plain Python loop.

All four must count the same refusals for every rule before a ratio is printed. Reading is not measured for anyone: each
side starts from the form it likes best.
"""

from __future__ import annotations

import argparse
import random
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from datetime import date
from typing import Any

import pandas as pd

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
    "carrier": (None, "item.weight * line.quantity <= 1500"),
    "not-late": (None, "days_between(header.date, line.due_date) >= 0"),
    "not-far": (None, "days_between(header.date, line.due_date) <= 170"),
    "no-glass-abroad": ("item.family == 'glazing'", "customer.country in ['NL', 'BE', 'DE', 'LU']"),
    "crates": ("any(item.family == 'glazing')", "any(item.family == 'crating')"),
    "few-lines": (None, "count() <= 8"),
    "pieces": (None, "sum(line.quantity) <= customer.limit * 4"),
    "family-limit": (None, "sum(line.quantity, by=item.family) <= 90"),
    "no-twins": (None, "distinct(line.item) == count()"),
    "one-big-line": (None, "highest(line.quantity) < sum(line.quantity) or count() == 1"),
}
ORDER_RULES = ("crates", "few-lines", "pieces", "no-twins", "one-big-line")


def generated(count: int) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Headers and lines, five lines an order on average; a few of each hundred break some rule."""
    rng = random.Random(3)
    headers, lines = [], []
    while len(lines) < count:
        number = f"O{len(headers)}"
        headers.append((number, rng.choice(CUSTOMERS)["customer"], DAY))
        for n in range(rng.randint(1, 9)):
            item = rng.choice(ITEMS)
            quantity = rng.randint(1, 56) if item["unit"] == "C62" else rng.randint(1, 20) / 2
            if rng.random() < 0.01:
                quantity += 0.25
            override = round(item["list_price"] * rng.uniform(0.65, 1.55), 2) if rng.random() < 0.1 else None
            reason = "agreed" if override is not None and rng.random() < 0.95 else None
            unit = item["unit"] if rng.random() < 0.99 else "KGM"
            due = date.fromordinal(DAY.toordinal() + rng.randint(-1, 175))
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
    from dokima.engine.program import Run
    from dokima.engine.running.checking import rules_asked
    from dokima.engine.running.preparing import prepare
    from dokima.engine.running.rule_columns import rule_context
    from dokima.rules.verdicts import judge

    def run() -> dict[str, int]:
        # The verdicts alone: the peers below count refusals too, and write no messages.
        asked = [rule for rule, _ in rules_asked(book.program, "save") if rule.id in RULES]
        context = rule_context(book.program, prepare(book.program, orders, Run()), Run(), asked)
        return {rule.id: int(judge(rule, context).refused.sum()) for rule in asked}

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
            "not-too-dear": override & ((f.price_override * 100).round() > f.list_price * 150), "carrier": f.weight * q > 1500, "not-late": day < 0, "not-far": day > 170,
            "no-glass-abroad": (f.family == "glazing") & ~f.country.isin(["NL", "BE", "DE", "LU"]), "crates": o.glazing & ~o.crating, "few-lines": o["count"] > 8,
            "pieces": o.pieces > o.limit * 4, "family-limit": families > 90, "no-twins": o.kinds != o["count"], "one-big-line": ~((o.most < o.pieces) | (o["count"] == 1)),
        }  # fmt: skip
        return {name: int(mask.sum()) for name, mask in bad.items()}

    return run


def by_polars(headers: pd.DataFrame, lines: pd.DataFrame) -> Callable[[], dict[str, int]]:
    """The same by hand, lazily, on as many threads as Polars likes."""
    import polars as pl

    items, customers = pl.DataFrame(ITEMS).lazy(), pl.DataFrame(CUSTOMERS).lazy()
    heads, rows = pl.from_pandas(headers).lazy(), pl.from_pandas(lines).lazy()
    c = pl.col

    def run() -> dict[str, int]:
        f = rows.join(items, on="item", how="left", suffix="_item").join(
            heads.join(customers, on="customer", how="left"), on="order", how="left"
        )
        day, override = (
            (c("due_date").cast(pl.Date) - c("date").cast(pl.Date)).dt.total_days(),
            c("price_override").is_not_null(),
        )
        q, cents = c("quantity"), (c("price_override") * 100).round()
        bad = {
            "positive": q <= 0, "not-huge": q > 55, "half-days": (c("unit") == "DAY") & (q % 0.5 != 0), "whole-pieces": (c("unit") == "C62") & (q % 1 != 0),
            "packs": (c("family") == "frames") & (q % c("pack") != 0), "known-unit": ~c("unit").is_in(["C62", "DAY", "MTK"]), "unit-of-item": c("unit") != c("unit_item"),
            "reason": override & c("override_reason").is_null(), "not-too-cheap": override & (cents < c("list_price") * 70), "not-too-dear": override & (cents > c("list_price") * 150),
            "carrier": c("weight") * q > 1500, "not-late": day < 0, "not-far": day > 170, "no-glass-abroad": (c("family") == "glazing") & ~c("country").is_in(["NL", "BE", "DE", "LU"]),
            "family-limit": q.sum().over("order", "family") > 90,
        }  # fmt: skip
        per_line = f.select(**{name: mask.sum() for name, mask in bad.items()})
        o = f.group_by("order").agg(
            count=pl.len(),
            pieces=q.sum(),
            most=q.max(),
            kinds=c("item").n_unique(),
            limit=c("limit").first(),
            glazing=(c("family") == "glazing").any(),
            crating=(c("family") == "crating").any(),
        )
        worse = {
            "crates": c("glazing") & ~c("crating"), "few-lines": c("count") > 8, "pieces": c("pieces") > c("limit") * 4, "no-twins": c("kinds") != c("count"),
            "one-big-line": ~((c("most") < c("pieces")) | (c("count") == 1)),
        }  # fmt: skip
        per_order = o.select(**{name: mask.sum() for name, mask in worse.items()})
        found = pl.collect_all([per_line, per_order])
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
                bad["carrier"] += item["weight"] * q > 1500
                bad["not-late"] += days < 0
                bad["not-far"] += days > 170
                bad["no-glass-abroad"] += family == "glazing" and customer["country"] not in ("NL", "BE", "DE", "LU")
                bad["family-limit"] += families[family] > 90
            pieces, most = sum(row[1] for row in rows), max(row[1] for row in rows)
            bad["crates"] += "glazing" in families and "crating" not in families
            bad["few-lines"] += len(rows) > 8
            bad["pieces"] += pieces > customer["limit"] * 4
            bad["no-twins"] += len({row[0]["item"] for row in rows}) != len(rows)
            bad["one-big-line"] += not (most < pieces or len(rows) == 1)
        return dict(bad)

    return run


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    arguments = parser.parse_args()
    frames = generated(arguments.lines)
    sides = {"Dokima": by_dokima, "pandas": by_pandas, "Polars": by_polars, "a Python loop": by_loop}
    runs = {name: make(*frames) for name, make in sides.items()}
    times: dict[str, list[float]] = defaultdict(list)
    answers: dict[str, dict[str, int]] = {}
    for _ in range(3):  # interleaved, so that a slow moment of the machine meets everyone
        for name, run in runs.items():
            start = time.perf_counter()
            answers[name] = run()
            times[name].append(time.perf_counter() - start)
    for name, answer in answers.items():
        if different := {rule for rule in RULES if answer.get(rule, 0) != answers["Dokima"][rule]}:
            raise SystemExit(f"the answers of {name} differ on {', '.join(sorted(different))}; no ratio is printed")
    ours = min(times["Dokima"])
    print(
        f"{len(frames[1]):,} lines, {len(frames[0]):,} orders, {len(RULES)} rules, {sum(answers['Dokima'].values()):,} refusals"
    )
    for name, spent in times.items():
        print(
            f"{name:>14}: {min(spent):7.2f} s"
            + ("" if name == "Dokima" else f", {min(spent) / ours:5.1f} times as long")
        )
