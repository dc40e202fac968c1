"""Orders piece by piece and from Arrow: the same orders, figures and findings as when they are read whole."""

import csv
import datetime
import json
import pickle
from decimal import Decimal as D

import hypothesis.strategies as st
import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from pyarrow import csv as arrow_csv
from pyarrow import dataset, parquet

import dokima
from dokima.formats.grid import Batch
from dokima.formats.parquet_files import read_batches
from tests.books import DEMO

BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "pieces", "currency": "EUR"},
        "header": {"pick_up": {"kind": "flag"}},
        "line": {"weight": {"places": 3}},
        "table": {"item": {"key": {"item": "line.item"}}},
        "routine": {
            "all": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "vat", "kind": "tax", "percent": "21"},
                ]
            }
        },
    },
    tables={"item": [{"item": "PANE", "price": "12.50"}, {"item": "=SUM", "price": "3.333"}]},
)
ROW = st.fixed_dictionaries(
    {
        "customer": st.sampled_from(["FERNHOLT", "OAKMERE", "", None]),
        "date": st.sampled_from([datetime.date(2026, 3, 2), None]),
        "pick_up": st.sampled_from([True, False, None]),
        "item": st.sampled_from(["PANE", "=SUM", "NONE", "", None]),
        "quantity": st.sampled_from([D("2.00"), D("-3.50"), None]),
        "weight": st.sampled_from([D("0.125"), D("1.1000"), None]),
    }
)
KINDS = [
    ("order", pa.string()), ("customer", pa.string()), ("date", pa.date32()), ("pick_up", pa.bool_()), ("line", pa.string()),
    ("item", pa.string()), ("quantity", pa.decimal128(9, 2)), ("weight", pa.decimal128(12, 4)),
]  # fmt: skip


def table(orders, sort=True):
    """A flat table of orders, each with the header of its first line."""
    rows = []
    for number, lines in enumerate(orders):
        for at, line in enumerate(lines):
            header = {name: lines[0][name] for name in ("customer", "date", "pick_up")}
            rows.append({**line, **header, "order": f"O{number if sort else -number:03}", "line": str(10 * at + 10)})
    return pa.table({name: pa.array([row[name] for row in rows], kind) for name, kind in KINDS})


def result(calculation):
    """All that a calculation says, but not the name of its source."""
    found = json.loads(dokima.to_json(calculation))
    return json.loads(json.dumps(found).replace("lines.parquet", "").replace("lines.csv", ""))


@given(st.lists(st.lists(ROW, min_size=1, max_size=3), min_size=1, max_size=6), st.integers(1, 9), st.booleans())
def test_every_way_in_gives_the_same_orders(orders, lines, sort):
    """Columns of Arrow, read as they lie in memory, and the same values one by one in Python are the same orders."""
    flat = table(orders, sort)
    rows = flat.to_pylist()
    one_by_one = [
        dokima.Order.from_dict(
            {
                **{name: first[name] for name in ("customer", "date", "pick_up")},
                "number": first["order"],
                "lines": [
                    {name: row[name] for name in ("item", "quantity", "weight")} | {"number": row["line"]}
                    for row in rows
                    if row["order"] == first["order"]
                ],
            }
        )
        for first in rows
        if first["line"] == "10"
    ]
    wanted = BOOK.price(one_by_one)
    for source in (flat, flat.to_pandas(types_mapper={pa.decimal128(9, 2): None}.get), _coded(flat)):
        found = BOOK.price(source)
        assert [order.totals for order in found] == [order.totals for order in wanted]
        assert [str(each.message) for each in found.findings] == [str(each.message) for each in wanted.findings]
    pieces = list(BOOK.stream(pa.RecordBatchReader.from_batches(flat.schema, flat.to_batches(2)), lines=lines))
    assert [order.totals for piece in pieces for order in piece] == [order.totals for order in wanted]
    assert [order.number for piece in pieces for order in piece] == [order.number for order in wanted]


def _coded(flat):
    """The same table with texts by dictionaries, in pieces of one row each."""
    coded = [
        flat.column(name).dictionary_encode() if kind == pa.string() else flat.column(name) for name, kind in KINDS
    ]
    whole = pa.table(coded, [name for name, _ in KINDS])
    return pa.concat_tables([whole.slice(at, 1) for at in range(len(whole))])


