"""Facts on the paper of a change order and of a ledger that most changes do not have: days, revisions, budgets."""

from __future__ import annotations

import pytest

import dokima
from tests.books import ITEMS, RATES, definition


@pytest.fixture
def store(tmp_path):
    rules = dokima.Rulebook.from_dict(definition(), tables={"item": ITEMS, "rate": RATES})
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules) as store:
        yield store


def order(number, *dates, **header):
    lines = [{"number": str(10 * at + 10), "item": "PANE", "quantity": 2, **({"due_date": date} if date else {})}
             for at, date in enumerate(dates)]  # fmt: skip
    return dokima.Order(number, **{"kind": "sales", "currency": "EUR", "state": "confirmed", **header}, lines=lines)


def paper_of(store, number, **line):
    change = store.open_change(number, "Ada").number
    store.update_change(
        change, "Ada", lambda found: found.edit("Ada").add_line(**{"item": "VENT", "quantity": 1, **line})
    )
    found = store.change(change)
    return dokima.report(found, ledger=store.ledger(number))


def facts(report):
    """The facts of a paper as its Markdown lists them."""
    rows = [
        line.removeprefix("- ").split(": ", 1)
        for line in report.markdown.splitlines()
        if line.startswith("- ") and ": " in line
    ]
    return dict(rows)


@pytest.mark.parametrize(
    ("dates", "added", "told"),
    [
        (("2026-05-04", "2026-05-04"), None, "2026-05-04"), (("2026-06-01", "2026-05-04"), None, "2026-05-04 – 2026-06-01"),
        ((None, "2026-05-04"), None, "2026-05-04"), (("2026-05-04",), "2026-09-09", ""), ((None, None), None, None),
    ],
)  # fmt: skip
def test_days_of_delivery_are_those_of_the_lines_that_stay(store, dates, added, told):
    store.save(order("A", *dates), "Ada")
    found = facts(paper_of(store, "A", **({"due_date": added} if added else {})))
    assert {name: value for name, value in found.items() if "deliver" in name.lower() or "due" in name.lower()} == (
        {"due date": told} if told else {}
    )


def test_a_paper_names_the_revision_and_the_budget_where_there_is_one(store):
    """97.00 + 20.37 tax = 117.37; with a vent 129.90 x 1.21 = 157.18 more: 274.55 of 300."""
    store.save(order("A", None, budget="300"), "Ada")
    found = facts(paper_of(store, "A"))
    assert found["revision"] == "1"
    assert found["budget"].startswith("300")
    unknown = dokima.report(store.ledger("A")).markdown
    assert "unknown" not in unknown
    store.save(order("B", None), "Ada")
    assert "budget" not in facts(paper_of(store, "B"))


def test_an_added_line_without_an_item_has_an_empty_cell_and_not_none(store):
    store.save(order("A", None), "Ada")
    shown = paper_of(store, "A", item=None, description="by agreement", price_override="5", override_reason="agreed")
    assert "None" not in shown.markdown
    assert "| 20 |  | by agreement |" in shown.markdown
