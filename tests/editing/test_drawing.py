"""Values that are drawn: marked, drawn again when what they follow from changes, and never when they were given."""

from __future__ import annotations

import datetime
import json
from decimal import Decimal as D

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import dokima
from tests.hire import TOOLS, hire, two_days

LATE = datetime.date(2026, 5, 10)


def lines_of(editor, *names):
    return [tuple(line.get(name) for name in names) for line in editor.order.lines]


def test_a_drawn_value_follows_what_it_is_drawn_from_and_the_journal_names_it():
    """From 1 to 2 May it is 2 days, 20.00; to 10 May it is 10, 100.00."""
    editor = hire().edit(dokima.Order("H"), by="Ann")
    editor.add_line(**two_days())
    assert (editor.order.lines[0]["drawn"], editor.totals.without_tax) == (["unit", "days", "pack"], D("20.00"))
    editor.change_line(10, last=LATE)
    assert editor.totals.without_tax == D("100.00")
    moved = [{"line": "10", "field": "days", "from": D(2), "to": D(10)}]
    assert editor.journal[-1].details == {"line": "10", "fields": {"last": LATE}, "drawn": moved}
    assert str(editor.journal[-1]) == "change line: line 10, fields last = 2026-05-10, drawn 10.days 2 -> 10"
    again = dokima.Order.from_json(json.dumps(editor.order.to_dict(), default=str))
    editor.undo()
    assert (editor.totals.without_tax, editor.order.lines[0]["days"]) == (D("20.00"), D(2))
    # From file to file: the marks come along.
    other = hire().edit(again, by="Ben")
    other.change_line(10, last="2026-05-04")
    assert other.totals.without_tax == D("40.00")


def test_what_was_given_is_never_drawn_though_equal_nor_a_blank():
    editor = hire().edit(dokima.Order("H"), by="Ann")
    editor.add_line(**two_days(days=2, unit=None))
    editor.change_line(10, last=LATE, item="DRILL")
    assert lines_of(editor, "days", "unit", "pack", "drawn") == [(D(2), None, D(12), ["pack"])]
    editor.change_line(10, pack=12)
    editor.change_line(10, item="SAW")
    assert lines_of(editor, "pack", "drawn") == [(D(12), [])]


def test_a_table_that_moved_draws_nothing_until_the_line_asks_it_anew():
    """The saw's pack was 10 and is 12 by now, that of the drill is 12: a change of item draws it though 12 is 12."""
    editor = hire().edit(dokima.Order("H"), by="Ann")
    editor.add_line(**two_days())
    moved = hire([{**TOOLS[0], "pack": "12"}, TOOLS[1]])
    later = moved.edit(editor.order, by="Ben", today=datetime.date(2027, 1, 1))
    later.change_line(10, quantity=3)
    assert lines_of(later, "pack") == [(D(10),)]
    later.change_line(10, item="DRILL")
    assert lines_of(later, "pack") == [(D(12),)]


def test_defaults_follow_header_parent_each_other_and_the_lines_of_the_order():
    rules = hire(
        header={"depot": {}, "month": {"kind": "integer", "default": "month(header.date)"}},
        line={
            "place": {"default": "header.depot"},
            "above": {"default": "parent.unit"},
            "twice": {"kind": "decimal", "default": "line.days * 2"},
            "part": {"kind": "decimal", "default": "line.quantity / sum(line.quantity)"},
            "others": {"kind": "integer", "default": "count()"},
        },
    )
    editor = rules.edit(dokima.Order("H", depot="north", date="2026-05-01"), by="Ann")
    editor.add_line(**two_days())
    assert lines_of(editor, "part", "twice", "place", "others") == [(D(1), D(4), "north", D(1))]
    editor.add_line(**two_days(quantity=3))
    assert lines_of(editor, "part", "others") == [(D("0.25"), D(2)), (D("0.75"), D(2))]
    editor.change_line(10, last=LATE)
    editor.change_header(depot="south", date="2026-06-01")
    assert lines_of(editor, "twice", "place") == [(D(20), "south"), (D(4), "south")]
    assert rules.price(editor.order)["H"].header("month") == D(6)
    editor.add_line("20/10", item="DRILL", quantity=1)
    editor.change_line(20, unit="MTR")
    assert lines_of(editor, "above")[2] == ("MTR",)
    editor.remove_line(20)
    assert lines_of(editor, "part", "others") == [(D(1), D(1))]


def test_a_closed_line_keeps_what_it_has():
    rules = hire(header={"depot": {}}, line={"place": {"default": "header.depot"}})
    editor = rules.edit(dokima.Order("H", depot="north"), by="Ann")
    editor.add_line(**two_days())
    editor.add_line(**two_days())
    editor.close_line(10)
    editor.change_header(depot="south")
    assert lines_of(editor, "place") == [("north",), ("south",)]
    editor.reopen_line(10)
    editor.change_header(depot="west")
    assert lines_of(editor, "place") == [("west",), ("west",)]


def test_rules_are_asked_of_what_was_drawn_as_if_it_had_been_given():
    rules = hire(
        rule=[{"id": "long", "at": "edit", "field": "days", "require": "line.days <= 5", "message": "{line.days} days"}]
    )
    editor = rules.edit(dokima.Order("H", lines=[two_days("10"), two_days("20", days=2)]), by="Ann")
    with pytest.raises(dokima.Refused, match="10 days"):
        editor.change_line(10, last=LATE)
    assert editor.order.lines[0]["last"] == datetime.date(2026, 5, 2)
    (told,) = rules.edit_many([editor.order], "set", "Ann", fields={"line.last": LATE}).refused.values()
    assert "10 days" in str(told)


