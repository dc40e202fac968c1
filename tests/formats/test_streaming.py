"""Orders piece by piece and from Arrow: the same orders, figures and findings as when they are read whole."""

import contextlib
import csv
import datetime
import json
import os
import pickle
import signal
import subprocess
import sys
from decimal import Decimal as D
from pathlib import Path

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
from tests.shell import run_here

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


# -- from files to files --------------------------------------------------------------------------------------


@pytest.fixture
def rulebook(tmp_path):
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "files"\ncurrency = "EUR"\n'
        '[table.item]\nfile = "items.csv"\nkey = { item = "line.item" }\n'
        '[routine.all]\nstep = [{ name = "price", kind = "price", options = [{ value = "item.price" }] }]\n'
    )
    (tmp_path / "items.csv").write_text("item,price\nPANE,12.50\n=SUM,3.333\n")
    return dokima.load(tmp_path)


def lines_of(folder: Path):
    """All lines of a run."""
    found = []
    for part in sorted(folder.glob("part-*")):
        if part.suffix == ".csv":
            found += list(csv.DictReader(part.read_text(encoding="utf-8").splitlines()))
        else:
            found += [{n: str(v) for n, v in row.items()} for row in parquet.read_table(part).to_pylist()]
    return [(row["order"], row["line"], row["net"]) for row in found]


FLAT = orders_of(50).drop_columns(["customer", "date", "pick_up", "weight"])


@pytest.mark.parametrize("out", ["out.parquet", "out.csv"])
def test_a_run_leaves_files_a_manifest_and_sums(rulebook, tmp_path, out):
    source = write(tmp_path / "lines.parquet", FLAT)
    seen = []
    run = dokima.price_files(rulebook, source, tmp_path / out, lines=40, workers=2, progress=seen.append)
    assert (run.orders, run.lines, run.errors, run.set_aside) == (50, 150, 0, 0)
    assert run.sums == {"EUR": {"without_tax": D("3750.00"), "tax": D(0), "with_tax": D("3750.00")}}
    assert str(run.sums["EUR"]["tax"]) == "0.00"
    assert [each.pieces for each in seen] == list(range(1, run.pieces + 1))
    if out.endswith(".parquet"):
        assert parquet.read_table(tmp_path / out).num_rows == 150  # the folder is one table
        group = parquet.read_metadata(tmp_path / out / "part-00000.parquet").row_group(0)
        columns = [group.column(at) for at in range(group.num_columns)]
        # A dictionary of words that come again and again; order numbers and figures do not.
        coded = [each.path_in_schema for each in columns if each.has_dictionary_page]
        assert coded == ["line", "item", "description", "unit"]
    net = "25.00" if out.endswith(".csv") else "25.0000"
    assert lines_of(tmp_path / out) == [(f"O{at // 3:06}", str(at % 3 * 10 + 10), net) for at in range(150)]
    manifest = json.loads((tmp_path / out / "_manifest.json").read_text())
    assert (manifest["done"], sum(piece["orders"] for piece in manifest["pieces"])) == (True, 50)


PIECES = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "pieces", "currency": "EUR"},
        "routine": {
            "sales": {
                "when": "header.kind == 'sales'",
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "line.price_override"}]},
                    {"name": "third", "kind": "figure", "value": "line.quantity / 3"},
                    {"name": "soon", "kind": "figure", "value": "line.quantity < 2"},
                ],
            },
            "purchase": {
                "when": "header.kind == 'purchase'",
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "2"}]},
                    {"name": "rebate", "kind": "discount", "percent": "10"},
                ],
            },
        },
    }
)  # fmt: skip
# One order a piece: more and more decimal places, another routine, another minor unit, one that is in error, and one of
# so many digits that 64 bits do not hold them with twelve places.
UNLIKE = pa.Table.from_pylist(
    [
        {"order": "A", "kind": "sales", "currency": "EUR", "line": "10", "quantity": "1", "price_override": "2"},
        {"order": "B", "kind": "sales", "currency": "EUR", "line": "10", "quantity": "1.5", "price_override": "2.12345"},
        {"order": "C", "kind": "purchase", "currency": "KWD", "line": "10", "quantity": "3", "price_override": None},
        {"order": "D", "kind": "neither", "currency": "EUR", "line": "10", "quantity": "3", "price_override": None},
        {"order": "E", "kind": "sales", "currency": "JPY", "line": "10", "quantity": "12345678.25", "price_override": "9999999"},
    ]
)  # fmt: skip


