"""Pieces of a file that other processes read: the same pieces as those that one process reads, and the same file."""

import pickle
import re
import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from itertools import count, groupby, pairwise
from types import ModuleType

import hypothesis.strategies as st
import pyarrow as pa
import pytest
from hypothesis import given
from pyarrow import parquet

import dokima
from dokima.cluster import executors, parts
from dokima.cluster.executors import Workers
from dokima.formats.streaming import order_pieces
from dokima.formats.stretches import MOST, FileStretch, order_stretches
from tests.formats.test_streaming import BOOK

FIELDS = BOOK.program.fields


def flat(counts):
    """Orders of so many lines each, one after the other."""
    orders = [number for number, count in enumerate(counts) for _ in range(count)]
    return pa.table({
        "order": pa.array([f"O{number:04}" for number in orders]),
        "line": pa.array([str(at) for count in counts for at in range(count)]),
        "item": pa.array(["PANE", "=SUM"] * len(orders))[: len(orders)].dictionary_encode(),
        "quantity": pa.array([str(at % 7) for at in range(len(orders))]),
    })  # fmt: skip


def read(pieces):
    """What each piece holds: its orders with their lines, and the rows at which they begin."""
    found = []
    for piece in pieces:
        orders, numbers = piece()
        found.append((list(orders.documents()), numbers.rows.tolist(), numbers.file))
    return found


@given(st.lists(st.integers(1, 30), max_size=40), st.integers(1, 60), st.integers(5, 40))
def test_whoever_reads_a_file_reads_the_same_pieces(tmp_path_factory, counts, group, lines):
    """Row groups end anywhere, orders go on beyond them, and columns of words end their batches where groups do."""
    path = tmp_path_factory.mktemp("stretch") / "lines.parquet"
    parquet.write_table(flat(counts), path, row_group_size=group)
    stretches = pickle.loads(pickle.dumps(list(order_stretches(path, FIELDS, None, lines))))
    assert read(piece for stretch in stretches for piece in stretch) == read(order_pieces(path, FIELDS, None, lines))
    assert [len(stretch) for stretch in stretches] == [len(list(stretch)) for stretch in stretches]
    # Two stretches share the row group in which one of them ends, and no other.
    assert all((before.cuts[-1] - 1) // group >= after.cuts[0] // group - 1 for before, after in pairwise(stretches))
    assert all((stretch.cuts[-2] - 1) // group == stretch.cuts[0] // group for stretch in stretches if len(stretch) > 2)


def test_rows_of_one_large_group_are_sent_so_that_all_workers_have_some(tmp_path):
    parquet.write_table(flat([5] * 100), tmp_path / "lines.parquet", row_group_size=500)
    kinds = {
        lines: {type(stretch) for stretch in order_stretches(tmp_path / "lines.parquet", FIELDS, None, lines)}
        for lines in (500 // MOST, 500 // MOST + 1)
    }
    assert kinds == {31: {tuple}, 32: {FileStretch}}


def test_files_of_a_folder_are_each_read_as_they_can_be(tmp_path):
    for name, group in (("a.parquet", 50), ("b.parquet", 500)):
        parquet.write_table(flat([5] * 100), tmp_path / name, row_group_size=group)
    stretches = list(order_stretches(tmp_path, FIELDS, None, 20))
    assert {type(stretch) for stretch in stretches[:10]} == {FileStretch}
    assert {type(stretch) for stretch in stretches[10:]} == {tuple}
    assert read(piece for each in stretches for piece in each) == read(order_pieces(tmp_path, FIELDS, None, 20))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda path: path.unlink(), r"same file '.*lines.parquet' as the one that begins the run \(No such file"),
        (lambda path: path.write_bytes(b"PAR1"), r"it has 4 bytes there, expected [\d,]+\)"),
    ],
)
def test_a_worker_that_sees_another_file_says_so(tmp_path, change, said):
    path = tmp_path / "lines.parquet"
    parquet.write_table(flat([5] * 20), path, row_group_size=50)
    (stretch, *_) = order_stretches(path, FIELDS, None, 20)
    change(path)
    with pytest.raises(dokima.DocumentError, match=said):
        next(iter(stretch))


