"""The first cases and the first paper of a rulebook that was proposed for an export."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator, Mapping
from typing import Any

from dokima.model.content import plain
from dokima.pricing.calculation.calculation import Calculation, PricedOrder
from dokima.pricing.running.stated_figures import STATED
from dokima.proving.cases import Case, Expected

CASES = "cases/from_the_export.toml"
"""The file of the first cases."""
MOST = 3
"""So many orders become cases."""
LOOKED_AT = 1000
"""So many orders are looked at for them."""
_COLUMNS = ("number", "item", "description", "quantity", "unit")


def first_paper(line: Collection[str], *, is_priced: bool) -> Mapping[str, Any]:
    """A paper to begin with: the columns that the export fills, and what a line costs.

    Args:
        line: Fields of lines that the export fills.
        is_priced: Whether there is a routine.
    """
    columns = [name for name in _COLUMNS if name in ("number", "quantity") or name in line]
    return {"order": {"title": "Order", "columns": [*columns, *(("price", "net") if is_priced else ())]}}


def first_cases(calculation: Calculation, source: str) -> list[Case]:
    """Orders that come to just what they state, as cases: the first, and those with most and fewest lines.

    Args:
        calculation: The export, priced.
        source: What it is called.
    """
    looked_at = itertools.islice(calculation, LOOKED_AT)
    fit = {order.number: stated for order in looked_at if (stated := _as_stated(order))}
    sizes = {number: len(calculation[number].lines) for number in fit}
    chosen = dict.fromkeys([*fit][:1] + [pick(sizes, key=sizes.__getitem__) for pick in (max, min) if sizes] + [*fit])
    note = f"What the order comes to in {source}."
    return [
        Case(
            f"{number} comes to what it states",
            order=_plain(calculation.orders.document(calculation[number].position)),
            expect=[Expected(path, value) for path, value in fit[number].items()],
            note=note,
        )
        for number in list(chosen)[:MOST]
    ]


def _plain(document: Mapping[str, Any]) -> dict[str, Any]:
    """A document as a file of cases holds it; what is blank is left out."""
    lines = [{name: plain(value) for name, value in line.items() if value is not None} for line in document["lines"]]
    header = {name: plain(value) for name, value in document.items() if name != "lines" and value is not None}
    return {**header, "lines": lines}


def _as_stated(order: PricedOrder) -> dict[str, Any]:
    """What an order states and comes to, by path; empty if it states no total, or anything of it is not met."""
    if order.findings:
        return {}
    found = dict(_totals(order))
    nets = {line.number: line.field("stated_net") for line in order.lines}
    if not found and any(value is None for value in nets.values()):
        return {}
    return found or {f"line.{line.number}.net": line.figure("net") for line in order.lines}


def _totals(order: PricedOrder) -> Iterator[tuple[str, Any]]:
    known = order.calculation.orders.fields.header
    for field, total in STATED.items():
        if field in known and order.header(field) is not None:
            yield total, getattr(order.totals, total)