@pytest.mark.parametrize("totals", [False, True])
def test_pieces_that_hold_other_things_make_one_table(tmp_path, totals):
    """Kinds and columns follow from the rulebook: a reader that goes by the first file would round the others."""
    level = "headers" if totals else "lines"
    source = tmp_path / "unlike.parquet"
    parquet.write_table(UNLIKE, source, row_group_size=1)
    run = dokima.price_files(PIECES, source, tmp_path / "out.parquet", lines=1, totals=totals)
    schema, whole = PIECES.arrow_schema(level), PIECES.price(source)
    assert (run.pieces, whole.to_arrow(level).schema.names) == (5, schema.names)
    assert (run.in_no_sum, run.sums["KWD"]["with_tax"]) == (1, D("5.400"))
    assert [parquet.read_schema(part) for part in sorted(run.folder.glob("part-*"))] == [schema] * 5
    rows = parquet.read_table(run.folder).to_pylist()
    assert rows == whole.to_arrow(level).to_pylist() == whole.to_arrow(level, schema).to_pylist()
    if not totals:
        assert [row["net"] for row in rows] == [D("2"), D("3.19"), D("5.4"), None, D("123456770154322")]
        assert [row["third"] for row in rows[:2]] == [D("0.333333333333"), D("0.5")]
        lists = dokima.price_files(PIECES, source, tmp_path / "out.csv", lines=1)
        headings = {part.read_text().splitlines()[0] for part in lists.folder.glob("part-*")}
        assert [[name.strip('"') for name in each.split(",")] for each in headings] == [schema.names]


def test_pieces_of_a_stream_go_to_one_file_or_each_to_its_own(tmp_path):
    source = tmp_path / "unlike.parquet"
    parquet.write_table(UNLIKE, source, row_group_size=1)
    pieces = list(PIECES.stream(source, lines=1))
    with parquet.ParquetWriter(tmp_path / "one.parquet", PIECES.arrow_schema()) as file:
        for piece in pieces:
            file.write_table(piece.to_arrow(schema=PIECES.arrow_schema()))
    for at, piece in enumerate(pieces):
        assert dokima.write_parquet(piece, tmp_path / "each" / f"{at}.parquet") == tmp_path / "each" / f"{at}.parquet"
    whole = PIECES.price(source).to_arrow().to_pylist()
    assert parquet.read_table(tmp_path / "one.parquet").to_pylist() == whole
    assert parquet.read_table(tmp_path / "each").to_pylist() == whole


def test_what_a_schema_cannot_hold_is_refused():
    def priced(**line):
        return PIECES.price(dokima.Order("A", kind="sales", lines=[{"quantity": 1, "price_override": 1, **line}]))

    schema = PIECES.arrow_schema()
    with pytest.raises(
        dokima.ExactError, match="order A, line 10, quantity: expected at most 12 decimal places in a file"
    ):
        priced(quantity="0.0000000000001").to_arrow(schema=schema)
    with pytest.raises(
        dokima.ExactError, match="order A, line 10, quantity: expected at most 26 digits before the point"
    ):
        priced(quantity=10**26).to_arrow(schema=schema)
    with pytest.raises(dokima.DokimaError, match="expected the schema of this rulebook .it has no 'order'."):
        priced().to_arrow(schema=PIECES.arrow_schema("headers"))


