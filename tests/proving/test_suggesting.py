"""Suggestions: what they reach on a rulebook without cases, and what they notice that nothing noticed before."""

import datetime
import json
import shutil

import pytest

import dokima
from tests.books import DEMO
from tests.proving.test_cases import case, small
from tests.shell import run_here

DAY = datetime.date(2026, 3, 2)


def without_cases(folder):
    """The demo's rulebook, and no case."""
    target = folder / "book"
    shutil.copytree(DEMO, target)
    shutil.rmtree(target / "cases")
    return target


@pytest.mark.long
def test_suggestions_alone_reach_most_of_a_rulebook_and_verify_nothing(tmp_path):
    folder = without_cases(tmp_path)
    status, out, said = run_here(
        folder, "prove", "--suggest", "cases/first.toml", "--today", "2026-03-02", "--most", "100", "--format", "json"
    )
    assert status == 0, said
    assert "unconfirmed until somebody says" in said
    told = json.loads(out)
    assert 50 < len(told["suggestions"]) <= 100
    proof = dokima.prove(folder, coverage=True)
    assert len(proof.passed) == len(proof.failed) == 0
    assert [each.case.name for each in proof.unconfirmed] == [each["case"]["name"] for each in told["suggestions"]]
    waiting = proof.coverage.with_unconfirmed
    reached = {name: waiting.percent(name) for name in waiting.headline()}
    assert min(reached.values()) == 100, reached
    verified = proof.coverage.headline()
    assert {done for done, _ in verified.values()} == {0}
    assert proof.coverage.waiting() == {name: of for name, (_, of) in verified.items()}
    assert told["not_reached"] == []


def test_suggestions_of_a_complete_set_of_cases_are_about_rows_only():
    found = dokima.CaseFolder(DEMO).suggest(DAY, most=3)
    assert len(found) == 3
    assert all(
        " below it" in name or " at it" in name or " above it" in name for each in found for name in each.reaches
    )
    assert all(each.case.recorded and each.case.confirmed is None for each in found)


def test_what_survives_mutation_is_noticed_by_what_is_suggested(tmp_path):
    # Nothing asks for 5 pieces, nor for what the cap holds: both survive.
    folder = small(tmp_path, case('payable = "10.00"', name="four"))
    before = dokima.CaseFolder(folder)
    score = before.mutate()
    edge = next(each.mutant.id for each in score.survivors if ".off.when" in each.mutant.id)
    found = before.suggest(DAY, mutation=score)
    assert edge in {kill for each in found for kill in each.kills}
    assert before.suggest(DAY, mutation=score).to_dict() == found.to_dict()
    dokima.add_cases(folder / "cases" / "more.toml", [each.case for each in found])
    kills = {kill for each in found for kill in each.kills}
    # Until somebody has confirmed them they verify nothing: what they notice is told beside, and not suggested again.
    waiting = dokima.CaseFolder(folder)
    after = waiting.mutate()
    assert after.killed == score.killed
    assert {each.mutant.id for each in after.survivors if each.is_awaited} >= kills
    again = waiting.suggest(DAY, mutation=after)
    assert not kills & {kill for each in again for kill in each.kills}
    assert again.waiting == len(found)
    assert again.to_dict()["unconfirmed_cases"] == len(found)
    for each in found:
        dokima.CaseFolder(folder).confirm(each.case.name, "ada", DAY)
    confirmed = dokima.CaseFolder(folder).mutate()
    left = {each.mutant.id for each in confirmed.survivors}
    assert not kills & left
    assert left <= set(found.alike)
    assert confirmed.killed > score.killed


def test_suggestions_come_behind_what_stands_in_a_file_and_go_nowhere_else(tmp_path):
    folder = small(tmp_path, "# by hand\n" + case('payable = "10.00"', name="four"))
    status, _, _ = run_here(folder, "prove", "--suggest", "cases/a.toml", "--most", "2")
    assert status == 0
    assert (folder / "cases" / "a.toml").read_text().startswith('# by hand\n[[case]]\nname = "four"\n')
    assert len(dokima.prove(folder)) == 3
    status, _, said = run_here(folder, "prove", "--suggest", "cases/a.csv")
    assert (status, "expected a .toml file for cases" in said) == (2, True)


@pytest.mark.parametrize("price", [True, False])
def test_a_rulebook_of_rules_alone_and_a_column_with_spaces_in_its_name(price, tmp_path):
    routine = '[routine.r]\nstep = [{ name = "price", kind = "price", options = [{ value = "rate.rate" }] }]\n'
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "rules"\ncurrency = "EUR"\n[[rule]]\nid = "few"\nat = "enter"\nrequire = "line.quantity <= 3"\n'
        '[table.rate]\nfile = "r.csv"\nmatch = { "Item no" = "line.item" }\n'
        'window = { from = "Valid from", on = "header.date" }\ncolumns.rate = { kind = "decimal", from = "The rate" }\n'
        + routine
        * price
    )
    (tmp_path / "r.csv").write_text("Item no,Valid from,The rate\nA,2026-01-01,5\n")
    found = dokima.CaseFolder(tmp_path).suggest(DAY)
    reaches = {name for each in found for name in each.reaches}
    assert reaches >= {"few speaks", "few passes", "few: line.quantity <= 3 with one just beyond the other"}
    assert ("on the day of rate Valid from 2026-01-01" in reaches) == price
    dokima.add_cases(tmp_path / "first.toml", [each.case for each in found])


def test_an_order_that_was_saved_before_and_a_break_from_both_sides_are_suggested(tmp_path):
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\n'
        '[table.volume]\nfile = "volume.csv"\nkey = { item = "line.item" }\nchoose = "highest over"\n'
        'breaks = { over = { of = "line.quantity", above = true } }\ncolumns.percent = { kind = "decimal", default = 0 }\n'
        '[routine.r]\nstep = [{ name = "price", kind = "price", options = [{ value = "1" }] },\n'
        '  { name = "off", kind = "discount", percent = "volume.percent" }]\n'
        '[[rule]]\nid = "first"\nat = "save"\nwhen = "header.is_new"\nrequire = "sum(line.quantity) <= 50"\nmessage = "m"\n'
    )
    (tmp_path / "volume.csv").write_text("item,over,percent\nA,10,5\nA,20,8\n")
    found = dokima.CaseFolder(tmp_path).suggest(DAY, most=60)
    reached = {name for each in found for name in each.reaches}
    assert {"first: header.is_new is true", "first: header.is_new is false"} <= reached
    assert {
        f"volume for item A, above over {least}: {side} it" for least in (10, 20) for side in ("at", "above")
    } <= reached
