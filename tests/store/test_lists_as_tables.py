"""Lists of orders and lines as Parquet and Arrow: the same values as their JSON, with kinds of their own."""

import datetime
import json
from decimal import Decimal as D

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import feather, parquet

import dokima
from dokima.columns.shown import shown
from tests.books import DEMO
from tests.shell import run_here


@pytest.mark.parametrize("command", ["lines", "orders"])
def test_each_form_of_a_list_holds_what_its_json_says(command, tmp_path):
    files = [tmp_path / f"list.{ending}" for ending in ("parquet", "arrow", "json")]
    places = ["--orders", "orders"] if command == "lines" else ["--store", "."]
    if command == "orders":
        url = f"sqlite:///{tmp_path}/a.db"
        with dokima.create_store(url, dokima.load(DEMO)) as store:
            store.save_many([dokima.Order(f"A-{n}", kind="sales", customer="PELLOW", date="2026-03-02",
                             lines=[{"item": "CLIP-S", "quantity": n + 1}]) for n in range(3)], "ann")  # fmt: skip
        places = ["--store", url]
    options = [each for file in files for each in ("--report", file)]
    status, _, said = run_here(DEMO, command, *places, *options)
    assert (status, said.count("written: ")) == (0, 3)
    tables = parquet.read_table(files[0]), feather.read_table(files[1])
    assert tables[0].equals(tables[1])
    wanted = json.loads(files[2].read_text())
    assert len(wanted) == tables[0].num_rows > 2
    for name in tables[0].column_names:
        values = tables[0][name].to_pylist()
        assert [None if each is None else shown(each) for each in values] == [
            None if row[name] is None else shown(D(row[name])) if isinstance(values[at], D) else row[name]
            for at, row in enumerate(wanted)
        ]


NUMBERS = st.one_of(st.none(), st.integers(-(10**9), 10**9), st.decimals(-(10**12), 10**12, places=4))
DAYS = st.one_of(st.none(), st.dates())


@given(
    st.lists(
        st.tuples(NUMBERS, DAYS, st.one_of(st.none(), st.booleans()), st.one_of(st.none(), st.text("aé€", max_size=3)))
    )
)
def test_values_come_back(rows):
    names = ("net", "date", "flag", "word")
    listing = dokima.Listing(tuple(dict(zip(names, row, strict=True)) for row in rows), names, "rows")
    assert [tuple(row.values()) for row in listing.to_arrow().to_pylist()] == rows


def test_an_empty_list_has_kinds_too():
    names = ("order", "date", "quantity", "without_tax")
    schema = dokima.Listing((), names, "lines").to_arrow().schema
    assert [schema.field(name).type for name in names] == [
        pa.string(),
        pa.date32(),
        pa.decimal128(38, 2),
        pa.decimal128(38, 2),
    ]


@pytest.mark.parametrize("value", [D(10) ** 38, D("0." + "1" * 39), D("1" * 20 + "." + "2" * 20), 2**63])
def test_a_number_that_arrow_cannot_hold_is_text(value):
    column = dokima.Listing(({"n": value}, {"n": D(1)}), ("n",), "rows").to_arrow()["n"]
    assert column.to_pylist() == ([format(value, "f"), "1"] if value != 2**63 else [D(value), D(1)])


def test_what_is_of_several_kinds_is_text():
    rows = ({"n": D("1.50")}, {"n": "x"}, {"n": datetime.date(2026, 3, 2)}, {"n": None})
    assert dokima.Listing(rows, ("n",), "rows").to_arrow()["n"].to_pylist() == ["1.5", "x", "2026-03-02", None]


def test_a_report_that_is_no_list_has_no_such_form(tmp_path):
    priced = dokima.load(DEMO).price(dokima.Order("Q", kind="sales", date="2026-03-02", lines=[]))
    with pytest.raises(dokima.NotFound, match=r"expected a report ending in .*\.json \(got 'x.parquet'\)"):
        dokima.report(priced).write(tmp_path / "x.parquet")
