"""Lists of orders, lines and events as people read them."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.model.listing import SUMMED, Listing
from dokima.reports.formatting import lines_counted, number, orders_counted
from dokima.reports.language import _
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording

TITLES = {"orders": "orders", "lines": "lines", "events": "history", "outcomes": "not_changed"}
_MONEY = ("without_tax", "tax", "with_tax")
_NUMBERS = ("quantity", "delivered", "open", "revision")
_SPARE = {
    "description": 6, "due_date": 6, "reason": 6, "kind": 5, "requested_by": 5, "name": 4, "date": 3, "revision": 3,
    "tax": 2, "delivered": 2, "event": 2, "unit": 1,
}  # fmt: skip
"""Columns that go where a terminal is too narrow, the highest first."""


def listing_paper(listing: Listing, words: Wording) -> Paper:
    """A list with its sums below it."""
    columns = [_column(name, listing, words) for name in listing.columns]
    rows = [Row([row[name] for name in listing.columns]) for row in listing.rows]
    if listing.level in SUMMED and listing.rows:
        by, summed = SUMMED[listing.level]
        for key, sums in listing.sums().items():
            told: dict[str, Any] = {
                listing.columns[0]: words["total"],
                by: key,
                **{name: sums[name] for name in summed if name in sums},
            }
            rows.append(Row([told.get(name) for name in listing.columns], "total"))
    return paper_in(
        words,
        title=listing.title or words[TITLES.get(listing.level, "orders")],
        subtitle=_counted(listing),
        sections=[Section("", columns, rows, _("no row") if listing.level == "rows" else words["no_changes"])],
    )


def _counted(listing: Listing) -> str:
    if listing.level not in SUMMED:
        return ""
    every = len(listing) if listing.found is None else listing.found
    said = orders_counted(every) if listing.level == "orders" else lines_counted(every)
    return said if every == len(listing) else _("{count} of {every}").format(count=number(len(listing)), every=said)


def _column(name: str, listing: Listing, words: Wording) -> Column:
    if listing.labels and (listing.level != "orders" or name in listing.labels):
        is_number = any(isinstance(row[name], Decimal) for row in listing.rows)
        return Column(listing.labels.get(name, name), "number" if is_number else "text", wide=not is_number)
    kind = "money" if name in _MONEY else "number" if name in _NUMBERS else "text"
    heading = words["order" if name == "number" else name]
    wide = name in ("name", "description", "why", "to")
    return Column(heading, kind, wide=wide, spare=_SPARE.get(name, 0))  # type: ignore[arg-type]
