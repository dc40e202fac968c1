"""Files of orders: JSON, one flat CSV, two CSV files, other people's headings and marks."""

from datetime import date
from decimal import Decimal
from pathlib import Path

import openpyxl
import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from dokima.formats.json_files import json_text
from dokima.model.parsing import parse_json
from tests.books import DEMO, FIELDS, book, routine

D = Decimal
LAYOUTS = {
    "theirs": {
        "separator": ";", "decimal": ",", "thousands": ".", "dates": "%d.%m.%Y", "encoding": "cp1252",
        "header": {"number": "Beleg", "due": "Datum", "rush": {"from": "Eilig", "codes": {"J": "true", "N": "false"}}},
        "line": {
            "number": "Pos", "quantity": "Menge", "price_override": "Preis",
            "colour": {"from": "Farbe", "codes": {"GRN": "green"}, "empty": "absent"},
        },
    },
    "pair": {
        "files": {"headers": "heads.csv", "lines": "rows.csv", "link": "doc"},
        "header": {"number": "no", "country": "land"},
        "line": {"number": "pos", "quantity": "qty"},
    },
}  # fmt: skip
BOOK = book(
    header=FIELDS["header"],
    line={**FIELDS["line"], "colour": {"default": "'grey'"}},
    layout=LAYOUTS,
    routine=routine(),
)


def written(path: Path, text: str, encoding: str = "utf-8") -> Path:
    path.write_text(text, encoding=encoding, newline="")
    return path


FLAT = (
    "Beleg;Datum;Eilig;Pos;Menge;Preis;Farbe;Bemerkung\n"
    "A1;02.03.2026;J;10;1.250,5;1.000,25;GRN;größer\n"
    "B2;03.03.2026;N;10;2;;blau;\n"
    'A1;02.03.2026;J;20;3;"0,5";;"zwei\nZeilen"\n'
)


def test_a_flat_file_in_other_peoples_words(tmp_path):
    """Marks, dates, codes, encoding; rows of an order need not stand together; an empty cell may count as absent."""
    orders = BOOK.orders(written(tmp_path / "flat.csv", FLAT, "cp1252"), layout="theirs")

    assert orders.problems == ()
    calculation = BOOK.price(orders)
    assert [(line.number, line.quantity, line.colour, str(line.net)) for line in calculation["A1"].lines] == [
        ("10", D("1250.5"), "green", "1250812.63"),
        ("20", D(3), "grey", "1.50"),
    ]
    assert [line.colour for line in calculation["B2"].lines] == ["blau"]
    assert calculation["A1"].header("rush") is True


def test_bad_rows_are_set_aside_with_file_and_row(tmp_path):
    rows = (
        FLAT
        + "A1;04.03.2026;J;30;1;;;\nC3;x;N;10;zwölf;12.50;;\nB2;03.03.2026;N\n\nD4;02.03.2026;N;10;1;;;\n;02.03.2026;N;10;1;;;\n"
    )
    orders = BOOK.orders(written(tmp_path / "flat.csv", rows, "cp1252"), layout="theirs")

    assert [str(problem) for problem in orders.problems] == [
        "flat.csv row 7: expected 8 cells (got 3)",
        "flat.csv row 5, order A1, due: expected '02.03.2026' as in row 2 (got '04.03.2026')",
        "flat.csv row 6, order C3, due: expected a date such as 02.03.2026 (got 'x')",
        "flat.csv row 6, order C3, line 10, quantity: expected a number such as 1.234,50 (got 'zwölf')",
        "flat.csv row 6, order C3, line 10, price_override: expected a number such as 1.234,50 (got '12.50')",
        "flat.csv row 10, number: expected an order number (got a blank)",
    ]
    assert orders.numbers == ["B2", "D4"]


def test_two_linked_files(tmp_path):
    heads = written(tmp_path / "heads.csv", "no,land\nA,NL\nB,BE\n")
    rows = written(tmp_path / "rows.csv", "doc,pos,qty\nB,10,1\nA,10,2\nZ,10,3\nB,20,x\n")
    orders = BOOK.orders([heads, rows], layout="pair")

    assert orders.numbers == ["A"]
    assert [str(problem) for problem in orders.problems] == [
        "rows.csv row 4, order Z, doc: expected the number of an order in heads.csv (got 'Z')",
        "rows.csv row 5, order B, line 20, quantity: expected a number such as 44.25 (got 'x')",
    ]
    assert BOOK.orders(tmp_path, layout="pair").numbers == ["A"]


