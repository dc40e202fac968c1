"""Columns as other libraries hold them: the same orders and tables whatever kind they are of, and what none can be."""

from datetime import datetime
from decimal import Decimal as D

import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import compute, parquet

import dokima
from tests.formats.test_streaming import BOOK

PLAIN = {
    "order": pa.array(["7", "7", None, "8"]),
    "line": pa.array(["10", "20", "10", "10"]),
    "item": pa.array(["PANE", "=SUM", "PANE", None]),
    "quantity": pa.array([D("1.50"), None, D("2.00"), D("-3.00")], pa.decimal128(9, 2)),
}


def views(array):
    return array.cast(pa.string_view())


FORMS = {
    "text views, as Polars writes them": {"order": views, "line": views, "item": views},
    "a dictionary of text views": {
        "item": lambda texts: pa.DictionaryArray.from_arrays(
            texts.dictionary_encode().indices, views(texts.dictionary_encode().dictionary)
        )
    },
    "runs": {"order": compute.run_end_encode, "line": compute.run_end_encode, "quantity": compute.run_end_encode},
    "short decimals": {"quantity": lambda numbers: numbers.cast(pa.decimal64(12, 2))},
    "wide decimals": {"quantity": lambda numbers: numbers.cast(pa.decimal256(50, 4))},
    "whole decimals for numbers of orders and lines, as databases have them": {
        "order": lambda texts: texts.cast(pa.int64()).cast(pa.decimal128(19, 0)),
        "line": lambda texts: texts.cast(pa.decimal128(4, 0)),
    },
    "whole numbers": {"order": lambda texts: texts.cast(pa.int32()), "line": lambda texts: texts.cast(pa.uint8())},
}


def read(source):
    orders = BOOK.orders(source)
    return list(orders.documents()), [str(problem) for problem in orders.problems]


@pytest.mark.parametrize("form", FORMS, ids=str)
def test_a_column_is_read_whatever_its_form(form):
    given = pa.table({name: FORMS[form].get(name, lambda column: column)(column) for name, column in PLAIN.items()})
    assert read(given) == read(pa.table(PLAIN))
    assert read(given)[1] == ["row 4, number: expected an order number (got a blank)"]


def test_a_number_that_is_none_is_no_blank():
    """A column of whole numbers with a blank is one of binary floats in pandas."""
    frame = pd.DataFrame({"order": [7.0, None], "line": ["10", "10"], "item": ["PANE"] * 2, "quantity": ["1"] * 2})
    assert read(frame)[1] == [
        'row 2, number: expected text, or say floats = "round" for it (got 7.0)',
        "row 3, number: expected an order number (got a blank)",
    ]
    data = {"rulebook": {"name": "whole", "currency": "EUR"}}
    whole = dokima.Rulebook.from_dict({**data, "header": {"number": {"floats": "round"}}})
    frame = frame.assign(order=[7.0, 7.5], item=["PANE", "RIDGE"])
    orders = whole.orders(frame)
    assert orders.numbers == ["7"]
    assert [str(problem) for problem in orders.problems] == ["row 3, number: expected text (got 7.5)"]


@pytest.mark.parametrize(
    "word", [lambda column: column, lambda column: column.dictionary_encode()], ids=["plain", "coded"]
)
def test_a_text_with_a_nul_is_refused_wherever_it_comes_from(word, tmp_path):
    """No database keeps it; JSON is refused with the same words."""
    table = pa.table(
        {
            "order": pa.array(["A", "A", "B"]),
            "line": pa.array(["10", "20", "10"]),
            "item": word(pa.array(["X", "Y\0", "Z"])),
        }
    )
    said = "order A, line 20, item: expected text without the character NUL (got 'Y\\x00')"
    orders = BOOK.orders(table)
    assert (orders.numbers, [str(problem) for problem in orders.problems]) == (["B"], [f"row 3, {said}"])
    (tmp_path / "nul.csv").write_text("order,line,item\nA,10,X\nA,20,Y\0\nB,10,Z\n", encoding="utf-8")
    orders = BOOK.orders(tmp_path / "nul.csv")
    assert (orders.numbers, [str(problem) for problem in orders.problems]) == (["B"], [f"nul.csv row 3, {said}"])
    orders = BOOK.orders(
        [dokima.Order("A", lines=[{"item": "X"}, {"item": "Y\0"}]), dokima.Order("B", lines=[{"item": "Z"}])]
    )
    assert (orders.numbers, [str(problem) for problem in orders.problems]) == (["B"], [said])


@pytest.mark.parametrize(
    ("dates", "said"),
    [
        ([datetime(2026, 3, 2), None], "row 3, order A, date: expected 2026-03-02 00:00:00 as in row 2 (got blank)"),
        ([datetime(2026, 3, 2, 12)] * 2, "row 2, order A, date: expected a date such as 2026-03-02 (got 2026-03-02 12:00:00)"),
    ],
)  # fmt: skip
def test_times_are_said_as_people_write_them(dates, said):
    frame = pd.DataFrame({"order": ["A", "A"], "line": ["10", "20"], "date": dates})
    assert read(frame) == ([], [said])


TWICE = pa.table([pa.array(["A"])] * 2 + [pa.array(["10"])], names=["order", "order", "line"])


@pytest.mark.parametrize(
    ("read", "file"),
    [
        (lambda path: BOOK.orders(TWICE), ""),
        (lambda path: list(BOOK.stream(TWICE)), ""),
        (lambda path: BOOK.orders(pd.DataFrame([["A", "A", "10"]], columns=["order", "order", "line"])), ""),
        (BOOK.orders, "twice.parquet: "),
        (lambda path: list(BOOK.stream(path)), "twice.parquet: "),
    ],
)
def test_a_column_that_is_there_twice_is_refused(read, file, tmp_path):
    parquet.write_table(TWICE, tmp_path / "twice.parquet")
    with pytest.raises(dokima.DocumentError, match=f"^{file}expected each heading once .got 'order' 2 times.$"):
        read(tmp_path / "twice.parquet")


def test_rows_of_tables_come_from_arrow_too():
    rows = {"item": ["PANE", "=SUM"], "price": [D("10.00"), D("3.00")]}
    order = {"number": "A", "lines": [{"item": "PANE", "quantity": 2}, {"item": "=SUM", "quantity": 1}]}
    kinds = (
        pa.table(rows),
        pa.table(rows).to_reader(),
        pd.DataFrame(rows),
        [dict(zip(rows, r, strict=True)) for r in zip(*rows.values(), strict=True)],
    )
    assert [BOOK.with_tables(item=each).price(order)["A"].totals.with_tax for each in kinds] == [D("27.83")] * 4
    with pytest.raises(dokima.RulebookError, match="as a DataFrame, a table of Arrow or a list of mappings .got dict."):
        BOOK.with_tables(item=rows)
