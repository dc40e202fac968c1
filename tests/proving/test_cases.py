"""Cases: what they may expect, how they fail, how they are recorded and confirmed, what they reach."""

import json
import shutil
from decimal import Decimal
from pathlib import Path
from xml.etree import ElementTree

import openpyxl
import pytest
from hypothesis import given, settings

import dokima
from dokima.testing import assert_prices, orders_of
from tests.books import DEMO
from tests.shell import run_here

D = Decimal
BOOK = dokima.load(DEMO)
RULEBOOK = """
[rulebook]
name = "small"
currency = "EUR"
[table.item]
file = "items.csv"
key = { item = "line.item" }
columns.price = { kind = "decimal" }
[[rule]]
id = "few"
at = "enter"
when = "line.item == 'A' or line.item == 'B'"
require = "line.quantity < 10"
message = "too many"
[routine.all]
step = [
  { name = "price", kind = "price", options = [{ value = "item.price" }, { value = "9" }] },
  { name = "off", kind = "discount", percent = "10", when = "line.quantity >= 5", cap = "4" },
]
"""


def small(folder: Path, cases: str = "", **files: str) -> Path:
    """A small rulebook with cases."""
    (folder / "cases").mkdir(parents=True, exist_ok=True)
    (folder / "rulebook.toml").write_text(RULEBOOK)
    (folder / "items.csv").write_text("item,price\nA,2.50\nB,4\n")
    if cases:
        (folder / "cases" / "a.toml").write_text(cases)
    for name, text in files.items():
        (folder / "cases" / f"{name}.csv").write_text(text)
    return folder


def case(
    expect: str, order: str = '{ lines = [{ item = "A", quantity = 4 }] }', more: str = "", name: str = "one"
) -> str:
    return f'[[case]]\nname = "{name}"\norder = {order}\n{more}\nexpect = {{ {expect} }}\n'


def test_the_cases_of_the_demo_pass_and_reach_all_of_it():
    """Forty-one cases, two sheets among them; every rule speaks and is silent, every condition is seen both ways."""
    status, out, _ = run_here(
        DEMO, "prove", "--fail-under", "rules=100", "--fail-under", "conditions=100", "-f", "json"
    )
    proof = json.loads(out)
    assert (status, proof["passed"], proof["failed"], proof["unconfirmed"]) == (0, 121, 0, 0)
    assert {
        name: each["covered"] == each["of"] for name, each in proof["coverage"]["headline"].items()
    } == dict.fromkeys(
        ("rules", "conditions", "options", "steps", "limits", "winners", "misses", "edges", "functions", "moves"), True
    )


@pytest.mark.parametrize(
    ("expect", "passes"),
    [
        ('line.10.net = "10.00"', True), ("line.10.net = 10", True), ('line.10.net = "10.01"', False),
        ('line.10.net = { value = 10.04, about = "0.05" }', True), ('line.10.description = ""', True),
        ('line.10.net = ""', False), ('payable = "10"', True), ("no_findings = true", True),
        ('rows.item = { price = "2.5" }', True), ("rows.10.item = { item = 'B' }", False), ('rows.item = ""', False),
        ('refused = true', False), ('header.currency = "EUR"', True), ('tax = []', True), ('findings = ["few"]', False),
    ],
)  # fmt: skip
def test_what_may_be_expected(tmp_path, expect, passes):
    (outcome,) = dokima.prove(small(tmp_path, case(expect))).outcomes
    assert outcome.passed == passes, outcome


@pytest.mark.parametrize(
    ("cases", "message"),
    [
        (case(""), "it expects nothing, so it proves nothing"),
        (case('nett = "1"'), "there is no 'nett'"),
        (case('line.10.nett = "1"'), "no figure or field is called nett"),
        (case('line.99.net = "1"'), "has no line 99"),
        (case('payable = "1"', more='edit = [{ do = "change_lin", line = 10 }]'), "there is no operation 'change_lin'"),
        (
            case('payable = "1"', more='edit = [{ do = "change_line", line = 10, item = "Z" }]'),
            "payable: expected 1, got 36",
        ),
        (case('payable = "10"', more='at = "save"', order='{ lines = [{ item = "A", quantity = 40 }] }'), "too many"),
        (case('payable = "1"', order='{ lines = [{ item = "A", quantity = "many" }] }'), "expected a number"),
        (case('variance.net = "1"'), "there is no variance"),
        (case('payable = "1"', more='tables = { itm = "items.csv" }'), "there is no table 'itm' to pin"),
    ],
)
def test_what_fails_says_why(tmp_path, cases, message):
    status, out, err = run_here(small(tmp_path, cases), "prove", width=200)
    assert status in (1, 2)
    assert any(part in out + err for part in message.split("|")), out + err


