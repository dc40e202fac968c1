"""Many findings of one rule are columns until somebody looks at them; they say what each by itself would have said."""

import csv
import io
import json
import pickle

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.model.finding_columns import FindingColumns, Refusals

BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "refusing", "currency": "EUR"},
        "table": {"weight": {"key": {"item": "line.item"}, "columns": {"kg": {"kind": "decimal"}}, "required": True}},
        "rule": [
            {"id": "few", "at": "enter", "require": "line.quantity <= 5", "message": "100 % of {line.quantity} {line.item}"},
            {"id": "priced", "at": "save", "require": "line.price_override > 1", "message": "{line.price_override} is low", "severity": "warning", "help": "ask"},
            {"id": "whole", "at": "save", "require": "sum(line.quantity) < 9", "message": "{sum(line.quantity):2} in all", "field": "customer"},
            {"id": "asked", "at": "save", "require": "line.quantity != 3", "severity": "warning", "acknowledge": True},
        ],
    },
    tables={"weight": [{"item": "A", "kg": "1"}]},
)  # fmt: skip
LINE = st.fixed_dictionaries(
    {"item": st.sampled_from(["A", "B%s", None]), "quantity": st.sampled_from([None, 1, 3, "7.5"])},
    optional={"price_override": st.sampled_from(["0.5", "0.90", "2"])},
)


def orders(of_orders):
    return [dokima.Order(f"O{at}", currency="EUR", lines=lines) for at, lines in enumerate(of_orders)]


@pytest.fixture
def few(monkeypatch):
    """Sets from how many findings on a rule's findings are columns."""

    def set_to(count):
        for module in ("dokima.rules.verdicts", "dokima.engine.running.required"):
            monkeypatch.setattr(f"{module}.FEW", count)

    return set_to


@given(st.lists(st.lists(LINE, min_size=1, max_size=4), min_size=1, max_size=5), st.data())
def test_columns_say_what_findings_by_themselves_say(of_orders, data):
    with pytest.MonkeyPatch.context() as patch:
        sides = []
        for few in (10**9, -1):
            for module in ("dokima.rules.verdicts", "dokima.engine.running.required"):
                patch.setattr(f"{module}.FEW", few)
            sides.append(BOOK.check(orders(of_orders)))
    singly, columns = sides
    assert isinstance(columns.items, FindingColumns) or not columns
    assert columns == singly
    assert columns + singly == singly + columns
    for each in ("errors", "stopping", "touched"):
        assert getattr(columns, each) == getattr(singly, each)
    assert columns.at_least("warning") == singly.at_least("warning")
    assert columns.of("O0") == singly.of("O0")
    assert columns.beyond(singly.errors) == singly.beyond(columns.errors)
    assert columns.where(lambda each: each.line == "10") == singly.where(lambda each: each.line == "10")
    assert (columns.to_csv(), columns.to_json()) == (singly.to_csv(), singly.to_json())
    assert columns.to_frame().equals(singly.to_frame())
    assert pickle.loads(pickle.dumps(columns)) == singly
    if singly:
        at = data.draw(st.integers(-len(singly), len(singly) - 1))
        assert columns[at] == singly[at]
        assert columns[at:] == singly[at:]


def test_thousands_are_counted_chosen_and_written_without_making_one(few, monkeypatch):
    """400 lines of more than five, and as many without a row in the table: nobody looks at any by itself."""
    few(200)
    many = orders([[{"item": "B", "quantity": 6 + at}] for at in range(400)])
    expected = [each.to_dict() for each in BOOK.check(many)]
    monkeypatch.setattr(Refusals, "findings", lambda *_: pytest.fail("a finding was made"))
    found = BOOK.check(many).where_alike(lambda each: each.rule in ("few", "table.weight"))
    assert (len(found), len(found.errors), len(found.stopping)) == (800, 800, 800)
    written = json.loads(dokima.to_json(found))["findings"]
    assert written == [each for each in expected if each["rule"] in ("few", "table.weight")]
    assert written[0]["message"] == "100 % of 6 B"
    rows = list(csv.DictReader(io.StringIO(dokima.to_csv(found))))
    assert [row["message"] for row in rows] == [each["message"] for each in written]
