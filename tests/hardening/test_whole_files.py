"""The sequence of every writer: a file beside, written, on the disk, renamed, its folder on the disk; and nothing else."""

from __future__ import annotations

import os
import re
from pathlib import Path

import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ORDERS = DEMO / "orders"
ONE = dokima.Order("A", kind="sales", date="2026-03-02", customer="PELLOW", lines=[{"item": "CLIP-S", "quantity": 1}])


def priced():
    return BOOK.price(ORDERS)


WRITERS = {
    "an order": lambda out: dokima.write_order(ONE, out / "a.json"),
    "orders as JSON lines": lambda out: dokima.write_orders([ONE], out / "a.jsonl"),
    "orders as CSV": lambda out: dokima.write_orders([ONE], out / "a.csv", BOOK),
    "orders as a workbook": lambda out: dokima.write_orders([ONE], out / "a.xlsx", BOOK),
    "orders in a folder": lambda out: dokima.write_orders([dokima.Order("A"), dokima.Order("B")], out / "o"),
    "a page": lambda out: dokima.report(priced()).write(out / "r.html"),
    "a paper": lambda out: dokima.report(priced()).write(out / "r.pdf"),
    "Markdown": lambda out: dokima.report(priced()).write(out / "r.md"),
    "a sheet": lambda out: dokima.report(priced()).write(out / "r.xlsx"),
    "a table": lambda out: dokima.report(priced()).write(out / "r.csv"),
    "data": lambda out: dokima.report(priced()).write(out / "r.json"),
    "a chart": lambda out: dokima.draw(priced()["SQ-2041"].line(10), out / "r.png"),
    "a specification": lambda out: dokima.report(BOOK).write(out / "s.docx"),
    "columns": lambda out: dokima.write_parquet(priced(), out / "p.parquet"),
    "a run": lambda out: dokima.price_files(BOOK, ORDERS, out / "run.csv"),
    "a rulebook": lambda out: run_here(out, "init", "new"),
}  # fmt: skip


@pytest.fixture
def recorded(monkeypatch):
    """What was synced and renamed, in sequence; random parts of names as RANDOM."""
    done = []
    real_sync, real_replace = os.fsync, Path.replace

    def named(path):
        return re.sub(r"[0-9a-f]{16}", "RANDOM", str(path))

    def sync(handle):
        done.append(("sync", named(os.readlink(f"/proc/self/fd/{handle}"))))
        return real_sync(handle)

    def replace(self, target):
        done.append(("rename", named(self), named(target)))
        return real_replace(self, target)

    monkeypatch.setattr(os, "fsync", sync)
    monkeypatch.setattr(Path, "replace", replace)
    return done


@pytest.mark.parametrize("write", WRITERS.values(), ids=WRITERS)
def test_each_file_is_written_synced_renamed_and_its_folder_synced(tmp_path, recorded, write):
    write(tmp_path)
    files = [path for path in tmp_path.rglob("*") if path.is_file()]
    assert files
    renamed = {entry[2]: at for at, entry in enumerate(recorded) if entry[0] == "rename"}
    for file in files:
        at = renamed.get(str(file))
        assert at is not None, f"{file.name} was written in its place"
        beside = f"{file.parent}/.{file.name}.RANDOM.partial"
        assert recorded[at - 1 : at + 2] == [
            ("sync", beside),
            ("rename", beside, str(file)),
            ("sync", str(file.parent)),
        ]
