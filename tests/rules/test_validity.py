"""Rules, discounts and charges that count from one day until another: both days included, by the date of the order."""

import datetime
import shutil
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.model.validity import Validity, gaps
from dokima.proving.mutants import mutants_of
from tests.books import DEMO, book, routine
from tests.shell import run_here

DAY = st.dates(datetime.date(2026, 3, 30), datetime.date(2026, 4, 3))
WINTER = {"from": "2026-01-01", "until": "2026-03-31"}
TEN = {"name": "winter", "kind": "discount", "percent": "10"}


def least(number, valid=None, **more):
    """A rule that asks for so many pieces."""
    rule = {"id": "least", "at": "save", "require": f"line.quantity >= {number}", **more}
    return {**rule, "valid": valid} if valid else rule


def order(day, quantity=4, **header):
    return dokima.Order("A", date=day, lines=[{"quantity": quantity}], **header)


def told(findings):
    return [(each.rule, each.undecided, str(each.message)) for each in findings]


@given(
    st.tuples(st.none() | DAY, st.none() | DAY).filter(lambda ends: any(ends) and (None in ends or ends[0] <= ends[1])),
    st.lists(st.none() | DAY, min_size=1, max_size=4),
    st.sampled_from([3, 5]),
)
def test_it_counts_as_if_its_condition_said_so(ends, days, number):
    """A rule and a discount, alone and among orders of other days, against the same with the days in ``when``."""
    said = {key: str(day) for key, day in zip(("from", "until"), ends, strict=True) if day is not None}
    signs = ((">=", ends[0]), ("<=", ends[1]))
    when = " and ".join(f"header.date {sign} date('{day}')" for sign, day in signs if day is not None)
    one = book(rule=[least(number, said)], routine=routine({**TEN, "valid": said}))
    other = book(rule=[least(number, when=when)], routine=routine({**TEN, "when": when}))
    orders = [dokima.Order(f"O{at}", date=day, lines=[{"quantity": 4}]) for at, day in enumerate(days)]
    assert told(one.check(orders)) == told(other.check(orders))
    for each in orders:
        assert told(one.check(each)) == told(other.check(each))
        amounts = [book_.price(orders)[each.number].totals.with_tax for book_ in (one, other)]
        assert amounts[0] == amounts[1] == one.price(each)[each.number].totals.with_tax


def test_versions_of_a_rule_share_an_id_and_each_has_its_days():
    rules = book(rule=[least(5, WINTER), least(9, {"from": "2026-05-01"})])
    found = {day: told(rules.check(order(day, 7))) for day in ("2026-03-31", "2026-04-15", "2026-05-01")}
    assert found == {"2026-03-31": [], "2026-04-15": [], "2026-05-01": [("least", False, "least does not hold.")]}
    answers = {each.rule: each.reason for each in rules.explain_rules(order("2026-04-15"))}
    assert answers["least@2026-01-01"] == "it is not valid on 2026-04-15"
    (remark,) = [each for each in rules.audit(datetime.date(2026, 6, 1)) if each.check == "gap"]
    assert remark.message == "no version of rule least counts from 2026-04-01 to 2026-04-30"
    undecided = "least does not hold. (could not be decided: header.date is blank)"
    assert told(rules.check(order(None, 4))) == [("least", True, undecided)] * 2
    assert told(rules.check(order(None, 10))) == []  # it passes whichever counts
    assert told(rules.check(order("2026-05-01", 7), rule="least@2026-01-01")) == []


def test_gaps_are_days_between_and_not_before_or_after():
    days = [Validity(datetime.date(2026, 4, 1), None), Validity(None, datetime.date(2026, 3, 31))]
    assert gaps(days) == []
    days[1] = Validity(datetime.date(2026, 1, 1), datetime.date(2026, 3, 29))
    assert gaps(days) == [(datetime.date(2026, 3, 30), datetime.date(2026, 3, 31))]


def test_an_acknowledgement_holds_for_the_version_it_was_given_to():
    asks = {"severity": "warning", "acknowledge": True}
    rules = book(rule=[least(9, WINTER, **asks), least(9, {"from": "2026-04-01"}, **asks)])
    editor = rules.edit(order("2026-03-31"), by="Ada")
    editor.acknowledge(rules.check(editor.order).stopping[0], "agreed by phone")
    assert not rules.check(editor.order).stopping
    editor.change_header(date="2026-04-01")
    assert [each.rule for each in rules.check(editor.order).stopping] == ["least"]