def test_a_stopped_run_goes_on_and_is_about_the_same(rulebook, tmp_path):
    source = write(tmp_path / "lines.parquet", FLAT)

    def stop(run):
        if run.pieces == 2:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        dokima.price_files(rulebook, source, tmp_path / "out.parquet", lines=40, progress=stop)
    assert len(list((tmp_path / "out.parquet").glob("part-*"))) == 2
    with pytest.raises(dokima.DokimaError, match="holds a run already: --resume goes on with it"):
        dokima.price_files(rulebook, source, tmp_path / "out.parquet", lines=40)
    with pytest.raises(dokima.DokimaError, match="had another lines: expected 40 .got 50."):
        dokima.price_files(rulebook, source, tmp_path / "out.parquet", lines=50, resume=True)
    dearer = rulebook.what_if(set={"line.quantity": "5"})
    with pytest.raises(dokima.DokimaError, match="had another rulebook"):
        dokima.price_files(dearer, source, tmp_path / "out.parquet", lines=40, resume=True)
    done = dokima.price_files(rulebook, source, tmp_path / "out.parquet", lines=40, resume=True)
    whole = dokima.price_files(rulebook, source, tmp_path / "whole.parquet", lines=40)
    assert (done.orders, done.sums) == (whole.orders, whole.sums)
    assert lines_of(done.folder) == lines_of(whole.folder)
    part = tmp_path / "out.parquet" / "part-00001.parquet"
    part.write_bytes(part.read_bytes()[:-1])
    with pytest.raises(dokima.DokimaError, match="is not the file that the run wrote"):
        dokima.price_files(rulebook, source, tmp_path / "out.parquet", lines=40, resume=True)


def test_a_run_that_another_version_began_is_left_alone(rulebook, tmp_path):
    """Its files may have other columns."""
    source = write(tmp_path / "lines.parquet", FLAT)
    path = dokima.price_files(rulebook, source, tmp_path / "out.csv").folder / "_manifest.json"
    path.write_text(path.read_text().replace('"form": 2', '"form": 1'))
    with pytest.raises(dokima.DokimaError, match="has form 1, expected 2: another version of Dokima began the run"):
        dokima.price_files(rulebook, source, tmp_path / "out.csv", resume=True)


@pytest.mark.parametrize("form", [lambda table: table, lambda table: table.to_pandas(), dokima.Orders.from_json])
def test_only_a_run_over_files_can_be_taken_up_again(rulebook, tmp_path, form):
    """Of what is no file nobody can tell whether it holds the orders that the run began with."""
    source = FLAT if form is not dokima.Orders.from_json else '[{"number": "A"}, {"number": "B"}]'
    dokima.price_files(rulebook, form(source), tmp_path / "out.parquet", lines=40)
    with pytest.raises(dokima.DokimaError, match="can go on with files only"):
        dokima.price_files(rulebook, form(source), tmp_path / "out.parquet", lines=40, resume=True)


def test_orders_set_aside_are_named_beside_the_files(rulebook, tmp_path):
    text = FLAT.set_column(3, "quantity", pa.array(["2"] * 100 + ["two"] + ["2"] * 49))
    source = write(tmp_path / "lines.csv", text)
    status, _, err = run_here(tmp_path, "price", source, "--out", "out.csv", "--workers", "2")
    assert (status, "49 orders, 147 lines in 1 file" in err, "  1 error, 1 order set aside: _findings-" in err) == (
        1,
        True,
        True,
    )
    (row,) = csv.DictReader((tmp_path / "out.csv" / "_findings-00000.csv").read_text(encoding="utf-8").splitlines())
    assert (row["order"], row["line"], "got 'two'" in row["message"]) == ("O000033", "20", True)
    status, _, err = run_here(tmp_path, "price", source, "--out", "out.json")
    assert (status, "expected a folder that ends in .parquet, .csv" in err) == (2, True)
    status, _, err = run_here(tmp_path, "price", source, "--out", "out.csv")
    assert (status, "holds a run already" in err) == (2, True)


