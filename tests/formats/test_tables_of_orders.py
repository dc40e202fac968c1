"""Orders in spreadsheets, CSV, JSON lines and on standard input, there and back; what a table cannot hold is refused."""

import contextlib
import csv
import io
import sys
from datetime import date
from decimal import Decimal
from unittest import mock

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import DEMO
from tests.shell import run_here

BOOK = dokima.load(DEMO)
D = Decimal
LAYOUTS = {
    "rulebook": {"name": "r", "currency": "EUR"},
    "line": {"unit": {"default": "'C62'"}, "rebate": {"kind": "decimal"}},
    "header": {"pick_up": {"kind": "flag"}},
    "layout": {
        "old": {
            "separator": ";", "decimal": ",", "dates": "%d.%m.%Y", "encoding": "cp1252",
            "header": {"number": "Beleg", "date": "Tag", "pick_up": {"from": "Abholung", "codes": {"J": "true", "N": "false"}}},
            "line": {"number": "Pos", "item": "Artikel", "quantity": "Menge", "unit": {"from": "ME", "codes": {"STK": "C62"}}},
        },
        "two": {
            "sheets": {"headers": "Orders", "lines": "Lines", "link": "order"},
            "header": {"number": "order", "date": "date", "pick_up": "pick_up"},
            "line": {"number": "line", "item": "item", "quantity": "qty", "unit": "unit"},
        },
        "sheet": {
            "sheet": "Belege", "heading_row": 3, "sums": ["Summe", "Total"],
            "header": {"number": "Beleg", "date": "Tag"},
            "line": {"item": "Artikel", "quantity": "Menge", "rebate": "Rabatt"},
        },
    },
}  # fmt: skip
SMALL = dokima.Rulebook.from_dict(LAYOUTS)
QUANTITIES = st.decimals(min_value=-9999, max_value=9999, places=3, allow_nan=False)
LINE = st.fixed_dictionaries(
    {"item": st.sampled_from(["=1+1", "Größe", "a;b", 'say "x"', "10"]), "quantity": QUANTITIES},
    optional={"unit": st.sampled_from(["C62", "KGM"])},
)


def told(orders: dokima.Orders) -> list[tuple[object, ...]]:
    """What lines and headers say, defaults filled in."""
    priced = SMALL.price(orders)
    return [
        (order.number, order.header("date"), order.header("pick_up"), line.number,
         *(line.field(name) for name in ("item", "quantity", "unit")))
        for order in priced for line in order.lines
    ]  # fmt: skip


@given(st.lists(st.lists(LINE, min_size=1, max_size=3), min_size=1, max_size=3), st.booleans())
def test_orders_come_back_from_every_kind_of_table(tmp_path_factory, orders, pick_up):
    """A text that looks like a formula, marks, codes, absent and given fields: all come back as they were."""
    folder = tmp_path_factory.mktemp("orders")
    made = [
        dokima.Order(f"A{at}", lines=lines, date=date(2026, 3, 2), pick_up=pick_up) for at, lines in enumerate(orders)
    ]
    wanted = told(SMALL.orders(made))
    for name, layout in (
        ("a.csv", ""),
        ("b.csv", "old"),
        ("c.xlsx", ""),
        ("d.xlsx", "old"),
        ("e.xlsx", "two"),
        ("f.jsonl", ""),
    ):
        (path,) = dokima.write_orders(made, folder / name, SMALL, layout)
        read = SMALL.orders(path, layout or None)
        assert read.problems == ()
        assert told(read) == wanted


def test_what_a_table_cannot_hold_is_refused_and_nothing_is_written(tmp_path):
    order = dokima.Order("A", lines=[{"item": "X", "quantity": 1, "rebate": 3}], date="2026-03-02")
    for orders, name, layout, message in (
        ([order], "a.csv", "old", "no column of layout old holds line.rebate; write JSON"),
        ([dokima.Order("A")], "a.csv", "", "A has no lines, so a table of lines cannot hold it"),
        ([order], "a.csv", "two", "layout two has two sheets, so it is written as .xlsx"),
        ([dokima.Order("A", lines=[{"quantity": "1.2345678901234567"}])], "a.xlsx", "", "a workbook keeps 15 digits"),
        ([dokima.Order("A", lines=[{"item": "a\x07b"}])], "a.xlsx", "", "cannot hold the control characters"),
        ([dokima.Order("A", lines=[{"item": "X"}], payments=[{"amount": 1}])], "a.csv", "", "A keeps payments, which"),
    ):
        with pytest.raises(dokima.DokimaError, match=message):
            dokima.write_orders(orders, tmp_path / name, SMALL, layout)
    with pytest.raises(dokima.DokimaError, match="expected a rulebook to write 'a.csv'"):
        dokima.write_orders([order], tmp_path / "a.csv")
    assert list(tmp_path.iterdir()) == []