def test_header_cells_on_the_first_row_of_an_order_only(tmp_path):
    """Rows below go on with the order; a cell that says something else is told, and a number is asked for at the top."""
    text = 'order\tcountry\tline\t"how\nmany"\n\tNL\t10\t1\nA\tNL\t10\t1\n\t\t20\t2\nB\tNL\t10\t1\n\tBE\t20\t2\nC\t\t10\t4\n'
    header = {"number": "order", "country": "country"}
    line = {"number": "line", "quantity": "how\nmany"}
    theirs = {"once": {"separator": "\t", "header_once": True, "header": header, "line": line}}
    rules = book(header=FIELDS["header"], layout=theirs, routine=routine())
    path = written(tmp_path / "once.tsv", text)
    orders = rules.orders(path, "once")
    assert [(each["number"], len(each["lines"])) for each in orders.documents()] == [("A", 2), ("C", 1)]
    assert sorted(map(str, orders.problems)) == [
        "once.tsv row 2, number: expected an order number (got a blank)",
        "once.tsv row 6, order B, country: expected 'NL' as in row 5 (got 'BE')",
    ]
    assert [each.orders.numbers for each in rules.stream(path, "once", lines=1)] == [["A"], ["C"]]


def test_our_own_headings_need_no_layout(tmp_path):
    path = written(tmp_path / "own.csv", "order,country,line,quantity\nA,NL,10,1.5\nA,NL,20,2\n")
    assert [line["quantity"] for line in next(BOOK.orders(path).documents())["lines"]] == [D("1.5"), D(2)]
    bad = written(tmp_path / "bad.csv", "order,line,quantiy\nA,10,1\n")
    with pytest.raises(
        dokima.DocumentError,
        match="bad.csv row 1: expected headings that are fields .got 'quantiy'; did you mean 'quantity'..; a layout "
        "can name others: theirs, pair .--layout.",
    ):
        BOOK.orders(bad)
    said = {"quantity": {"from": "pieces"}, "colour": {"from": "shade", "codes": {"GRN": "green"}, "empty": "absent"}}
    said["colour"]["default"] = "'grey'"
    path = written(tmp_path / "said.csv", "order,line,pieces,shade\nA,10,3,GRN\nA,20,1,\n")
    orders = book(line=said, routine=routine()).orders(path)
    assert next(orders.documents())["lines"] == [
        {"number": "10", "quantity": D(3), "colour": "green"}, {"number": "20", "quantity": D(1)}
    ]  # fmt: skip
    plain = dokima.Rulebook.from_dict({"rulebook": {"name": "plain", "currency": "EUR"}})
    with pytest.raises(dokima.DocumentError, match="did you mean 'quantity'..; a layout can name others"):
        list(plain.stream(bad))


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("a.json", '{"number": "A", "lines": [{"quantity": 0.1},]}', "a.json row 1: expected JSON .* at column"),
        ("a.json", '{"number": "A", "number": "B"}', "a.json, number: expected each name once in an object"),
        ("a.json", "[1, 2]", "a.json, .0.: expected an order as a mapping of fields .got 1"),
        ("a.json", '{"number": "A", "lines": {}}', "a.json, order A, lines: expected a list of lines"),
        ("a.json", '{"number": "A", "lines": ["x"]}', "order A, lines.0.: expected a line as a mapping of fields .got 'x'"),
        ("a.json", '{"number": "A", "credit": NaN}', "expected a number .got NaN"),
        ("a.json", "7", "expected an order as a mapping of fields .got 7"),
        ("a.csv", "", "expected headings in row 1"),
        ("a.csv", "order,order\nA,A\n", "expected each heading once .got 'order' 2 times"),
        ("a.csv", "line,quantity\n10,1\n", "expected a column 'order'"),
        ("a.doc", "x", "expected a file that ends in .json, .jsonl, .csv, .tsv, .txt, .xlsx, .parquet, or a folder of .json or .parquet files"),
    ],
)  # fmt: skip
def test_files_that_cannot_be_read(tmp_path, name, content, message):
    with pytest.raises(dokima.DocumentError, match=message):
        BOOK.orders(written(tmp_path / name, content))


