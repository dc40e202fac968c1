"""Runs from files to files: what they leave, what stops them, and who may work on them."""

import contextlib
import csv
import json
import os
import signal
import subprocess
import sys
from decimal import Decimal as D
from pathlib import Path

import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from tests.formats.test_streaming import orders_of, write
from tests.shell import run_here


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
        assert coded == ["party", "currency", "line", "item", "description", "unit"]
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
        dokima.ExactError, match="order A, line 10, quantity: expected at most 12 decimal places in a table of Arrow"
    ):
        priced(quantity="0.0000000000001").to_arrow(schema=schema)
    with pytest.raises(
        dokima.ExactError, match="order A, line 10, quantity: expected at most 26 digits before the point"
    ):
        priced(quantity=10**26).to_arrow(schema=schema)
    narrow = schema.set(schema.get_field_index("quantity"), pa.field("quantity", pa.decimal128(6, 2)))
    with pytest.raises(
        dokima.ExactError, match="order A, line 10, quantity: expected at most 4 digits before the point"
    ):
        priced(quantity=12345).to_arrow(schema=narrow)
    with pytest.raises(dokima.DokimaError, match="expected the schema of this rulebook .it has no 'order'."):
        priced().to_arrow(schema=PIECES.arrow_schema("headers"))


def test_orders_that_a_file_cannot_hold_are_set_aside_and_the_others_are_written(tmp_path):
    """B has 13 places, C 27 digits: A and D are in the file as they are alone. CSV takes any number."""
    quantities = {"A": 1, "B": "0.0000000000001", "C": 10**26, "D": 3}
    orders = [
        dokima.Order(
            name, kind="sales", lines=[{"quantity": 2, "price_override": 1}, {"quantity": q, "price_override": 1}]
        )
        for name, q in quantities.items()
    ]
    run = dokima.price_files(PIECES, orders, tmp_path / "out.parquet", lines=4)
    assert (run.orders, run.lines, run.set_aside, run.errors) == (2, 4, 2, 2)
    alone = [each for each in orders if each.number in "AD"]
    schema = PIECES.arrow_schema()
    assert parquet.read_table(run.folder).to_pylist() == PIECES.price(alone).to_arrow(schema=schema).to_pylist()
    said = "".join(path.read_text() for path in sorted(run.folder.glob("_findings-*.csv")))
    assert "B,20,error,document,quantity: expected at most 12 decimal places in a table of Arrow" in said
    assert "C,20,error,document,quantity: expected at most 26 digits before the point" in said
    assert dokima.price_files(PIECES, orders, tmp_path / "out.csv", lines=4).orders == 4
    one = dokima.price_files(PIECES, orders, tmp_path / "one.csv", lines=8)
    rows = list(csv.DictReader((one.folder / "part-00000.csv").read_text().splitlines()))
    assert (one.orders, [row["quantity"] for row in rows if row["line"] == "20"]) == (
        4, ["1", "0.0000000000001", "100000000000000000000000000", "3"],
    )  # fmt: skip


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


def test_a_run_does_not_go_on_with_other_columns(tmp_path):
    data = {"rulebook": {"name": "columns", "currency": "EUR"}}
    data["routine"] = {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "line.unit_price"}]}]}}
    source, out = tmp_path / "lines.csv", tmp_path / "out.csv"
    source.write_text("no,pos,qty,list,agreed\nA,10,1,5,4\n", encoding="utf-8")
    line = {"number": "pos", "quantity": "qty", "unit_price": "list"}
    book = dokima.Rulebook.from_dict({**data, "layout": {"export": {"header": {"number": "no"}, "line": line}}})
    assert dokima.price_files(book, source, out, layout="export").sums["EUR"]["with_tax"] == D(5)
    line["unit_price"] = "agreed"
    book = dokima.Rulebook.from_dict({**data, "layout": {"export": {"header": {"number": "no"}, "line": line}}})
    with pytest.raises(dokima.DokimaError, match='had another layout: expected {"name": "export", "sha256"'):
        dokima.price_files(book, source, out, layout="export", resume=True)


def test_a_run_that_another_version_began_is_left_alone(rulebook, tmp_path):
    """Its files may have other columns."""
    source = write(tmp_path / "lines.parquet", FLAT)
    path = dokima.price_files(rulebook, source, tmp_path / "out.csv").folder / "_manifest.json"
    path.write_text(path.read_text().replace('"form": 3', '"form": 1'))
    with pytest.raises(dokima.DokimaError, match="has form 1, expected 3: another version of Dokima began the run"):
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