@pytest.mark.parametrize(
    ("cases", "message"),
    [
        ("[[case]]\norder = {}\n", "cases/a.toml row 1: expected a name for each case"),
        (case("payable = 1") + case("payable = 1"), r"cases/a.toml row 6: there is a case 'one' in cases/a.toml row 1"),
        (case("payable = 1", more='oder = "x"'), "case 'one': there is no key 'oder'; did you mean 'order'"),
        (case("payable = 1", more='like = "none"'), "there is no case 'none' before it"),
        (case("payable = 1", more='today = "soon"'), "expected 'today' as a date"),
        (case("payable = 1", more="edit = [{ line = 10 }]"), "expected operations such as"),
        (case("payable = 1", order='"orders/none.json"'), "there is no file 'orders/none.json'"),
        ("[[case]]\nname = 'x\n", "cases/a.toml: this is not TOML"),
        ("[cases]\nname = 'x'\n", r"expected \[\[case\]\] and \[\[excuse\]\] entries and nothing else \(got 'cases'\)"),
    ],
)
def test_a_mistake_in_a_case_is_named_with_its_place(tmp_path, cases, message):
    with pytest.raises(dokima.CaseError, match=message):
        dokima.prove(small(tmp_path, cases))


def test_sheets_hold_one_line_or_several_and_are_read_as_csv_or_workbook(tmp_path):
    """Neighbouring rows of one name are one order; an empty cell says nothing, (blank) is blank; problems name the row."""
    sheet = (
        "case,line.item,line.quantity,expect line.net,expect payable,expect line.description,expect finding,at\n"
        "two lines,A,4,10.00,26.00,(blank),(blank),enter\ntwo lines,B,4,16,,,,\nmany,A,20,46.00,,,few,enter\nwrong,B,1,5,,,,\n"
    )
    folder = small(tmp_path, sheet=sheet)
    book = openpyxl.Workbook()
    for row in [line.split(",") for line in sheet.splitlines()]:
        book.active.append([float(cell) if cell.replace(".", "").isdigit() else cell or None for cell in row])
    book.save(folder / "cases" / "other.xlsx")
    for cell in book.active["A"][1:]:
        cell.value = f"{cell.value} again"
    book.save(folder / "cases" / "other.xlsx")
    proof = dokima.prove(folder)
    assert [(o.case.name, o.case.file, o.case.row) for o in proof.failed] == [
        ("wrong again", "cases/other.xlsx", 5), ("wrong", "cases/sheet.csv", 5),
    ]  # fmt: skip
    assert (len(proof.passed), proof.failed[0].differences[0].got) == (4, "4")
    (folder / "cases" / "sheet.csv").write_text("case,line.item,prize\nx,A,1\n")
    with pytest.raises(dokima.CaseError, match=r"cases/sheet.csv: expected headings such as .*got 'prize'"):
        dokima.prove(folder)
    (folder / "cases" / "sheet.csv").write_text("case,line.item,expect payable\n,A,1\n")
    with pytest.raises(dokima.CaseError, match="cases/sheet.csv row 2: expected the name of the case"):
        dokima.prove(folder)


def test_ten_thousand_rows_are_as_many_cases(tmp_path):
    rows = "".join(f"c{at},A,{at % 4 + 1},{D('2.50') * (at % 4 + 1)}\n" for at in range(10_000))
    proof = dokima.prove(small(tmp_path, sheet=f"case,line.item,line.quantity,expect line.net\n{rows}"))
    assert (len(proof.passed), len(proof.failed)) == (10_000, 0)


def test_a_case_is_recorded_confirmed_and_unconfirmed_again_by_any_edit(tmp_path):
    """What a program wrote down verifies nothing until a person stands behind it."""
    folder = small(tmp_path, '# mine\n[[case]]\nname = "one"\norder = { lines = [{ item = "A", quantity = 6 }] }\n')
    assert run_here(folder, "prove")[0] == 1
    status, _, err = run_here(folder, "prove", "--record", "one")
    assert (status, "one: line.10.net = 13.50" in err, "unconfirmed until" in err) == (0, True, True)
    assert (folder / "cases" / "a.toml").read_text().startswith("# mine\n")
    status, out, _ = run_here(folder, "prove")
    assert (status, "0 cases passed, 0 failed, 1 unconfirmed" in out) == (0, True)
    assert run_here(folder, "prove", "--confirm", "one", "--by", "Ada", "--today", "2026-03-02")[0] == 0
    assert "1 case passed, 0 failed" in run_here(folder, "prove")[1]
    text = (folder / "cases" / "a.toml").read_text()
    assert 'by = "Ada"' in text
    (folder / "cases" / "a.toml").write_text(
        text.replace('"line.10.net" = "13.50"', '"line.10.net" = { value = 13.5 }')
    )
    assert "1 unconfirmed" in run_here(folder, "prove")[1]
    (folder / "items.csv").write_text("item,price\nA,3\n")
    assert run_here(folder, "prove")[0] == 1
    assert "line.10.price = 3.00 (it was 2.50)" in run_here(folder, "prove", "--record", "one")[2]
    assert run_here(folder, "prove", "--confirm", "none")[0] == 2


