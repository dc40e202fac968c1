"""Numbers at the edges of machine types, against Python's own whole numbers: what goes beyond is wide, and never wraps."""

import contextlib
from decimal import Context, Decimal
from fractions import Fraction

import numpy as np
import pandas
import pyarrow as pa
import pyarrow.parquet
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import dokima
from dokima import exact
from dokima.exact import Decimals
from tests.books import book, routine

CONTEXT = Context(prec=200)
POWERS = [sign * (2**power + by) for power in (31, 32, 61, 62, 63, 64) for by in (-2, -1, 0, 1, 2) for sign in (1, -1)]
near = st.one_of(st.sampled_from(POWERS), st.integers(-(2**65), 2**65), st.integers(-3, 3))
half = st.one_of(st.sampled_from([6 * 10**18, -6 * 10**18, 3 * 10**9, 2**31, 2**32, -(2**31) - 1]), near)


def whole(column):
    """The units of a column of whole numbers as Python's own."""
    return [None if gone else int(unit) for unit, gone in zip(column.at(0).units, column.is_missing(), strict=True)]


@given(st.lists(st.tuples(half, half), min_size=1, max_size=6), st.booleans())
@example([(6 * 10**18, 6 * 10**18)], False)
@example([(2**62, 2**62), (-(2**62), -(2**62))], True)
def test_plus_minus_and_times_are_those_of_whole_numbers(rows, packed):
    """Also in columns that are kept as int64, with the largest value known or unknown."""
    columns = []
    for values in zip(*rows, strict=True):
        fits = all(abs(value) < 2**63 for value in values)  # the least of int64 has no opposite in it: it is kept wide
        units = np.array(values, np.int64 if fits and packed else object)
        columns.append(Decimals(units, 0, None, None if packed else max(map(abs, values))))
    a, b = columns
    assert whole(a + b) == [x + y for x, y in rows]
    assert whole(a - b) == [x - y for x, y in rows]
    assert whole(a * b) == [x * y for x, y in rows]
    assert whole(-a) == [-x for x, _ in rows]
    assert whole(abs(a)) == [abs(x) for x, _ in rows]


@given(st.lists(st.tuples(half, st.integers(0, 2)), min_size=1, max_size=12))
@example([(6 * 10**18, 0), (1, 1), (6 * 10**18, 0)])
@example([(6 * 10**18, 0), (6 * 10**18, 0), (-1, 1)])
def test_sums_are_those_of_whole_numbers(rows):
    groups = np.array([group for _, group in rows], np.int64)
    values = [value for value, _ in rows]
    wanted = [sum(value for value, group in rows if group == each) for each in range(3)]
    column = exact.decimals(map(Decimal, values))
    assert whole(exact.group_sums(column, exact.Grouping(groups, 3))) == wanted
    ordered = np.argsort(groups, kind="stable")
    assert whole(exact.group_sums(column.take(ordered), exact.Grouping(groups[ordered], 3))) == wanted
    assert exact.added(map(Decimal, values)) == sum(values)


INTEGERS = [pa.int8(), pa.int16(), pa.int32(), pa.int64(), pa.uint8(), pa.uint16(), pa.uint32(), pa.uint64()]


@pytest.mark.parametrize("kind", INTEGERS, ids=str)
@pytest.mark.parametrize("road", ["table", "parquet", "frame"])
def test_every_whole_number_of_arrow_reads_back(tmp_path, kind, road):
    """Least, most, none, in between; as quantities, and as the numbers of orders and lines."""
    bits = kind.bit_width
    least, most = (0, 2**bits - 1) if str(kind).startswith("u") else (-(2 ** (bits - 1)), 2 ** (bits - 1) - 1)
    values = [least, most, None, 5, most - 1, least + 200 if bits > 8 else least + 3]
    assert whole(exact.from_arrow(pa.array(values, kind))) == values
    assert whole(exact.from_arrow(pa.array(values, kind).slice(1, 4))) == values[1:5]
    numbers = [str(n) for n in range(len(values))]
    table = pa.table(
        {"order": pa.array(numbers), "line": pa.array([10] * len(values), pa.int8()), "boxes": pa.array(values, kind)}
    )
    rules = book(
        line={"boxes": {"kind": "integer"}}, routine=routine({"name": "b", "kind": "figure", "value": "line.boxes"})
    )
    source = {"table": lambda: table, "frame": lambda: table.to_pandas(types_mapper=pandas.ArrowDtype)}
    if road == "parquet":
        pyarrow.parquet.write_table(table, tmp_path / "o.parquet")
        source["parquet"] = lambda: tmp_path / "o.parquet"
    priced = rules.price(source[road]())
    assert priced.problems == ()
    found = {order.number: order.line(10).figure("b") for order in priced}
    assert found == {n: None if value is None else Decimal(value) for n, value in zip(numbers, values, strict=True)}


