"""One problem has one message and one place, wherever the order came from."""

from __future__ import annotations

import csv
import json
from decimal import Decimal, InvalidOperation

import openpyxl
import pandas
import pyarrow as pa
import pyarrow.parquet
import pytest

import dokima
from tests.books import book
from tests.shell import run_here

FIELDS = {
    "boxes": {"kind": "integer"}, "due": {"kind": "date"}, "size": {"kind": "decimal", "places": 2}, "rush": {"kind": "flag"},
    "tone": {"choices": ["red", "blue"]}, "must": {"required": True, "default": "'x'"},
}  # fmt: skip
RULES = book(line=FIELDS)
PROBLEMS = {
    "a half box": ("boxes", "2.5", "expected a whole number (got 2.5)"),
    "no such day": ("due", "2026-02-30", "expected a date such as 2026-03-02 (got '2026-02-30')"),
    "too many digits": ("size", "9" * 101, f"expected a number of at most 100 digits (got {'9' * 40}...)"),
    "too many places": ("size", "1.234", "expected at most 2 decimal places (got 1.234)"),
    "no flag": ("rush", "maybe", "expected true or false (got 'maybe')"),
    "no choice": ("tone", "rde", "expected one of red, blue (got 'rde'; did you mean 'red'?)"),
    "no number": ("quantity", "two", "expected a number such as 44.25 (got 'two')"),
    "a NUL": ("item", "a\0b", "expected text without the character NUL (got 'a\\x00b')"),
}
ROADS = [
    "python", "json", "json number", "json lines", "csv", "xlsx", "arrow", "parquet", "frame", "frame of objects", "editor", "case",
    "command line",
]  # fmt: skip


def from_file(road, order, row, folder):
    """Writes the order to a file of a kind and prices it; None where a file of that kind cannot hold it."""
    file = folder / {"csv": "a.csv", "xlsx": "a.xlsx", "json lines": "a.jsonl", "parquet": "a.parquet"}.get(
        road, "a.json"
    )
    if road == "csv":
        with file.open("w", newline="") as out:
            writer = csv.DictWriter(out, row)
            writer.writeheader()
            writer.writerow(row)
    elif road == "xlsx":
        if any("\0" in cell for cell in row.values()):
            return None
        made = openpyxl.Workbook()
        made.active.append(list(row))
        made.active.append(list(row.values()))
        made.save(file)
    elif road == "parquet":
        pyarrow.parquet.write_table(pa.table({name: [each] for name, each in row.items()}), file)
    else:
        file.write_text(json.dumps(order) + "\n")
    return file


def as_number(file, value):
    """The value in the file as a number of JSON; None if it is none."""
    try:
        Decimal(value)
    except InvalidOperation:
        return None
    file.write_text(file.read_text().replace(json.dumps(value), value))
    return file


def problems_of(road, order, row, field, folder):
    """The problems of an order that comes by a road; None where it cannot come by that."""
    value = row[field]
    match road:
        case "python":
            return RULES.price(dokima.Order.from_dict(order)).problems
        case "arrow":
            return RULES.price(pa.table({name: [each] for name, each in row.items()})).problems
        case "frame" | "frame of objects":
            return RULES.price(pandas.DataFrame([row], dtype=object if "objects" in road else None)).problems
        case "editor":
            good = dokima.Order("A", kind="sales", lines=[{"number": "10", "item": "PANE", "quantity": "2"}])
            with pytest.raises(dokima.DocumentError, match="order A, line 10") as caught:
                RULES.edit(good, "Ada").change_line(10, **{field: value})
            return caught.value.problems
    file = from_file(road, order, row, folder)
    if road == "json number" and file is not None:
        file = as_number(file, value)
    return None if file is None else RULES.price(file).problems


def shown(road, order, folder):
    """What people are shown of it, by the command line or of a case."""
    if road == "command line":
        (folder / "rulebook.toml").write_text('[rulebook]\nname = "x"\ncurrency = "EUR"\n' + TOML)
        status, out, err = run_here(folder, "price", from_file(road, order, {}, folder), width=400)
        assert status == 1
        return out + err
    (folder / "cases").mkdir()
    given = ", ".join(f"{name} = {json.dumps(each)}" for name, each in order["lines"][0].items())
    text = f'[[case]]\nname = "c"\norder = {{ number = "A", lines = [{{ {given} }}] }}\nexpect = {{ payable = "1" }}\n'
    (folder / "cases" / "c.toml").write_text(text)
    (outcome,) = dokima.CaseFolder(folder, RULES).prove().outcomes
    return str(outcome)


TOML = """
[line]
boxes = { kind = "integer" }
due = { kind = "date" }
size = { kind = "decimal", places = 2 }
rush = { kind = "flag" }
tone = { choices = ["red", "blue"] }
[routine.r]
step = [{ name = "price", kind = "price", options = [{ value = "1" }] }]
"""


@pytest.mark.parametrize("road", ROADS)
@pytest.mark.parametrize(("field", "value", "message"), PROBLEMS.values(), ids=PROBLEMS)
def test_it_says_the_same_by_every_road(tmp_path, road, field, value, message):
    line = {"number": "10", "item": "PANE", "quantity": "2", field: value}
    order = {"number": "A", "kind": "sales", "lines": [line]}
    row = {"order": "A", "line": "10", **{name: each for name, each in line.items() if name != "number"}}
    if road in ("command line", "case"):
        told = shown(road, order, tmp_path).replace("\\\\", "\\").replace("\\'", "'")
        assert message in told
        return
    found = problems_of(road, order, row, field, tmp_path)
    assert found is None or [(each.order, each.line, each.field, each.message) for each in found] == [
        ("A", "10", field, message)
    ]


ROWS = ["csv", "xlsx", "arrow", "parquet", "frame", "frame of objects"]


@pytest.mark.parametrize("road", ROWS)
def test_a_row_without_its_line_number_is_named_with_its_row(tmp_path, road):
    row = {"order": "A", "line": "", "item": "PANE", "quantity": "2"}
    (found,) = problems_of(road, {}, row, "item", tmp_path)
    wanted = ("A", "", "number", "expected a line number such as 10 or 10/20 (got a blank)", 2)
    assert (found.order, found.line, found.field, found.message, found.row) == wanted


@pytest.mark.parametrize("road", ROADS)
def test_a_name_too_much_is_named_where_it_stands(tmp_path, road):
    """A heading of a file is refused with its row, once; a name in a document with its line."""
    line = {"number": "10", "item": "PANE", "quantity": "2", "colour": "red"}
    order = {"number": "A", "kind": "sales", "lines": [line]}
    row = {"order": "A", "line": "10", **{name: each for name, each in line.items() if name != "number"}}
    if road in ROWS:
        heading = r"row 1: expected headings that are fields \(got 'colour'\); a layout can name others$"
        with pytest.raises(dokima.DocumentError, match=heading):
            problems_of(road, order, row, "colour", tmp_path)
    elif road in ("command line", "case"):
        assert "expected a known line field (got 'colour')" in shown(road, order, tmp_path).replace("\\'", "'")
    else:
        found = problems_of(road, order, row, "colour", tmp_path)
        assert found is None or [(each.order, each.line, each.field, each.message) for each in found] == [
            ("A", "10", "colour", "expected a known line field (got 'colour')")
        ]