def orders_of(count, start=0):
    line = {"customer": "FERNHOLT", "date": None, "pick_up": None, "item": "PANE", "quantity": D(2), "weight": None}
    flat = table([[line] * 3] * count)
    return flat.set_column(0, "order", pa.array([f"O{start + at // 3:06}" for at in range(3 * count)]))


def write(path, flat):
    if path.suffix == ".csv":
        arrow_csv.write_csv(flat, path)
    else:
        parquet.write_table(flat, path, row_group_size=100)
    return path


@pytest.mark.parametrize("name", ["lines.parquet", "lines.csv"])
def test_pieces_of_a_file_are_whole_orders_and_count_rows_as_the_file_does(name, tmp_path):
    flat = orders_of(50)
    wrong = flat.set_column(6, "quantity", pa.array([D("1.00")] * 149 + [None]))
    broken = wrong.set_column(5, "item", pa.array(["PANE"] * 140 + ["NONE"] + ["PANE"] * 9))
    path = write(tmp_path / name, broken)
    whole = BOOK.price(path)
    for workers in (1, 3):
        pieces = list(BOOK.stream(path, lines=40, workers=workers))
        assert len(pieces) >= (4 if name.endswith("parquet") else 1)
        assert all(len(order.lines) == 3 for piece in pieces for order in piece)
        assert [o.totals for piece in pieces for o in piece] == [o.totals for o in whole]
        assert [f for piece in pieces for f in piece.findings] == list(whole.findings)


def test_no_more_of_a_long_file_is_held_than_is_being_read(tmp_path):
    """Ahead-reading keeps all it has read until the end: eight megabytes here, of which a twentieth is needed."""
    numbers = np.random.default_rng(1).integers(0, 2**60, 1_000_000)
    parquet.write_table(pa.table({"line": numbers}), tmp_path / "long.parquet", row_group_size=50_000)
    before, held = pa.total_allocated_bytes(), []
    for batch in read_batches(tmp_path / "long.parquet", rows=50_000):
        held.append(pa.total_allocated_bytes() - before)
        del batch
    assert len(held) == 20
    assert max(held) < numbers.nbytes / 2


def test_orders_and_results_go_to_other_processes_as_they_are():
    demo = dokima.load(DEMO)
    orders = demo.orders(DEMO / "orders")
    prepared = demo.price(orders.part(2, 5))
    book, came, priced, piece = pickle.loads(pickle.dumps((demo, orders, demo.price(orders), prepared)))
    assert (book.fingerprint, len(came)) == (demo.fingerprint, len(orders))
    assert dokima.to_json(priced) == dokima.to_json(demo.price(came)) == dokima.to_json(book.price(orders))
    assert dokima.to_json(piece) == dokima.to_json(prepared)
    assert priced.program is piece.program is book.program  # built once
    assert priced["SQ-2041"].totals.payable == D("4339.39")


def test_a_piece_that_is_sent_elsewhere_holds_its_rows_and_no_others():
    whole = pa.table({"item": pa.array([f"ITEM-{at:06}" for at in range(10_000)])})
    batch = Batch(whole.slice(5_000, 10), np.arange(5_002, 5_012))
    sent = pickle.dumps(batch)
    came = pickle.loads(sent)
    assert came.table.to_pydict() == {"item": [f"ITEM-{at:06}" for at in range(5_000, 5_010)]}
    assert came.rows.tolist() == list(range(5_002, 5_012))
    assert len(sent) < 2_000
    gaps = Batch(whole.slice(0, 3), np.array([2, 5, 6]))
    assert pickle.loads(pickle.dumps(gaps)).rows.tolist() == [2, 5, 6]


