"""Files beside the main road: headings only, two columns, kinds mixed in a folder, a layout of two files given one."""

from __future__ import annotations

import json

import pyarrow as pa
import pytest
from pyarrow import parquet

import dokima
from dokima.formats.sniffing import sniff
from tests.books import DEMO, FIELDS, book, routine
from tests.shell import run_here

TRIED = book(**FIELDS, routine=routine(), layout={
    "two": {"files": {"headers": "h.csv", "lines": "l.csv", "link": "order"}, "header": {"number": "order"},
            "line": {"number": "line", "quantity": "pieces"}},
})  # fmt: skip


@pytest.mark.parametrize("text", ["order,line,quantity\n", "order,line,quantity", "order,line,quantity\r\n\r\n"])
def test_a_file_of_headings_alone_has_no_orders(tmp_path, text):
    (tmp_path / "o.csv").write_text(text)
    priced = TRIED.price(tmp_path / "o.csv")
    assert (len(priced), priced.problems, dokima.to_csv(priced).count("\n")) == (0, (), 1)


def test_a_folder_holds_files_of_one_kind(tmp_path):
    for name in ("a", "b"):
        parquet.write_table(pa.table({"order": [name], "line": ["10"], "quantity": [1]}), tmp_path / f"{name}.parquet")
    assert [order.number for order in TRIED.price(tmp_path)] == ["a", "b"]
    (tmp_path / "c.csv").write_text("order,line,quantity\nc,10,1\n")
    for names in (("a.parquet", "c.csv"), ("c.csv", "a.parquet")):
        with pytest.raises(dokima.DocumentError, match="expected one .* file, or JSON or Parquet files only"):
            TRIED.price([tmp_path / name for name in names])
    (tmp_path / "d.json").write_text('{"number": "d", "lines": []}')
    with pytest.raises(dokima.DocumentError, match="expected JSON or Parquet files of orders in this folder"):
        TRIED.price(tmp_path)


def test_a_layout_of_two_files_takes_their_folder_or_both(tmp_path):
    (tmp_path / "h.csv").write_text("order\nA\nB\n")
    (tmp_path / "l.csv").write_text("order,line,pieces\nA,10,2\nB,10,3\n")
    for source in (tmp_path, [tmp_path / "h.csv", tmp_path / "l.csv"]):
        assert [str(order.line(10).quantity) for order in TRIED.price(source, "two")] == ["2", "3"]
        streamed = [order for piece in TRIED.stream(source, "two") for order in piece]
        assert [order.number for order in streamed] == ["A", "B"]
    with pytest.raises(
        dokima.DokimaError, match=r"h\.csv: expected a folder with h\.csv and l\.csv, or both files \(layout two\)$"
    ):
        TRIED.price(tmp_path / "h.csv", "two")
    with pytest.raises(
        dokima.DokimaError, match=r"h\.csv: expected a folder with h\.csv and l\.csv, or both files \(layout two\)$"
    ):
        list(TRIED.stream(tmp_path / "h.csv", "two"))


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
@pytest.mark.parametrize("width", [2, 3])
def test_what_separates_two_columns_is_seen_as_well_as_of_three(tmp_path, separator, width):
    rows = [["item", "price", "unit"], *([f"A{at}", f"{at}.50", "C62"] for at in range(9))]
    (tmp_path / "list.csv").write_text("".join(separator.join(row[:width]) + "\n" for row in rows))
    seen = sniff(tmp_path / "list.csv")
    assert (seen.separator, list(seen.headings), len(seen.rows)) == (separator, rows[0][:width], 9)


def test_sums_are_told_by_kind():
    _, out, _ = run_here(DEMO, "price", "orders", "--totals", "--format", "json")
    sums = json.loads(out)["sums"]
    assert {(each["kind"], each["currency"]) for each in sums} >= {
        ("sales", "EUR"),
        ("purchase", "EUR"),
        ("works", "EUR"),
    }
