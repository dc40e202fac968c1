"""Mutation, proved by planting: for each operator a case that must notice, and one that cannot."""

from pathlib import Path

import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

RULEBOOK = """
[rulebook]
name = "planted"
currency = "EUR"
[value]
rate = 0.5
[header.extra]
kind = "decimal"
default = "1 + 2"
[table.item]
file = "items.csv"
key = { item = "line.item" }
columns.price = { kind = "decimal" }
[table.deal]
file = "deals.csv"
match = { item = "line.item" }
window = { from = "since", until = "till", on = "header.date" }
breaks = { many = "line.quantity" }
choose = ["highest many"]
columns.percent = { kind = "decimal", default = 0 }
[[rule]]
id = "few"
at = "save"
when = "line.item == 'A' and not blank(line.quantity)"
require = "line.quantity < 100"
message = "too many"
[[rule]]
id = "some"
at = "save"
require = "max(line.quantity, 1) > 0"
message = "too few"
[[rule]]
id = "dear"
at = "save"
severity = "warning"
acknowledge = true
require = "line.amount < 200"
message = "comes to {line.amount}"
[routine.all]
rounding = "half-up"
step = [
  { name = "price", kind = "price", options = [{ value = "item.price" }, { value = "9" }] },
  { name = "off", kind = "discount", percent = "deal.percent", when = "line.quantity >= 5", cap = "30" },
  { name = "post", kind = "charge", amount = "line.quantity * value.rate", rounding = "down" },
  { name = "vat", kind = "tax", percent = "0", category = "'Z'" },
]
"""
ITEMS = "item,price\nA,2.50\nB,4\nC,\n"
DEALS = "item,since,till,many,percent\nA,2026-01-01,2026-12-31,4,10\nA,2026-01-01,2026-12-31,10,20\n"


def planted(folder: Path, *cases: str) -> dokima.CaseFolder:
    """A rulebook with cases, each ``item quantity date -> expectation``."""
    (folder / "cases").mkdir(parents=True)
    (folder / "rulebook.toml").write_text(RULEBOOK)
    (folder / "items.csv").write_text(ITEMS)
    (folder / "deals.csv").write_text(DEALS)
    told = ""
    for at, text in enumerate(cases):
        order, _, expect = text.partition(" -> ")
        item, quantity, date = (*order.split(), "2026-03-02")[:3]
        lines = f'{{ date = "{date}", lines = [{{ item = "{item}", quantity = {quantity} }}] }}'
        told += f'[[case]]\nname = "{at}"\norder = {lines}\nat = "save"\nexpect = {{ {expect} }}\n'
    (folder / "cases" / "all.toml").write_text(told)
    return dokima.CaseFolder(folder)


def survivors(folder: Path, case: str) -> list[str]:
    cases = planted(folder, case)
    assert cases.prove().passed
    return [str(each.mutant.words) for each in cases.mutate(rows=True).survivors]


@pytest.fixture(scope="module")
def blind(tmp_path_factory) -> list[str]:
    """What is left where one case notices next to nothing."""
    return survivors(tmp_path_factory.mktemp("blind") / "book", BLIND)


BLIND = "B 1 -> no_findings = true"
"""Notices little: one of an item without a deal."""


NOTICED = {
    'A 100 -> findings = ["few"]': [
        "`<` in `line.quantity < 100` were `<=`",
        "`100` in `line.quantity < 100` were `101`",
        "the `not` in `line.item == 'A' and not blank(line.quantity)` were left out",
        "rule few were not there",
    ],
    'B 100 -> no_findings = ["few", "some"]': [
        "`and` in `line.item == 'A' and not blank(line.quantity)` were `or`",
        "rule few applied always",
    ],
    "B 0 -> no_findings = true": ["`max` in `max(line.quantity, 1) > 0` were `min`"],
    # 5 of A: 12.50, less 10 %, and 2.50 of post; 10 of A: 25.00, less 20 %, and 5.00
    'A 5 -> payable = "13.75"': ["`>=` in `line.quantity >= 5` were `>`"],
    'A 4 -> payable = "12.00"': ["step off applied always", "`*` in `line.quantity * value.rate` were `/`"],
    'A 100 -> findings = [{ rule = "few", severity = "error", message = "too many" }]': [
        "rule few gave warning, not error",
        "rule few said nothing of its own",
        "rule few were asked at approve, not at save",
    ],
    # 50 of B: 200.00 goods, 225.00 with post; the rule reads what the line comes to, and not the goods.
    'B 50 -> findings = [{ rule = "dear", severity = "warning", acknowledge = true, message = "comes to 225.00" }]': [
        "rule dear gave notice, not warning",
        "rule dear had not to be accepted by anybody",
        "rule dear said nothing of its own",
    ],
    'B 45 -> findings = ["dear"], payable = "202.50"': ["`line.amount` in `line.amount < 200` were `line.off`"],
    'B 2 -> tax = [{ category = "Z", percent = 0 }]': ["`'Z'` in `'Z'` were `'S'`"],
    'A 2 -> payable = "6.00"': ["price of row 2 of item were 25.00, not 2.50"],
    'A 10 -> payable = "25.00"': [
        "step off had the other sign",
        "percent of row 3 of deal were 21, not 20",
        "many of row 3 of deal were 11, not 10",
    ],
    'A 10 2026-01-01 -> payable = "25.00"': ["since of row 3 of deal were 2026-01-02, not 2026-01-01"],
    'A 10 2026-12-31 -> payable = "25.00"': ["till of row 3 of deal were 2026-12-30, not 2026-12-31"],
    'A 1 -> line.10.price = "2.50"': [
        "price of row 2 of item were 2.51, not 2.50",
        "`9` came before `item.price`",
    ],
    # 130 of A: 20 % of 325.00 = 65.00, held at 30
    'A 130 -> payable = "360.00", findings = ["few"]': ["step off had no cap", "`30` in `30` were `31`"],
    # 1.01 of B at 0.5: 0.505, cut to 0.50; 1.13 of A: 2.825, up to 2.83
    'B 1.01 -> line.10.post = "0.50"': ["step post rounded up, not down"],
    'A 1.13 -> line.10.price = "2.50", payable = "3.39"': ["routine all rounded down, not half-up"],
    'B 1 -> header.extra = "3"': ["`+` in `1 + 2` were `-`"],
}
"""The slips that a case must notice, by the case."""


