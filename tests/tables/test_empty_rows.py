"""A row of empty cells is a row that fits anything, in every format; an empty line of a file is none."""

from __future__ import annotations

import openpyxl
import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from tests.books import book, routine

OFF = {
    "off": {
        "match": {"item": "line.item"},
        "choose": ["lowest percent"],
        "columns": {"percent": {"kind": "decimal", "default": 0}},
    }
}
PRICE = {"name": "price", "kind": "price", "options": [{"value": "100"}]}


def csv(path, rows):
    lines = [f"{item or ''},{percent or ''}" for item, percent in rows]
    path.write_text("item,percent\n\n" + "\n".join(lines) + "\n\n")
    return path


def xlsx(path, rows):
    made = openpyxl.Workbook()
    for row in [("item", "percent"), *rows, (None, None), (None, None)]:
        made.active.append(row)
    made.active.cell(len(rows) + 3, 1).number_format = "0.00"  # a sheet ends where only empty rows follow
    made.save(path)
    return path


def parquet_file(path, rows):
    items, percents = zip(*rows, strict=True)
    parquet.write_table(
        pa.table({"item": pa.array(items, pa.string()), "percent": pa.array(percents, pa.string())}), path
    )
    return path


def frame(path, rows):
    return [{"item": item, "percent": percent} for item, percent in rows]


@pytest.mark.parametrize("made", [csv, xlsx, parquet_file, frame])
@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        ([(None, None), (None, "1")], "0.00"),  # the first fits, and its percent is the default, 0
        ([("B", "3"), (None, None), ("A", "1")], "0.00"),  # between rows that are filled too
        ([("B", "3"), (None, "2"), ("A", "1")], "1.00"),
        ([("B", "3")], "0.00"),
    ],
)
def test_a_row_of_empty_cells_fits_anything(made, rows, expected, tmp_path):
    """On 100.00; the lowest percent that fits is taken."""
    step = {"name": "cut", "kind": "discount", "percent": "off.percent"}
    source = made(tmp_path / f"off.{'parquet' if made is parquet_file else made.__name__}", rows)
    tried = book(table=OFF, tables={"off": source}, routine=routine(PRICE, step))
    assert str(tried.price(dokima.Order("A", lines=[{"item": "A", "quantity": 1}]))["A"].line(10).cut) == expected


@pytest.mark.parametrize("made", [csv, xlsx, parquet_file, frame])
def test_an_empty_row_is_never_found_by_a_key(made, tmp_path):
    """Of a list of items it says nothing, wherever it stands; it is neither a missing key nor one that is there twice."""
    source = made(
        tmp_path / f"off.{'parquet' if made is parquet_file else made.__name__}",
        [("A", "1"), (None, None), (None, None), ("B", "3")],
    )
    step = {"name": "cut", "kind": "discount", "percent": "off.percent"}
    tried = book(table={"off": {"key": {"item": "line.item"}}}, tables={"off": source}, routine=routine(PRICE, step))
    assert str(tried.price(dokima.Order("A", lines=[{"item": "B", "quantity": 1}]))["A"].line(10).cut) == "3.00"