def test_a_folder_is_read_whole_as_it_is_piece_by_piece(tmp_path):
    table = flat([3] * 10)
    wrong = table.set_column(3, "quantity", pa.array(["1"] * 16 + ["one"] + ["1"] * 13))
    for name, start, stop in (("a", 0, 12), ("b", 12, 30)):
        parquet.write_table(wrong.slice(start, stop - start), tmp_path / f"{name}.parquet")
    (tmp_path / "_SUCCESS").touch()
    orders = BOOK.orders(tmp_path)
    assert [order["number"] for order in orders.documents()] == [f"O{at:04}" for at in range(10) if at != 5]
    assert [str(each) for each in orders.problems] == [
        "b.parquet row 6, order O0005, line 1, quantity: expected a number such as 44.25 (got 'one')"
    ]
    assert [order.totals for order in BOOK.price(tmp_path)] == [
        o.totals for each in BOOK.stream(tmp_path) for o in each
    ]
    assert BOOK.orders([tmp_path / "b.parquet", tmp_path / "a.parquet"]).count == 9


@pytest.mark.parametrize(
    ("table", "name", "said"),
    [
        (
            flat([1, 2]).slice(1, 1),
            "b",
            "b.parquet row 2, order O0001, order: expected all lines of an order in one file",
        ),
        (flat([1]).set_column(3, "quantity", [[{"a": 1}]]), "b", "expected files with the same kinds of columns"),
        (flat([1]), "year=2026/c", "expected all Parquet files in the folder itself .there are more in 'year=2026'."),
    ],
)
def test_files_that_are_not_one_table_are_refused(table, name, said, tmp_path):
    (tmp_path / "year=2026").mkdir()
    parquet.write_table(flat([1, 1]), tmp_path / "a.parquet")
    parquet.write_table(table, tmp_path / f"{name}.parquet")
    with pytest.raises(dokima.DocumentError, match=said):
        BOOK.orders(tmp_path)


def test_every_worker_has_a_stretch_at_once(tmp_path):
    parquet.write_table(flat([5] * 20), tmp_path / "lines.parquet", row_group_size=10)
    together, number = threading.Barrier(6, timeout=60), count()

    def with_the_others(work, part):
        together.wait()
        return work(part)

    class Together(ThreadPoolExecutor):
        def submit(self, work, part):
            return super().submit(with_the_others, work, part) if next(number) < 6 else super().submit(work, part)

    with Together(12) as pool:
        how = {"lines": 10, "executor": Workers(pool, 6)}
        run = dokima.price_files(BOOK, tmp_path / "lines.parquet", tmp_path / "out.parquet", **how)
    assert (run.orders, run.lines, run.set_aside) == (20, 100, 0)


@given(st.lists(st.sampled_from("ABCDEFGHJK"), max_size=14), st.integers(2, 6))
def test_an_order_that_comes_back_is_noticed_whoever_has_read_it(tmp_path_factory, names, group):
    """Workers say of ascending numbers only the ends; what else must be known is read again."""
    folder = tmp_path_factory.mktemp("seen")
    names = [name for name, _ in groupby(names)]
    table = flat([2] * len(names)).set_column(0, "order", pa.array([name for name in names for _ in "12"], pa.string()))
    parquet.write_table(table, folder / "lines.parquet", row_group_size=group)
    said = []
    with ThreadPoolExecutor(1) as pool:
        for out, executor in (("a.csv", None), ("b.csv", pool)):
            try:
                run = dokima.price_files(BOOK, folder / "lines.parquet", folder / out, lines=3, executor=executor)
                said.append((run.orders, run.pieces, run.sums))
            except dokima.DocumentError as error:
                said.append(str(error))
    assert said[0] == said[1]
    again = [name for at, name in enumerate(names) if name in names[:at]]
    if again:
        assert re.search(rf"order ({'|'.join(again)})\b", said[0]), "the number that came back is named"
    else:
        assert said[0][0] == len(names)


