"""Shares and apportioned parts add up, to the last unit, and treat lines fairly."""

from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from dokima import exact
from dokima.errors import ExactError

cents = st.integers(-(10**7), 10**7).map(lambda u: Decimal(u).scaleb(-2))
weights = st.lists(st.one_of(st.integers(0, 50), st.just(2**63)).map(Decimal), min_size=1, max_size=8)


def share_slowly(amount: Decimal, weights: list[Decimal]) -> list[Fraction]:
    """Largest remainder by the book: one line at a time, with fractions."""
    whole = sum(map(Fraction, weights))
    ideal = [abs(Fraction(amount)) * 100 * Fraction(w) / whole for w in weights]
    parts = [int(x) for x in ideal]
    for _ in range(int(abs(amount) * 100) - sum(parts)):
        at = max(range(len(parts)), key=lambda i: (ideal[i] - parts[i] if parts[i] <= ideal[i] else -1, -i))
        parts[at] += 1
    return [Fraction(part, 100) * (-1 if amount < 0 else 1) for part in parts]


@given(cents, weights)
def test_shares_follow_the_largest_remainder(amount, weights):
    assume(any(weights))
    parts = exact.to_decimals(exact.share(exact.decimals([amount]), exact.decimals(weights), 2))

    assert parts == share_slowly(amount, weights)
    assert sum(parts) == amount
    mirrored = exact.share(exact.decimals([-amount]), exact.decimals(weights), 2)
    assert exact.to_decimals(-mirrored) == parts


def test_one_cent_goes_to_the_earlier_line_and_mirrors():
    equal = exact.decimals([1, 1, 1])

    assert exact.texts(exact.share(exact.decimals(["0.01"]), equal, 2), 2) == ["0.01", "0.00", "0.00"]
    assert exact.texts(exact.share(exact.decimals(["-0.01"]), equal, 2), 2) == ["-0.01", "0.00", "0.00"]
    thirds = exact.decimals([1, 2, 3]) / exact.decimals([3, 3, 3])
    assert exact.texts(exact.share(exact.decimals(["1.00"]), thirds, 2), 2) == ["0.17", "0.33", "0.50"]


def test_weights_that_cannot_share():
    amount = exact.decimals(["1.00"])

    with pytest.raises(ExactError, match="all have one sign"):
        exact.share(amount, exact.decimals([1, -1]), 2)
    with pytest.raises(ExactError, match="at least one weight .* must differ from zero"):
        exact.share(amount, exact.decimals([0, 0]), 2)
    with pytest.raises(ExactError, match="an amount to share must have at most 2 decimal places"):
        exact.share(exact.decimals(["0.005"]), exact.decimals([1]), 2)
    assert exact.texts(exact.share(amount, exact.decimals([0, 0, 0]), 2, equal_if_weightless=True), 2) == [
        "0.34", "0.33", "0.33",
    ]  # fmt: skip
    assert exact.texts(exact.share(exact.decimals([0]), exact.decimals([0, 0]), 2), 2) == ["0.00", "0.00"]


parts = st.lists(st.integers(-(10**6), 10**6).map(lambda u: Decimal(u).scaleb(-4)), max_size=8)


@given(parts, st.sampled_from(list(exact.MODES)), st.sampled_from([1, 7]))
def test_apportioned_parts_add_up_and_stay_within_a_cent(values, mode, divisor):
    column = exact.decimals(values)
    exact_parts = column / exact.decimals([divisor]) if divisor > 1 else column
    ideal = [Fraction(x) / divisor for x in values]
    whole = exact.total(column) / exact.decimals([divisor])
    total = whole.round(2, mode)
    result = exact.to_decimals(exact.apportion(exact_parts, total, 2))

    assert sum(result) == exact.to_decimals(total)[0]
    assert all(abs(Fraction(part) - x) < Fraction(1, 100) for part, x in zip(result, ideal, strict=True))
    # Nobody who gained a cent lost less by truncation than somebody who did not.
    rests = [x - Fraction(int(x * 100), 100) for x in ideal]
    moved = [abs(Fraction(part) - (x - rest)) for part, x, rest in zip(result, ideal, rests, strict=True)]
    up = sum(rests) > 0
    gainers = [r if up else -r for r, m in zip(rests, moved, strict=True) if m]
    others = [r if up else -r for r, m in zip(rests, moved, strict=True) if not m]
    assert not gainers or not others or min(gainers) >= max(others)


def test_many_groups_at_once_equal_each_by_itself():
    values = ["10.00", "-0.05", None, "7.77"]
    loads = [[1, 1, 1], [3, 4], [1], [5, 0, 9, 2]]
    groups = exact.Grouping(np.repeat(np.arange(4), [len(load) for load in loads]), 4)
    together = exact.share_groups(exact.decimals(values), exact.decimals(w for load in loads for w in load), 2, groups)
    alone = [exact.share(exact.decimals([v]), exact.decimals(load), 2) for v, load in zip(values, loads, strict=True)]

    assert exact.texts(together.parts) == [text for column in alone for text in exact.texts(column)]


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(-(10**6), 10**6)), max_size=24), st.sampled_from([1, 7]))
def test_many_groups_apportioned_at_once_equal_each_by_itself(rows, divisor):
    """Whatever stands between the lines of a group, and whether cents are missing from all groups, few, or both ways."""
    column, of = exact.decimals(Decimal(units).scaleb(-4) for _, units in rows), np.array([g for g, _ in rows], np.intp)
    groups, parts = exact.Grouping(of, 4), column if divisor == 1 else column / exact.decimals([divisor])
    totals = (exact.group_sums(column, groups) / exact.decimals([divisor])).round(2)
    together = exact.apportion_groups(parts, totals, 2, groups)

    for group in range(4):
        mine = np.flatnonzero(of == group)
        alone = exact.apportion(parts.take(mine), totals.take(np.array([group])), 2)
        assert exact.texts(together.take(mine)) == exact.texts(alone)


def test_parts_over_different_denominators_are_compared_exactly():
    """A third (0.3333) loses more by truncation to one place than two sevenths (0.2857) does not: 0.033 < 0.085."""
    thirds = exact.decimals([1, 2]) / exact.decimals([3, 7])

    assert exact.texts(exact.apportion(thirds, exact.decimals(["0.6"]), 1)) == ["0.3", "0.3"]
    with pytest.raises(ExactError, match="within one unit per line of its parts"):
        exact.apportion(thirds, exact.decimals(["5.0"]), 1)
