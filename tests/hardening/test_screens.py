"""Texts that mean to act: on a terminal, on a page, in a spreadsheet."""

import json
import re
import zipfile

import pytest

import dokima
from tests.books import DEMO
from tests.pdf import text_of
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ACTS = "\x1b[31mred\x1b]0;title\x07 \x9b31m \u202eback\u2066 \r \x00[/] [bold]b[/bold] [link=file:///x]y[/link] <script>z</script>"
"""Escapes of both kinds, turned text, a carriage return, markup of the library that lays terminals out, and of HTML."""
NEVER = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]")


def order(**more):
    line = {"item": ACTS.replace("\x00", ""), "quantity": 1, "unit": ACTS.replace("\x00", ""), "description": "=1+1"}
    return dokima.Order(
        "X\x1b[2J[/]", kind="sales", customer=ACTS.replace("\x00", ""), date="2026-03-02", lines=[line], **more
    )


def results():
    """A result of each kind that shows texts of orders."""
    found = BOOK.price(order())
    yield found
    yield found["X\x1b[2J[/]"]
    yield BOOK.check(order())
    yield BOOK.explain(order(), 10)
    yield BOOK.variance(order(), order(requested_by=ACTS.replace("\x00", "")))
    yield BOOK.evaluate("line.item", order(), 10)


@pytest.mark.parametrize("at", range(6))
def test_nothing_in_a_text_acts_wherever_it_is_shown(at, tmp_path):
    report = dokima.report(list(results())[at])
    assert not NEVER.search(report.text.replace("\n", ""))
    assert "[bold]b[/bold]" in " ".join(report.to_text(600).split())  # wide, so that nothing is folded within it
    for ending in ("html", "md", "pdf", "xlsx"):  # CSV and JSON are for programs: a text in them is the text
        target = report.write(tmp_path / f"r.{ending}")
        content = target.read_bytes()
        if ending == "xlsx":
            with zipfile.ZipFile(target) as packed:
                content = b"\n".join(packed.read(name) for name in packed.namelist())
        elif ending == "pdf":
            content = text_of(target).encode()
        text = content.decode("utf-8").replace("\r\n", "\n")
        assert not NEVER.search(text), ending
        assert "<script>" not in text or ending == "pdf", ending
    told = report.write(tmp_path / "r.csv").read_bytes().decode()
    assert told == dokima.to_csv(list(results())[at])
    assert "\x1b" in told or at in (3, 4)  # steps of an explanation, and a variance of nothing


def test_files_for_spreadsheets_are_guarded_and_those_for_programs_on_demand():
    led = ("=1+1", "+1", "-x", "@SUM(1)", "\tx", "\rx", "＝1+1")
    header = {"kind": "sales", "customer": "FERNHOLT", "date": "2026-03-02"}
    line = {"item": "CLIP-S", "quantity": -1}
    orders = [dokima.Order(f"A{at}", lines=[{**line, "description": text}], **header) for at, text in enumerate(led)]
    found = BOOK.price(orders)
    guarded, raw = dokima.to_csv(found), dokima.to_csv(found, raw=True)
    for text in led:
        assert f"'{text}" in guarded
        assert f"'{text}" not in raw
    assert ",-1," in guarded  # a number is never touched


@pytest.mark.parametrize("command", ["price", "check", "explain", "eval", "edit"])
def test_the_shell_shows_such_texts_and_does_nothing_else(tmp_path, command):
    file = tmp_path / "x.json"
    file.write_text(json.dumps(order().to_dict(), default=str))
    more = {"explain": ["10"], "edit": ["--set", "10.quantity=2", "--dry-run"]}.get(command, [])
    arguments = ["line.item", file] if command == "eval" else [file, *more]
    status, out, said = run_here(DEMO, command, *arguments)
    assert status == (0 if command == "eval" else 1), said
    assert not NEVER.search((out + said).replace("\n", ""))
