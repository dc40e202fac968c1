"""Input that means harm, or was never meant for us: an error of ours that says where, never another exception."""

import contextlib
import itertools
import os
import shutil
from decimal import Decimal

import openpyxl
import pandas
import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.functions import FUNCTIONS
from dokima.model.raw import RawColumn
from tests.books import DEMO

BOOK = dokima.load(DEMO)
HEADER = {"kind": "sales", "customer": "FERNHOLT", "date": "2026-03-02", "pick_up": True, "currency": "EUR"}


def editor():
    return BOOK.edit(dokima.Order("A", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER), by="Ada")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[" * 101 + "]" * 101, "expected JSON that is nested at most 100 levels deep"),
        ("[" * 100 + "]" * 100, "expected an order as a mapping of fields"),
        ('{"lines":' + "[" * 100_000 + "]" * 100_000 + "}", "expected JSON that is nested at most 100 levels deep"),
        ('{"x": ' * 101 + '"\\\\"' + "}" * 101, "expected JSON that is nested at most 100 levels deep"),
        ('{"number": "\\"' + "[{" * 200 + "}]" * 200 + '", "number": 1}', "number: expected each name once"),
        ("[" * 100_000, "expected JSON that is nested at most 100 levels deep"),
        ('{"number":"A\\ud800"}', "expected whole characters .got half of a surrogate pair"),
        ('{"number":"A","number":"B"}', "number: expected each name once in an object .got it twice"),
        ('{"number":NaN}', "expected a number .got NaN"),
    ],
)
def test_json_that_no_order_needs(text, said):
    with pytest.raises(dokima.DocumentError, match=said):
        dokima.Order.from_json(text)


def test_numbers_that_no_order_needs_are_findings_and_neighbours_go_on():
    for number in ("1e200000000", "1e-200000000", "9" * 101):
        wrong = dokima.Order.from_json(f'{{"number":"A","lines":[{{"item":"CLIP-S","quantity":{number}}}]}}')
        fine = dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER)
        found = BOOK.price([wrong, fine])
        assert any("expected a number of at most 100 digits" in each.message for each in found.findings.of("A"))
        assert found["B"].totals.payable is not None


@pytest.mark.parametrize("places", [1, 18, 19, 20, 38, 60])
@pytest.mark.parametrize("digits", [1, 12, 22])
def test_magnitudes_and_places_beyond_any_currency(places, digits):
    """A line with such a price is priced exactly, and so is its neighbour: 0.29 for a clip, freight and tax included."""
    price = f"{'9' * digits}.{'0' * (places - 1)}1"
    line = {"item": "CLIP-S", "quantity": 3, "price_override": price, "override_reason": "x", "unit_price": price}
    found = BOOK.price(
        [
            dokima.Order("A", lines=[line], **HEADER),
            dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER),
        ]
    )
    alone = BOOK.price(dokima.Order("B", lines=[{"item": "CLIP-S", "quantity": 1}], **HEADER))
    assert found["A"].line(10).price == Decimal(price)
    assert found["B"].totals == alone["B"].totals


@pytest.mark.parametrize(
    ("work", "error", "said"),
    [
        (lambda e: e.preview_line("x"), dokima.DocumentError, "expected a line number such as 10 or 10/20 .got 'x'"),
        (lambda e: e.move_to(5), dokima.DokimaError, r"state: expected a text \(got 5\)"),
        (lambda e: e.change_header(payments=5), dokima.DocumentError, "payments: expected a list of records .got 5"),
        (lambda e: e.change_header(payments=[5]), dokima.DocumentError, "payments: expected a list of records"),
        (lambda e: e.change_line(None, quantity=1), dokima.NotFound, "order A has no line None"),
        (lambda e: e.add_line(quantity=[1]), dokima.DocumentError, r"expected a number .got \[1\]"),
    ],
)
def test_arguments_of_a_wrong_kind_leave_an_order_as_it_was(work, error, said):
    edited = editor()
    before = edited.order.to_dict()
    with pytest.raises(error, match=said):
        work(edited)
    assert edited.order.to_dict() == before