def test_tables_are_pinned_and_cases_take_over_from_others(tmp_path):
    folder = small(tmp_path, case('payable = "10"', more='tables = { item = "cases/old.csv" }') + '[[case]]\nname = "two"\nlike = "one"\nset = { "line.quantity" = 2 }\nexpect = { payable = "5" }\n')  # fmt: skip
    shutil.copy(folder / "items.csv", folder / "cases" / "old.csv")
    (folder / "items.csv").write_text("item,price\nA,99\n")
    assert [outcome.passed for outcome in dokima.prove(folder).outcomes] == [True, True]


def test_what_programs_read(tmp_path):
    folder = small(tmp_path, case('payable = "10"') + case('payable = "11"', name="two"))
    status, out, _ = run_here(folder, "prove", "--format", "junit")
    suite = ElementTree.fromstring(out)
    assert (status, suite.get("tests"), suite.get("failures")) == (1, "2", "1")
    assert suite[1][0].get("message") == "payable: expected 11, got 10"
    _, out, _ = run_here(folder, "prove", "two", "--format", "csv")
    assert out.splitlines()[1] == "two,cases/a.toml,6,failed,payable,11,10,"
    status, _, err = run_here(folder, "prove", "--fail-under", "rules=50")
    assert (status, "rules: 0 % covered, expected 50 %" in err) == (1, True)
    assert "there is no coverage of 'rule'" in run_here(folder, "prove", "--fail-under", "rule=50")[2]
    assert "no cases: put one into cases/first.toml" in run_here(small(tmp_path / "new"), "prove")[1]


def test_coverage_counts_what_passing_cases_reach(tmp_path):
    """One case below the break, one above it with the discount capped; a failing one counts for nothing."""
    cases = case('payable = "10"', more='at = "enter"') + case(
        'payable = "36"', '{ lines = [{ item = "B", quantity = 10 }] }', 'at = "enter"\n', "ten"
    ).replace("payable =", 'findings = ["few"], payable =')
    failing = case("payable = 1", '{ lines = [{ item = "C", quantity = 1 }] }', 'at = "enter"', "bad")
    found = dokima.prove(small(tmp_path, cases + failing), coverage=True).coverage
    assert (found.rules["few"].fired, found.rules["few"].passed, found.rules["few"].is_covered) == (1, 1, True)
    first, second = found.conditions["rule.few.when"]
    assert (first.text, first.true, first.false, second.true, second.false) == (
        "line.item == 'A'",
        True,
        False,  # the order of B was decided by the other condition
        True,
        False,
    )
    assert found.headline()["options"] == (1, 2)
    assert (found.steps["all.off"], found.limits["all.off.cap"]) == (1, 1)
    assert found.tables["item"].won == {2, 3}


def test_python_tests_of_a_rulebook():
    order = dokima.Order.from_json((DEMO / "orders" / "SQ-2041.json").read_text())
    assert_prices(BOOK, order, {"line.10.price": "44.25", "payable": "4339.39"})
    with pytest.raises(
        AssertionError, match=r"line.10.price: expected 44.20, got 44.25 \(agreed price; agreed prices for"
    ):
        assert_prices(BOOK, order, {"line.10.price": "44.20"})
    assert_prices(BOOK, order, {"findings": ["half-days"]}, set={"30.quantity": "1.25"}, at="save")


@given(orders_of(BOOK))
@settings(max_examples=25)
def test_orders_for_hypothesis_are_ones_the_rulebook_reads(order):
    assert BOOK.orders(order).problems == ()


def test_pytest_collects_cases_where_it_is_asked_to(tmp_path, pytestconfig):
    folder = small(tmp_path, case('payable = "10"') + case('payable = "11"', name="two"))
    (folder / "test_book.py").write_text("def test_book(dokima_book):\n    assert dokima_book.name == 'small'\n")
    for setting, outcome in (("true", (2, 1)), ("false", (1, 0))):
        (folder / "pytest.ini").write_text(f"[pytest]\ndokima_cases = {setting}\n")
        collected: list[pytest.TestReport] = []

        class Seen:
            def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
                if report.when == "call":
                    collected.append(report)  # noqa: B023

        loaded = pytestconfig.pluginmanager.hasplugin("dokima")
        given_plugin = [] if loaded else ["-p", "dokima.testing.plugin"]
        pytest.main(["-q", "-p", "no:cacheprovider", "-p", "no:xdist", str(folder), "-c", str(folder / "pytest.ini"), *given_plugin], [Seen()])  # fmt: skip
        counts = (sum(each.passed for each in collected), sum(each.failed for each in collected))
        assert counts == outcome
        if setting == "true":
            (failed,) = [each for each in collected if each.failed]
            assert (failed.nodeid.rpartition("::")[2], str(failed.longrepr)) == (
                "two",
                "case 'two'\npayable: expected 11, got 10",
            )