@pytest.mark.long
def test_processes_and_a_cluster_do_the_same_work(rulebook, tmp_path):
    source = write(tmp_path / "lines.parquet", FLAT)
    whole = dokima.price_files(rulebook, source, tmp_path / "whole.parquet", lines=40)
    with dokima.worker_processes(rulebook, 2) as pool:
        split = dokima.price_files(rulebook, source, tmp_path / "split.parquet", lines=40, executor=pool)
        read = rulebook.orders(source)  # orders that are in memory go there too, each piece by itself
        sent = dokima.price_files(rulebook, read, tmp_path / "sent.parquet", lines=40, executor=pool)
    for run in (split, sent):
        assert (run.sums, lines_of(run.folder)) == (whole.sums, lines_of(whole.folder))
    pytest.importorskip("distributed")

    def kill_one(run):
        if run.pieces == 1:
            os.kill(next(iter(pool.pool._client.run(os.getpid).values())), signal.SIGKILL)

    # A worker that is lost in the middle is replaced, gets the rulebook, and its pieces are done once more.
    with dokima.dask_workers(rulebook, count=2) as pool:
        folder = tmp_path / "cluster.parquet"
        cluster = dokima.price_files(rulebook, source, folder, lines=20, executor=pool, progress=kill_one)
    assert (cluster.sums, lines_of(cluster.folder)) == (whole.sums, lines_of(whole.folder))


@pytest.fixture
def two_hosts():
    """Two hosts on this machine with a network between them: how to run a command on the first or the second."""
    names, ends = ([f"{word}{os.getpid()}{side}" for side in "ab"] for word in ("dokima", "d"))

    def ip(*arguments):
        subprocess.run(["ip", *arguments], check=True, capture_output=True)

    with contextlib.ExitStack() as stack:
        try:
            for name in names:
                ip("netns", "add", name)
                stack.callback(ip, "netns", "del", name)
            ip("link", "add", ends[0], "type", "veth", "peer", "name", ends[1])
        except (OSError, subprocess.CalledProcessError) as error:
            pytest.skip(f"network namespaces are not permitted here ({error})")
        for host, (name, end) in enumerate(zip(names, ends, strict=True), start=1):
            ip("link", "set", end, "netns", name)
            ip("-n", name, "addr", "add", f"10.77.0.{host}/24", "dev", end)
            for device in (end, "lo"):
                ip("-n", name, "link", "set", device, "up")
        yield [["ip", "netns", "exec", name, sys.executable, "-m"] for name in names]


@pytest.mark.long
def test_the_workers_of_two_hosts_do_the_same_work(rulebook, tmp_path, two_hosts):
    """A scheduler and a worker on one host, a worker and the command line on the other."""
    pytest.importorskip("distributed")
    source = write(tmp_path / "lines.parquet", FLAT)
    whole = dokima.price_files(rulebook, source, tmp_path / "whole.parquet", lines=40)
    first, second = two_hosts
    address = "tcp://10.77.0.1:8786"
    scheduler = ["distributed.cli.dask_scheduler", "--host", "10.77.0.1", "--port", "8786", "--no-dashboard"]
    worker = ["distributed.cli.dask_worker", address, "--nthreads", "1", "--no-dashboard", "--local-directory"]
    commands = [
        [*first, *scheduler],
        [*first, *worker, str(tmp_path / "a"), "--host", "10.77.0.1"],
        [*second, *worker, str(tmp_path / "b"), "--host", "10.77.0.2"],
    ]
    with contextlib.ExitStack() as stack:
        for command in commands:
            process = stack.enter_context(subprocess.Popen(command, cwd=tmp_path, stderr=subprocess.DEVNULL))
            stack.callback(process.terminate)  # before it is waited for
        asked = ["price", str(source), "--out", "hosts.parquet", "--scheduler", address]
        done = subprocess.run([*second, "dokima", *asked], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, "Traceback" in done.stderr) == (0, False), done.stderr
    assert lines_of(tmp_path / "hosts.parquet") == lines_of(whole.folder)


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