def workbook(path, *rows, merged=(), percent=()):
    """A workbook with a sheet of notes and one of orders below a title."""
    book = openpyxl.Workbook()
    book.active.title = "Notes"
    sheet = book.create_sheet("Belege")
    for row in [("Open orders",), (), ("Beleg", "Tag", "Artikel", "Menge", "Rabatt"), *rows]:
        sheet.append(row)
    for cells in merged:
        sheet.merge_cells(cells)
    for cell in percent:
        sheet[cell].number_format = "0.0 %"
    book.save(path)


def test_a_sheet_below_a_title_with_merged_cells_percentages_and_sums(tmp_path):
    """12.5 % is 12.5; a merged order number holds for both lines, which are numbered; the sum is left out."""
    path = tmp_path / "o.xlsx"
    day = date(2026, 3, 2)
    rows = [
        ("A1", day, "X", 2, 0.125),
        (None, None, "Y", "3.5", 0.05),
        ("B1", day, "X", 1, None),
        ("Summe", None, None, 6.5),
    ]
    workbook(path, *rows, merged=("A1:E1", "A4:A5", "B4:B5"), percent=("E4", "E5"))
    found = [
        (order.number, order.header("date"), line.number, line.field("item"), line.field("quantity"), line.field("rebate"))
        for order in SMALL.price(path, "sheet") for line in order.lines
    ]  # fmt: skip
    assert found == [
        ("A1", day, "10", "X", D(2), D("12.5")), ("A1", day, "20", "Y", D("3.5"), D(5)), ("B1", day, "10", "X", D(1), None),
    ]  # fmt: skip


def test_what_is_wrong_in_a_workbook_is_named_with_sheet_and_cell(tmp_path):
    """A number that is none, a formula nobody worked out, an error: their orders are set aside whole."""
    path = tmp_path / "o.xlsx"
    day = date(2026, 3, 2)
    workbook(
        path,
        ("A1", day, "X", "two", None),
        ("B1", day, "X", "=1+1", None),
        ("B1", day, "Y", 4, None),
        ("C1", day, "X", 5, 1),
    )
    orders = SMALL.orders(path, "sheet")
    assert orders.numbers == ["C1"]
    assert [str(each) for each in orders.problems] == [
        "o.xlsx [Belege] cell D5, order B1, Menge: expected a formula with a saved value "
        "(open the workbook, save it, and try again)",
        "o.xlsx [Belege] cell D4, order A1, line 10, quantity: expected a number such as 44.25 (got 'two')",
    ]
    for layout, message in (
        ({"sheet": "Beleg"}, "there is no sheet 'Beleg'; did you mean 'Belege'?"),
        ({"heading_row": 1}, "it holds only 'Open orders'; row 3 may hold them: heading_row = 3"),
        ({"heading_row": 2}, "expected headings in row 2"),
    ):
        data = {**LAYOUTS, "layout": {"sheet": {**LAYOUTS["layout"]["sheet"], **layout}}}
        with pytest.raises(dokima.DocumentError, match=message.replace("?", "[?]")):
            dokima.Rulebook.from_dict(data).orders(path, "sheet")
    path.write_bytes(path.read_bytes()[:400])
    with pytest.raises(dokima.DocumentError, match="o.xlsx: cannot be read"):
        SMALL.orders(path, "sheet")


def test_csv_below_a_title_keeps_the_numbers_of_its_rows(tmp_path):
    (tmp_path / "o.csv").write_text(
        "Title\n,,\nBeleg,Tag,Artikel,Menge,Rabatt\nA,2026-03-02,X,1,\nB,soon,X,2,\nC,x\ntotal,,,3,\n"
    )
    orders = SMALL.orders(tmp_path / "o.csv", "sheet")
    assert (orders.numbers, [str(each)[:30] for each in orders.problems]) == (
        ["A"], ["o.csv row 6: expected 5 cells ", "o.csv row 5, order B, date: ex"],
    )  # fmt: skip


def test_json_lines_name_the_row_of_what_is_wrong(tmp_path):
    (tmp_path / "o.jsonl").write_text('{"number": "A", "lines": []}\n\n{"number": "B",\n[1]\n')
    with pytest.raises(
        dokima.DocumentError, match=r"o.jsonl row 3: expected JSON.*\no.jsonl row 4: expected an order as"
    ):
        SMALL.orders(tmp_path / "o.jsonl")


