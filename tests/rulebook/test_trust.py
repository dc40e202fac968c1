"""What a rulebook may reach: what lies in its folder, all, or nothing; and databases that are asked late and once."""

from __future__ import annotations

import os
import sqlite3
import threading
from decimal import Decimal as D
from typing import get_args

import pytest

import dokima
from dokima.cli import trusting
from dokima.formats import queries
from dokima.model.databases import Trust
from tests.shell import run_here

TOML = """
[rulebook]
name = "stranger"
currency = "EUR"
python = {python}
[source.erp]
url = {url}
[table.item]
rows = {{ source = "erp", query = "select item, price from art" }}
key = {{ item = "line.item" }}
columns.price = {{ kind = "decimal" }}
[table.rate]
file = {table}
key = {{ class = "'standard'" }}
[routine.all]
step = [
    {{ name = "price", kind = "price", options = [{{ value = "item.price * rate.factor" }}] }},
]
"""
PYTHON = """
import dokima, pathlib
pathlib.Path(__file__).with_name("ran").touch()
@dokima.rule("always", at="save")
def always(order):
    return dokima.accept()
"""


def stranger(folder, *, python='"rules.py"', url='"sqlite:///erp.db"', table='"rate.csv"'):
    """A rulebook with Python, a table and a database, by default all in its folder."""
    folder.mkdir(exist_ok=True)
    (folder / "rules.py").write_text(PYTHON)
    (folder / "rate.csv").write_text("class,factor\nstandard,2\n")
    with sqlite3.connect(folder / "erp.db") as base:
        base.execute("create table if not exists art (item text, price text)")
        base.execute("delete from art")
        base.execute("insert into art values ('A', '1.50')")
    base.close()
    (folder / "rulebook.toml").write_text(TOML.format(python=python, url=url, table=table))
    return folder


ORDER = {"number": "O", "lines": [{"number": "10", "item": "A", "quantity": 3}]}


def test_the_command_line_takes_what_load_takes():
    assert get_args(trusting.Trust) == get_args(Trust)


def test_a_rulebook_reads_what_lies_in_its_folder(tmp_path):
    book = dokima.load(stranger(tmp_path / "q"))
    assert str(book.price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax) == "9.00"
    assert (tmp_path / "q" / "ran").exists()


@pytest.mark.parametrize("way", ["dots", "link", "whole"])
@pytest.mark.parametrize("what", ["python", "table", "url"])
def test_what_lies_elsewhere_needs_all_trust(tmp_path, what, way):
    """By dots, by a link in the folder, by a whole path."""
    other = stranger(tmp_path / "other")
    name = {"python": "rules.py", "table": "rate.csv", "url": "erp.db"}[what]
    folder = tmp_path / "q"
    said = {"dots": f"../other/{name}", "link": f"link-{name}", "whole": str(other / name)}[way]
    text = f'"sqlite:///{said}"' if what == "url" else f'"{said}"'
    stranger(folder, **{what: text})
    if way == "link":
        (folder / said).symlink_to(other / name)
    with pytest.raises(dokima.DokimaError, match="lies outside the folder of the rulebook; --trust all lets it"):
        dokima.load(folder).price(dokima.Order.from_dict(ORDER))
    assert (other / "ran").exists() is False
    found = dokima.load(folder, trust="all").price(dokima.Order.from_dict(ORDER))
    assert found["O"].totals.without_tax == D("9.00")
    ran = folder if what != "python" or way == "link" else other
    assert [(each / "ran").exists() for each in (folder, other)] == [ran is folder, ran is other]
    status, _, told = run_here(folder, "price", "--trust", "all", write(folder))
    assert (status, told) == (0, "")


def write(folder):
    return dokima.write_order(dokima.Order.from_dict(ORDER), folder / "o.json")


@pytest.mark.parametrize("names", ['order = "../other/o.json"', 'tables = { item = "../other/rate.csv" }'])
def test_a_case_names_files_of_the_folder(tmp_path, names):
    other, folder = stranger(tmp_path / "other"), stranger(tmp_path / "q")
    write(other)
    (folder / "cases").mkdir()
    (folder / "cases" / "c.toml").write_text(f'[[case]]\nname = "c"\n{names}\nexpect = {{ payable = "9.00" }}\n')
    if names.startswith("tables"):
        (folder / "cases" / "c.toml").write_text(
            f'[[case]]\nname = "c"\n{names}\norder = "o.json"\nexpect = {{ payable = "9" }}\n'
        )
        write(folder)
    status, out, said = run_here(folder, "prove", width=200)
    assert (status, "lies outside the folder of the rulebook" in out + said) == (2, True)
    found = dokima.CaseFolder(folder, dokima.load(folder, trust="all"))
    assert [case.name for case in found.cases] == ["c"]


