"""Coverage: of edits, which leave no order behind where they are refused."""

import datetime
import json

import pytest

import dokima
from tests.proving.test_cases import case, small
from tests.shell import run_here

RULE = """
[[rule]]
id = "not-less"
at = "edit"
field = "line.quantity"
when = "line.item == 'A' and not (line.quantity >= 100)"
require = "line.quantity >= was.quantity"
message = "not less"
[routine.all]
"""


def test_edits_reach_what_they_refuse_and_what_they_let_pass(tmp_path):
    refused = case('refused = "not-less"', more='edit = [{ do = "change_line", line = 10, quantity = 3 }]', name="less")
    passed = case('payable = "13.50"', more='edit = [{ do = "change_line", line = 10, quantity = 6 }]', name="more")
    folder = small(tmp_path, refused)
    book = folder / "rulebook.toml"
    book.write_text(book.read_text().replace("[routine.all]\n", RULE.lstrip()))
    found = dokima.prove(folder, coverage=True).coverage
    assert (found.rules["not-less"].fired, found.rules["not-less"].passed) == (1, 0)
    when, require = found.conditions["rule.not-less.when"], found.conditions["rule.not-less.require"]
    assert [(leaf.true, leaf.false) for leaf in when] == [(True, False), (False, True)]
    assert [(leaf.true, leaf.false) for leaf in require] == [(False, True)]
    (folder / "cases" / "b.toml").write_text(passed)
    found = dokima.prove(folder, coverage=True).coverage
    assert (found.rules["not-less"].fired, found.rules["not-less"].passed) == (1, 1)
    assert found.conditions["rule.not-less.require"][0].is_covered


def test_only_cases_that_a_person_stands_behind_count(tmp_path):
    """Two orders below 5 pieces and from 5 on: one worked out, one recorded, which counts once it is confirmed."""
    cases = case('payable = "10.00"', name="four") + case(
        'payable = "13.50"', '{ lines = [{ item = "A", quantity = 6 }] }', "recorded = true", "six"
    )
    folder = small(tmp_path, cases)
    status, _, said = run_here(folder, "prove", "--fail-under", "steps=100")
    assert status == 1
    assert "steps: 0 % covered, expected 100 %" in said
    _, out, _ = run_here(folder, "prove", "--coverage", "-f", "json")
    assert json.loads(out)["coverage"]["headline"]["steps"] == {"covered": 0, "unconfirmed": 1, "of": 1}
    _, out, _ = run_here(folder, "prove", "--coverage")
    rows = [line.split() for line in out.splitlines() if line.split()[:1] == ["steps"]]
    assert rows[0] == ["steps", "0", "1", "1", "0"]
    status, _, _ = run_here(folder, "prove", "--page", "page.html")
    assert "1 of 1 with cases that nobody has confirmed" in (folder / "page.html").read_text()
    dokima.CaseFolder(folder).confirm("six", "ada", datetime.date(2026, 3, 2))
    status, _, _ = run_here(folder, "prove", "--fail-under", "steps=100")
    assert status == 0
    # What was confirmed and is changed afterwards stands for nobody's word.
    file = folder / "cases" / "a.toml"
    file.write_text(file.read_text().replace("quantity = 6", "quantity = 7").replace("13.50", "15.75"))
    assert dokima.prove(folder, coverage=True).coverage.headline()["steps"] == (0, 1)


BRANCHES = """
[rulebook]
name = "branches"
currency = "EUR"
python = ["own.py"]

[line.grade]
default = "'fine' if line.quantity > 2 else 'plain'"

[formula]
large = "line.quantity > 50"

[table.item]
file = "items.csv"
key = { item = "line.item" }

[[rule]]
id = "few"
at = "save"
require = "line.quantity < 80 if line.item == 'A' else line.quantity < 90"

[routine.all]
when = "header.currency == 'EUR' or header.currency == 'CHF'"
step = [
  { name = "price", kind = "price", options = [{ value = "item.price if line.quantity < 5 else 2" }, { value = "9" }] },
  { name = "off", kind = "discount", percent = "5 if formula.large else 0" },
  { name = "fee", kind = "charge", over = "order", amount = "halved(count(where=line.grade == 'fine') * 1.00)" },
]
"""


def test_everything_that_can_go_two_ways_counts_both(tmp_path):
    """Conditions in defaults, prices, percentages, `where=`, named formulas and rules; a table without a row; Python."""
    folder = small(tmp_path, case('payable = "7.50"', '{ lines = [{ item = "A", quantity = 3 }] }', 'at = "save"'))
    (folder / "rulebook.toml").write_text(BRANCHES)
    (folder / "own.py").write_text(
        "from decimal import Decimal\nimport dokima\n\n@dokima.function\ndef halved(x: Decimal) -> Decimal:\n    return x / 2\n"
    )
    (folder / "cases" / "a.toml").write_text(
        case('payable = "8.00"', '{ lines = [{ item = "A", quantity = 3 }] }', 'at = "save"')
    )
    found = dokima.prove(folder, coverage=True).coverage
    seen = {
        (path.removeprefix("routine.all.").removeprefix("step."), leaf.text): (leaf.true, leaf.false)
        for path, leaves in found.conditions.items()
        for leaf in leaves
    }
    assert seen == {
        ("formula.large", "line.quantity > 50"): (False, True),
        ("line.grade.default", "line.quantity > 2"): (True, False),
        ("rule.few.require", "line.quantity < 80"): (True, False),
        ("rule.few.require", "line.item == 'A'"): (True, False),
        ("rule.few.require", "line.quantity < 90"): (False, False),  # its branch was never taken
        ("when", "header.currency == 'EUR'"): (True, False),
        ("when", "header.currency == 'CHF'"): (False, False),  # euros had decided already
        ("price.options.0.value", "line.quantity < 5"): (True, False),
        ("off.percent", "formula.large"): (False, True),
        ("fee.amount", "line.grade == 'fine'"): (True, False),
    }
    assert (found.misses, found.functions) == ({"item": 0}, {"halved": 1})
    assert found.headline()["conditions"] == (0, 10)
    # Sixty of A at 2.00 less 5 % are 114.00; one of an item that is in no table costs 9.00; 0.50 for one fine line.
    more = case(
        'payable = "123.50"', '{ lines = [{ item = "A", quantity = 60 }, { item = "X", quantity = 1 }] }', name="more"
    )
    (folder / "cases" / "b.toml").write_text(more)
    found = dokima.prove(folder, coverage=True).coverage
    left = [(path, leaf.text) for path, leaves in found.conditions.items() for leaf in leaves if not leaf.is_covered]
    assert {path for path, _ in left} == {"rule.few.require", "routine.all.when"}
    assert found.misses == {"item": 1}


