"""Exact columns against Python's `decimal` and `fractions`, around the edge of int64 above all."""

from decimal import Decimal
from fractions import Fraction

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dokima import exact
from dokima.errors import ExactError
from dokima.exact import Decimals, Quotient, rounding

EDGES = [0, 1, -1, 5, 15, -25, 2**62, 2**63 - 1, -(2**63), 2**63, 10**19, -(10**19) - 5]
units = st.one_of(st.integers(-(10**6), 10**6), st.sampled_from(EDGES), st.integers(-(2**70), 2**70))
numbers = st.one_of(st.none(), st.builds(lambda u, p: Decimal(u).scaleb(-p), units, st.integers(0, 6)))
values = st.builds(lambda u, p: Decimal(u).scaleb(-p), units, st.integers(0, 6))
pairs = st.lists(st.tuples(numbers, numbers), max_size=6)


def fractions(column: exact.Number) -> list[Fraction | None]:
    """Every value as a fraction, read off the parts of the column and not through its own conversions."""
    if isinstance(column, Decimals):
        column = Quotient.of(column)
    whole = column.spread(len(column))
    shift = Fraction(10) ** -whole.places
    rows = zip(whole.top.tolist(), whole.bottom.tolist(), whole.is_missing().tolist(), strict=True)
    return [None if gone else Fraction(top, bottom) * shift for top, bottom, gone in rows]


def known(a: Decimal | None, b: Decimal | None, work) -> Fraction | None:
    return None if a is None or b is None else work(Fraction(a), Fraction(b))


@given(pairs)
def test_plus_minus_times_and_divided_by_are_exact(rows):
    a, b = exact.decimals(x for x, _ in rows), exact.decimals(y for _, y in rows)

    assert fractions(a + b) == [known(x, y, lambda p, q: p + q) for x, y in rows]
    assert fractions(a - b) == [known(x, y, lambda p, q: p - q) for x, y in rows]
    assert fractions(a * b) == [known(x, y, lambda p, q: p * q) for x, y in rows]
    assert fractions(a / b * b / b) == [known(x, y, lambda p, q: p / q if q else None) for x, y in rows]
    assert fractions(-abs(a)) == [None if x is None else -abs(Fraction(x)) for x, _ in rows]


@given(pairs)
def test_comparison_is_by_value(rows):
    rows = [(x, y) for x, y in rows if x is not None and y is not None]
    a, b = exact.decimals(x for x, _ in rows), exact.decimals(y for _, y in rows)

    expected = [(x > y) - (x < y) for x, y in rows]
    assert exact.compare(a, b).tolist() == expected
    three = Decimals.constant(3)
    assert exact.compare(a / three, b / three).tolist() == expected
    assert exact.compare(a / three, b).tolist() == [(x > 3 * y) - (x < 3 * y) for x, y in rows]


@given(st.lists(numbers, max_size=6), st.sampled_from([*exact.MODES, rounding.STORING]), st.integers(-3, 7))
def test_every_rounding_mode_is_that_of_decimal(values, mode, places):
    constant = exact.MODES.get(mode, "ROUND_05UP")

    def rounded(x: Decimal) -> Fraction:
        # Through a whole number, because Decimal.quantize stops at the precision of its context.
        lifted = Decimal(x).scaleb(places).to_integral_value(constant)
        return Fraction(lifted) / Fraction(10) ** places

    expected = [None if x is None else rounded(x) for x in values]
    column = exact.decimals(values)
    assert fractions(column.round(places, mode)) == expected
    assert fractions((column / Decimals.constant(7) * Decimals.constant(7)).round(places, mode)) == expected


@given(pairs, st.sampled_from(list(exact.MODES)), st.integers(0, 6))
def test_a_stored_quotient_rounds_as_the_exact_one(rows, mode, places):
    quotient = exact.decimals(x for x, _ in rows) / exact.decimals(y for _, y in rows)

    kept = exact.stored(quotient)
    assert fractions(kept.round(places, mode)) == fractions(quotient.round(places, mode))
    for (x, y), value in zip(rows, fractions(kept), strict=True):
        if x is not None and y:
            # Whatever stands beside it, division by a power of ten keeps every place, and no other more than twelve.
            moves_the_point = Decimal(y).normalize().as_tuple().digits == (1,)
            assert value == Fraction(x) / Fraction(y) if moves_the_point else (value * 10**12).denominator == 1


@pytest.mark.parametrize("mode", [*exact.MODES, rounding.STORING])
@pytest.mark.parametrize("low", [0, -3000])
def test_long_columns_are_rounded_as_short_ones(mode, low):
    """Of a long column it is asked once whether anything is negative."""
    units = np.arange(low, 3000, 7)
    whole = Decimals(units, 2).round(0, mode).units.tolist()
    assert whole == [int(Decimals(units[at : at + 1], 2).round(0, mode).units[0]) for at in range(len(units))]