def test_lines_of_one_order_far_apart_are_refused_by_name(tmp_path):
    """Within a piece they are put together; from one piece to another that cannot be, and is said."""
    flat = pa.concat_tables([orders_of(20), orders_of(20, start=100), orders_of(1, start=7)])
    path = write(tmp_path / "lines.parquet", flat)
    with pytest.raises(dokima.DocumentError, match="order O000007.*expected all lines of an order to stand together"):
        list(BOOK.stream(path, lines=30))
    with pytest.raises(dokima.DocumentError, match="O000007"):
        list(BOOK.stream(pa.RecordBatchReader.from_batches(flat.schema, flat.to_batches(30)), lines=30))
    unsorted = pa.concat_tables([orders_of(20, start=100), orders_of(20), orders_of(20, start=200)])
    assert sum(len(piece) for piece in BOOK.stream(write(path, unsorted), lines=30)) == 60


@pytest.mark.parametrize(
    "column",
    [
        pa.array([["PANE"]] * 3),
        pa.array([{"a": 1}] * 3),
        pa.array([2_932_897] * 3, pa.int32()).cast(pa.date32()),
        pa.Array.from_buffers(
            pa.string(), 3, [None, pa.py_buffer(bytes(4) + bytes([1, 0, 0, 0] * 3)), pa.py_buffer(b"\xff")]
        ),
    ],
    ids=["list", "struct", "a day of the year 10000", "no UTF-8"],
)
def test_columns_that_hold_no_values_are_refused_by_name(column, tmp_path):
    flat = orders_of(1)
    flat = flat.set_column(flat.column_names.index("item"), "item", column)
    with pytest.raises(dokima.DocumentError, match="expected values of a field in column 'item'"):
        BOOK.price(flat)
    with pytest.raises(dokima.DocumentError, match="expected values of a field in column 'item'"):
        list(BOOK.stream(flat, lines=2))
    if column.type != pa.string():  # Parquet itself would not write it
        path = write(tmp_path / "lines.parquet", flat)
        for source in (lambda: BOOK.price(path), lambda: list(BOOK.stream(path))):
            with pytest.raises(dokima.DocumentError, match="column 'item'"):
                source()


def test_a_folder_and_a_dataset_are_read_in_sequence(tmp_path):
    write(tmp_path / "a.parquet", orders_of(10))
    write(tmp_path / "b.parquet", orders_of(10, start=10))
    numbers = [f"O{at:06}" for at in range(20)]
    assert [order.number for piece in BOOK.stream(tmp_path, lines=12) for order in piece] == numbers
    source = dataset.dataset(tmp_path)
    assert [order.number for piece in BOOK.stream(source, lines=12) for order in piece] == numbers
    assert [order.number for order in BOOK.price(source)] == numbers


def test_headers_and_lines_in_two_tables_are_linked_by_order(tmp_path):
    flat = orders_of(4)
    headers = pa.table({"number": ["O000003", "O000000", "O000001", "O000002"], "customer": ["A", "B", "C", None]})
    lines = flat.select(["order", "line", "item", "quantity"]).rename_columns(["order", "number", "item", "quantity"])
    priced = BOOK.price((headers, lines))
    assert [(o.number, o.header("customer"), len(o.lines)) for o in priced] == [
        ("O000003", "A", 3), ("O000000", "B", 3), ("O000001", "C", 3), ("O000002", None, 3),
    ]  # fmt: skip


def test_results_as_arrow_are_exact_and_in_the_sequence_of_the_caller(tmp_path):
    flat = table(
        [
            [{"customer": "=A1", "date": None, "pick_up": None, "item": "=SUM", "quantity": D("3.00"), "weight": None}]
            * 2
        ]
    )
    turned = flat.take([1, 0])
    calculation = BOOK.price(turned)
    lines = calculation.to_arrow()
    assert lines.column("line").to_pylist() == ["20", "10"]
    assert lines.column("net").to_pylist() == [D("10.00"), D("10.00")]  # 3 at 3.333 is 9.999
    assert lines.column("price").to_pylist() == [D("3.333")] * 2
    assert calculation.to_arrow("headers").column("with_tax").to_pylist() == [D("24.20")]
    assert calculation.to_arrow("headers").column("kind").to_pylist() == [None]


def apart(flat):
    """The same orders as a table of headers and one of lines."""
    first = flat.filter(pa.compute.equal(flat["line"], "10"))
    headers = first.select(["order", "customer", "date", "pick_up"])
    return headers, flat.select(["order", "line", "item", "quantity", "weight"])


