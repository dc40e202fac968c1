"""Replay: what another version of a rulebook does to orders that are there already."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from decimal import Decimal
from typing import Any, Protocol

import numpy as np

from dokima.changes.grouping import VarianceGroup, grouped, unpriced_pairs
from dokima.changes.variance import Variance
from dokima.columns.cells import cell
from dokima.columns.column import value_at
from dokima.columns.dates import Dates
from dokima.exact import Decimals, compare, stored, to_decimals, total
from dokima.exact.integers import Integers
from dokima.exact.ranking import distinct
from dokima.formulas.operators import numbers
from dokima.model.finding import Finding
from dokima.model.findings import Findings
from dokima.model.orders import Orders
from dokima.model.said import Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.calculation.summing import LeftOut, unpriced
from dokima.pricing.running.stated_figures import STATED


class Prices(Protocol):
    """What a replay asks of a rulebook."""

    def orders(self, source: Any, layout: str | None = None) -> Orders:
        """Read orders."""

    def price(self, source: Any, layout: str | None = None, *, workers: int = 1) -> Calculation:
        """Price orders."""

    def check(self, source: Any) -> Findings:
        """Ask the rules of saving."""


MOST = 10
"""Orders that are listed as the largest, and as not reproduced."""


@dataclass(frozen=True)
class Moved:
    """One order: what it came to, and what it comes to."""

    order: str
    currency: str
    before: Decimal | None
    after: Decimal | None

    @property
    def variance(self) -> Decimal | None:
        """What is between; None if one side is unknown."""
        return None if self.before is None or self.after is None else self.after - self.before


@dataclass(frozen=True)
class Replay:
    """What came of a replay.

    Attributes:
        orders: How many orders both rulebooks could read.
        lines: How many lines.
        stated: How many orders say what they come to: stated totals, or agreed terms.
        reproduced: How many of those today's rulebook reproduces to the cent.
        off: The first of the others: what they say (before) and what today's rulebook gives (after).
        changed_orders: How many orders the new rulebook changes.
        changed_lines: How many lines.
        totals: By currency the totals without tax: before, after, variance. None where no order has any.
        by_customer: Changed lines by customer.
        by_item: Changed lines by item.
        by_step: By currency and step the variance of its figure.
        largest: The orders that change most, without tax.
        by_rule: By rule how many findings appear and disappear.
        appeared: Findings of the new rulebook only.
        disappeared: Findings of today's only.
        left_out: Orders that one of the rulebooks could not read or price; they are in no sum.
    """

    orders: int
    lines: int
    stated: int
    reproduced: int
    off: Sequence[Moved]
    changed_orders: int
    changed_lines: int
    totals: Mapping[str, tuple[Decimal | None, Decimal | None, Decimal | None]]
    by_customer: Sequence[VarianceGroup]
    by_item: Sequence[VarianceGroup]
    by_step: Mapping[tuple[str, str], Decimal]
    largest: Sequence[Moved]
    by_rule: Mapping[str, tuple[int, int]]
    appeared: Sequence[Finding]
    disappeared: Sequence[Finding]
    left_out: Sequence[LeftOut] = ()

    def to_dict(self) -> dict[str, Any]:
        """The replay as plain data, numbers as text."""
        return {
            **{name: getattr(self, name) for name in ("orders", "lines", "stated", "reproduced")},
            "off": [_moved(each) for each in self.off],
            "changed_orders": self.changed_orders,
            "changed_lines": self.changed_lines,
            "totals": {code: dict(zip(_PARTS, map(_plain, sums), strict=True)) for code, sums in self.totals.items()},
            "by_customer": [_group(each) for each in self.by_customer],
            "by_item": [_group(each) for each in self.by_item],
            "by_step": [{"currency": c, "step": s, "variance": _plain(v)} for (c, s), v in self.by_step.items()],
            "largest": [_moved(each) for each in self.largest],
            "by_rule": {rule: {"appear": a, "disappear": d} for rule, (a, d) in self.by_rule.items()},
            "left_out": [asdict(each) for each in self.left_out],
        }


_PARTS = ("before", "after", "variance")


def _plain(value: Any) -> str | None:
    """A value as text, amounts with their places."""
    return cell(value, 0)


def _moved(each: Moved) -> dict[str, Any]:
    return {**{name: _plain(value) for name, value in asdict(each).items()}, "variance": _plain(each.variance)}


def _group(group: VarianceGroup) -> dict[str, Any]:
    sums = group.figures.get("without_tax", (None, None, None))
    return {
        "value": _plain(group.value),
        "currency": group.currency,
        "lines": group.lines,
        **dict(zip(_PARTS, map(_plain, sums), strict=True)),
    }


def replay(
    today: Prices, new: Prices, source: Any, *, layout: str | None = None, as_of: datetime.date | None = None
) -> Replay:
    """Price and check orders with two versions of a rulebook.

    Agreed terms are laid aside: what is asked is what the rulebooks say.

    Args:
        today: The rulebook as it is.
        new: The rulebook as it is to be.
        source: Orders, as for `Rulebook.orders`.
        layout: As for `Rulebook.orders`.
        as_of: Price all orders as if they were ordered on this day.
    """
    known, renewed = today.orders(source, layout), new.orders(source, layout)
    problems = [Findings.of_problems(orders.problems) for orders in (known, renewed)]
    known, renewed = _of_both(known, renewed)
    sides = [_bare(orders, as_of) for orders in (known, renewed)]
    before, after = (book.price(orders, workers=2) for book, orders in zip((today, new), sides, strict=True))
    variance = Variance(before, after)
    moved = np.zeros(len(variance), bool)
    for name, columns in variance.figures.items():
        if columns.is_money and not name.endswith("_effect"):
            moved |= (compare(columns.before, columns.after) != 0) & ~columns.variance.is_missing()
            moved |= columns.before.is_missing() != columns.after.is_missing()
    # What an order says it comes to, it says of its own day.
    own_day = before if as_of is None else today.price(_bare(known, None), workers=2)
    stated, off = _reproduced(known, own_day)
    findings = [
        {(f.rule, f.order, f.line): f for f in wrong + book.check(orders) + side.findings}
        for wrong, book, orders, side in zip(problems, (today, new), sides, (before, after), strict=True)
    ]
    appeared = [finding for key, finding in findings[1].items() if key not in findings[0]]
    disappeared = [finding for key, finding in findings[0].items() if key not in findings[1]]
    counts = Counter(f.rule for f in appeared), Counter(f.rule for f in disappeared)
    return Replay(
        orders=len(before),
        lines=len(variance),
        stated=stated,
        reproduced=stated - len(off),
        off=off[:MOST],
        changed_orders=len(distinct(variance.pair_of[moved])),
        changed_lines=int(moved.sum()),
        totals=_by_currency(before, after),
        by_customer=grouped(variance, "header.customer").groups,
        by_item=grouped(variance, "line.item").groups,
        by_step=_by_step(variance),
        largest=_largest(before, after),
        by_rule={rule: (counts[0][rule], counts[1][rule]) for rule in sorted({*counts[0], *counts[1]})},
        appeared=appeared,
        disappeared=disappeared,
        left_out=[*_set_aside(problems), *_not_priced(variance)],
    )


def _of_both(known: Orders, renewed: Orders) -> tuple[Orders, Orders]:
    """The orders that both rulebooks could read: a new one may ask for a field that some do not have."""
    if known.numbers == renewed.numbers:
        return known, renewed
    both = set(known.numbers) & set(renewed.numbers)
    first, second = (
        orders.select(np.array([at for at, number in enumerate(orders.numbers) if number in both], np.int64))
        for orders in (known, renewed)
    )
    return first, second


def _set_aside(problems: Sequence[Findings]) -> Iterator[LeftOut]:
    """The orders that one side could not read, each once, and the first problem."""
    told: set[str] = set()
    for is_new, found in enumerate(problems):
        for each in found:
            if each.order not in told:
                told.add(each.order)
                yield _left_out(each.order, bool(is_new), each.message)


def _not_priced(variance: Variance) -> Iterator[LeftOut]:
    """The orders that one side could not price."""
    for each in unpriced_pairs(variance):
        yield _left_out(each.order, each.is_after, each.why)


def _left_out(order: str, is_new: bool, why: str) -> LeftOut:
    return LeftOut(order, Said("new: {why}", why=why) if is_new else Said("today: {why}", why=why))


def _bare(orders: Orders, as_of: datetime.date | None) -> Orders:
    """Orders without agreed terms and stated figures, all of one day if asked."""
    records = {name: rows for name, rows in orders.records.items() if name != "terms"}
    plain = {name: column for name, column in orders.headers.items() if name not in STATED}
    lines = {name: column for name, column in orders.lines.items() if name not in ("unit_price", "stated_net")}
    bare = replace(orders, records=records, headers=plain, lines=lines)
    return bare if as_of is None else bare.with_columns({"date": Dates.of([as_of]).spread(orders.count)}, {})


def _reproduced(orders: Orders, calculation: Calculation) -> tuple[int, list[Moved]]:
    """How many orders say what they come to, and those that today's rulebook does not reproduce."""
    said, off = np.zeros(orders.count, bool), dict[int, Moved]()

    def compared(at: int, name: str, value: Decimal) -> None:
        said[at] = True
        places = int(calculation.minor_units[at])
        found = amount_at(calculation.totals[name], at, places)
        if found != value:
            off.setdefault(at, Moved(orders.numbers[at], value_at(orders.header("currency"), at) or "", value, found))

    for field, name in STATED.items():
        if field in orders.headers:
            column = orders.header(field)
            for at in np.flatnonzero(~column.is_missing()).tolist():
                compared(at, name, value_at(column, at))
    for at in range(orders.count):
        terms = orders.terms(at)
        lines = () if terms is None else terms.lines.values()
        kept = [line.figures["without_tax"] for line in lines if "without_tax" in line.figures]
        if kept and None not in kept and not said[at]:
            compared(at, "without_tax", sum((Decimal(each) for each in kept), Decimal(0)))
    return int(said.sum()), [off[at] for at in sorted(off)]


