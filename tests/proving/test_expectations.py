"""Expectations that name several things at once: all of them are held, and the one that is wrong is named."""

from __future__ import annotations

import datetime

import pytest

import dokima
from tests.books import book
from tests.proving.test_cases import case, small

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
    "findings": '{ only = ["few"] }',
    "no_findings": '["known"]',
    "payable": '"89.06"',
    "line.10.with_tax": '"84.70"',
}
WRONG = {
    "tax": ['[{ percent = "9", tax = "0.36" }, { percent = "21", taxable = "70.00", tax = "14.71" }]', '[{ percent = "9" }]',
            '[{ percent = "9" }, { percent = "21", category = "Z" }]', '[{ percent = "21" }, { percent = "9" }]'],
    "rows.20.deal": ['{ item = "B", price = "5" }', '{ item = "A", price = "4" }', '{ item = "B", prise = "4" }'],
    "rows.deal": ['{ item = "A", price = "11" }'],
    "findings": ['["few", "known"]', '["known"]', "{ only = [] }", '{ only = ["few", "known"] }'],
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


def breaks(value, *cells):
    """Remarks of an audit on a table of breaks whose column is read by a formula."""
    rows = [{"item": "A", "least": least, "worth": worth} for least, worth in cells]
    table = {"deal": {"key": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": ["highest least"]}}
    steps = [{"name": "price", "kind": "price", "options": [{"value": value or "10"}]}]
    steps += [] if value else [{"name": "off", "kind": "discount", "percent": "deal.worth"}]
    rules = book({"deal": rows}, table=table, routine={"sales": {"step": steps}})
    return [each.message for each in rules.audit(datetime.date(2026, 3, 2)) if each.check == "dearer-break"]


@pytest.mark.parametrize(
    "value", ["deal.worth", "coalesce(deal.worth, 3)", "deal.worth if line.quantity > 0 else deal.worth", ""]
)
def test_a_break_is_worse_only_if_it_is(value):
    """A price that rises, a discount that falls; what stays the same is no worse, however the formula is built around it."""
    low, high, what = ("5", "6", "price") if value else ("6", "5", "discount")
    said = f"for item A, from least 10: the {what} {high} is worse than {low} at the break below"
    assert breaks(value, ("1", low), ("10", high)) == [said]
    assert breaks(value, ("1", low), ("10", low)) == []
    assert breaks(value, ("1", high), ("10", low)) == []


def test_versions_are_told_apart_down_to_the_key_of_a_setting():
    changes = {"settle": {"sales": "split", "works": "amend"}}
    before = book(changes=changes, states={"finished_when": "never"})
    after = book(changes={"settle": {"sales": "amend", "works": "amend"}}, states={"finished_when": "delivered"})
    told = {each.path: (each.before, each.after) for each in before.compare(after).changes}
    assert told["changes.settle.sales"] == ("split", "amend")
    assert "changes.settle.works" not in told
    assert any(path.endswith("finished_when") for path in told)
    assert len(before.compare(book(changes=changes, states={"finished_when": "never"}))) == 0


def test_a_condition_that_is_written_out_is_no_condition_to_reach(tmp_path):
    """`True` cannot be false: what stands beside it in a formula is to be reached both ways. A percentage may be a number."""
    (tmp_path / "cases").mkdir()
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\n'
        '[[rule]]\nid = "few"\nat = "save"\nwhen = "True"\nrequire = "line.quantity < 5 or False"\n'
        '[routine.r]\nstep = [{ name = "price", kind = "price", options = [{ value = "2" }] },\n'
        '  { name = "off", kind = "discount", percent = 5 }]\n'
    )
    cases = [
        f'[[case]]\nname = "c{n}"\norder = {{ number = "A", lines = [{{ number = "10", quantity = {n} }}] }}\nat = "save"\n'
        f"expect = {expected}\n"
        for n, expected in ((3, '{ payable = "5.70" }'), (7, '{ findings = ["few"] }'))
    ]
    (tmp_path / "cases" / "c.toml").write_text("\n".join(cases))
    folder = dokima.CaseFolder(tmp_path, dokima.load(tmp_path))
    coverage = folder.prove(coverage=True).coverage
    assert (coverage.percent("rules"), coverage.percent("conditions")) == (100, 100)
    score = folder.mutate()
    assert score.counted > 0
    assert not any("percent" in each.mutant.path for each in score.survivors)


FACTS = [
    ('{ rule = "few" }', True), ('{ rule = "few", severity = "error", message = "too many" }', True),
    ('{ rule = "few", line = 10 }', True), ('{ rule = "few", line = 20 }', False),
    ('{ rule = "few", severity = "warning" }', False), ('{ rule = "few", message = "too few" }', False),
    ('{ rule = "other" }', False),
]  # fmt: skip


@pytest.mark.parametrize(("wanted", "passes"), FACTS)
def test_a_finding_may_be_expected_with_its_facts(tmp_path, wanted, passes):
    order = '{ lines = [{ item = "A", quantity = 40 }] }'
    proof = dokima.prove(small(tmp_path, case(f"findings = [{wanted}]", order, 'at = "save"')))
    assert bool(proof.passed) == passes
    refused = case(f"refused = {wanted}", more='edit = [{ do = "change_line", line = 10, quantity = 40 }]')
    proof = dokima.prove(small(tmp_path / "edited", refused))
    assert bool(proof.passed) == passes


@pytest.mark.parametrize(
    ("wanted", "said"),
    [('{ rule = "few", colour = "red" }', "got 'colour'"), ('{ severity = "error" }', "there is no 'rule'")],
)
def test_what_no_finding_has_is_no_expectation(tmp_path, wanted, said):
    with pytest.raises(dokima.DokimaError, match=said):
        dokima.prove(small(tmp_path, case(f"findings = [{wanted}]", more='at = "save"')))