@given(st.lists(st.lists(ROW, min_size=1, max_size=3), min_size=1, max_size=6), st.integers(1, 9), st.booleans())
def test_headers_and_lines_apart_are_read_side_by_side(orders, lines, bare):
    """Also headers without lines, at the start, in between and at the end."""
    headers, bodies = apart(table(orders))
    alone = [orders[0][0] | {"order": number} for number in ("O000-", "O001-", "O999")]
    extra = pa.Table.from_pylist([{name: row[name] for name in headers.column_names} for row in alone], headers.schema)
    headers = pa.concat_tables([headers, extra]).sort_by("order")
    wanted = BOOK.price((headers, bodies))
    if bare:
        bodies = bodies.rename_columns(["order", "number", "item", "quantity", "weight"])
    pieces = list(BOOK.stream((headers, bodies), lines=lines))
    assert [order.number for piece in pieces for order in piece] == [order.number for order in wanted]
    assert [order.totals for piece in pieces for order in piece] == [order.totals for order in wanted]
    assert [f.message for piece in pieces for f in piece.findings] == [f.message for f in wanted.findings]


def test_headers_without_any_line_are_orders_too():
    headers, bodies = apart(orders_of(3))
    pieces = list(BOOK.stream((headers, bodies.slice(0, 0)), lines=2))
    assert [(order.number, len(order.lines)) for piece in pieces for order in piece] == [
        (number, 0) for number in headers["order"].to_pylist()
    ]


LINKED = {
    "files": {"headers": "heads.csv", "lines": "bodies.csv", "link": "Order"},
    "header": {"number": {"heading": "No"}, "customer": {"heading": "Buyer"}},
    "line": {"number": {"heading": "Pos"}, "item": {"heading": "Item"}, "quantity": {"heading": "Qty"}},
}


def linked_files(folder, order_of_lines):
    """Twenty orders in two files, the lines in a sequence of one's choice."""
    (folder / "heads.csv").write_text("No,Buyer\n" + "".join(f"O{n:02},FERNHOLT\n" for n in range(20)))
    lines = "".join(f"O{n:02},{at},PANE,{n + 1}\n" for n in order_of_lines for at in (10, 20))
    (folder / "bodies.csv").write_text("Order,Pos,Item,Qty\n" + lines)
    return dokima.Rulebook.from_dict(
        {"rulebook": {"name": "pieces", "currency": "EUR"}, "table": {"item": {"key": {"item": "line.item"}}},
         "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "item.price"}]}]}},
         "rule": [{"id": "few", "at": "save", "require": "line.quantity < 20"}], "layout": {"two": LINKED}},
        tables={"item": [{"item": "PANE", "price": "12.50"}]},
    )  # fmt: skip


def test_a_layout_of_two_files_is_streamed_and_checked_to_files(tmp_path):
    source, out = tmp_path / "in", tmp_path / "out.parquet"
    source.mkdir()
    book = linked_files(source, range(20))
    run = dokima.price_files(book, source, out, layout="two", lines=8, check="save")
    assert (run.orders, run.lines, run.errors) == (20, 40, 2)
    assert run.sums["EUR"]["without_tax"] == sum(D("12.50") * 2 * (n + 1) for n in range(20))
    refused = [
        row for path in sorted(out.glob("_findings-*.csv")) for row in csv.DictReader(path.read_text().splitlines())
    ]
    assert [(row["order"], row["line"], row["rule"]) for row in refused] == [("O19", "10", "few"), ("O19", "20", "few")]
    with pytest.raises(dokima.DokimaError, match=r'another check: expected "save" \(got ""\)'):
        dokima.price_files(book, source, out, layout="two", lines=8, resume=True)


@pytest.mark.parametrize("sequence", [[*range(10, 20), *range(10)], [*range(20), 40]])
def test_headers_and_lines_in_different_sequences_are_refused(sequence, tmp_path):
    book = linked_files(tmp_path, sequence)
    with pytest.raises(dokima.DocumentError, match="expected the header of order O.. at the same place of heads.csv"):
        list(book.stream(tmp_path, "two", lines=2))
