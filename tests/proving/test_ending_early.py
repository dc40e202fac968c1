"""What ends early leaves what it has found so far, and says so: stopped by hand, or by what nobody foresaw."""

import datetime

import pytest

import dokima
from dokima.proving import mutation as module
from dokima.proving import suggesting
from tests.proving.test_cases import case, small
from tests.shell import run_here

DAY = datetime.date(2026, 3, 2)


def stopping(after):
    """A progress that somebody stops after so many times."""
    told = []

    def progress(*said):
        told.append(said)
        if len(told) > after:
            raise KeyboardInterrupt

    return progress


def test_mutation_that_is_stopped_scores_what_was_tried(tmp_path):
    folder = dokima.CaseFolder(small(tmp_path, case('payable = "10.00"')))
    whole = folder.mutate(rows=True)
    score = folder.mutate(rows=True, progress=stopping(5))
    assert (score.made, score.untried) == (5, whole.made - 5)
    assert score.killed + len(score.survivors) + score.equivalent + score.not_loadable == 5
    assert score.unused == []
    assert f"{score.untried} not tried" in repr(score)
    assert score.to_dict()["untried"] == score.untried


def test_a_change_with_which_a_case_cannot_run_is_noticed_and_named(tmp_path, monkeypatch):
    folder = dokima.CaseFolder(small(tmp_path, case('payable = "10.00"')))
    whole, run = folder.mutate(), module.run_cases
    asked = []

    def breaking(cases, program_of, pinned):
        asked.append(1)
        if len(asked) == 3:  # the first runs the rulebook as it is
            raise KeyError("line.goods")
        return run(cases, program_of, pinned)

    monkeypatch.setattr(module, "run_cases", breaking)
    score = folder.mutate()
    assert score.made == whole.made
    assert len(score.raised) == 1
    assert "(KeyError: 'line.goods')" in score.raised[0]
    assert score.killed >= whole.killed
    assert "could not be run at all" in str(dokima.report(dokima.Proof((), mutation=score)))


@pytest.mark.parametrize(("error", "why"), [(KeyboardInterrupt(), "it was stopped"), (KeyError("x"), "KeyError: 'x'")])
def test_suggestions_that_end_early_are_kept(tmp_path, monkeypatch, error, why):
    folder = small(tmp_path, case('payable = "10.00"'))

    def ending(self, left):
        raise error

    monkeypatch.setattr(suggesting._Search, "_edited", ending)
    found = dokima.CaseFolder(folder).suggest(DAY)
    assert why in found.ended
    assert len(found) > 0
    status, _, said = run_here(folder, "prove", "--suggest", "cases/more.toml")
    assert status == (130 if found.was_stopped else 1)
    assert f"ended early: {found.ended}; what was found so far is in" in said
    assert "recorded = true" in (folder / "cases" / "more.toml").read_text()


def test_the_command_says_how_much_was_left(tmp_path, monkeypatch):
    folder = small(tmp_path, case('payable = "10.00"'))
    mutate = dokima.CaseFolder.mutate
    monkeypatch.setattr(
        dokima.CaseFolder,
        "mutate",
        lambda self, names, **more: mutate(self, names, **{**more, "progress": stopping(4)}),
    )
    status, out, said = run_here(folder, "prove", "--mutate")
    assert status == 130
    assert "changes not tried" in said
    assert "not noticed" in out