def test_a_folder_of_json_files_goes_on_after_a_bad_one(tmp_path):
    written(tmp_path / "a.json", '{"number": "A", "lines": [{"quantity": "x"}]}')
    written(tmp_path / "b.json", "{")
    written(tmp_path / "c.json", '{"orders": [{"number": "C"}, {"number": "D", "lines": [{"quantity": 0.30}]}]}')
    orders = BOOK.orders(tmp_path)

    assert orders.numbers == ["C", "D"]
    assert [problem.file for problem in orders.problems] == ["b.json", "a.json"]
    assert next(d for d in orders.documents() if d["number"] == "D")["lines"][0]["quantity"] == D("0.3")


def test_json_numbers_never_pass_through_a_float():
    text = '{"number": "A", "lines": [{"number": "10", "quantity": 12345678901234567.123456789}]}'
    (order,) = dokima.Orders.from_json(text)

    assert order.line(10)["quantity"] == D("12345678901234567.123456789")
    assert (
        dokima.Order.from_dict(parse_json(json_text(order.to_dict()))).line(10)["quantity"]
        == "12345678901234567.123456789"
    )


def test_the_export_of_the_demo():
    """About 400 rows; one order with two dates and one with a quantity in words are set aside, 83 go on."""
    book = dokima.load(DEMO)
    orders = book.orders(DEMO / "exports" / "depot_2026.csv", layout="depot")
    calculation = book.price(orders)

    assert (len(orders), [(p.order, p.field) for p in orders.problems]) == (
        83,
        [("D-5017", "date"), ("D-5042", "quantity")],
    )
    assert all(order.totals.payable is not None for order in calculation)
    assert calculation.findings.errors == calculation.findings[:2]


def priced_by(folder: Path, file: str) -> tuple[str, list[str]]:
    """Price and findings of one line by a rulebook whose table is the given file."""
    toml = f"""
[rulebook]
name = "t"
currency = "EUR"

[table.terms]
file = "{file}"
match = {{ item = "line.item" }}
window = {{ from = "since", on = "header.date" }}
choose = ["lowest price"]

[routine.all]
step = [{{ name = "price", kind = "price", options = [{{ value = "terms.price" }}] }}]
"""
    (folder / "rulebook.toml").write_text(toml)
    order = dokima.Order("A", date="2026-03-02", lines=[{"item": "PANE", "quantity": 1}])
    calculation = dokima.load(folder).price(order)
    return str(calculation["A"].line(10).price), [finding.message for finding in calculation.findings]


ROWS = [("PANE", date(2026, 1, 1), D("44.25")), ("PANE", date(2027, 1, 1), D("1")), ("VENT", None, D("0.1"))]


def test_tables_from_a_workbook(tmp_path):
    """A number in a workbook is what a person typed; a formula needs the value it was saved with."""
    workbook = openpyxl.Workbook()
    sheet = workbook.active
    for row in [("item", "since", "price"), *ROWS, (None, None, None), ("PANE", None, 44.7)]:
        sheet.append([float(cell) if isinstance(cell, Decimal) else cell for cell in row])
    workbook.save(tmp_path / "terms.xlsx")
    assert priced_by(tmp_path, "terms.xlsx") == ("44.25", [])
    sheet.append(("PANE", None, "=1+1"))
    workbook.save(tmp_path / "terms.xlsx")
    with pytest.raises(
        dokima.RulebookError, match="terms.xlsx row 7, table.terms: price: expected a formula with a saved value"
    ):
        priced_by(tmp_path, "terms.xlsx")
    (tmp_path / "terms.xlsx").write_text("no workbook")
    with pytest.raises(dokima.RulebookError, match="terms.xlsx, table.terms.file: cannot be read"):
        priced_by(tmp_path, "terms.xlsx")