def test_rows_of_sums_are_no_order_that_comes_back(tmp_path):
    """Pieces may hold nothing else; and numbers that do not ascend are read again, without them."""
    rows = [row for name in "ACBDE" for row in ((name, "1", "1"), (name, "2", "1"), ("Total", None, "2"))]
    table = pa.table(dict(zip(("order", "line", "quantity"), map(pa.array, zip(*rows, strict=True)), strict=True)))
    parquet.write_table(table, tmp_path / "lines.parquet", row_group_size=4)
    headings = {"number": {"heading": "line"}, "quantity": {"heading": "quantity"}}
    layout = {"sums": ["Total"], "header": {"number": {"heading": "order"}}, "line": headings}
    step = {"name": "price", "kind": "price", "options": [{"value": "2"}]}
    data = {"rulebook": {"name": "r", "currency": "EUR"}, "layout": {"own": layout}}
    book = dokima.Rulebook.from_dict({**data, "routine": {"all": {"step": [step]}}})
    with ThreadPoolExecutor(1) as pool:
        for out, executor in (("a.csv", None), ("b.csv", pool)):
            how = {"layout": "own", "lines": 3, "executor": executor}
            run = dokima.price_files(book, tmp_path / "lines.parquet", tmp_path / out, **how)
            assert (run.orders, run.lines, run.errors, str(run.sums["EUR"]["with_tax"])) == (5, 10, 0, "20.00")


def test_a_run_stopped_before_its_first_piece_leaves_its_folder_free(tmp_path):
    parquet.write_table(flat([5] * 20), tmp_path / "lines.parquet", row_group_size=20)
    how = (BOOK, tmp_path / "lines.parquet", tmp_path / "out.parquet")

    class Stopped(ThreadPoolExecutor):
        def submit(self, work, part):
            work(part)  # its files are there, and nobody has heard of them
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt), Stopped(1) as pool:
        dokima.price_files(*how, lines=10, executor=pool)
    assert (tmp_path / "out.parquet" / "part-00001.parquet").exists()
    # Nobody has heard of them, so that the folder is free for a run that is about something else.
    assert dokima.price_files(*how, lines=200).orders == 20
    assert sorted(each.name for each in (tmp_path / "out.parquet").iterdir()) == [
        "_manifest.json",
        "part-00000.parquet",
    ]


OWN = """
import os
from pathlib import Path
import dokima

@dokima.function
def fatal(item: str) -> int:
    if item == "ALWAYS" or (item == "ONCE" and not Path("FOLDER/died").exists()):
        Path("FOLDER/died").touch()
        os._exit(9)
    return 2
"""
RULEBOOK = """
[rulebook]
name = "own"
currency = "EUR"
python = "own.py"

[routine.all]
step = [{ name = "price", kind = "price", options = [{ value = "fatal(line.item)" }] }]
"""


def test_a_function_of_a_script_goes_with_the_rulebook(monkeypatch):
    """A worker on another machine has no such script."""
    pytest.importorskip("cloudpickle")
    script = ModuleType("__main__")
    exec("def one() -> int:\n    return 1", script.__dict__)
    data = {"rulebook": {"name": "r", "currency": "EUR"}, "value": {"x": 1}}
    book = dokima.Rulebook.from_dict(data, python=[dokima.function(script.one, version="1")])
    with monkeypatch.context() as here:
        here.setitem(sys.modules, "__main__", script)
        sent = executors.packed(book)
    assert pickle.loads(sent.content).fingerprint == sent.fingerprint == book.fingerprint


@pytest.mark.parametrize(
    ("sent", "said"),
    [
        (b"", "a worker cannot build the rulebook: EOFError"),
        (pickle.dumps(BOOK), "builds another rulebook from what it was sent: its version of Dokima differs"),
        (None, "rulebook 3:0000 has not been sent to this process"),
    ],
)
def test_a_worker_without_the_rulebook_says_why(sent, said, monkeypatch, tmp_path):
    monkeypatch.setattr(parts, "BOOKS", {})
    monkeypatch.setattr(executors, "BOOKS", parts.BOOKS)
    if sent is not None:
        executors.install(executors.Packed(sent, "3:0000", "3:0000"))
    with pytest.raises(dokima.DokimaError, match=said):
        parts.Part("3:0000", str(tmp_path / "out.csv"), "lines").work()