def test_rows_and_messages_that_say_nothing():
    with pytest.raises(dokima.RulebookError, match="table.item: expected rows with columns"):
        BOOK.with_tables(item=[{}])
    rule = {"id": "a", "at": "save", "require": "True", "message": "{" + " " * 20_000 + "x" + " " * 20_000 + "}"}
    with pytest.raises(dokima.RulebookError, match="rule.a.message: a formula may have at most 2000 characters"):
        dokima.Rulebook.from_dict({"rulebook": {"name": "r"}, "rule": [rule]})


KINDS_OF_ARGUMENTS = {
    "number": "line.quantity", "text": "line.item", "date": "header.date", "flag": "header.pick_up", "blank": "''",
    "made blank": "('' if line.quantity > 0 else '')", "literal": "2", "negative": "-line.quantity",
}  # fmt: skip


@pytest.mark.parametrize("name", sorted([*FUNCTIONS, *AGGREGATES, "round", "round_to"]))
def test_every_function_of_every_kind_of_argument_is_refused_or_gives_an_answer(name):
    """What loads is worked out: a blank stands in for an argument of any kind."""
    order = dokima.Order("A", lines=[{"item": "CLIP-S", "quantity": 3}], **HEADER)
    answered = 0
    for count in (1, 2):
        for given in itertools.product(KINDS_OF_ARGUMENTS.values(), repeat=count):
            with contextlib.suppress(dokima.DokimaError):
                BOOK.evaluate(f"{name}({', '.join(given)})", order, 10)
                answered += 1
    assert answered > 1


@pytest.mark.parametrize("ending", ["json", "jsonl", "csv", "xlsx", "parquet", "toml"])
def test_pipes_and_devices_are_not_waited_for(tmp_path, ending):
    for at, make in enumerate((os.mkfifo, lambda path: os.symlink("/dev/zero", path))):
        target = tmp_path / str(at) / f"rulebook.{ending}"
        target.parent.mkdir()
        make(target)
        with pytest.raises(dokima.DokimaError, match="it is no regular file"):
            dokima.load(target.parent) if ending == "toml" else BOOK.price(target)


def test_headings_without_end(tmp_path):
    file = tmp_path / "o.csv"
    for text, said in (
        ("x" * 200_000, "at most 131072 characters"),
        (",".join(map(str, range(20_000))), "at most 16384 columns"),
    ):
        file.write_text(f"{text}\n1,2\n")
        with pytest.raises(dokima.DocumentError, match=said):
            BOOK.price(file)


def test_cells_of_frames_and_columns_of_files_that_no_field_can_hold(tmp_path):
    rows = {
        "order": ["A", "B"],
        "line": ["1", "2"],
        "kind": ["sales"] * 2,
        "item": ["CLIP-S"] * 2,
        "date": ["2026-03-02"] * 2,
    }
    for cells in ([[1], [2]], [{}, 1], [object(), 1], [1j, 2], [float("nan"), 1], [pandas.Timestamp.max, 1]):
        found = BOOK.price(pandas.DataFrame({**rows, "quantity": cells}))
        assert any("quantity" in each.field for each in found.problems)
    values = [1, 2]
    odd = [pa.array([[1], [2]]), pa.array([{"a": 1}, None]), pa.array([2**62, 1], pa.timestamp("ms")), pa.array([2**31 - 1, 1], pa.date32()),
           pa.array(values, pa.duration("s")), pa.array([[("a", 1)], []], pa.map_(pa.string(), pa.int64()))]  # fmt: skip
    for column in odd:
        target = tmp_path / "o.parquet"
        parquet.write_table(pa.table({**rows, "quantity": column}), target)
        with contextlib.suppress(dokima.DocumentError):
            assert BOOK.price(target).problems