@pytest.mark.parametrize("unit", [7, -7, 2**61])
def test_sums_of_many_groups_one_after_the_other_and_mixed(unit):
    """The running total of 2,000 times 2**61 is far beyond int64; the sum of each group is not."""
    groups = np.repeat(np.arange(1000), 2)
    column = Decimals(np.full(2000, unit))
    for of in (groups, groups[::-1], np.tile(np.arange(1000), 2)):
        assert exact.group_sums(column, exact.Grouping(of, 1001)).units.tolist() == [2 * unit] * 1000 + [0]


@given(st.lists(st.tuples(values, values, st.integers(0, 2)), max_size=12), st.sampled_from(list(exact.MODES)))
def test_sums_of_fractions_round_and_compare_as_the_exact_sum(rows, mode):
    """With any denominators, a few or many, alone or taken apart and used further."""
    rows = [(x, y, group) for x, y, group in rows if Fraction(y)]
    groups = np.array([group for _, _, group in rows], np.int64)
    terms = exact.Quotient.of(exact.decimals(x for x, _, _ in rows)) / exact.decimals(y for _, y, _ in rows)
    expected = [sum((Fraction(x) / Fraction(y) for x, y, g in rows if g == group), Fraction(0)) for group in range(3)]

    sums = exact.group_sums(terms, exact.Grouping(groups, 3))

    for places in (0, 2, 12):
        whole = [Fraction(str(exact.to_decimals(exact.from_fractions([s]).round(places, mode))[0])) for s in expected]
        assert fractions(sums.round(places, mode)) == whole
    assert exact.compare(sums, exact.from_fractions(expected)).tolist() == [0, 0, 0]
    shifted = [each + Fraction(1, 10**20) for each in expected]
    assert exact.compare(sums, exact.from_fractions(shifted)).tolist() == [-1, -1, -1]
    thirds = (sums.take(np.array([2, 0])) * Decimals.constant(3)).round(6, mode)
    assert fractions(thirds) == fractions(exact.from_fractions([expected[2] * 3, expected[0] * 3]).round(6, mode))


def assert_whole(value: object) -> None:
    """Only whole numbers: int64, or Python integers."""
    parts = [value.units] if isinstance(value, Decimals) else [value.top, value.bottom]
    for part in parts:
        assert part.dtype in (np.int64, object)
        assert all(type(each) is int for each in part.tolist())


@given(pairs, st.integers(0, 30), st.sampled_from(list(exact.MODES)))
def test_no_operation_leaves_a_float(rows, places, mode):
    a, b = exact.decimals(x for x, _ in rows), exact.decimals(y for _, y in rows)
    q, groups = exact.Quotient.of(a) / b, exact.Grouping(np.arange(len(rows)) % 2, 2)
    numbers = [
        a,
        b,
        q,
        a + b,
        a - b,
        a * b,
        a / b,
        -q,
        abs(a),
        q + a,
        a - q,
        q * b,
        q / q,
        q + q,
        a.shifted(3),
        q.shifted(3),
    ]
    numbers += [exact.whole_division(a, b), exact.remainder(a, b), exact.remainder(q, b)]
    numbers += [each.round(places, mode) for each in (a, q)] + [a.round(-2, mode), q.round(-2, mode)]
    numbers += [exact.stored(q), a.at(a.places + places), a.compact(), a.filled(), exact.choose(~a.is_missing(), q, a)]
    numbers += [exact.group_sums(each, groups) for each in (a, q)]
    numbers += [exact.group_extremes(each, groups, highest) for each in (a, q) for highest in (True, False)]
    numbers += [exact.from_arrow(exact.to_arrow(a.round(8)))] if a.bound < 10**25 else []
    weights = abs(a)
    numbers += [exact.share_groups(exact.decimals(["1", "2"]), each, 4, groups).parts for each in (weights, abs(q))]

    for number in numbers:
        assert_whole(number)


def test_fewer_places_and_floats_are_refused():
    with pytest.raises(ExactError, match="a column of 2 decimal places cannot be written with 1 decimal place"):
        exact.decimals(["1.25"]).at(1)
    with pytest.raises(ExactError, match="a column holds whole numbers, as int64 or Python integers .got float64"):
        Decimals(np.array([1.5]))


@given(pairs)
def test_whole_division_and_remainder_are_those_of_decimal(rows):
    a, b = exact.decimals(x for x, _ in rows), exact.decimals(y for _, y in rows)

    def whole(p: Fraction, q: Fraction) -> Fraction | None:
        return None if q == 0 else Fraction(int(p / q))

    def rest(p: Fraction, q: Fraction) -> Fraction | None:
        return None if q == 0 else p - int(p / q) * q

    assert fractions(exact.whole_division(a, b)) == [known(x, y, whole) for x, y in rows]
    assert fractions(exact.remainder(a, b)) == [known(x, y, rest) for x, y in rows]
    third = Decimals.constant(3)
    thirds = fractions(exact.remainder(a / third, b))
    assert thirds == [known(x, y, lambda p, q: rest(p / 3, q)) for x, y in rows]


