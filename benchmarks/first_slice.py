"""Check and price the demo's orders: one small order at a time, and a million lines against a plain `Decimal` loop.

The loop does the same steps in the way a careful developer writes them by hand: tables in dictionaries, one line after
the other, `Decimal` throughout. Totals of all orders must be equal before a ratio is printed.
"""

from __future__ import annotations

import csv
import json
import random
import tomllib
from collections import defaultdict
from collections.abc import Iterator
from decimal import ROUND_DOWN, ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from measuring import Case, compared, parser, show

import dokima

DEMO = Path(dokima.__file__).parent / "demo" / "quillmere"
CENT, HUNDRED = Decimal("0.01"), Decimal(100)
DATE = "2026-03-02"


def rows(name: str) -> list[dict[str, str]]:
    """The rows of a demo table."""
    with (DEMO / "tables" / f"{name}.csv").open() as file:
        return list(csv.DictReader(file))


def generated(lines: int, seed: int = 2041) -> list[dict[str, Any]]:
    """Sales orders of five lines each over the demo's items and customers."""
    rng = random.Random(seed)
    items = [row["item"] for row in rows("items") if row["list_price"]]
    customers = [row["customer"] for row in rows("customers")]
    return [
        {
            "number": f"G{n}",
            "customer": rng.choice(customers),
            "pick_up": True,
            "lines": [(10 * (k + 1), rng.choice(items), rng.randint(1, 60)) for k in range(5)],
        }
        for n in range(lines // 5)
    ]


def demo_book() -> dokima.Rulebook:
    """The demo's rulebook with just the steps that the loop does too."""
    data = tomllib.loads((DEMO / "rulebook.toml").read_text(), parse_float=Decimal)
    del data["rulebook"]["reporting"], data["routine"]["sales"]["instalments"]
    beside = ("advance", "margin_percent", "order_margin_percent")
    sales = data["routine"]["sales"]
    sales["step"] = [step for step in sales["step"] if step["name"] not in beside]
    return dokima.Rulebook.from_dict(data, tables={name: DEMO / table["file"] for name, table in data["table"].items()})


class Loop:
    """The same checks and steps, one line after the other."""

    def __init__(self) -> None:
        self.items = {row["item"]: row for row in rows("items") if row["list_price"]}
        for row in self.items.values():
            row.update({name: Decimal(row[name]) for name in ("list_price", "weight", "unit_cost")})  # type: ignore[dict-item]
        self.customers = {row["customer"]: row for row in rows("customers")}
        self.agreed: dict[str, list[Any]] = defaultdict(list)
        for row in rows("agreed_prices"):
            least, price = Decimal(row["min_quantity"] or 0), Decimal(row["price"]) / Decimal(row["base"] or 1)
            window = (row["valid_from"] or "0", row["valid_until"] or "9")
            self.agreed[row["item"]].append((row["customer"], row["segment"], row["unit"], *window, least, price))
        self.volume: dict[tuple[str, str], list[Any]] = defaultdict(list)
        for row in rows("volume_discounts"):
            self.volume[row["segment"], row["family"]].append((Decimal(row["min_quantity"]), Decimal(row["percent"])))
        self.vat = {(r["country"], r["tax_class"]): (Decimal(r["percent"]), r["category"]) for r in rows("vat")}

    def check(self, order: dict[str, Any]) -> list[str]:
        """The three rules of the demo."""
        found = []
        families = {self.items[item]["family"] for _, item, _ in order["lines"]}
        if "glazing" in families and "crating" not in families and not order["pick_up"]:
            found.append(f"Panes travel in crates: add a crate line to {order['number']}, or mark it for pick-up.")
        for _, item, quantity in order["lines"]:
            if self.items[item]["unit"] == "DAY" and Decimal(quantity) % Decimal("0.5") != 0:
                found.append(f"{item} is sold by the half day")
            if order.get("price_override") is not None and not order.get("override_reason"):
                found.append(f"A manual price for {item} needs a reason.")
        return found

    def price(self, order: dict[str, Any]) -> tuple[Decimal, Decimal, list[dict[str, Any]]]:
        """Total without tax, tax, and the figures of every line."""
        customer = self.customers[order["customer"]]
        in_family: dict[str, Decimal] = defaultdict(Decimal)
        lines = [(number, self.items[item], Decimal(quantity)) for number, item, quantity in order["lines"]]
        for _, item, quantity in lines:
            in_family[item["family"]] += quantity
        taxable: dict[tuple[Decimal, str], list[dict[str, Any]]] = defaultdict(list)
        result = []
        for number, item, quantity in lines:
            price = self._agreed(customer, item, quantity)
            price = item["list_price"] if price is None else price
            goods = (quantity * price).quantize(CENT, ROUND_HALF_UP)
            percent = Decimal(0)
            for least, offered in self.volume.get((customer["segment"], item["family"]), ()):
                if in_family[item["family"]] >= least and offered > percent:
                    percent = offered
            discount = (goods * percent / HUNDRED).quantize(CENT, ROUND_HALF_UP)
            goods_net = goods - discount
            freight = (item["weight"] * quantity * Decimal("0.38")).quantize(CENT, ROUND_HALF_UP)
            net = goods_net + freight
            margin = (net - quantity * item["unit_cost"]).quantize(CENT, ROUND_HALF_UP)
            line = {
                "number": number, "unit": item["unit"], "price": price, "goods": goods, "discount": discount,
                "goods_net": goods_net, "freight": freight, "net": net, "margin": margin,
            }  # fmt: skip
            result.append(line)
            taxable[self.vat[customer["country"], item["tax_class"]]].append(line)
        tax = sum((self._tax(key[0], of) for key, of in taxable.items()), Decimal(0))
        return sum((line["net"] for line in result), Decimal(0)), tax, result

    def _agreed(self, customer: dict[str, str], item: dict[str, Any], quantity: Decimal) -> Decimal | None:
        best = None
        for who, segment, unit, start, end, least, price in self.agreed.get(item["item"], ()):
            fits = (not who or who == customer["customer"]) and (not segment or segment == customer["segment"])
            if fits and unit in ("", item["unit"]) and start <= DATE <= end and quantity >= least:
                best = price if best is None or price < best else best
        return best

    @staticmethod
    def _tax(percent: Decimal, lines: list[dict[str, Any]]) -> Decimal:
        """Rounded on the document; the cents go to the lines that lost most."""
        tax = (sum((line["net"] for line in lines), Decimal(0)) * percent / HUNDRED).quantize(CENT, ROUND_HALF_UP)
        lost = []
        left = tax
        for line in lines:
            exact = line["net"] * percent / HUNDRED
            line["vat"] = exact.quantize(CENT, ROUND_DOWN)
            left -= line["vat"]
            lost.append(line["vat"] - exact)
        for at in sorted(range(len(lines)), key=lost.__getitem__)[: int(left * 100)]:
            lines[at]["vat"] += CENT
        for line in lines:
            line["with_tax"] = line["net"] + line["vat"]
        return tax


def documents(count: int) -> str:
    """One order of so many lines as JSON."""
    rng = random.Random(count)
    items = [row["item"] for row in rows("items") if row["list_price"]]
    lines = [
        {"number": str(10 * (k + 1)), "item": rng.choice(items), "quantity": rng.randint(1, 60)} for k in range(count)
    ]
    header = {"number": "ONE", "kind": "sales", "date": DATE, "customer": "FERNHOLT", "pick_up": True}
    return json.dumps({**header, "lines": lines})


def cases(given: Any) -> Iterator[Case]:
    """One order from text to text, and many orders against the loop."""
    book = demo_book()
    for count in (10, 100):
        text = documents(count)

        def ours() -> int:
            return len(dokima.to_json(book.price(dokima.Orders.from_json(text), check="save")))  # noqa: B023

        what = f"one order of {count} lines: from JSON text, checked and priced, to JSON text"
        yield compared(what, {"Dokima": ours}, runs=9 * given.runs, times=20)  # a slow moment is longer than a run
    found = generated(given.lines)
    headers = pd.DataFrame(
        {
            "order": [d["number"] for d in found], "kind": "sales", "date": DATE,
            "customer": [d["customer"] for d in found], "pick_up": True,
        }
    )  # fmt: skip
    flat = [(d["number"], *line) for d in found for line in d["lines"]]
    lines = pd.DataFrame(flat, columns=["order", "line", "item", "quantity"])
    orders = book.orders((headers, lines))
    loop = Loop()

    def batch() -> Any:
        findings, calculation = book.check(orders), book.price(orders, workers=2)
        totals = (calculation.totals[name].at(2).units for name in ("without_tax", "tax"))
        return np.array([*np.concatenate([np.asarray(each, np.int64) for each in totals]), len(findings)])

    def by_hand() -> Any:
        complaints = sum(len(loop.check(document)) for document in found)
        both = [loop.price(document)[:2] for document in found]
        return np.array([*(int(a * 100) for a, _ in both), *(int(b * 100) for _, b in both), complaints])

    what = f"the demo's rules and routine on {given.lines:,} lines in {len(found):,} orders"
    yield compared(what, {"Dokima": batch, "a Decimal loop": by_hand}, runs=given.runs, once=("a Decimal loop",))


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
