"""Tables and orders out of a database that somebody else keeps: its names, its types, and nothing written."""

from __future__ import annotations

import datetime
import sqlite3
from decimal import Decimal as D

import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.formats.queries import parameters_of
from tests import postgres
from tests.shell import run_here

SCRIPT = """
create table ART (ARTNR text, PRIS decimal(9,2), EXAKT text);
insert into ART values ('PANE', 48.50, '48.50'); insert into ART values ('VENT', 0.10, '0.10');
create table BH (NR text, KUND text, DATUM {date}); create table BL (NR text, POS integer, ART text, ANTAL text);
insert into BH values ('E1', 'FERN', '2026-03-02'); insert into BH values ('E2', 'OAK', '2026-04-02');
insert into BL values ('E1', 10, 'PANE', '2'); insert into BL values ('E1', 20, 'VENT', '3');
insert into BL values ('E2', 10, 'PANE', '1')
"""
HEADER = {"number": "NR", "customer": "KUND", "date": "DATUM"}
LINE = {"number": "POS", "item": "ART", "quantity": "ANTAL"}


@pytest.fixture(scope="module", params=["sqlite", "postgres"])
def erp(request, tmp_path_factory):
    """The URL of a database with orders, and how to quote: what is not quoted is in small letters in PostgreSQL."""
    if request.param == "sqlite":
        path = tmp_path_factory.mktemp("erp") / "erp.db"
        with sqlite3.connect(path) as base:
            base.executescript(SCRIPT.format(date="text"))
        base.close()
        yield f"sqlite:///{path}"
        return
    if postgres.why_not():
        pytest.skip(postgres.why_not())
    with postgres.server() as server:
        engine = sa.create_engine(server.url(), poolclass=sa.NullPool)
        with engine.begin() as connection:
            for statement in SCRIPT.format(date="date").split(";"):
                connection.exec_driver_sql(statement)
        yield server.url()