def test_nothing_runs_of_a_rulebook_that_is_trusted_with_nothing(tmp_path, monkeypatch):
    monkeypatch.setattr(queries.subprocess, "Popen", None)  # whoever asked a database would fail otherwise
    folder = stranger(tmp_path / "q", url='"sqlite:///$HOME/erp.db"')
    book = dokima.load(folder, trust="nothing")
    assert not (folder / "ran").exists()
    assert book.left_out == ("rules.py", "the rows of table 'item' from [source.erp]")
    assert (book.name, "lines" in book.order_schema()["properties"]) == ("stranger", True)
    said = r"nothing is worked out without rules\.py, the rows of table 'item' from \[source\.erp\]; that is left out"
    for work in (book.price, book.check):
        with pytest.raises(dokima.DokimaError, match=said):
            work(dokima.Order.from_dict(ORDER))
    with pytest.raises(dokima.DokimaError, match=r"nothing is worked out without rules\.py"):
        book.with_tables(item=[{"item": "A", "price": "1.50"}]).price(dokima.Order.from_dict(ORDER))
    status, _, told = run_here(folder, "price", "--trust", "nothing", write(folder))
    assert (status, "rules.py" in told, (folder / "ran").exists()) == (2, True, False)
    text = TOML.format(python="[]", url='"sqlite:///erp.db"', table='"rate.csv"')
    layout = '[layout.erp]\nheader = { number = "number" }\nline = { item = "number" }\nqueries = { source = "erp", headers = "select item as number from art" }\n'
    (folder / "rulebook.toml").write_text(text + layout)
    with pytest.raises(dokima.DokimaError, match="no database is asked, because the rulebook is trusted with nothing"):
        dokima.load(folder, trust="nothing").orders({}, layout="erp", strict=True)
    (folder / "rulebook.toml").write_text(TOML.format(python="[]", url='""', table='"rate.csv"'))
    plain = dokima.load(folder, tables={"item": [{"item": "A", "price": "1.50"}]}, trust="nothing")
    assert plain.left_out == ()
    assert plain.price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax == D("9.00")
    (folder / "rulebook.toml").write_text(
        TOML.format(python='"rules.py"', url='""', table='"rate.csv"').replace("item.price *", "twice(item.price) *")
    )
    with pytest.raises(dokima.RulebookError, match=r"twice(.|\n)*rules\.py: that is left out"):
        dokima.load(folder, trust="nothing")


def test_variables_of_the_environment_are_named_by_leave(tmp_path, monkeypatch):
    folder = stranger(tmp_path / "q", url='"sqlite:///$WHERE"')
    monkeypatch.setenv("WHERE", "erp.db")
    with pytest.raises(
        dokima.RulebookError, match=r"source\.erp\.url: expected a variable that it may name \(got \$WHERE\)"
    ):
        dokima.load(folder)
    for leave in ({"environment": ["WHERE"]}, {"trust": "all"}):
        assert dokima.load(folder, **leave).price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax == D("9.00")
    with pytest.raises(dokima.RulebookError, match=r"got \$WHERE"):
        dokima.load(folder, trust="all", environment=[])
    monkeypatch.setenv("DOKIMA_WHERE", "erp.db")
    stranger(folder, url='"sqlite:///$DOKIMA_WHERE"')
    assert dokima.load(folder).price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax == D("9.00")
    with pytest.raises(dokima.RulebookError, match=r"got \$DOKIMA_WHERE"):
        dokima.load(folder, environment=["WHERE"])


def test_a_database_is_asked_when_rows_are_needed_and_once(tmp_path, monkeypatch):
    asked, real = [], queries.rows_of_query
    monkeypatch.setattr(queries, "rows_of_query", lambda *a: (asked.append(a[3]), real(*a))[1])
    folder = stranger(tmp_path / "q")
    book = dokima.load(folder)
    book.order_schema()
    repr(book)
    dokima.rulebook_schema()
    assert run_here(folder, "schema", "order")[0] == 0
    assert asked == []
    totals = []
    threads = [
        threading.Thread(
            target=lambda: totals.append(book.price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax)
        )
        for _ in range(6)
    ]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert (totals, len(asked)) == ([D("9.00")] * 6, 1)
    assert book.fingerprint == dokima.load(folder).fingerprint
    given = dokima.load(folder, tables={"item": [{"item": "A", "price": "1"}]})
    assert given.price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax == D("6.00")
    assert len(asked) == 2
    os.remove(folder / "erp.db")
    late = dokima.load(folder)
    with pytest.raises(
        dokima.RulebookError, match=r"rulebook\.toml line \d+, table\.item: rows of table 'item' from erp: there"
    ):
        late.price(dokima.Order.from_dict(ORDER))
    stranger(folder)
    assert late.price(dokima.Order.from_dict(ORDER))["O"].totals.without_tax == D("9.00")


@pytest.mark.parametrize(
    ("formula", "table"), [("item.weight", ""), ("item.price", 'window = { from = "since", on = "header.date" }\nchoose = "highest size"')]
)  # fmt: skip
def test_a_table_whose_rows_come_later_declares_what_formulas_read(tmp_path, formula, table):
    folder = stranger(tmp_path / "q")
    text = (folder / "rulebook.toml").read_text().replace("item.price", formula)
    (folder / "rulebook.toml").write_text(text.replace("[table.rate]", f"{table}\n[table.rate]"))
    name = "weight" if not table else "size"
    with pytest.raises(
        dokima.RulebookError, match=rf"columns\.{name} = {{ kind = \"decimal\" }} in \[table\.item\] declares it"
    ):
        dokima.load(folder)
