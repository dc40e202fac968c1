"""Headers and lines in two files, in Dokima's own words: known by their headings, the same as one file of rows."""

import csv
from decimal import Decimal as D

import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from tests.books import book
from tests.shell import run_here

RULES = book({})
HEADERS = {"number": ["O9", "O10", "O11"], "customer": ["C", "C", None], "date": ["2026-03-02"] * 3}
LINES = {
    "order": ["O9", "O9", "O10", "O11"], "number": ["10", "20", "10", "10"],
    "item": ["PANE", "VENT", "PANE", "VENT"], "quantity": ["2", "1", "5", "3"],
}  # fmt: skip


def written(folder, name, columns, form):
    """A file, or a folder of one file a row."""
    if form == "csv":
        path = folder / f"{name}.csv"
        with path.open("w", newline="") as file:
            out = csv.writer(file)
            out.writerow(columns)
            out.writerows(zip(*columns.values(), strict=True))
    elif form == "parquet":
        path = folder / f"{name}.parquet"
        parquet.write_table(pa.table(columns), path)
    else:
        path = folder / name
        path.mkdir()
        table = pa.table(columns)
        for at in range(table.num_rows):
            parquet.write_table(table.slice(at, 1), path / f"{at}.parquet")
    return path


def told(orders):
    return [(o.number, [(line.number, line.item, line.quantity, line.net) for line in o.lines]) for o in orders]


@pytest.mark.parametrize("form", ["csv", "parquet", "folder"])
@pytest.mark.parametrize("swapped", [False, True])
def test_two_files_are_read_as_one_of_rows_is(form, swapped, tmp_path):
    both = [written(tmp_path, name, columns, form) for name, columns in (("heads", HEADERS), ("rows", LINES))]
    source = both[::-1] if swapped else both
    of = [HEADERS["number"].index(number) for number in LINES["order"]]
    flat = {
        "order": LINES["order"], "line": LINES["number"], "item": LINES["item"], "quantity": LINES["quantity"],
        "customer": [HEADERS["customer"][at] for at in of], "date": [HEADERS["date"][at] for at in of],
    }  # fmt: skip
    expected = told(RULES.price(written(tmp_path, "flat", flat, "csv")))
    assert [(number, len(lines)) for number, lines in expected] == [("O9", 2), ("O10", 1), ("O11", 1)]
    assert told(RULES.price(source)) == told(RULES.price(tuple(source))) == expected
    assert [order for piece in RULES.stream(source, lines=1) for order in told(piece)] == expected
    run = dokima.price_files(RULES, source, tmp_path / "out.parquet", lines=2)
    assert (run.orders, run.lines) == (3, 4)
    assert run.sums["EUR"]["without_tax"] == sum(net for _, lines in expected for *_, net in lines if net is not None)


def test_at_the_command_line(tmp_path):
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "two"\ncurrency = "EUR"\n'
        '[routine.all]\nstep = [{ name = "price", kind = "price", options = [{ value = "2.50" }] }]\n'
    )
    written(tmp_path, "heads", HEADERS, "csv")
    written(tmp_path, "rows", LINES, "csv")
    status, _, said = run_here(tmp_path, "price", "heads.csv", "rows.csv", "--out", "out.parquet", "--totals")
    assert (status, "3 orders, 4 lines in 1 file" in said) == (0, True)
    payable = parquet.read_table(tmp_path / "out.parquet").column("payable").to_pylist()
    assert payable == [D("7.50"), D("12.50"), D("7.50")]
    status, out, _ = run_here(tmp_path, "price", "heads.csv", "rows.csv", "--totals", "-f", "csv")
    assert (status, [row["payable"] for row in csv.DictReader(out.splitlines())]) == (0, ["7.50", "12.50", "7.50"])


@pytest.mark.parametrize(
    ("columns", "why"),
    [
        ({**HEADERS, "line": ["10", "10", "10"]}, r"b.csv has the column 'line' of lines beside headers"),
        (HEADERS, r"a.csv and b.csv have no columns of headers and of lines"),
    ],
)
def test_two_files_of_whole_orders_are_refused_by_their_headings(columns, why, tmp_path):
    both = [written(tmp_path, "a", HEADERS, "csv"), written(tmp_path, "b", columns, "csv")]
    with pytest.raises(dokima.DokimaError, match=rf"or two of headers and their lines \({why}\)"):
        dokima.price_files(RULES, both, tmp_path / "out.parquet")
    with pytest.raises(dokima.DokimaError, match=r"or two of headers and their lines \(got 3\)"):
        dokima.price_files(RULES, [*both, both[0]], tmp_path / "out.parquet")


def test_lines_in_another_sequence_are_refused_with_what_to_do_and_read_whole(tmp_path):
    turned = {name: values[::-1] for name, values in LINES.items()}
    both = [written(tmp_path, "heads", HEADERS, "csv"), written(tmp_path, "rows", turned, "csv")]
    with pytest.raises(dokima.DokimaError, match="sort headers and lines by order number, or read them whole"):
        dokima.price_files(RULES, both, tmp_path / "out.parquet", lines=1)
    assert [(number, len(lines)) for number, lines in told(RULES.price(both))] == [("O9", 2), ("O10", 1), ("O11", 1)]


def test_a_folder_is_not_written_into_what_is_read(tmp_path):
    heads, rows = (written(tmp_path, name, each, "folder") for name, each in (("heads", HEADERS), ("rows", LINES)))
    with pytest.raises(dokima.DokimaError, match="expected a folder outside"):
        dokima.price_files(RULES, [heads, rows], rows / "out.parquet")
