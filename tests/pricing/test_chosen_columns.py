"""Chosen columns: header fields, own fields, names of parties and figures, in Arrow, Parquet, totals and lists."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest
from pyarrow import parquet

import dokima
from tests.books import DEMO, book, routine
from tests.shell import run_here

BOOK = dokima.load(DEMO)
LINES = ("order", "line", "section", "date", "customer_name", "header.state", "due_date", "net", "advance")
HEADERS = ("number", "customer_name", "date", "pick_up", "with_tax", "advance", "order_margin_percent")


def plain(table):
    return table.to_pylist()


def test_tables_of_arrow_hold_the_columns_that_are_asked_for():
    calculation = BOOK.price(DEMO / "orders")
    at = calculation.orders.position("SQ-2041")
    lines = [row for row in plain(calculation.to_arrow(columns=LINES)) if row["order"] == "SQ-2041"]
    order = calculation["SQ-2041"]
    assert [tuple(row) for row in lines[:1]] == [LINES]
    assert [(row["line"], row["net"], row["advance"]) for row in lines] == [
        (line.number, line.net, line.figure("advance")) for line in order.lines
    ]
    assert {(row["customer_name"], row["date"], row["header.state"]) for row in lines} == {
        ("Fernholt Botanic Garden", datetime.date(2026, 3, 2), "draft")
    }
    header = plain(calculation.to_arrow("headers", columns=HEADERS))[at]
    assert header["advance"] == sum(line.figure("advance") for line in order.lines) == D("867.88")
    assert header["order_margin_percent"] == order.figures["order_margin_percent"]
    for level, columns in (("lines", LINES), ("headers", HEADERS)):
        schema = BOOK.arrow_schema(level, columns)
        assert plain(calculation.to_arrow(level, schema, columns)) == plain(
            calculation.to_arrow(level, columns=columns)
        )
    with pytest.raises(dokima.NotFound, match="there is no column 'custmer_name'; did you mean 'customer_name'"):
        calculation.to_arrow(columns=["custmer_name"])


def test_files_of_a_run_have_them_and_a_run_of_other_columns_is_another(tmp_path):
    calculation = BOOK.price(DEMO / "orders")
    out = tmp_path / "lines.parquet"
    status, _, _ = run_here(DEMO, "price", "orders", "--out", out, "--columns", ",".join(LINES))
    assert status == 0
    assert sorted(map(repr, plain(parquet.read_table(out)))) == sorted(
        map(repr, plain(calculation.to_arrow("lines", BOOK.arrow_schema("lines", LINES), LINES)))
    )
    status, _, err = run_here(DEMO, "price", "orders", "--out", out, "--columns", "order,net", "--resume")
    assert (status, "something else" in err or "columns" in err) == (2, True)
    status, _, _ = run_here(DEMO, "price", "orders", "--out", out, "--columns", ",".join(LINES), "--resume")
    assert status == 0
    dokima.write_parquet(calculation, tmp_path / "h.parquet", "headers", HEADERS)
    assert plain(parquet.read_table(tmp_path / "h.parquet")) == plain(calculation.to_arrow("headers", columns=HEADERS))


def test_lists_and_totals_have_every_figure_of_an_order(tmp_path):
    """The advance of SQ-2041 is 867.88, of SQ-2046 it is 2,858.70: one way for a folder, a database and a file."""
    wanted = {"SQ-2041": "867.88", "SQ-2045": "2579.87", "SQ-2046": "2858.70"}
    url = f"sqlite:///{tmp_path}/orders.db"
    kept = dokima.create_store(url, BOOK)
    calculation = BOOK.price(DEMO / "orders")
    for number in wanted:
        (document,) = BOOK.orders(DEMO / "orders" / f"{number}.json").documents()
        kept.save(dokima.Order.from_dict(document), "Ada")
    numbers = tuple(wanted)
    for store in (dokima.open_store(DEMO, BOOK), kept):
        found = store.orders(columns=["number", "advance"], where="advance > 800", sort="-advance", numbers=numbers)
        assert [(row["number"], str(row["advance"])) for row in found] == sorted(
            wanted.items(), key=lambda each: -D(each[1])
        )
        assert [row["number"] for row in store.orders(where="with_tax > 14000", numbers=numbers)] == ["SQ-2046"]
        assert {row["order"] for row in store.lines(where="with_tax > 14000", numbers=numbers)} == {"SQ-2046"}
        with pytest.raises(dokima.NotFound, match="there is no column 'advnce'; did you mean 'advance'"):
            store.orders(columns=["advnce"])
    job = kept.each(where="advance < 1000").apply(
        "set", by="Bo", reason="r", name="small", fields={"header.requested_by": "Bo"}
    )
    assert (job.orders, job.done) == (1, 1)
    kept.close()
    status, out, _ = run_here(
        DEMO, "price", "--totals", "--orders", "orders", "SQ-2041", "--columns", "order,advance,instalments,customer_name",
        "--format", "csv",
    )  # fmt: skip
    assert (status, out.splitlines()[1]) == (
        0, "SQ-2041,867.88,2026-03-02 867.88; 2026-04-01 3471.51,Fernholt Botanic Garden",
    )  # fmt: skip
    assert calculation["SQ-2041"].totals.with_tax == D("4339.39")


def test_a_field_or_figure_called_like_a_column_stands_beside_it():
    """Columns that every table has keep their names; what the rulebook calls so has its level before it, and nothing is lost."""
    names = ("order", "line", "party")
    figure = {"name": "amount_due", "kind": "figure", "value": "line.quantity"}
    rules = book(
        header={"party": {}, "item": {}, "payable": {"kind": "decimal"}},
        line={**{name: {} for name in names}, "date": {"kind": "date"}, "currency": {}},
        routine=routine(figure),
    )
    given = {"party": "own party", "item": "own item", "payable": "7"}
    line = {**{name: f"own {name}" for name in names}, "date": "2026-01-01", "currency": "own currency"}
    order = dokima.Order(
        "A",
        customer="C",
        date="2026-03-02",
        currency="EUR",
        **given,
        lines=[{"number": "10", "item": "X", "quantity": 2, **line}],
    )
    priced = rules.price(order)
    (row,) = priced.to_arrow().to_pylist()
    assert {name: row[name] for name in ("order", "line", "party", "currency", "item", "amount_due")} == {
        "order": "A", "line": "10", "party": "C", "currency": "EUR", "item": "X", "amount_due": D(2),
    }  # fmt: skip
    assert [row[f"line.{name}"] for name in (*names, "currency")] == [f"own {name}" for name in (*names, "currency")]
    assert (str(row["date"]), str(row["line.date"]), row["header.item"]) == ("2026-03-02", "2026-01-01", "own item")
    (head,) = priced.to_arrow("headers").to_pylist()
    assert (head["party"], head["header.party"], head["payable"], head["header.payable"]) == (
        "C",
        "own party",
        D("2.00"),
        D(7),
    )
    for level in ("lines", "headers"):
        assert rules.arrow_schema(level).names == priced.to_arrow(level).column_names
        every = rules.arrow_schema(level).names
        assert priced.to_arrow(level, columns=every).to_pylist() == priced.to_arrow(level).to_pylist()