@pytest.mark.parametrize("ending", [".json", ".jsonl", ".csv", ".xlsx"])
def test_orders_come_from_standard_input(ending, tmp_path):
    (path,) = dokima.write_orders(list(BOOK.orders(DEMO / "orders" / "SQ-2041.json").documents() and [
        dokima.Order.from_json((DEMO / "orders" / "SQ-2041.json").read_text())]), tmp_path / f"o{ending}", BOOK)[:1]  # fmt: skip
    path = path / "SQ-2041.json" if path.is_dir() else path
    with mock.patch.object(sys, "stdin", io.TextIOWrapper(io.BytesIO(path.read_bytes()))):
        status, out, _ = run_here(DEMO, "price", "-", "--totals", "--format", "csv")
    assert (status, next(csv.DictReader(io.StringIO(out)))["payable"]) == (0, "4339.39")
    with mock.patch.object(sys, "stdin", io.TextIOWrapper(io.BytesIO(b" "))), contextlib.suppress(SystemExit):
        assert run_here(DEMO, "price", "-")[0] == 2


def test_tables_of_priced_orders_carry_all_fields_and_the_columns_that_are_asked_for():
    calculation = BOOK.price(DEMO / "orders" / "SQ-2041.json")
    names = ["customer_name", "requested_by", "date"]
    (header,) = calculation.to_frame("headers", names).to_dict("records")
    assert list(header.values()) == ["Fernholt Botanic Garden", "I. Marrow", date(2026, 3, 2)]
    (header,) = calculation.headers.to_dict("records")
    assert (header["party"], header["pick_up"], header["payable"]) == ("FERNHOLT", True, D("4339.39"))
    assert calculation.to_frame(columns=["price_override"])["price_override"].tolist()[2] == D(610)
    columns = "order,customer_name,line,item,price,net"
    _, out, _ = run_here(DEMO, "price", "orders/SQ-2041.json", "--columns", columns, "--format", "csv")
    assert out.splitlines()[:2] == [columns, "SQ-2041,Fernholt Botanic Garden,10,PANE-T6,44.25,1682.50"]
    _, out, _ = run_here(DEMO, "price", "orders", "--totals", "--columns", "order,requested_by,payable")
    assert "SQ-2041" in out
    assert "there is no column 'nett'; did you mean 'net'?" in run_here(DEMO, "price", "orders", "--columns", "nett")[2]


def test_a_bill_of_quantities_numbers_its_lines_with_points(tmp_path):
    """01.02.0030 is the third of 01.02; it is written without the zeros, and read back."""
    path = tmp_path / "bill.csv"
    head = "bill,pos,what,size\n"
    path.write_text(head + "W,01,groundwork,\nW,01.02.0030,soil,10\nW,01.02,digging,\nW,02,shell,1\n")
    layout = {
        "levels": ".",
        "header": {"number": "bill"},
        "line": {"number": "pos", "description": "what", "quantity": "size"},
    }
    book = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "works"}, "layout": {"bill": layout, "other": {**layout, "levels": "/"}}}
    )
    orders = book.orders(path, "bill", strict=True)
    assert orders.line_numbers == ["1", "1/2", "1/2/30", "2"]
    assert [line["quantity"] for line in book.lines(orders)] == [None, None, Decimal(10), Decimal(1)]
    dokima.write_orders(
        [dokima.Order("W", lines=[{"number": n} for n in orders.line_numbers])], tmp_path / "out.csv", book, "bill"
    )
    assert [row["pos"] for row in csv.DictReader(io.StringIO((tmp_path / "out.csv").read_text()))] == [
        "1",
        "1.2",
        "1.2.30",
        "2",
    ]
    assert book.orders(tmp_path / "out.csv", "bill").line_numbers == orders.line_numbers
    with pytest.raises(
        dokima.DocumentError, match=r"got '01\.02\.0030'.; a layout with levels = '\.' reads it as 01/02/0030"
    ):
        book.orders(path, "other", strict=True)
    path.write_text(head + "W,1/2,soil,10\n")
    with pytest.raises(dokima.DocumentError, match=r"expected a line number such as 10 or 10\.20 .got '1/2'."):
        book.orders(path, "bill", strict=True)
    with pytest.raises(
        dokima.RulebookError, match="expected levels to be a mark that is no digit and no space .got '0'."
    ):
        dokima.Rulebook.from_dict({"rulebook": {"name": "works"}, "layout": {"bill": {**layout, "levels": "0"}}})
