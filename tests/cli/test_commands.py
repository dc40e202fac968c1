"""The real command line on the demo data: what it prints, where, and its exit status."""

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.books import DEMO


def dokima(*arguments: object, cwd: Path = DEMO, width: int = 120) -> tuple[int, str, str]:
    """Run ``dokima`` in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "dokima", *map(str, arguments)],
        cwd=cwd, capture_output=True, text=True, encoding="utf-8", check=False,
        env={**os.environ, "COLUMNS": str(width), "PYTHONIOENCODING": "utf-8"},
    )  # fmt: skip
    assert "Traceback" not in done.stderr
    return done.returncode, done.stdout, done.stderr


def rows(text: str) -> list[list[str]]:
    """Words of every line that is not empty."""
    return [line.split() for line in text.splitlines() if line.strip()]


def test_price_prints_the_worked_example():
    status, out, err = dokima("price", "orders/SQ-2041.json", width=140)

    assert (status, err) == (0, "")
    found = rows(out)
    assert [
        "10",
        "PANE-T6",
        "Toughened",
        "pane",
        "6",
        "mm",
        "36",
        "C62",
        "44.25",
        "1593.00",
        "63.72",
        "1529.28",
        "153.22",
        "1682.50",
        "353.33",
        "681.70",
    ] in found
    assert [
        "20",
        "VENT-R",
        "Roof",
        "vent",
        "4",
        "C62",
        "129.90",
        "519.60",
        "0.00",
        "519.60",
        "10.41",
        "530.01",
        "111.30",
        "233.61",
    ] in found
    assert [
        "30",
        "INST-D",
        "Installation",
        "day",
        "2.5",
        "DAY",
        "610.00",
        "1525.00",
        "0.00",
        "1525.00",
        "0.00",
        "1525.00",
        "137.25",
        "537.50",
    ] in found
    assert ["tax", "S", "21", "%", "of", "2212.51", "464.63"] in found
    assert ["payable", "4339.39"] in found


def test_no_figure_breaks_in_a_narrow_terminal():
    for width in (40, 60, 80, 100):
        _, out, _ = dokima("price", "orders/SQ-2041.json", width=width)
        assert "1529.28" in out.split()
        _, out, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", width=width)
        assert "+186.94" in out.split()
        assert "+541.84" in out.split()


def test_variance_prints_what_changed():
    status, out, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", width=140)

    assert status == 0
    found = rows(out)
    assert [
        "20",
        "changed",
        "VENT-R",
        "4",
        "to",
        "3",
        "(−1)",
        "129.90",
        "−129.90",
        "0.00",
        "−129.90",
        "−2.60",
        "−132.50",
        "−27.82",
    ] in found
    assert ["total", "without", "tax", "3737.51", "4185.31", "+447.80"] in found
    assert ["total", "with", "tax", "4339.39", "4881.23", "+541.84"] in found
    assert not [row for row in found if row[0] == "30"]
    _, every, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", "--all", "--format", "json")
    assert [line["status"] for line in json.loads(every)["lines"]] == ["changed", "changed", "unchanged", "added"]


def test_explain_names_winner_and_losers():
    status, out, _ = dokima("explain", "SQ-2041", 10, "price", "--orders", "orders", "--format", "json")
    (step,) = json.loads(out)["steps"]
    agreed = next(table for table in step["tables"] if table["table"] == "agreed")

    assert status == 0
    assert [(c["row"], c["result"]) for c in agreed["candidates"]] == [
        (2, "window"), (3, "match"), (4, "break"), (5, "choose"), (6, "won"), (7, "choose"),
    ]  # fmt: skip
    _, text, _ = dokima("explain", "orders/SQ-2041.json", 10)
    assert "not row 7 (price 4460, base 100): lowest price / base: row 6 is better" in text
    assert "formula" not in text
    _, technical, _ = dokima("explain", "orders/SQ-2041.json", 10, "--technical")
    assert "amount = item.weight * line.quantity * value.freight_rate" in technical


def test_check_reports_and_exits_with_1():
    status, out, _ = dokima("check", "orders", "--format", "csv")
    found = list(csv.DictReader(io.StringIO(out)))

    assert status == 1
    assert [(row["order"], row["line"], row["rule"]) for row in found] == [
        ("SQ-2043", "", "pane-needs-crate"),
        ("SQ-2043", "30", "half-days"),
        ("SQ-2043", "40", "manual-price-reason"),
    ]
    assert dokima("check", "orders/SQ-2041.json")[0] == 0
    assert dokima("check", "--orders", "orders", "SQ-2041", "SQ-2042", "--at", "enter")[0] == 0
    assert dokima("check", "orders", "--rule", "half-days", "--format", "json")[1].count('"rule"') == 1


def test_formats_for_programs_hold_the_same_figures():
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--format", "json")
    (order,) = json.loads(out)["orders"]
    assert order["totals"]["payable"] == "4339.39"
    assert [line["net"] for line in order["lines"]] == ["1682.50", "530.01", "1525.00"]
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--format", "csv")
    assert [row["net"] for row in csv.DictReader(io.StringIO(out))] == ["1682.50", "530.01", "1525.00"]


def test_other_peoples_files_go_on_after_a_bad_order():
    status, out, _ = dokima("check", "exports/depot_2026.csv", "--layout", "depot")

    assert status == 1
    assert "(got 'zwölf') (depot_2026.csv row 195)" in out
    assert "85 orders: 2 errors in 2 orders" in out


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (("price", "orders/SQ-20410.json"), "there is no file or folder 'orders/SQ-20410.json'; did you mean 'SQ-2041.json'?"),
        (("price", "SQ-2041"), "an order number needs --orders PATH"),
        (("price", "SQ-20411", "--orders", "orders"), "there is no order SQ-20411; did you mean 'SQ-2041'?"),
        (("price",), "expected a file or folder of orders"),
        (("price", "orders", "--book", "tables"), "expected a folder with rulebook.toml (it holds no .toml file)"),
        (("check", "orders", "--at", "saev"), "there is no moment 'saev'; did you mean 'save'?"),
        (("explain", "orders", 10), "expected one order to explain (got 9)"),
        (("explain", "orders/SQ-2041.json", 15), "order SQ-2041 has no line 15"),
        (("explain", "orders/SQ-2041.json", 10, "frieght"), "there is no figure 'frieght' to explain; did you mean 'freight'?"),
        (("price", "exports/depot_2026.csv", "--layout", "depo"), "there is no layout 'depo'; did you mean 'depot'?"),
        (("price", "exports/depot_2026.csv"), "expected text in utf-8"),
        (("price", "orders", "--format", "xml"), "Invalid value for '--format'"),
        (("prise", "orders"), "No such command 'prise'"),
    ],
)  # fmt: skip
def test_bad_input_is_one_clear_message_and_exit_status_2(arguments, message):
    status, out, err = dokima(*arguments)

    assert (status, out) == (2, "")
    assert message in " ".join(err.split())


def test_demo_copies_walks_and_never_overwrites(tmp_path):
    status, out, _ = dokima("demo", "q", cwd=tmp_path)

    assert status == 0
    for command in (
        "check orders",
        "price orders/SQ-2041.json",
        "explain orders/SQ-2041.json 10",
        "variance orders/SQ-2041.json",
    ):
        assert f"    dokima {command}" in out
    assert "payable                 4339.39" in out
    assert (tmp_path / "q" / "rulebook.toml").read_text() == (DEMO / "rulebook.toml").read_text()
    assert dokima("price", "orders/SQ-2041.json", cwd=tmp_path / "q")[0] == 0
    status, out, err = dokima("demo", "q", cwd=tmp_path)
    assert (status, out) == (2, "")
    assert "'q' exists already" in err


def test_version_and_help():
    assert dokima("--version")[1].startswith("dokima 0.")
    help_text = dokima("--help")[1]
    for command in ("check", "price", "explain", "variance", "demo"):
        assert command in help_text