@pytest.mark.parametrize("kind", [*INTEGERS[:7], pa.decimal128(38, 2), pa.decimal128(20, -2)], ids=str)
def test_what_lies_under_a_blank_cell_counts_for_nothing(kind):
    """An Arrow array may hold any bytes where a value is null."""
    full = pa.array([1, 100, 3] if pa.types.is_integer(kind) else [Decimal(100), Decimal(12300), Decimal(300)], kind)
    validity = pa.py_buffer(bytes([0b101]))
    read = exact.from_arrow(pa.Array.from_buffers(kind, 3, [validity, full.buffers()[1]]))
    assert exact.to_decimals(read)[1] is None
    assert read.units.tolist()[1] == 0
    assert exact.to_decimals(exact.from_arrow(full))[1] == (100 if pa.types.is_integer(kind) else 12300)


@given(st.lists(st.one_of(st.none(), half), max_size=6), st.integers(0, 30), st.integers(0, 12))
@example([1, 250, None], 2, 2)
@example([2**64, 5], 3, 6)
def test_texts_by_arrow_are_those_by_python(units, places, least):
    """Also of numbers beyond int64, with more places than are shown, and with blanks."""
    column = exact.decimals([None if each is None else Decimal(each).scaleb(-places, CONTEXT) for each in units])
    texts = exact.texts(column, least)
    assert exact.text_array(column, least).to_pylist() == texts
    for text, each in zip(texts, units, strict=True):
        assert (text is None) == (each is None)
        if text is not None:
            assert Decimal(text) == Decimal(each).scaleb(-places, CONTEXT)
            behind = len(text.partition(".")[2])
            assert behind >= least
            assert behind == least or not text.endswith("0")


SIZES = book(
    line={"size": {"kind": "decimal", "places": 20}, "free": {"kind": "decimal"}},
    routine=routine({"name": "s", "kind": "figure", "value": "line.size"}),
)


@given(st.integers(1, 10**17 - 1), st.integers(-20, 5))
@example(123456789012345, -3)
@example(1234567890123456, -3)
@example(12345678901234567, -3)
def test_a_binary_float_of_fifteen_digits_is_what_was_typed_and_a_longer_one_is_refused(digits, exponent):
    """Sixteen digits may be two numbers' shortest text; a field that declares no places takes no float at all."""
    value = float(Decimal(digits).scaleb(exponent))
    shortest = Decimal(repr(value))
    line = {"number": "10", "quantity": 1}
    priced = SIZES.price(dokima.Order("A", lines=[{**line, "size": value}]))
    if len(shortest.as_tuple().digits) <= 15:
        assert priced.problems == ()
        assert priced["A"].line(10).figure("s") == shortest
    else:
        (problem,) = priced.problems
        assert (problem.field, problem.message.partition(" (got")[0]) == (
            "size", "expected an exact number",
        )  # fmt: skip
    (problem,) = SIZES.price(dokima.Order("A", lines=[{**line, "free": value}])).problems
    assert problem.field == "free"


@pytest.mark.parametrize("code", [0xD7FF, 0xE000, 0x10FFFF, 0xD800, 0xDBFF, 0xDC00, 0xDFFF])
def test_the_last_half_of_a_character_is_half_as_the_first_is(code):
    """U+D800 to U+DFFF are halves; the characters beside them are whole."""
    text = f"x{chr(code)}"
    priced = SIZES.price(dokima.Order("A", lines=[{"number": "10", "item": text, "quantity": 1}]))
    halved = 0xD800 <= code <= 0xDFFF
    assert [problem.field for problem in priced.problems] == (["item"] if halved else [])
    with pytest.raises(dokima.DokimaError) if halved else contextlib.nullcontext():
        book(rule=[{"id": "x", "at": "save", "require": f"line.item != '{text}'"}])


def test_sums_of_quotients_are_each_groups_own_however_they_are_spread():
    """1/3 + 1/3, 2/7, nothing: 2/3, 2/7, 0. One group over three lines: 2/3 + 2/7 = 20/21 on each."""
    ones = exact.decimals(map(Decimal, (1, 1, 2))) / exact.decimals(map(Decimal, (3, 3, 7)))
    sums = exact.group_sums(ones, exact.Grouping(np.array([0, 0, 1]), 3))
    wanted = [Fraction(2, 3), Fraction(2, 7), Fraction(0)]
    assert [fraction(sums.spread(3), at) for at in range(3)] == wanted
    assert [fraction(sums.take(np.array([1, 0])), at) for at in range(2)] == [wanted[1], wanted[0]]
    whole_sum = exact.group_sums(ones, exact.Grouping.one(3)).spread(3)
    assert [fraction(whole_sum, at) for at in range(3)] == [Fraction(20, 21)] * 3


def fraction(column, at):
    """A value of a column of quotients, to twelve digits of a fraction of small terms."""
    rounded = exact.to_decimals(column.round(30, "half-even"))[at]
    return Fraction(rounded).limit_denominator(1000)