DECIDING = """
[rulebook]
name = "deciding"
currency = "EUR"
[header]
express = { kind = "flag" }
partner = { kind = "flag" }
[[rule]]
id = "large"
at = "save"
severity = "notice"
require = "(header.express and line.quantity > 5 and not header.partner) or line.item == 'A'"
[routine.all]
step = [{ name = "price", kind = "price", options = [{ value = "1" }] }]
"""
ORDERS = {  # express, partner, quantity, item: what decided, being true or being false
    "a": ((True, False, 6, "B"), {"express": "true", "quantity": "true", "partner": "false", "item": ""}),
    "b": ((True, False, 5, "B"), {"express": "", "quantity": "false", "partner": "", "item": "false"}),
    "c": ((False, False, 6, "B"), {"express": "false", "quantity": "", "partner": "", "item": "false"}),
    "d": ((True, True, 6, "B"), {"express": "", "quantity": "", "partner": "true", "item": "false"}),
    "e": ((False, False, 5, "A"), {"express": "", "quantity": "", "partner": "", "item": "true"}),
    "f": ((True, False, 6, "A"), {"express": "", "quantity": "", "partner": "", "item": ""}),
}


@pytest.mark.parametrize("name", ORDERS)
def test_a_condition_counts_where_it_decided(name, tmp_path):
    """Beside it all else is true in an `and`, false in an `or`: by hand for each order."""
    (express, partner, quantity, item), decided = ORDERS[name]
    (tmp_path / "cases").mkdir()
    (tmp_path / "rulebook.toml").write_text(DECIDING)
    order = (
        f"{{ express = {str(express).lower()}, partner = {str(partner).lower()}, "
        f'lines = [{{ item = "{item}", quantity = {quantity} }}] }}'
    )
    (tmp_path / "cases" / "a.toml").write_text(case(f'payable = "{quantity}.00"', order, 'at = "save"'))
    proof = dokima.prove(tmp_path, coverage=True)
    assert not proof.failed
    leaves = proof.coverage.conditions["rule.large.require"]
    assert [leaf.text for leaf in leaves] == [
        "header.express",
        "line.quantity > 5",
        "header.partner",
        "line.item == 'A'",
    ]
    seen = ["true" * leaf.true + "false" * leaf.false for leaf in leaves]
    assert dict(zip(decided, seen, strict=True)) == decided


def test_a_window_counts_at_its_first_and_last_day_and_what_no_order_reaches_is_named(tmp_path):
    folder = small(tmp_path)
    (folder / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\npython = ["own.py"]\n'
        '[table.item]\nfile = "items.csv"\nkey = { item = "line.item" }\n'
        '[table.rate]\nfile = "rates.csv"\nmatch = { price = "item.group" }\nchoose = ["latest start"]\n'
        'window = { from = "start", until = "end", on = "header.date" }\ncolumns.rate = { kind = "decimal" }\n'
        '[routine.all]\nstep = [{ name = "price", kind = "price", options = [{ value = "coalesce(half(rate.rate), 1)" }] }]\n'
    )
    (folder / "items.csv").write_text("item,group\nA,low\nB,high\n")
    (folder / "rates.csv").write_text(
        "price,start,end,rate\nlow,2026-01-01,2026-01-31,4\nlow,2026-02-01,,6\nnone,2025-01-01,,9\n,2024-01-01,2024-12-31,3\n"
    )
    (folder / "own.py").write_text(
        "from decimal import Decimal\nimport dokima\n\n@dokima.function\ndef half(x: Decimal) -> Decimal:\n"
        "    if x == 3:\n        raise ValueError('odd')\n    return x / 2\n"
    )

    def on(day, price, more=""):
        order = f'{{ date = {day}, lines = [{{ item = "A", quantity = 1 }}] }}'
        return case(more or f'payable = "{price}"', order, name=day)

    cases = on("2026-01-01", "2.00") + on("2026-01-30", "2.00") + on("2026-02-01", "3.00")
    (folder / "cases" / "a.toml").write_text(cases + on("2024-06-01", "", 'findings = ["all.price"]'))
    proof = dokima.prove(folder, coverage=True)
    assert not proof.failed
    assert proof.coverage.edges == {
        "rate start 2024-01-01": 0, "rate start 2026-01-01": 1, "rate start 2026-02-01": 1,
        "rate end 2024-12-31": 0, "rate end 2026-01-31": 0,
    }  # fmt: skip
    assert proof.coverage.unreachable == {"rate start 2025-01-01": "no group of table item is 'none'"}
    assert (proof.coverage.functions, proof.coverage.raised) == ({"half": 3}, {"half": 1})
