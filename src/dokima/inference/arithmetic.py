"""Roles of columns of money, proved by arithmetic: quantity x price / base less discount is the amount."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from itertools import permutations

import numpy as np

SAMPLE = 400
"""Lines on which identities are looked for; the best is then tried on all."""
ENOUGH = 0.9
"""Share of the lines on which an identity must hold to be one."""

Numbers = Sequence[Decimal | None]


@dataclass(frozen=True)
class Identity:
    """A sum that columns obey.

    Attributes:
        quantity: The heading of the quantity.
        price: That of the price.
        amount: That of the amount.
        base: That of how many the price is for; blank for one.
        percent: That of a discount in percent; blank for none.
        less: That of a discount as an amount; blank for none.
        holds: Places of the lines on which it holds.
        fails: Places of those on which it does not.
    """

    quantity: str
    price: str
    amount: str
    base: str = ""
    percent: str = ""
    less: str = ""
    holds: Sequence[int] = field(default_factory=tuple)
    fails: Sequence[int] = field(default_factory=tuple)

    @property
    def share(self) -> Fraction:
        """On which share of the lines it holds."""
        return Fraction(len(self.holds), max(1, len(self.holds) + len(self.fails)))

    @property
    def written(self) -> str:
        """The identity in the headings of the file."""
        per = f" / {self.base}" if self.base else ""
        percent = self.percent if "%" in self.percent else f"{self.percent} %"
        less = f" less {percent}" if self.percent else f" less {self.less}" if self.less else ""
        return f"{self.quantity} x {self.price}{per}{less} = {self.amount}"

    def value(self, at: int, columns: Mapping[str, Numbers]) -> Decimal | None:
        """What the amount of a line should be, rounded half-up to the places it is written with; None if unknown."""
        parts = [columns[name][at] for name in (self.quantity, self.price)]
        amount = columns[self.amount][at]
        if any(part is None for part in parts) or amount is None:
            return None
        exact = Fraction(parts[0] or 0) * Fraction(parts[1] or 0)
        if self.base:
            base = columns[self.base][at]
            exact /= Fraction(base) if base else 1
        if self.percent:
            exact *= 1 - Fraction(columns[self.percent][at] or 0) / 100
        if self.less:
            exact -= Fraction(columns[self.less][at] or 0)
        places = max(2, -int(amount.as_tuple().exponent)) if amount.is_finite() else 2
        return rounded(exact, places)


def discount_rounding(identity: Identity, columns: Mapping[str, Numbers]) -> str:
    """How a discount is rounded so that most amounts come out: a net that was rounded half-up has a discount that was
    rounded half-down, where the amount before it has no more places than the net."""
    hits = dict.fromkeys(("half-up", "half-down"), 0)
    for at in identity.holds:
        parts = [columns[name][at] for name in (identity.quantity, identity.price)]
        gross = Fraction(parts[0] or 0) * Fraction(parts[1] or 0)
        if identity.base:
            gross /= Fraction(columns[identity.base][at] or 1)
        before = rounded(gross, 2)
        exact = Fraction(before) * Fraction(columns[identity.percent][at] or 0) / 100
        for mode in hits:
            hits[mode] += before - rounded(exact, 2, down=mode == "half-down") == columns[identity.amount][at]
    return max(hits, key=lambda mode: hits[mode])


def rounded(exact: Fraction, places: int, *, down: bool = False) -> Decimal:
    """A fraction rounded half-up, or half-down."""
    scaled = abs(exact) * 10**places
    units = (2 * scaled.numerator + scaled.denominator - (1 if down else 0)) // (2 * scaled.denominator)
    value = Decimal(units).scaleb(-places)
    return -value if exact < 0 else value


def prove(columns: Mapping[str, Numbers], hints: Mapping[str, str]) -> Identity | None:
    """The identity that most lines obey; None if none does.

    Args:
        columns: Numbers by heading, one for each line.
        hints: By heading what its words suggest (quantity, price, base, percent, less, amount). They break ties only:
            quantity x price is price x quantity.
    """
    names = [name for name, numbers in columns.items() if sum(n is not None for n in numbers) > 0]
    if len(names) < 3:
        return None
    floats = {name: np.array([np.nan if n is None else float(n) for n in columns[name][:SAMPLE]]) for name in names}
    with np.errstate(all="ignore"):  # of numbers without end the floats are infinite, and then nothing is likely
        likely = list(_likely(names, floats))
    found = [_tried(each, columns) for each in likely]
    found = [each for each in found if each.share >= ENOUGH and len(each.holds) >= 2]
    return max(
        found,
        key=lambda each: (each.share, _plainness(each), _hinted(each, hints), _spread(each, columns)),
        default=None,
    )


def _likely(names: Sequence[str], floats: Mapping[str, np.ndarray]) -> Iterator[Identity]:
    """Identities that hold on most lines of a sample, to a cent, before anybody counts exactly."""
    for quantity, price, amount in permutations(names, 3):
        if quantity > price:
            continue  # the product is the same; who is who is settled later
        product = floats[quantity] * floats[price]
        others = [name for name in names if name not in (quantity, price, amount)]
        for base, percent, less in _extras(others):
            expected = product
            if base:
                expected = expected / np.where(np.nan_to_num(floats[base]) == 0, 1, floats[base])
            if percent:
                expected = expected * (1 - np.nan_to_num(floats[percent]) / 100)
            if less:
                expected = expected - np.nan_to_num(floats[less])
            known = ~np.isnan(expected) & ~np.isnan(floats[amount])
            # An amount of nothing proves nothing.
            telling = known & (np.abs(np.nan_to_num(floats[amount])) > 0.005)
            if telling.sum() < 2:
                continue
            near = np.abs(expected - floats[amount]) <= 0.0051 + 1e-9 * np.abs(floats[amount])
            if (near & telling).sum() >= (ENOUGH - 0.05) * telling.sum():
                yield Identity(quantity, price, amount, base, percent, less)
                yield Identity(price, quantity, amount, base, percent, less)


def _extras(others: Sequence[str]) -> Iterator[tuple[str, str, str]]:
    """What may stand beside quantity and price: nothing, a base, a discount, or both."""
    yield "", "", ""
    for first in others:
        yield first, "", ""
        yield "", first, ""
        yield "", "", first
        for second in others:
            if first != second:
                yield first, second, ""
                yield first, "", second


def _tried(identity: Identity, columns: Mapping[str, Numbers]) -> Identity:
    holds: list[int] = []
    fails: list[int] = []
    amounts = columns[identity.amount]
    for at in range(len(amounts)):
        expected = identity.value(at, columns)
        if expected is not None:
            (holds if expected == amounts[at] else fails).append(at)
    parts = (identity.quantity, identity.price, identity.amount, identity.base, identity.percent, identity.less)
    return Identity(*parts, tuple(holds), tuple(fails))


def _plainness(identity: Identity) -> int:
    """What needs fewer columns, unless the others explain more lines."""
    return -sum(bool(name) for name in (identity.base, identity.percent, identity.less))


def _hinted(identity: Identity, hints: Mapping[str, str]) -> int:
    roles = {"quantity": identity.quantity, "price": identity.price, "amount": identity.amount}
    roles |= {"base": identity.base, "percent": identity.percent, "less": identity.less}
    score = sum(1 for role, name in roles.items() if name and hints.get(name) == role)
    return score - sum(1 for role, name in roles.items() if name and hints.get(name, role) != role)


def _spread(identity: Identity, columns: Mapping[str, Numbers]) -> int:
    """A price has more different digits than a quantity: the more places, the more it looks like one."""
    places = [_places(columns[name]) for name in (identity.quantity, identity.price)]
    return places[1] - places[0]


def _places(numbers: Numbers) -> int:
    return max((-int(n.as_tuple().exponent) for n in numbers if n is not None and n.is_finite()), default=0)


def sums_of(numbers: Numbers, groups: Sequence[int], count: int) -> list[Decimal | None]:
    """The sum of each group; None where a number is missing."""
    found: list[Decimal | None] = [Decimal(0)] * count
    for group, value in zip(groups, numbers, strict=True):
        known = found[group]
        found[group] = None if value is None or known is None else known + value
    return found