@given(st.lists(st.tuples(numbers, st.integers(0, 18)), min_size=1), st.integers(0, 5))
def test_division_by_powers_of_ten_makes_no_fraction(rows, places):
    by = Decimals(np.array([10**power for _, power in rows], np.int64), places)
    found = exact.decimals(x for x, _ in rows) / by

    assert isinstance(found, Decimals)
    assert fractions(found) == [None if x is None else Fraction(x) * 10**places / 10**power for x, power in rows]


def test_a_fraction_is_rounded_once_at_the_end():
    """0.29 / 12 * 6 is 0.145 and rounds to 0.15; a float or an early rounding says 0.14."""
    cents = exact.decimals(["0.29"]) / exact.decimals([12]) * exact.decimals([6])

    assert exact.texts(cents.round(2)) == ["0.15"]


def test_columns_widen_only_where_they_must_and_narrow_again():
    large = exact.decimals(["92233720368547758.07", None])
    product = large * exact.decimals(["1.01"])

    assert large.units.dtype == np.int64
    assert product.units.dtype == object
    assert exact.texts(product) == ["93156057572233235.6507", None]
    assert (product * exact.decimals(["0.001"])).round(2).units.dtype == np.int64


@given(st.lists(st.tuples(numbers, st.integers(0, 3)), max_size=12))
def test_group_sums_extremes_and_ranks(rows):
    column = exact.decimals(x for x, _ in rows)
    groups = exact.Grouping(np.array([g for _, g in rows], np.intp), 4)
    members = [[x for x, g in rows if g == group] for group in range(4)]

    def over(work, empty):
        return [empty if not m else None if None in m else Fraction(work(map(Fraction, m))) for m in members]

    assert fractions(exact.group_sums(column, groups)) == over(sum, 0)
    assert fractions(exact.group_extremes(column, groups, highest=True)) == over(max, None)
    assert fractions(exact.group_extremes(column, groups, highest=False)) == over(min, None)
    present = [x for x, _ in rows if x is not None]
    by = {value: number for number, value in enumerate(sorted(set(present)))}
    assert exact.ranks(exact.decimals(present)).tolist() == [by[x] for x in present]
    halves = exact.decimals(present) / exact.decimals([2 if x > 0 else 3 for x in present])
    order = sorted({Fraction(x) / (2 if x > 0 else 3) for x in present})
    assert exact.ranks(halves).tolist() == [order.index(Fraction(x) / (2 if x > 0 else 3)) for x in present]


arrow_numbers = st.builds(
    lambda u, p: Decimal(u).scaleb(-p),
    st.one_of(st.sampled_from(EDGES), st.integers(-(2**70), 2**70)),
    st.integers(0, 6),
)


@given(st.lists(st.one_of(st.none(), arrow_numbers), max_size=6))
def test_text_decimal_and_arrow_read_back_what_was_written(values):
    column = exact.decimals(values)

    assert exact.to_decimals(exact.decimals(exact.texts(column))) == values
    assert exact.to_decimals(exact.from_arrow(exact.to_arrow(column))) == values
    assert exact.to_arrow(column).to_pylist() == values


@given(st.lists(numbers, min_size=1, max_size=6), st.integers(0, 4))
def test_few_some_and_many_numbers_are_written_alike(some, least):
    """Each by itself, together, and by Arrow; 50 and 5,000 are where one way gives place to the next."""
    few = exact.texts(exact.decimals(some), least)
    for times in (60 // len(some) + 1, 5000 // len(some) + 1):
        assert exact.texts(exact.decimals(some * times), least) == few * times
    wanted = [None if each is None else Decimal(each) for each in few]
    assert wanted == some
    assert all(text is None or len(text.partition(".")[2]) >= least for text in few)


def test_reading_and_writing_hard_values():
    assert exact.texts(exact.decimals([" 5.", ".5", "+0.50", "-0", "1E+3", 7, Decimal("-0.10"), None]), 1) == [
        "5.0", "0.5", "0.5", "0.0", "1000.0", "7.0", "-0.1", None,
    ]  # fmt: skip
    assert exact.to_decimals(exact.from_arrow(pa.array([1, None, -5]))) == [1, None, -5]
    assert exact.texts(exact.from_floats([2.675, float("nan"), -0.1], 2), 2) == ["2.68", None, "-0.10"]
    assert len(exact.decimals([]).round(2)) == 0


@pytest.mark.parametrize(
    ("value", "message"),
    [
        (0.35, "exact number .got the binary float 0.35"),
        (True, "got the flag True"),
        ("12,50", "expected a number such as 44.25 .got '12,50'"),
        ("1_000", "got '1_000'"),
        ("٣", "got '٣'"),
        (Decimal("NaN"), "finite number"),
        ("1e999", "at most 100 digits"),
        (object, "expected a number"),
    ],
)
def test_what_is_no_exact_number_is_refused(value, message):
    with pytest.raises(ExactError, match=message):
        exact.decimals([value])


def test_arrow_refuses_what_it_cannot_hold_and_names_the_column():
    with pytest.raises(ExactError, match="line.amount has a value of more than 38 digits"):
        exact.to_arrow(exact.decimals(["9" * 39]), name="line.amount")