def test_tables_from_parquet(tmp_path):
    columns = list(zip(*ROWS, strict=True))
    kinds = [pa.dictionary(pa.int32(), pa.string()), pa.date32(), pa.decimal128(10, 2)]
    arrays = [pa.array(values, kind) for values, kind in zip(columns, kinds, strict=True)]
    parquet.write_table(
        pa.table(dict(zip(("item", "since", "price"), arrays, strict=True))), tmp_path / "terms.parquet"
    )
    assert priced_by(tmp_path, "terms.parquet") == ("44.25", [])
    floats = pa.table({"item": ["PANE"], "since": pa.array([None], pa.date32()), "price": [44.25]})
    parquet.write_table(floats, tmp_path / "terms.parquet")
    with pytest.raises(
        dokima.RulebookError,
        match="terms.parquet row 2 column price, table.terms: expected an exact number .got the binary float 44.25",
    ):
        priced_by(tmp_path, "terms.parquet")
    with pytest.raises(
        dokima.RulebookError, match="expected a file that ends in .csv, .tsv, .txt, .xlsx, .parquet .got 'terms.ods'"
    ):
        priced_by(tmp_path, "terms.ods")


def test_flat_orders_are_the_same_from_every_kind_of_file(tmp_path):
    """Two lines of an order and one of another, written as CSV, as a workbook and as Parquet."""
    rows = [
        ("A", date(2026, 3, 2), 10, "PANE", D("1.5")),
        ("A", date(2026, 3, 2), 20, "VENT", D(2)),
        ("B", None, 10, "PANE", D(3)),
    ]
    names = ("order", "due", "line", "item", "quantity")
    frame = pd.DataFrame(rows, columns=names)
    frame.to_csv(tmp_path / "orders.csv", index=False)
    workbook = openpyxl.Workbook()
    for row in [names, *rows]:
        workbook.active.append([float(cell) if isinstance(cell, Decimal) else cell for cell in row])
    workbook.save(tmp_path / "orders.xlsx")
    columns = zip(*rows, strict=True)
    kinds = (pa.string(), pa.date32(), pa.int64(), pa.string(), pa.decimal128(9, 3))
    arrays = [pa.array(values, kind) for values, kind in zip(columns, kinds, strict=True)]
    parquet.write_table(pa.table(dict(zip(names, arrays, strict=True))), tmp_path / "orders.parquet")
    read = [BOOK.orders(tmp_path / f"orders.{ending}", strict=True) for ending in ("csv", "xlsx", "parquet")]
    assert [list(orders.documents()) for orders in read] == [list(read[0].documents())] * 3
    assert [line["quantity"] for line in read[0].document(0)["lines"]] == [D("1.5"), D(2)]


def test_frames_may_call_their_numbers_number():
    """Two frames, the lines linked by ``order``: the same order whether the columns are called order, line or number."""
    lines = {"order": ["A", "A"], "quantity": ["1", "2"], "item": ["PANE", "VENT"]}
    named = pd.DataFrame({"number": ["A"], "currency": ["EUR"]}), pd.DataFrame({**lines, "number": ["10", "20"]})
    ours = pd.DataFrame({"order": ["A"], "currency": ["EUR"]}), pd.DataFrame({**lines, "line": ["10", "20"]})
    rules = book()
    assert rules.orders(named).document(0) == rules.orders(ours).document(0)
    assert rules.orders(named).line_numbers == ["10", "20"]


@pytest.mark.parametrize("layout", [None, "theirs"])
def test_columns_without_a_heading_are_none(layout, tmp_path):
    """As a spreadsheet writes them, whether or not something stands in them, whole and piece by piece."""
    theirs = {"header": {"number": "order"}, "line": {"number": "line", "item": "item", "quantity": "quantity"}}
    rules = book(layout={"theirs": theirs})
    path = tmp_path / "orders.csv"
    path.write_text("order,line,,item,quantity,, \nA,10,,PANE,2,,\nA,20,x,VENT,1,,y\n")
    for orders in (rules.orders(path, layout, strict=True), next(iter(rules.stream(path, layout))).orders):
        assert (orders.line_numbers, orders.problems) == (["10", "20"], ())
    path.write_text(" ,\nA,10\n")
    with pytest.raises(dokima.DocumentError, match=r"expected headings in row 1 \(the row is empty\)"):
        rules.orders(path, layout)
