"""Coverage: of edits, which leave no order behind where they are refused."""

import dokima
from tests.proving.test_cases import case, small

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
