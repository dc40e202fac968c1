"""Expectations that name several things at once: all of them are held, and the one that is wrong is named."""

from __future__ import annotations

import pytest

import dokima

BOOK = """
[rulebook]
name = "x"
currency = "EUR"
[table.deal]
file = "deal.csv"
key = { item = "line.item" }
[[rule]]
id = "few"
at = "save"
severity = "warning"
require = "line.quantity < 5"
[[rule]]
id = "known"
at = "save"
require = "line.item != 'Z'"
[routine.r]
step = [
  { name = "price", kind = "price", options = [{ value = "deal.price" }] },
  { name = "vat", kind = "tax", percent = "deal.percent", category = "'S'" },
]
"""
ORDER = 'order = { number = "A", lines = [{ number = "10", item = "A", quantity = 7 }, { number = "20", item = "B", quantity = 1 }] }'
GOOD = {
    "tax": '[{ percent = "9", tax = "0.36" }, { percent = "21", category = "S", taxable = "70.00", tax = "14.70" }]',
    "rows.20.deal": '{ item = "B", price = "4", percent = "9" }',
    "rows.deal": '{ item = "A", price = "10" }',
    "findings": '["few"]',
    "no_findings": '["known"]',
    "payable": '"89.06"',
    "line.10.with_tax": '"84.70"',
}
WRONG = {
    "tax": ['[{ percent = "9", tax = "0.36" }, { percent = "21", taxable = "70.00", tax = "14.71" }]', '[{ percent = "9" }]',
            '[{ percent = "9" }, { percent = "21", category = "Z" }]', '[{ percent = "21" }, { percent = "9" }]'],
    "rows.20.deal": ['{ item = "B", price = "5" }', '{ item = "A", price = "4" }', '{ item = "B", prise = "4" }'],
    "rows.deal": ['{ item = "A", price = "11" }'],
    "findings": ['["few", "known"]', '["known"]'],
    "no_findings": ['["few"]', '["known", "few"]', "true"],
    "payable": ['"89.07"'],
    "line.10.with_tax": ['"84.7"', '"84.71"'],
}  # fmt: skip


def proved(folder, *expected):
    """What came of cases, each with one expectation."""
    (folder / "cases").mkdir(exist_ok=True)
    (folder / "rulebook.toml").write_text(BOOK)
    (folder / "deal.csv").write_text("item,price,percent\nA,10,21\nB,4,9\n")
    cases = [
        f'[[case]]\nname = "c{at}"\n{ORDER}\nat = "save"\nexpect = {{ {path} = {value} }}\n'
        for at, (path, value) in enumerate(expected)
    ]
    (folder / "cases" / "c.toml").write_text("\n".join(cases))
    return dokima.CaseFolder(folder, dokima.load(folder)).prove().outcomes


def test_everything_that_is_right_passes_and_anything_that_is_wrong_fails(tmp_path):
    expected = [*GOOD.items(), *((path, value) for path, values in WRONG.items() for value in values)]
    outcomes = proved(tmp_path, *expected)
    told = [(path, value, outcome.passed) for (path, value), outcome in zip(expected, outcomes, strict=True)]
    assert [each[:2] for each in told if each[2]] == [*GOOD.items(), ("line.10.with_tax", '"84.7"')]


@pytest.mark.parametrize(
    ("path", "said"),
    [("payble", "there is no 'payble'"), ("rows.del", "there is no table 'del'"), ("line.30.net", "no line 30")],
)
def test_what_is_expected_of_nothing_is_named(tmp_path, path, said):
    (outcome,) = proved(tmp_path, (path, '"1"'))
    assert not outcome.passed
    assert said in outcome.differences[0].got or said in outcome.error
