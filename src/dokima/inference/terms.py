"""What a price list is: which column finds its rows, which is the price, from when and from which quantity on."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from typing import Any

from dokima.inference.profiles import FileProfile, Profile
from dokima.inference.words import plain, suggests

_FROM = ("from", "validfrom", "since", "gueltigab", "ab", "von", "start", "vanaf", "debut", "valablede")
_UNTIL = ("until", "validuntil", "to", "validto", "gueltigbis", "bis", "ende", "end", "tot", "fin")
_LEAST = (
    "minquantity",
    "minqty",
    "fromquantity",
    "abmenge",
    "menge",
    "mindestmenge",
    "quantity",
    "qty",
    "staffel",
    "qte",
)


@dataclass(frozen=True)
class PriceTerms:
    """A price list, as far as its cells and the stated prices prove it.

    Attributes:
        item: The column of the item.
        price: The column of the price.
        match: Other columns that rows are found by, with the field each equals.
        start: The first day of a row; blank for none.
        until: Its last day; blank for none.
        least: The quantity from which on a row applies; blank for none.
        base: How many the price is for; blank for one.
        scale: Columns of prices with the quantity from which on each applies, as its heading says it; empty for one
            price a row.
        unique: Whether each item has one row.
        why: What speaks for the price, in a sentence.
    """

    item: str
    price: str
    match: Mapping[str, str] = field(default_factory=dict)
    start: str = ""
    until: str = ""
    least: str = ""
    base: str = ""
    scale: Mapping[str, int] = field(default_factory=dict)
    unique: bool = True
    why: str = ""


def price_terms(
    prices: FileProfile,
    items: Sequence[Any],
    stated: Sequence[Decimal | Fraction | None],
    fields: Mapping[str, Sequence[Any]],
) -> PriceTerms | None:
    """Find out what a price list is; None if no column of it names items, or none is their price.

    Args:
        prices: Its columns.
        items: The item of each line of the export.
        stated: The unit price that each line states.
        fields: Other fields of the lines by dotted name, one value for each line: the customer, the unit.
    """
    wanted = {str(item) for item in items if item is not None}
    shares = {name: len(wanted & set(map(str, each.counts))) for name, each in prices.columns.items()}
    item = max(shares, key=lambda name: shares[name], default="")
    if not item or shares[item] < 0.5 * len(wanted):
        return None
    rows: dict[str, list[int]] = {}
    for at, cell in enumerate(prices.columns[item].cells):
        rows.setdefault(str(cell), []).append(at)
    numeric = [name for name, each in prices.columns.items() if each.is_number and name != item]
    meets = {name: _meets(prices.numbers(name), rows, items, stated) for name in numeric}
    price = max(numeric, key=lambda name: (meets[name], suggests(name, "price")), default="")
    if not price:
        return None
    known = sum(1 for each, value in zip(items, stated, strict=True) if str(each) in rows and value is not None)
    scale = _scale(numeric, price)
    each_met = [_met(prices.numbers(name), rows, items, stated) for name in scale or [price]]
    meeting = sum(1 for met in zip(*each_met, strict=True) if any(met))
    rest = {name: each for name, each in prices.columns.items() if name not in (item, price, *scale) and each.filled}
    match = {name: source for name, each in rest.items() if (source := _same_as(each, fields))}
    start, until = _window({name: each for name, each in rest.items() if each.kind == "date"})
    free = [name for name in numeric if name not in (price, *match, *scale)]
    least = next((name for name in free if plain(name) in _LEAST), "")
    base = next((name for name in free if name != least and suggests(name, "base") >= 2), "")
    unique = all(len(each) == 1 for each in rows.values())
    why = f"one of its rows has the stated price on {meeting} of {known} lines whose item it has"
    why = why if known else "its heading says so; the export states no prices"
    if scale:
        why += f"; from {', '.join(map(str, scale.values()))} on, as the headings say"
    return PriceTerms(item, price, {} if unique else match, start, until, least, base, scale, unique, why)


def _scale(numeric: Sequence[str], price: str) -> dict[str, int]:
    """Columns that are called alike but for one rising number, the price among them: ``from 1``, ``from 10``."""
    found = {name: re.fullmatch(r"(\D*)(\d+)(\D*|\s*-\s*\d+\D*)", name.strip()) for name in numeric}
    mine = found.get(price)
    if mine is None:
        return {}
    like = {name: int(each[2]) for name, each in found.items() if each and plain(each[1]) == plain(mine[1])}
    rising = sorted(set(like.values()))
    return like if len(like) > 1 and list(like.values()) == rising else {}


def _meets(
    column: Sequence[Decimal | None],
    rows: Mapping[str, Sequence[int]],
    items: Sequence[Any],
    stated: Sequence[Decimal | Fraction | None],
) -> int:
    """On how many lines a row of the item has the stated price."""
    return sum(_met(column, rows, items, stated))


def _met(
    column: Sequence[Decimal | None],
    rows: Mapping[str, Sequence[int]],
    items: Sequence[Any],
    stated: Sequence[Decimal | Fraction | None],
) -> list[bool]:
    """For each line whether a row of its item has the stated price."""
    return [
        value is not None and any(column[at] == value for at in rows.get(str(item), ()))
        for item, value in zip(items, stated, strict=True)
    ]


def _same_as(each: Profile, fields: Mapping[str, Sequence[Any]]) -> str:
    """The field of an order that a column has the values of; blank for none."""
    mine = set(map(str, each.counts))
    if each.kind not in ("text", "integer") or not mine:
        return ""
    shares = {
        name: len(mine & {str(v) for v in values if v is not None}) / len(mine) for name, values in fields.items()
    }
    found = max(shares, key=lambda name: shares[name], default="")
    return found if found and shares[found] >= 0.5 else ""


def _window(dates: Mapping[str, Profile]) -> tuple[str, str]:
    """The columns of the first and the last day; headings tell which, and with two the earlier one is the first."""
    start = next((name for name in dates if plain(name) in _FROM), "")
    until = next((name for name in dates if plain(name) in _UNTIL), "")
    left = [name for name in dates if name not in (start, until)]
    if not start and not until and len(left) == 2:
        return left[0], left[1]
    return start, until