@pytest.mark.parametrize(
    ("rules", "path", "message"),
    [
        ([least(1, {"from": "2026-04-01", "until": "2026-03-31"})], "rule.least.valid", "'from' on or before 'until'"),
        ([{**least(1), "valid": {}}], "rule.least.valid", "expected 'from', 'until' or both"),
        ([least(1, WINTER), least(2, {"from": "2026-03-31"})], "rule.least@2026-03-31.valid", "that do not overlap"),
        ([least(1, WINTER), least(2)], "rule.least", "expected each id once"),
        ([least(1, {"from": "1.4.2026"})], "rule.least.valid.from", 'expected a day such as "2026-04-01"'),
        ([least(1, {"until": 20260401})], "rule.least.valid.until", "got 20260401"),
    ],
)
def test_what_does_not_load(rules, path, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(rule=rules)
    (problem,) = caught.value.problems
    assert (problem.path, message in problem.message) == (path, True)


def test_prices_taxes_and_figures_count_always():
    for step in ({"name": "t", "kind": "tax", "percent": "1"}, {"name": "f", "kind": "figure", "value": "1"}):
        with pytest.raises(dokima.RulebookError, match=r"step takes .* \(got 'valid'\)"):
            book(routine=routine({**step, "valid": WINTER}))


def test_a_problem_of_a_version_is_shown_where_it_stands(tmp_path):
    text = (
        '[rulebook]\nname = "x"\n'
        '[[rule]]\nid = "least"\nat = "save"\nvalid = { until = "2026-03-31" }\nrequire = "line.quantity > 1"\n'
        '[[rule]]\nid = "least"\nat = "save"\nvalid = { from = "2026-04-01" }\nrequire = "line.quantitty > 1"\n'
    )
    (tmp_path / "rulebook.toml").write_text(text)
    with pytest.raises(dokima.RulebookError) as caught:
        dokima.load(tmp_path)
    (problem,) = caught.value.problems
    assert (problem.path, problem.text_line) == ("rule.least@2026-04-01.require", 12)


def test_a_step_says_why_it_is_nothing_and_mutation_moves_its_days():
    rules = book(rule=[least(1, WINTER)], routine=routine({**TEN, "valid": WINTER}))
    assert rules.price(order("2026-03-31"))["A"].totals.with_tax == D("3.60")
    said = dokima.report(rules.explain(order("2026-04-01"), 10)).text
    assert "does not apply: it is valid from 2026-01-01 until 2026-03-31, not on 2026-04-01" in " ".join(said.split())
    moved = {each.path for each in mutants_of(rules.program) if each.operator == "day"}
    places = ("rule.least.valid", "routine.sales.step.winter.valid")
    assert moved == {f"{place}.{end}" for place in places for end in ("from", "until")}


def test_what_is_left_out_is_tried_and_never_saved(tmp_path):
    rules = book(rule=[least(5), least(6, id="more")], routine=routine(TEN))
    tried = rules.what_if(without=["least", "winter"])
    assert [each.rule for each in tried.check(order(None))] == ["more"]
    assert tried.price(order(None))["A"].totals.with_tax == D("4.00")
    assert rules.price(order(None))["A"].totals.with_tax == D("3.60")
    for refused in (
        lambda: tried.edit(order(None), by="Ada"),
        lambda: tried.edit_many([order(None)], "renumber_lines", by="Ada"),
        lambda: tried.change(order(None), by="Ada"),
        lambda: dokima.open_store(tmp_path, tried),
    ):
        with pytest.raises(dokima.Refused, match=r"without least, winter: .* is for check and price"):
            refused()
    with pytest.raises(dokima.NotFound, match=r"no rule, discount or charge 'leest'; did you mean 'least'\?"):
        rules.what_if(without=["leest"])
    with pytest.raises(dokima.NotFound, match=r"got the step 'price'"):
        rules.what_if(without=["price"])


def test_a_draft_opens_no_store_but_by_name(tmp_path):
    quillmere = tmp_path / "quillmere"
    shutil.copytree(DEMO, quillmere)
    draft = quillmere / "rulebook.toml"
    draft.write_text(draft.read_text().replace('currency = "EUR"\n', 'currency = "EUR"\nstatus = "draft"\n', 1))
    with pytest.raises(dokima.Refused, match=r"the rulebook 'quillmere' is a draft: no store opens with it"):
        dokima.open_store(quillmere, dokima.load(quillmere))
    assert dokima.open_store(quillmere, dokima.load(quillmere), allow_draft=True).order("SQ-2041").number == "SQ-2041"
    url = f"sqlite:///{tmp_path / 'orders.db'}"
    for command in (["change", "open", "SQ-2041"], ["store", "create", "--store", url]):
        status, _, said = run_here(quillmere, *command)
        assert (status, "is a draft" in said) == (2, True)
    assert run_here(quillmere, "store", "create", "--store", url, "--allow-draft")[0] == 0
    loaded = ["store", "load", "orders/SQ-2042.json", "--store", url]
    assert run_here(quillmere, *loaded, "--by", "Ada")[0] == 2
    assert run_here(quillmere, *loaded, "--by", "Ada", "--allow-draft")[0] == 0
    assert run_here(quillmere, "orders", "--store", url)[0] == 0  # to read needs nobody's leave
    status, out, _ = run_here(quillmere, "check", "SQ-2042", "--orders", url, "--without", "half-days")
    assert (status, "half-days" in out, "pane-needs-crate" in out) == (0, False, True)