def _currencies(calculation: Calculation) -> list[str]:
    return [value or "" for value in calculation.orders.header("currency").to_list()]  # type: ignore[union-attr, misc]


def _by_currency(before: Calculation, after: Calculation) -> dict[str, tuple[Any, Any, Any]]:
    sums: dict[str, tuple[Any, Any, Any]] = {}
    codes, known = np.array(_currencies(after)), ~(unpriced(before) | unpriced(after))
    for currency in sorted(set(codes.tolist())):
        mine = np.flatnonzero((codes == currency) & known)
        if not len(mine):
            sums[currency] = (None, None, None)
            continue
        both = [
            amount_at(total(side.totals["without_tax"].take(mine)), 0, int(side.minor_units[mine[0]]))
            for side in (before, after)
        ]
        sums[currency] = (*both, both[1] - both[0])
    return sums


def _by_step(variance: Variance) -> dict[tuple[str, str], Decimal]:
    """The variance of each step's figure over all lines, by currency; what is unknown is left out."""
    calculation = variance.after
    codes = np.array([*_currencies(calculation), ""])
    of_line = codes[np.where(variance.at_after < 0, -1, calculation.orders.order_of[variance.at_after])]
    names = {step.name for routine in calculation.program.routines for step in routine.steps if step.is_amount}
    names |= {step.name for routine in variance.before.program.routines for step in routine.steps if step.is_amount}
    found: dict[tuple[str, str], Decimal] = {}
    for currency in sorted(set(of_line.tolist())):
        mine: Integers = np.flatnonzero(of_line == currency)
        for name, columns in variance.figures.items():
            if name in names:
                moved = columns.variance.take(mine)
                known = moved.take(np.flatnonzero(~moved.is_missing()))
                whole = to_decimals(total(known))[0]
                if whole:
                    found[currency, name] = whole
    return found


def _largest(before: Calculation, after: Calculation) -> list[Moved]:
    """The orders whose total without tax moves most."""
    sides = [stored(numbers(side.totals["without_tax"])) for side in (before, after)]
    moved: Decimals = sides[1] - sides[0]
    size = np.where(moved.is_missing(), 0, np.abs(moved.units))
    order = np.lexsort((np.arange(len(size)), -size.astype(np.int64) if size.dtype != object else -size))[:MOST]
    return [
        Moved(
            after.orders.numbers[at],
            value_at(after.orders.header("currency"), at) or "",
            *(amount_at(side, at, int(after.minor_units[at])) for side in sides),
        )
        for at in order.tolist()
        if size[at]
    ]
