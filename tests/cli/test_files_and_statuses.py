"""What a command says and ends with beside the main road: nothing on standard input, files of one order, percentages."""

from __future__ import annotations

import contextlib
import csv
import io
import json
import shutil
import sys
from unittest import mock

import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

ORDER = (DEMO / "orders" / "SQ-2041.json").read_text()


def fed(content, *command):
    stream = io.TextIOWrapper(io.BytesIO(content))
    with mock.patch.object(sys, "stdin", stream), contextlib.suppress(SystemExit):
        return run_here(DEMO, *command)


@pytest.mark.parametrize("content", [b"", b" \n\t ", b"\n"])
def test_nothing_on_standard_input_is_said(content):
    status, out, err = fed(content, "price", "-")
    assert (status, out) == (2, "")
    assert "expected orders on standard input (nothing came)" in err


def test_json_over_several_lines_is_one_order_and_an_object_a_line_is_one_each():
    """An order that is indented so that lines begin with a bracket is still one."""
    order = json.loads(ORDER)
    odd = json.dumps(order).replace('"lines": [{', '"lines": [\n{').replace("}, {", "},\n{")
    assert json.loads(odd) == order
    assert len(odd.splitlines()) == 4
    assert all(line[:1] == "{" for line in odd.splitlines())
    lines = "\n".join(json.dumps({**order, "number": name}) for name in ("A", "B"))
    for content, wanted in (
        (odd, ["SQ-2041"]),
        (json.dumps(order), ["SQ-2041"]),
        (lines, ["A", "B"]),
        (f"\ufeff{lines}\n\n", ["A", "B"]),
    ):
        status, out, err = fed(content.encode(), "price", "-", "--totals", "--format", "csv")
        assert status == 0, err
        assert [row["order"] for row in csv.DictReader(io.StringIO(out))] == wanted


@pytest.mark.parametrize("ending", ["json", "jsonl", "csv", "xlsx"])
def test_one_edited_order_is_written_as_its_file_says(tmp_path, ending):
    target = tmp_path / f"o.{ending}"
    status, _, err = run_here(DEMO, "edit", "orders/SQ-2041.json", "--set", "10.quantity=40", "--out", target)
    assert (status, err) == (0, f"written: {target}\n")
    (read,) = dokima.load(DEMO).orders(target).documents()
    assert (read["number"], str(read["lines"][0]["quantity"])) == ("SQ-2041", "40")
    if ending == "json":
        assert json.loads(target.read_text())["number"] == "SQ-2041"
    elif ending == "csv":
        assert len(target.read_text().splitlines()) == 4


def test_many_files_are_named_up_to_a_number_and_an_order_that_cannot_be_read_ends_with_1(tmp_path):
    folder = tmp_path / "orders"
    folder.mkdir()
    for at in range(23):
        (folder / f"O{at:02}.json").write_text(json.dumps({**json.loads(ORDER), "number": f"O{at:02}"}))
    status, out, err = run_here(DEMO, "edit", folder, "--set", "header.requested_by=Bo", "--out", tmp_path / "out")
    assert (status, out.strip().splitlines()[-1]) == (0, "23 orders changed, 0 refused")
    assert err.count("written: ") == 21
    assert err.strip().endswith("written: 3 more")
    (folder / "bad.json").write_text(json.dumps({**json.loads(ORDER), "number": "X", "kind": "lease"}))
    for extra in ((), ("--add", "item=VENT-L,quantity=1")):
        status, _, err = run_here(DEMO, "edit", folder, "--set", "header.requested_by=Bo", *extra, "--dry-run")
        assert (status, "expected one of sales, purchase, works (got 'lease'" in " ".join(err.split())) == (1, True)


@pytest.mark.parametrize("given", ["rules=101", "rules=-1", "rules=9.5", "rules=all", "rules="])
def test_a_percentage_is_one(given):
    status, _, err = run_here(DEMO, "prove", "--coverage", "--fail-under", given)
    assert (status, "expected --fail-under rules as a percentage such as rules=90" in " ".join(err.split())) == (
        2,
        True,
    )


def test_what_is_too_little_ends_with_1_also_of_mutation(tmp_path):
    folder = tmp_path / "book"
    (folder / "cases").mkdir(parents=True)
    (folder / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\n[[rule]]\nid = "few"\nat = "save"\nrequire = "line.quantity < 5"\n'
        '[routine.r]\nstep = [{ name = "price", kind = "price", options = [{ value = "2" }] }]\n'
    )
    (folder / "cases" / "c.toml").write_text(
        '[[case]]\nname = "c"\norder = { number = "A", lines = [{ number = "10", quantity = 3 }] }\nexpect = { payable = "6.00" }\n'
    )
    assert run_here(folder, "prove", "--coverage", "--fail-under", "rules=0")[0] == 0
    status, _, err = run_here(folder, "prove", "--coverage", "--fail-under", "rules=100")
    assert (status, "% covered, expected 100 %" in err) == (1, True)
    status, _, err = run_here(folder, "prove", "--mutate", "--fail-under", "mutation=100")
    assert (status, "mutation: " in err) == (1, True)
    assert run_here(folder, "prove", "--mutate", "--fail-under", "mutation=0")[0] == 0
    status, _, err = run_here(folder, "prove", "--coverage", "--fail-under", "ruels=10")
    assert (status, "there is no coverage of 'ruels'" in err) == (2, True)


def test_a_job_goes_on_by_its_name_alone_and_begins_with_numbers_or_a_condition(tmp_path):
    shutil.copytree(DEMO / "orders", tmp_path / "orders")
    url = f"sqlite:///{tmp_path}/o.db"
    assert run_here(DEMO, "store", "create", "--store", url)[0] == 0
    run_here(DEMO, "store", "load", tmp_path / "orders", "--store", url, "--by", "Ada")
    begun = (
        "edit",
        "SQ-2044",
        "SQ-2042",
        "--set",
        "header.requested_by=Bo",
        "--store",
        url,
        "--job",
        "j",
        "--by",
        "Ada",
    )
    assert "job j: 2 of 2 orders changed, 0 not" in run_here(DEMO, *begun)[2]
    again = run_here(DEMO, "edit", "--set", "header.requested_by=Bo", "--store", url, "--job", "j", "--by", "Ada")
    assert "job j: 2 of 2 orders changed, 0 not" in again[2]
    other = run_here(
        DEMO, "edit", "SQ-2041", "--set", "header.requested_by=Cy", "--store", url, "--job", "j", "--by", "Ada"
    )
    assert other[0] == 2
