"""What defaults give, in stores: kept when an order is saved, found by every list and job, and drawn again on request."""

from __future__ import annotations

import datetime
import json
from decimal import Decimal as D

import pytest

import dokima
from tests.hire import TOOLS, hire, two_days
from tests.store.test_upgrades import kept

DAY = datetime.date(2026, 5, 1)
DEFAULTS = {
    "date": {"kind": "date", "default": "run.today"},
    "requested_by": {"default": "run.user"},
    "kind": {"default": "'hire'"},
    "customer": {"default": "'FERN'"},
    "supplier": {"default": "'TOOLCO'"},
}
FILTERS = [
    {"state": "draft"}, {"kind": "hire"}, {"customer": "FERN"}, {"supplier": "TOOLCO"}, {"requested_by": "Ann"},
    {"since": "2026-05-01", "until": "2026-05-01"}, {"item": "SAW"}, {"where": "state == 'draft'"},
    {"where": "requested_by == 'Ann' and segment == 'trade'"}, {"where": "any(line.unit == 'C62')"},
    {"where": "header.days_all == 2"},
]  # fmt: skip


def rules(**more):
    header = {**DEFAULTS, "days_all": {"kind": "decimal", "default": "sum(line.days)"}}
    line = {"item": {"default": "'SAW'"}, "area": {"kind": "decimal", "value": "line.quantity * 2"}}
    return hire(header=header, line=line, **more)


def without_item():
    line = two_days()
    return {name: value for name, value in line.items() if name != "item"}


@pytest.mark.parametrize("chosen", FILTERS, ids=lambda chosen: next(iter(chosen)))
def test_every_filter_finds_what_an_order_is_and_not_only_what_was_typed(place, chosen):
    store = place.create(rules())
    store.save(dokima.Order("H-1", lines=[without_item()]), "Ann", today=DAY)
    other = {"state": "confirmed", "kind": "sale", "customer": "X", "supplier": "X", "requested_by": "X", "days_all": 1}
    line = {"item": "DRILL", "quantity": 1, "days": 1}
    store.save(dokima.Order("H-2", **other, date="2026-04-01", lines=[line]), "Ann", today=DAY)
    assert [row["number"] for row in store.orders(**chosen)] == ["H-1"]
    assert {row["order"] for row in store.lines(**chosen)} == {"H-1"}
    assert [number for orders in store.read_orders(**chosen) for number in orders.numbers] == ["H-1"]
    if place.kind == "folder":
        typed = {"number": "H-3", "requested_by": "Ann", "date": "2026-05-01", "lines": [without_item()]}
        (place.where / "orders" / "H-3.json").write_text(json.dumps(typed, default=str))
        assert [row["number"] for row in store.orders(**chosen)] == ["H-1", "H-3"]
        assert {row["order"] for row in rules().lines(place.where / "orders", **chosen)} == {"H-1", "H-3"}
    else:
        job = store.each(**chosen).apply("set", by="Bo", reason="r", name="one", fields={"header.segment": "own"})
        assert (job.done, job.orders) == (1, 1)


