"""Messages that hold a figure: the figure is that of the case."""

from __future__ import annotations

import json
import zipfile

import openpyxl
import pytest

import dokima
from dokima.formats import xlsx_guard
from dokima.store.database.column_names import refuse_unless_name
from tests.books import DEMO, book
from tests.shell import run_here

LINE = {"number": "10", "item": "PANE", "quantity": 1}


def two(folder):
    file = folder / "two.json"
    file.write_text(json.dumps([{"number": name, "kind": "sales", "lines": [LINE]} for name in "AB"]))
    return file


def workbook(folder, *cells):
    made = openpyxl.Workbook()
    for place, value in cells:
        made.active[place] = value
    made.save(folder / "o.xlsx")
    return folder / "o.xlsx"


def case_of_two(folder):
    two(folder)
    (folder / "cases").mkdir()
    (folder / "cases" / "c.toml").write_text('[[case]]\nname = "c"\norder = "two.json"\nexpect = { payable = "1" }\n')
    return dokima.CaseFolder(folder, book())


TOLD = {
    "cells": (lambda f: book().price(workbook(f, ("A1", "number"), ("XFD1048576", 1))), r"expected at most 20,000,000 cells \(its cells reach to XFD1048576, 17,179,869,184 in all"),
    "a cell": (lambda f: book().price(rewritten(f, "x" * 300_000)), r"expected a cell of at most 262,144 bytes"),
    "a name": (lambda f: refuse_unless_name("x" * 64, "prefix"), "a name in a database has at most 63 bytes .got the prefix 'xxx"),
    "one order": (lambda f: book().explain(two(f), 10), r"expected the number of one order \(the source holds 2\)|expected one order .got 2"),
    "a case": (case_of_two, r"c\.toml row 1, case 'c': expected one order in two\.json \(got 2; name one"),
    "exports": (lambda f: dokima.begin(f / "new", [DEMO / "tables" / "items.csv"] * 3), r"expected one export, or two of headers and lines \(got 3\)"),
}  # fmt: skip


def rewritten(folder, text):
    """A workbook whose only cell holds a text that no spreadsheet would write."""
    path = workbook(folder, ("A1", "MARK"))
    with zipfile.ZipFile(path) as old:
        parts = {name: old.read(name).replace(b"MARK", text.encode()) for name in old.namelist()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for name, part in parts.items():
            new.writestr(name, part)
    return path


@pytest.mark.parametrize(("work", "said"), TOLD.values(), ids=TOLD)
def test_the_figure_is_told(tmp_path, work, said):
    with pytest.raises(dokima.DokimaError, match=said):
        work(tmp_path)


def test_a_workbook_that_is_too_large_once_it_is_unpacked(tmp_path, monkeypatch):
    monkeypatch.setattr(xlsx_guard, "WORKBOOK_BYTES", 2**20)
    path = workbook(tmp_path, *((f"A{row}", f"text {row}") for row in range(1, 30_000)))
    with pytest.raises(dokima.DokimaError, match="expected a workbook of at most 1 MB once it is unpacked"):
        book().price(path)


def test_the_command_line_says_how_many_came(tmp_path):
    order = DEMO / "orders" / "SQ-2041.json"
    status, _, said = run_here(DEMO, "price", order, order, order, "--out", tmp_path / "o.parquet")
    assert (status, "or two of headers and their lines (got 3)" in " ".join(said.split())) == (2, True)