@pytest.mark.long
def test_a_piece_whose_process_is_lost_is_made_again_and_then_named(tmp_path):
    (tmp_path / "own.py").write_text(OWN.replace("FOLDER", str(tmp_path)), encoding="utf-8")
    (tmp_path / "rulebook.toml").write_text(RULEBOOK, encoding="utf-8")
    book = dokima.load(tmp_path)
    items = {name: ["PANE"] * 60 + [name] * 20 + ["PANE"] * 20 for name in ("ONCE", "ALWAYS")}
    for name, column in items.items():
        orders = flat([5] * 20).set_column(2, "item", pa.array(column))
        parquet.write_table(orders, tmp_path / f"{name}.parquet", row_group_size=20)
    with dokima.worker_processes(book, 2) as pool:
        run = dokima.price_files(book, tmp_path / "ONCE.parquet", tmp_path / "a.parquet", lines=20, executor=pool)
        assert (run.orders, run.errors, (tmp_path / "died").exists()) == (20, 0, True)
        quantities = sum(at % 7 for at in range(100))
        assert run.sums["EUR"]["with_tax"] == 2 * quantities
        with pytest.raises(dokima.DokimaError, match=r"^part-0000[34].parquet could not be made, tried 3 times: "):
            dokima.price_files(book, tmp_path / "ALWAYS.parquet", tmp_path / "b.parquet", lines=20, executor=pool)


@pytest.mark.parametrize(
    ("out", "lines", "said"),
    [
        ("out.parquet", 0, "expected pieces of at least 1 line .got 0."),
        ("in/out.parquet", 40, "expected a folder outside '.*in', which is read .got '.*in/out.parquet'."),
    ],
)
def test_a_run_that_makes_no_sense_leaves_nothing(tmp_path, out, lines, said):
    (tmp_path / "in").mkdir()
    parquet.write_table(flat([5] * 20), tmp_path / "in" / "lines.parquet")
    with pytest.raises(dokima.DokimaError, match=said):
        dokima.price_files(BOOK, tmp_path / "in", tmp_path / out, lines=lines)
    assert not (tmp_path / out).exists()
    with pytest.raises(dokima.DokimaError, match="expected at least 1 process"), dokima.worker_processes(BOOK, 0):
        pass


def test_a_file_without_order_numbers_is_named_as_ever(tmp_path):
    parquet.write_table(flat([5] * 20).drop_columns("order"), tmp_path / "lines.parquet", row_group_size=50)
    said = []
    for pieces in (order_pieces, lambda *how: (piece for each in order_stretches(*how) for piece in each)):
        with pytest.raises(dokima.DocumentError) as caught:
            read(pieces(tmp_path / "lines.parquet", FIELDS, None, 20))
        said.append(str(caught.value))
    assert said[0] == said[1]
    assert "order" in said[0]


def test_a_folder_holds_one_kind_of_files(tmp_path):
    """Of JSON and Parquet side by side one would be left out in silence; what systems leave beside them is no order."""
    parquet.write_table(flat([2, 3]), tmp_path / "B.PARQUET")
    for name in ("_SUCCESS", "_manifest.json", "._B.PARQUET", ".hidden.json"):
        (tmp_path / name).write_text("{}")
    book = dokima.Rulebook.from_dict({"rulebook": {"name": "folders", "currency": "EUR"}})
    assert book.orders(tmp_path).line_count == 5
    assert sum(len(piece.orders.order_of) for piece in book.stream(tmp_path)) == 5
    (tmp_path / "a.json").write_text("{}")
    for read in (book.orders, lambda source: list(book.stream(source))):
        with pytest.raises(dokima.DocumentError, match="JSON or Parquet files .* .there are 'a.json' and 'B.PARQUET'."):
            read(tmp_path)
