"""What is told of a rule beside its answer: digests, values, why it was not asked, what a blank comes from."""

from __future__ import annotations

import pytest

import dokima
from tests.books import FIELDS, book


def test_only_what_may_be_accepted_has_a_digest():
    rules = [
        {"id": "soft", "at": "save", "severity": "warning", "acknowledge": True, "require": "line.quantity < 5"},
        {"id": "hard", "at": "save", "require": "line.quantity < 5"},
        {"id": "open", "at": "save", "severity": "warning", "acknowledge": True, "require": "line.weight < 5"},
    ]

    @dokima.rule("said", at="save")
    def said(line):
        return dokima.refuse(f"{line.quantity} are too many")

    data = {"rulebook": {"name": "x"}, **FIELDS, "rule": rules}
    order = dokima.Order("A", lines=[{"number": "10", "quantity": 7}])
    found = {each.rule: each for each in dokima.Rulebook.from_dict(data, python=[said]).check(order, "save")}
    assert {name for name, each in found.items() if each.digest} == {"soft"}
    assert {name for name, each in found.items() if each.undecided} == {"open"}
    assert (set(found), found["said"].message) == ({"soft", "hard", "open", "said"}, "7 are too many")


def test_a_rule_in_columns_tells_the_values_of_its_own_line():
    @dokima.rule("heavy", at="save", columns=True)
    def heavy(lines):
        return [weight is None or weight < 5 for weight in lines["line.weight"]]

    tried = dokima.Rulebook.from_dict({"rulebook": {"name": "x"}, **FIELDS}, python=[heavy])
    orders = [dokima.Order(name, lines=[{"weight": at}, {"weight": at + 6}]) for at, name in enumerate("AB")]
    mine = tried.explain_rules(orders, rule="heavy")
    told = [(each.order, each.line, each.result, int(each.values["line.weight"])) for each in mine]
    assert told == [
        ("A", "10", "passed", 0), ("A", "20", "refused", 6), ("B", "10", "passed", 1), ("B", "20", "refused", 7),
    ]  # fmt: skip


def test_why_a_rule_about_before_is_not_asked_of_a_line_that_is_new():
    """Line 10 was 4 and is 2; line 20 was not there: only of the first there is a before."""
    rule = {"id": "halved", "at": "save", "require": "line.quantity >= was.quantity"}
    tried = book(**FIELDS, rule=[rule])
    order = dokima.Order("A", lines=[{"number": "10", "quantity": 2}, {"number": "20", "quantity": 1}])
    alone = {each.line: each for each in tried.explain_rules(order, rule="halved")}
    assert {line: each.result for line, each in alone.items()} == {"10": "does not apply", "20": "does not apply"}
    assert all("there is no before" in each.reason for each in alone.values())
    simulated = {each.line: each.result for each in tried.explain_rules(order, rule="halved", was={"10.quantity": "4"})}
    assert simulated["10"] == "refused"
    assert {each.result for each in tried.explain_rules(order, rule="halved", was={"line.quantity": "1"})} == {"passed"}


ROWS = {"deal": [{"item": "A", "most": "5"}, {"item": "B", "most": None}]}


@pytest.mark.parametrize(
    ("item", "said"),
    [
        ("A", ""),
        ("B", "deal.most is blank"),
        ("C", "table deal has no row that fits"),
        (None, "table deal has no row that fits"),
    ],
)
def test_what_makes_a_rule_undecided_is_the_cell_the_row_or_the_key(item, said):
    table = {"deal": {"key": {"item": "line.item"}, "columns": {"most": {"kind": "decimal"}}}}
    tried = book(ROWS, table=table, rule=[{"id": "most", "at": "save", "require": "line.quantity <= deal.most"}])
    lines = [{"number": "10", "item": "A", "quantity": 1}, {"number": "20", "item": item, "quantity": 1}]
    found = [(each.line, each.message) for each in tried.check(dokima.Order("X", lines=lines), "save")]
    assert ([("20", f"most does not hold. (could not be decided: {said})")] if said else []) == found


def test_a_moment_that_is_none_is_refused_wherever_it_is_named():
    tried = book(rule=[{"id": "a", "at": "save", "require": "line.quantity < 5"}])
    order = dokima.Order("A", lines=[{"quantity": 1}])
    for ask in (tried.check, tried.explain_rules):
        with pytest.raises(dokima.NotFound, match="there is no moment 'svae'; did you mean 'save'"):
            ask(order, "svae")
    with pytest.raises(dokima.RulebookError, match="svae"):
        book(rule=[{"id": "a", "at": "svae", "require": "line.quantity < 5"}])
