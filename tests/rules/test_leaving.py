"""``leaving.x``: rules of ``remove`` count what leaves an order together."""

import pytest

import dokima
from tests.books import book, routine
from tests.shell import run_here

LINES = [{"number": str(10 * n), "item": "PANE", "quantity": n} for n in range(1, 6)]
TWO = {
    "id": "two",
    "at": "remove",
    "require": "count(not blank(leaving.number)) <= 2",
    "message": "not so many at once",
}


def tried(*rules, lines=LINES, **header):
    return book(rule=list(rules)).edit(dokima.Order("A", lines=lines, **header), "ann")


def refused(editor, *numbers):
    with pytest.raises(dokima.Refused) as found:
        editor.remove_lines(numbers)
    return [(each.rule, each.line, each.message) for each in found.value.findings]


def test_at_most_two_lines_at_once_is_one_finding_for_the_order():
    editor = tried(TWO)
    assert refused(editor, 10, 20, 30) == [("two", "", "not so many at once")]
    editor.remove_lines([10, 20])
    editor.remove_lines([30, 40])  # two at once, whatever left before
    assert [line.number for line in editor.order.lines] == ["50"]
    editor.remove_line(50)


@pytest.mark.parametrize(
    ("require", "leaves", "stays"),
    [
        ("sum(leaving.quantity) <= 5", [10, 40], [20, 40]),
        ("highest(leaving.quantity) < 4", [10, 30], [40]),
        ("not any(leaving.quantity == 3)", [10, 20, 40], [30]),
        ("all(leaving.quantity > 1)", [20, 50], [10, 50]),
        ("sum(leaving.quantity) <= sum(line.quantity)", [10, 50], [30, 40, 10]),  # of 15: 6 of 9, 8 of 7
        ("sum(leaving.quantity, where=leaving.quantity > 2) < 5", [10, 20, 30], [30, 40]),
    ],
)
def test_aggregates_over_what_leaves(require, leaves, stays):
    rule = {"id": "r", "at": "remove", "require": require, "message": "no"}
    assert refused(tried(rule), *stays) == [("r", "", "no")]
    tried(rule).remove_lines(leaves)


def test_a_line_with_sub_lines_counts_by_what_is_below_it():
    lines = [
        {"number": "10", "item": "PANE"},
        *({"number": f"10/{n}0", "item": "PANE", "quantity": 1} for n in (1, 2, 3)),
    ]
    rule = {"id": "r", "at": "remove", "require": "sum(leaving.quantity) <= 2", "message": "no"}
    assert refused(tried(rule, lines=lines), 10) == [("r", "", "no")]
    tried(rule, lines=lines).remove_line("10/10")


def test_a_blank_value_of_a_line_that_leaves_cannot_be_decided():
    rule = {"id": "r", "at": "remove", "require": "sum(leaving.quantity) <= 2", "message": "no"}
    ((name, line, message),) = refused(tried(rule, lines=[*LINES, {"number": "60", "item": "PANE"}]), 60)
    assert (name, line) == ("r", "")
    assert "could not be decided: leaving.quantity is blank" in message


def test_a_rule_of_lines_beside_it_speaks_of_each():
    rules = ({"id": "sum", "at": "remove", "require": "sum(leaving.quantity) <= 2", "message": "no"},
             {"id": "each", "at": "remove", "require": "line.quantity <= 2", "message": "{line.number}"})  # fmt: skip
    assert refused(tried(*rules), 10, 30, 40) == [("sum", "", "no"), ("each", "30", "30"), ("each", "40", "40")]


def test_elsewhere_it_is_unknown():
    for moments in (["save"], ["remove", "save"]):
        with pytest.raises(
            dokima.RulebookError, match="rule.two.at: 'leaving.number' is known to rules of 'remove' only"
        ):
            book(rule=[{**TWO, "at": moments}])
    step = {"name": "fee", "kind": "charge", "amount": "sum(leaving.quantity)", "over": "order"}
    with pytest.raises(dokima.RulebookError, match="only rules of 'remove' see the lines that leave"):
        book(routine=routine(step))
    with pytest.raises(dokima.RulebookError, match="'leaving' has a meaning of its own in formulas"):
        book(table={"leaving": {"key": {"item": "line.item"}}}, tables={"leaving": [{"item": "PANE"}]})
    with pytest.raises(dokima.RulebookError, match="leaving.qantity"):
        book(rule=[{"id": "r", "at": "remove", "require": "sum(leaving.qantity) > 1"}])


def test_in_words():
    told = dokima.report(book(rule=[{"id": "r", "at": "remove", "require": "sum(leaving.quantity) <= 5"}])).text
    assert "the sum of the quantity of the line that leaves is at most 5" in " ".join(told.split())


def test_lines_named_together_at_the_command_line_leave_together(tmp_path):
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\n[[rule]]\nid = "two"\nat = "remove"\n'
        'require = "count(not blank(leaving.number)) <= 2"\nmessage = "not so many at once"\n'
    )
    (tmp_path / "o.json").write_text('{"number": "1", "lines": [{"quantity": 1}, {"quantity": 2}, {"quantity": 3}]}')
    three = [each for number in ("10", "20", "30") for each in ("--remove", number)]
    status, _, said = run_here(tmp_path, "edit", "o.json", *three, "--dry-run")
    assert (status, said) == (1, "error: 1: remove lines is refused: not so many at once\n")
    status, out, _ = run_here(tmp_path, "edit", "o.json", *three[:4], "--dry-run")
    assert (status, "remove lines: lines 10, 20" in out) == (0, True)
    assert run_here(tmp_path, "edit", "o.json", "--remove", "all", "--dry-run")[0] == 1
    assert run_here(tmp_path, "edit", "o.json", "--remove", "30", "--dry-run")[0] == 0
