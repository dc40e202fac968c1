"""A column of a data frame is the same whether Arrow has it or each value is looked at: two ways, held equal."""

import datetime
from decimal import Decimal

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.formats.frames import _as_arrow, _by_values, _of_series
from tests.books import book

DECIMALS = st.decimals(-(10**9), 10**9, allow_nan=False, places=3) | st.sampled_from(
    [Decimal("1E+3"), Decimal("-0"), Decimal("0.10"), Decimal("NaN"), Decimal("1E-30"), Decimal(10) ** 40]
)
DATES = st.dates(datetime.date(1, 1, 1), datetime.date(9999, 12, 31))
TEXTS = st.text(max_size=5) | st.sampled_from(["", " ", "A\0", "é", "\ud800"])
MIXED = TEXTS | st.integers() | st.floats() | st.booleans() | DECIMALS | DATES | st.datetimes() | st.binary(max_size=2)
KINDS = {
    "texts": TEXTS, "dates": DATES, "decimals": DECIMALS, "mixed": MIXED, "timestamps": st.datetimes(),
    "numbers": st.integers(-(2**63), 2**63 - 1), "flags": st.booleans(), "floats": st.floats(),
}  # fmt: skip
BLANKS = (None, np.nan, pd.NA, pd.NaT)


def rows(column):
    """The value of each row with its kind; nothing for a blank, the empty text and what is no number."""
    found = []
    for place in column.places():
        value = column.values[place] if place >= 0 else None
        if value is None or value == "" or (isinstance(value, Decimal) and value.is_nan()):
            found.append(None)
        else:
            found.append((type(value), "nan" if pd.isna(value) else value))
    return found


@given(st.data(), st.sampled_from(list(KINDS)), st.booleans())
def test_a_series_is_read_as_value_by_value(data, kind, with_blanks):
    values = data.draw(st.lists(KINDS[kind] | st.sampled_from(BLANKS) if with_blanks else KINDS[kind], max_size=8))
    makers = [lambda: pd.Series(values, dtype=object), lambda: pd.Series(values)]
    if kind == "texts":
        makers += [lambda: pd.Series(values, dtype="string"), lambda: pd.Series(values, dtype=pd.ArrowDtype(pa.string())),
                   lambda: pd.Series(values, dtype=object).astype("category")]  # fmt: skip
    if kind == "numbers":
        makers += [lambda: pd.Series(values, dtype=pd.ArrowDtype(pa.int64())), lambda: pd.Series(values, dtype="Int64")]
    if kind == "dates":
        makers += [lambda: pd.Series(values, dtype=pd.ArrowDtype(pa.date32()))]
    try:
        series = data.draw(st.sampled_from(makers))()
    except (ValueError, TypeError, OverflowError, UnicodeError, pa.ArrowException):
        return  # pandas has no such series
    assert rows(_of_series(series)) == rows(_by_values(series))


@pytest.mark.parametrize(
    ("series", "is_taken"),
    [
        (pd.Series(["a", None, "b"]), True),
        (pd.Series([1, 2]), True),
        (pd.Series([1.5, 2]), False),
        (pd.Series(["a", 1], dtype=object), False),
        (pd.Series([b"a", b"b"], dtype=object), False),
        (pd.Series([datetime.date(2026, 3, 2)]), True),
        (pd.Series([pd.Timestamp("2026-03-02")]), False),
        (pd.Series([Decimal("1.50"), None]), False),
        (pd.Series(["a", "b"], dtype=pd.ArrowDtype(pa.large_string())), True),
        (pd.Series([pd.Timestamp("2026-03-02")], dtype=pd.ArrowDtype(pa.timestamp("ns"))), False),
    ],
)
def test_what_lies_in_a_frame_is_taken_as_it_lies(series, is_taken):
    assert (_as_arrow(series) is not None) == is_taken


@pytest.mark.parametrize("how", ["numpy", "arrow", "table"])
def test_headers_and_lines_as_frames_come_out_as_one_table_does(how):
    """Three orders in a sequence of their own, their lines in another, one order's lines apart."""
    rules = book({})
    headers = pd.DataFrame({"number": ["O9", "O10", "O8"], "customer": ["C", None, "C"]})
    lines = pd.DataFrame({
        "order": ["O10", "O9", "O8", "O9"], "number": ["1", "1", "1", "2"], "item": ["B", "A", "A", "B"],
        "quantity": [Decimal(1), Decimal(2), Decimal(3), Decimal("0.5")],
    })  # fmt: skip
    if how == "arrow":
        headers, lines = (pa.Table.from_pandas(each).to_pandas(types_mapper=pd.ArrowDtype) for each in (headers, lines))
    if how == "table":
        headers, lines = pa.Table.from_pandas(headers), pa.Table.from_pandas(lines)
    orders = rules.orders((headers, lines))
    assert orders.numbers == ["O9", "O10", "O8"]
    told = [
        (order.number, [(line.number, str(line.quantity)) for line in order.lines]) for order in rules.price(orders)
    ]
    assert told == [("O9", [("1", "2"), ("2", "0.5")]), ("O10", [("1", "1")]), ("O8", [("1", "3")])]
    wrong = lines if how == "table" else lines.assign(order=["O10", "O9", "O7", "O9"])
    if how != "table":
        with pytest.raises(dokima.DocumentError, match=r"expected the number of an order in headers \(got 'O7'\)"):
            rules.orders((headers, wrong), strict=True)