def test_what_was_drawn_stands_until_an_edit_or_a_refresh_draws_it_again(place):
    store = place.create(rules())
    store.save(dokima.Order("H-1", lines=[two_days()]), "Ann", today=DAY)
    store.save(dokima.Order("H-2", state="confirmed", lines=[two_days()]), "Ann", today=DAY)
    moved = rules()
    moved = moved.with_tables(item=[{**TOOLS[0], "unit": "BX", "pack": "12"}, TOOLS[1]])
    later = place.open(moved)
    kept = later.order("H-1")
    drawn = ["currency", "customer", "date", "days_all", "kind", "requested_by", "segment", "state", "supplier"]
    assert (kept.lines[0]["unit"], kept.lines[0]["drawn"]) == ("C62", ["item", "unit", "days", "pack"])
    assert (sorted(kept.header["drawn"]), "area" in kept.lines[0].fields) == (drawn, False)
    assert [row["unit"] for row in later.lines(item="SAW")] == ["C62", "C62"]
    with later.edit("H-1", "Ben", today=datetime.date(2026, 6, 1)) as editor:
        editor.change_line(10, quantity=3)
    again = later.order("H-1")
    assert (again.lines[0]["unit"], again.header["date"]) == ("C62", "2026-05-01")
    if place.kind == "folder":
        return
    (told,) = [each.data["changes"] for each in later.history("H-1") if each.type == "order.changed"]
    assert told == [{"line": "10", "field": "quantity", "from": "1", "to": "3"}]
    done = dokima.refresh_drafts(place.where, moved, by="Night", today=datetime.date(2026, 7, 1), schema=place.schema)
    about = {"order": "H-1", "line": "10"}
    assert done.drawn == [
        {**about, "field": "unit", "from": "C62", "to": "BX"},
        {**about, "field": "pack", "from": D(10), "to": D(12)},
    ]
    assert (later.order("H-1").lines[0]["unit"], later.order("H-1").header["date"]) == ("BX", "2026-05-01")
    assert later.order("H-2").lines[0]["unit"] == "C62"
    last = later.history("H-1")[-1]
    assert (last.by, last.revision, [each["drawn"] for each in last.data["changes"]]) == ("Night", 3, [True, True])
    assert later.history_list("H-1")[-1]["by"] == "(default)"
    assert list(dokima.check_store(place.where, moved, schema=place.schema)) == []


def test_a_conflict_tells_what_a_default_moved_from_what_somebody_did(database):
    store = database.create(rules())
    first = store.save(dokima.Order("H-1", lines=[two_days()]), "Ann", today=DAY)
    with store.edit("H-1", "Ben") as editor:
        editor.change_line(10, last="2026-05-10")
    with pytest.raises(dokima.Conflict) as caught:
        store.save(first, "Cleo")
    said = str(caught.value)
    assert "line 10 last: 2026-05-02 -> 2026-05-10 (Ben)" in said
    assert "line 10 days: 2 -> 10 (by default)" in said
    assert "days all: 2 -> 10 (by default)" in said.replace("_", " ")


def test_a_field_that_is_worked_out_is_kept_as_a_column_and_never_read_back(database):
    store = database.create(rules())
    with pytest.raises(dokima.Refused, match="H-1 cannot be saved") as caught:
        store.save(dokima.Order("H-1", lines=[two_days(area=5)]), "Ann")
    assert [finding.message for finding in caught.value.findings] == ["area is given as 5 and worked out as 2"]
    store.save(dokima.Order("H-1", lines=[two_days(area=2)]), "Ann")
    assert "area" not in store.order("H-1").lines[0].fields
    # Another formula: what the store kept of the old one is nobody's word.
    changed = database.open(hire(header=DEFAULTS, line={"area": {"kind": "decimal", "value": "line.quantity * 3"}}))
    assert not changed.book.check(changed.order("H-1"))
    assert changed.book.price(changed.order("H-1"))["H-1"].line(10).area == D(3)


def test_an_upgrade_draws_in_orders_from_before_there_were_marks(tmp_path):
    """H-1 was saved with nothing but what was typed; of H-2 the unit is blank on purpose and the days are given."""
    url = kept("before_marks.sql", tmp_path)
    done = dokima.upgrade_store(url, hire())
    for table in ("orders", "order_lines"):
        assert f"ALTER TABLE {table} ADD COLUMN drawn TEXT" in done
    with dokima.open_store(url, hire()) as store:
        assert [row["number"] for row in store.orders(state="draft", where="segment == 'trade'")] == ["H-1", "H-2"]
        lines = [store.order(number).lines[0] for number in ("H-1", "H-2")]
        names = ("unit", "days", "pack", "drawn")
        assert [[line.get(name) for name in names] for line in lines] == [
            ["C62", "2", "10", ["unit", "days", "pack"]],
            [None, "3", "12", ["pack"]],
        ]
        assert [store.order(number).header["revision"] for number in ("H-1", "H-2")] == [1, 1]
        assert [event.type for event in store.history("H-1")] == ["order.created"]
    assert list(dokima.check_store(url, hire())) == []