def test_without_marks_comparing_decides_but_never_for_a_blank():
    lines = [two_days("10", days=2, unit=None, pack=11), two_days("20", days=3)]
    editor = hire().edit(dokima.Order("H", lines=lines), by="Ann")
    editor.change_line(10, last=LATE, item="DRILL")
    editor.change_line(20, last=LATE)
    assert lines_of(editor, "days", "unit", "pack") == [(D(10), None, D(11)), (D(3), None, None)]


def test_a_drawn_value_is_held_to_its_field():
    rules = hire(
        line={
            "share": {"kind": "decimal", "places": 1, "default": "0.555"},
            "way": {"choices": ["van"], "default": "'sea'"},
        }
    )
    found = rules.check(dokima.Order("H", lines=[two_days()]))
    assert [finding.message for finding in found.errors] == [
        "no default for share: '0.555' gives 0.555; expected at most 1 decimal place",
        "no default for way: ''sea'' gives sea; expected one of van",
    ]
    with pytest.raises(dokima.Refused, match="at most 1 decimal place"):
        rules.edit(dokima.Order("H"), by="Ann").add_line(**two_days(way="van"))


def test_an_order_that_leaves_draft_keeps_day_and_requester():
    rules = hire(header={"date": {"kind": "date", "default": "run.today"}, "requested_by": {"default": "run.user"}})
    day = datetime.date(2026, 5, 1)
    order = dokima.Order("H", lines=[two_days("10")])
    assert rules.price(order, today=day, by="Ann")["H"].header("date") == day
    for moved in (rules.edit(order, by="Ann", today=day), None):
        if moved is None:
            (kept,) = rules.edit_many(order, "move", "Ann", today=day, to="confirmed").orders
        else:
            moved.move_to("confirmed")
            kept = moved.order
        assert (kept.header["date"], kept.header["requested_by"], kept.lines[0]["days"]) == (day, "Ann", D(2))
        assert set(kept.header["drawn"]) == {"currency", "date", "requested_by", "segment"}


def test_a_rebase_looks_at_what_was_given_and_draws_the_rest():
    """The change sets the last day; meanwhile the order has got another unit of its own, and another first day."""
    rules = hire(changes={"settle": "amend"})
    editor = rules.edit(dokima.Order("H"), by="Ann")
    editor.add_line(**two_days())
    editor.move_to("confirmed")
    change = rules.change(editor.order, by="Ann")
    change.edit("Ann").change_line(10, last=LATE)
    meanwhile = rules.edit(editor.order, by="Ben")
    meanwhile.change_line(10, first="2026-04-30")
    change.rebase([meanwhile.order], "Ann")
    (line,) = change.edit("Ann").order.lines
    assert (line["first"], line["last"], line["days"]) == (datetime.date(2026, 4, 30), LATE, D(11))


EDITS = st.lists(
    st.sampled_from([{"last": "2026-05-04"}, {"first": "2026-04-30"}, {"item": "DRILL"}, {"item": "SAW"}, {"quantity": 4},
                     {"days": 7}, {"unit": "MTR"}, {"unit": None}, {"pack": 3}]),
    max_size=5,
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(edits=EDITS)
def test_the_same_edits_give_the_same_figures_however_the_line_came(edits):
    rules = hire(
        routine={"hire": {"step": [
            {"name": "price", "kind": "price", "options": [{"value": "10 * line.days + coalesce(line.pack, 0)"}]},
            {"name": "by_unit", "kind": "figure", "value": "coalesce(line.unit, 'none')"},
        ]}},
    )  # fmt: skip
    loaded = rules.edit(dokima.Order("H", lines=[two_days("10")]), by="A")
    added, inserted, reopened = (rules.edit(dokima.Order("H"), by="A") for _ in range(3))
    added.add_line(**two_days())
    inserted.add_line("20", **two_days())
    assert inserted.insert_line(before=20, **two_days()) == "10"
    inserted.remove_line(20)
    reopened.add_line(**two_days())
    reopened.close_line(10)
    reopened.reopen_line(10)
    filed = dokima.Order.from_dict(json.loads(json.dumps(added.order.to_dict(), default=str)))
    found = []
    for editor in (loaded, added, inserted, reopened, rules.edit(filed, by="A")):
        for edit in edits:
            editor.change_line(10, **edit)
        found.append((editor.totals.without_tax, editor.line(10).figure("by_unit"), editor.line(10).days))
    assert len(set(found)) == 1
    untouched = rules.edit(dokima.Order("H", lines=[two_days("10")]), by="A")
    assert not untouched.order.lines[0].get("drawn")


@pytest.mark.parametrize("suffix", ["csv", "jsonl", "xlsx"])
def test_marks_come_along_in_every_file_of_ones_own(suffix, tmp_path):
    editor = hire().edit(dokima.Order("H"), by="Ann")
    editor.add_line(**two_days())
    editor.add_line(**two_days(unit=None, days=2))
    dokima.write_orders([editor.order], tmp_path / f"h.{suffix}", hire())
    other = hire().edit(next(iter(hire().orders(tmp_path / f"h.{suffix}").documents())), by="Ben")
    assert lines_of(other, "unit", "drawn") == [("C62", ["unit", "days", "pack"]), (None, ["pack"])]
    for number in (10, 20):
        other.change_line(number, last=LATE, item="DRILL")
    assert lines_of(other, "days", "unit", "pack") == [(D(10), "PCE", D(12)), (D(2), None, D(12))]
    assert "drawn" not in hire().price(other.order).lines.columns