def book(url, query='select ARTNR as "item", EXAKT as "price" from ART', **source):
    """A rulebook that reads both its table and its orders from there."""
    names = {level: {n: each.lower() for n, each in of.items()} for level, of in (("header", HEADER), ("line", LINE))}
    if url.startswith("sqlite"):
        names = {"header": HEADER, "line": LINE}
    since = "where DATUM >= cast(:since as date)" if url.startswith("postgres") else "where DATUM >= :since"
    queries = {
        "source": "erp",
        "headers": f"select * from BH {since} and KUND <> 'a:b' -- :not",
        "lines": f"select BL.* from BL join BH on BL.NR = BH.NR {since}",
        "link": names["header"]["number"],
    }
    return dokima.Rulebook.from_dict(
        {"rulebook": {"name": "erp", "currency": "EUR"},
         "source": {"erp": {"url": url, **source}},
         "table": {"item": {"key": {"item": "line.item"}, "rows": {"source": "erp", "query": query},
                            "columns": {"price": {"kind": "decimal"}}}},
         "layout": {"erp": {**names, "queries": queries}},
         "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "item.price"}]}]}}}
    )  # fmt: skip


def test_orders_and_prices_come_from_where_they_are(erp):
    found = book(erp).price({"since": "2026-01-01"}, "erp")
    assert {order.number: order.totals.without_tax for order in found} == {"E1": D("97.30"), "E2": D("48.50")}
    assert found["E1"].header("date") == datetime.date(2026, 3, 2)
    assert [order.number for order in book(erp).price({"since": "2026-04-01"}, "erp")] == ["E2"]
    stock = dokima.Query(
        "erp", 'select ARTNR as "item", EXAKT as "price" from ART where ARTNR = :which', {"which": "PANE"}
    )
    (finding,) = book(erp).with_tables(item=stock).price({"since": "2026-01-01"}, "erp").findings.errors
    assert (finding.order, finding.line) == ("E1", "20")


@pytest.mark.parametrize(
    ("query", "message"),
    [
        ("select 1 as item; drop table ART", "expected one statement"),
        ("delete from ART", "from erp: "),
        ("insert into ART values ('X', 1, '1') returning ARTNR as item", "from erp: "),
        ("select ARTNR as item from ART where ARTNR = :who", "expected a value for :who"),
        ("select ARTNR as item, EXAKT as item from ART", "item"),
        ("select NOSUCH from ART", "(?i)nosuch"),
    ],
)
def test_what_is_no_query_is_refused_and_changes_nothing(erp, query, message):
    found = book(erp, query)  # loading asks nobody
    with pytest.raises(dokima.RulebookError, match=message):
        found.price({"since": "2026-01-01"}, "erp")
    assert len(book(erp).price({"since": "2026-01-01"}, "erp")) == 2


def test_limits_parameters_and_sources_are_held(erp):
    with pytest.raises(dokima.RulebookError, match="expected at most 1 rows"):
        _ = book(erp, limit=1).fingerprint
    endless = "with recursive r(n) as (select 1 union all select n + 1 from r) select count(*) as item from r"
    with pytest.raises(dokima.RulebookError, match="interrupted: it ran for 1 seconds|statement timeout"):
        _ = book(erp, endless, seconds=1).fingerprint
    wide = "select 'x' as item, " + ("repeat('y', 3000000)" if erp.startswith("p") else "hex(zeroblob(1500000))")
    with pytest.raises(dokima.RulebookError, match="expected rows of at most 2 MB"):
        _ = book(erp, f"{wide} as price", megabytes=2).fingerprint
    for given_, message in (
        ({}, "expected a value for :since"), ({"since": "2026-01-01", "sinse": 1}, "no :sinse in its queries"),
    ):  # fmt: skip
        with pytest.raises(dokima.DocumentError, match=message):
            book(erp).orders(given_, "erp")
    with pytest.raises(dokima.DocumentError, match="expected the parameters of its queries as a mapping"):
        book(erp).orders([], "erp")
    with pytest.raises(dokima.RulebookError, match=r"there is no \[source.erb\]; did you mean 'erp'"):
        book(erp).with_tables(item=dokima.Query("erb", "select 1"))


def test_a_binary_float_is_refused_unless_the_column_says_round(tmp_path):
    """SQLite keeps a DECIMAL as one."""
    with sqlite3.connect(tmp_path / "erp.db") as base:
        base.executescript(SCRIPT.format(date="text"))
    base.close()
    url = f"sqlite:///{tmp_path}/erp.db"
    with pytest.raises(dokima.RulebookError, match="erp row 3 column price.*got the binary float 0.1"):
        book(url, "select ARTNR as item, PRIS as price from ART").check(dokima.Order("A"))
    rounds = {"rulebook": {"name": "erp", "currency": "EUR"}, "source": {"erp": {"url": url}}, "table": {"item": {
        "key": {"item": "line.item"}, "columns": {"price": {"kind": "decimal", "places": 2, "floats": "round"}},
        "rows": {"source": "erp", "query": "select ARTNR as item, PRIS as price from ART"}}},
        "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "item.price"}]}]}}}  # fmt: skip
    line = {"number": "10", "item": "VENT", "quantity": 3}
    priced = dokima.Rulebook.from_dict(rounds).price(dokima.Order("A", lines=[line]))
    assert priced["A"].line(10).net == D("0.30")


def test_the_command_line_hands_over_parameters(tmp_path, monkeypatch):
    with sqlite3.connect(tmp_path / "erp.db") as base:
        base.executescript(SCRIPT.format(date="text"))
    base.close()
    monkeypatch.setenv("ERP", str(tmp_path / "erp.db"))
    (tmp_path / "rulebook.toml").write_text(
        """
        [rulebook]
        name = "erp"
        currency = "EUR"
        [source.erp]
        url = "sqlite:///$ERP"
        [table.item]
        rows = { source = "erp", query = "select ARTNR as item, EXAKT as price from ART" }
        key = { item = "line.item" }
        columns.price = { kind = "decimal" }
        [layout.erp]
        header = { number = "NR", customer = "KUND", date = "DATUM" }
        line = { number = "POS", item = "ART", quantity = "ANTAL" }
        queries = { source = "erp", headers = "select * from BH join BL using (NR) where DATUM >= :since" }
        [routine.all]
        step = [{ name = "price", kind = "price", options = [{ value = "item.price" }] }]
        """
    )
    asked = ("price", "--layout", "erp", "since=2026-01-01", "--totals", "--format", "csv")
    code, _, said = run_here(tmp_path, *asked)
    assert code == 2
    assert "rulebook.toml line 6, source.erp.url: expected a variable that it may name (got $ERP)" in said
    code, shown, _ = run_here(tmp_path, *asked, "--environment", "ERP")
    assert code == 0
    assert [line.split(",")[0] for line in shown.splitlines()[1:]] == ["E1", "E2"]
    assert "as NAME=VALUE" in run_here(tmp_path, "price", "--layout", "erp", "orders.csv", "--trust", "all")[2]


SQL = st.lists(
    st.sampled_from(
        ["'it''s :no'", '"a:b"', "-- :no\n", "/* :no ; */", "::int", ":yes", "select", " ", "$$ :no ; $$", "[x:y]", "a"]
    ),
    max_size=12,
)


@given(SQL)
def test_nothing_in_a_literal_or_comment_is_a_parameter(parts):
    text = " ".join(parts)
    wanted = ["yes"] if ":yes" in parts else []
    asked, names = parameters_of(text)
    assert names == wanted
    assert sorted(sa.text(asked).compile().params) == wanted
