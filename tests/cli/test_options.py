"""`dokima price`, `explain`, `check` and `variance`: what is told beside a table, and options that say nothing together."""

import io
import json

import pytest

from tests.books import DEMO
from tests.cli.test_commands import dokima


def test_a_table_of_lines_is_no_place_for_errors_so_they_are_told_beside_it(tmp_path):
    known = json.loads((DEMO / "orders" / "SQ-2041.json").read_text())
    many = [{**known, "number": f"U{at}", "lines": [{"item": "NOPE", "quantity": 1}]} for at in range(11)]
    (tmp_path / "many.json").write_text(json.dumps([known, {**known, "number": "D", "date": "soon"}, *many]))
    for form in (("--format", "csv"), ("--columns", "order,line,net")):
        status, out, err = dokima("price", tmp_path / "many.json", *form)
        assert (status, "1682.50" in out) == (1, True)
        told = err.splitlines()
        assert told[0] == "error: D: date: expected a date such as 2026-03-02 (got 'soon') (many.json)"
        assert told[1].startswith("error: U0 line 10: no price: tried ")
        assert told[-1] == "and 13 more errors: --format json holds all of them"
    status, out, err = dokima("price", tmp_path / "many.json", "--columns", "order,net", "--format", "json")
    data = json.loads(out)
    assert (status, err, data["lines"][0]) == (1, "", {"order": "SQ-2041", "net": "1682.50"})
    assert (len(data["lines"]), len(data["findings"]), len(data["problems"])) == (14, 23, 1)
    _, out, _ = dokima("price", tmp_path / "many.json", "--totals", "--columns", "order,payable", "--format", "json")
    assert json.loads(out)["orders"][0] == {"order": "SQ-2041", "payable": "4339.39"}
    (tmp_path / "one.json").write_text(json.dumps({**known, "date": "soon"}))
    status, out, err = dokima("price", tmp_path / "one.json", "--columns", "order,net", "--format", "csv")
    assert (status, out, len(err.splitlines())) == (1, "order,net\n", 1)


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--steps", "10", "--totals"], "--totals is not for --steps, which shows one line down the page"),
        (["--steps", "10", "--format", "csv"], "--format is not for --steps"),
        (["--totals", "--figures", "net"], "--figures is about lines with their steps: --columns names the columns"),
        (["--workers", "2"], "--workers is of a run over many orders: it needs --out"),
        (["--resume"], "--resume is of a run over many orders: it needs --out"),
        (["--check", "save"], "--check is of a run over many orders: it needs --out"),
        (["--out", "x.csv", "--figures", "net"], "--figures is about what is shown: --out writes every figure"),
        (["--out", "x.csv", "--format", "csv"], "--format is about what is shown: --out writes every figure"),
        (
            ["--out", "x.csv", "--workers", "2", "--processes", "2"],
            "expected one of --workers, --processes and --scheduler (got --workers, --processes)",
        ),
        (["--out", "x.csv", "--check", "nonsense"], "there is no moment 'nonsense'"),
    ],
)
def test_an_option_that_would_be_passed_over_is_refused(options, said, tmp_path):
    options = [tmp_path / each if each == "x.csv" else each for each in options]
    status, out, err = dokima("price", "orders", *options)
    assert (status, out, said in err) == (2, "", True)
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (
            ["explain", "orders/SQ-2041.json", "10", "--line", "quantity=48"],
            "--line is for a line that stands in no order",
        ),
        (["check", "orders", "--why", "--severity", "error"], "--severity is about findings: --why shows what came of"),
        (["variance", "orders", "orders", "--by", "item", "--all"], "--all is about lines: --by sums them"),
    ],
)
def test_what_another_option_leaves_nothing_to_say_is_refused(arguments, said):
    status, out, err = dokima(*arguments)
    assert (status, out, said in err) == (2, "", True)


def test_a_run_reads_standard_input(tmp_path, monkeypatch):
    text = (DEMO / "orders" / "SQ-2041.json").read_bytes()
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(text)))
    status, _, err = dokima("price", "-", "--out", tmp_path / "out.csv", "--totals")
    assert (status, "1 order, 3 lines in 1 file" in err) == (0, True)
    assert "4339.39" in (tmp_path / "out.csv" / "part-00000.csv").read_text()