def test_limits_of_toml(tmp_path):
    file = tmp_path / "rulebook.toml"
    for text, said in (
        ("x = " + "[" * 5000 + "]" * 5000, "TOML that is nested at most 100 levels deep"), (".".join("x" * 400) + " = 1", "TOML that is nested at most 100 levels deep"),
        ("x = " + "9" * 6000, "line 1: expected a number of at most 100 digits"),
        ("[rulebook]\nname = 'x'\n[value]\nx = 1e999999999", "rulebook.toml line 4, value.x: expected a number of at most 100 digits"), ("x = '\ud800'", "cannot be read|not TOML"),
    ):  # fmt: skip
        file.write_bytes(text.encode("utf-8", "surrogatepass"))
        with pytest.raises(dokima.DokimaError, match=said):
            dokima.load(tmp_path)
    cases = tmp_path / "book" / "cases" / "own.toml"
    shutil.copytree(DEMO, tmp_path / "book")
    for text, said in (
        ("[[case]]\nset = " + "[" * 3000 + "]" * 3000, "own.toml: expected TOML that is nested at most 100"),
        ("[[case]]\nset = " + "9" * 6000, "own.toml row 2: expected a number of at most 100 digits"),
        ("[[case]]\nname = x", "own.toml row 2: this is not TOML: invalid value at column 8; a text stands in quotes"),
    ):
        cases.write_text(text)
        with pytest.raises(dokima.CaseError, match=said):
            dokima.prove(tmp_path / "book")


def test_a_row_too_long_in_another_encoding_is_told_once(tmp_path, capfd):
    rows = "".join(f"A{at},10,sales,CLIP-S,1\n" for at in range(3000))
    file = tmp_path / "o.csv"
    file.write_bytes(f"order,line,kind,item,quantity\n{rows}".encode() + b"B,10,sales,CL\xea,1,7,8\n")
    with pytest.raises(dokima.DocumentError, match="expected a CSV file in utf-8"):
        BOOK.price(file)
    assert capfd.readouterr().err == ""


@pytest.mark.parametrize(
    ("column", "said"),
    [
        (
            'min_quantity = { kind = "text"',
            r"table\.agreed\.breaks\.min_quantity: expected a column of numbers .its kind is text",
        ),
        (
            'valid_from = { kind = "text"',
            r"table\.agreed\.window\.valid_from: expected a column of dates .its kind is text",
        ),
    ],
)
def test_columns_that_are_said_to_be_what_they_cannot_be(tmp_path, column, said):
    shutil.copytree(DEMO, tmp_path / "b")
    file = tmp_path / "b" / "rulebook.toml"
    text = file.read_text()
    name = column.partition(" ")[0]
    kept = "".join(line for line in text.splitlines(True) if not line.startswith(f"columns.{name}"))
    file.write_text(
        kept.replace('choose = ["lowest price / base"]', f'choose = ["lowest price / base"]\ncolumns.{column} }}')
    )
    with pytest.raises(dokima.RulebookError, match=said):
        dokima.load(tmp_path / "b")


def test_a_workbook_without_a_cell(tmp_path):
    openpyxl.Workbook().save(tmp_path / "o.xlsx")
    with pytest.raises(dokima.DocumentError, match="expected headings in row 1 .the row is empty"):
        BOOK.price(tmp_path / "o.xlsx")


def test_names_that_no_field_has_take_no_column_each(monkeypatch):
    """As many names as lines: a column for each would make the memory and the time grow with their square."""
    made = 0
    of = RawColumn.of

    def counted(rows):
        nonlocal made
        made += len(rows)
        return of(rows)

    monkeypatch.setattr(RawColumn, "of", counted)
    book = dokima.Rulebook.from_dict({"rulebook": {"name": "odd", "currency": "EUR"}})
    orders = book.orders([{"number": f"O{at}", f"h{at}": 1, "lines": [{f"q{at}": 1}]} for at in range(3000)])
    assert made <= 4 * 3000
    assert [(each.order, each.message) for each in orders.problems[:2]] == [
        ("O0", "expected a known header field (got 'h0')"),
        ("O0", "expected a known line field (got 'q0')"),
    ]
    assert len(orders.problems) == 6000