@pytest.mark.parametrize("case", NOTICED)
def test_a_case_that_must_notice_does_and_one_that_cannot_does_not(tmp_path, blind, case):
    assert {*NOTICED[case]} <= {*blind}
    assert {*NOTICED[case]}.isdisjoint(survivors(tmp_path / "sharp", case))


def test_a_table_that_a_case_pins_says_nothing_of_the_rulebook_s_own(tmp_path):
    cases = planted(tmp_path, 'A 1 -> line.10.price = "2.50"')
    (tmp_path / "cases" / "old.csv").write_text(ITEMS)
    text = (tmp_path / "cases" / "all.toml").read_text()
    (tmp_path / "cases" / "all.toml").write_text(text + 'tables = { item = "cases/old.csv" }\n')
    score = dokima.CaseFolder(tmp_path).mutate(rows=True)
    known = {str(each.mutant.words): each for each in score.survivors}
    assert "price of row 2 of item were 2.51, not 2.50" in known
    # The case still notices what is no matter of that table.
    assert "`9` came before `item.price`" not in known
    assert score.counted == score.killed + len(score.survivors)
    assert len(cases.mutate(sample=5).survivors) + cases.mutate(sample=5).killed == 5


def test_a_survivor_is_excused_by_its_id_and_nothing_else(tmp_path):
    planted(tmp_path, BLIND)
    status, out, _ = run_here(tmp_path, "prove", "--mutate")
    assert (status, "rule few were not there" in out, "no case comes near" in out) == (0, True, False)
    before = dokima.CaseFolder(tmp_path).mutate()
    (wanted,) = [each.mutant.id for each in before.survivors if each.mutant.words == "rule few were not there"]
    cases = tmp_path / "cases" / "all.toml"
    text = cases.read_text()
    cases.write_text(text + f'[[excuse]]\nid = "{wanted}"\nreason = "tried by hand"\nby = "L. Penhale"\n')
    after = dokima.CaseFolder(tmp_path).mutate()
    assert (after.excused, after.noticed, after.killed) == (1, before.noticed + 1, before.killed)
    assert run_here(tmp_path, "prove", "--fail-under", "mutation=90")[0] == 1
    cases.write_text(text + f'[[excuse]]\nid = "{wanted}x"\nreason = "tried by hand"\nby = "L. Penhale"\n')
    assert dokima.CaseFolder(tmp_path).mutate().unused == [f"{wanted}x"]
    cases.write_text(text.replace('at = "save"', ""))
    assert "no case comes near" in run_here(tmp_path, "prove", "--mutate")[1]
    cases.write_text(text + f'[[excuse]]\nid = "{wanted}"\nreason = "tried by hand"\n')
    assert "expected an [[excuse]] with id, reason and by" in run_here(tmp_path, "prove")[2]


def test_only_what_changed_since_an_older_version_is_changed_once_more(tmp_path):
    planted(tmp_path / "old", BLIND)
    planted(tmp_path / "new", BLIND)
    for file, before, after in (("rulebook.toml", "< 100", "< 90"), ("deals.csv", ",4,10", ",4,11")):
        path = tmp_path / "new" / file
        path.write_text(path.read_text().replace(before, after))
    score = dokima.CaseFolder(tmp_path / "new").mutate(since=dokima.load(tmp_path / "old"))
    assert {str(each.mutant.words) for each in score.survivors} == {
        "`<` in `line.quantity < 90` were `<=`",
        "`90` in `line.quantity < 90` were `91`",
    }
    score = dokima.CaseFolder(tmp_path / "new").mutate(since=dokima.load(tmp_path / "old"), rows=True)
    assert {each.mutant.row for each in score.survivors} == {None, 2}
    status, out, _ = run_here(tmp_path / "new", "prove", "--mutate", "--changed-since", "../new")
    assert (status, "every one is noticed" in out) == (0, True)


@pytest.mark.long
def test_the_cases_of_the_demo_notice_more_than_nine_slips_in_ten():
    score = dokima.CaseFolder(DEMO).mutate()
    assert score.percent > 90
    assert all(each.excuse for each in score.survivors)
