"""One suite for every place of a store: what a folder, SQLite and PostgreSQL all keep to."""

from __future__ import annotations

import datetime
import re
from decimal import Decimal as D

import pytest

import dokima
from tests.books import DEMO, ITEMS, RATES, definition


def small(**sections):
    """A rulebook whose rules refuse, default and number."""
    data = definition(
        header={"note": {"default": "'as usual'"}, "pick_up": {"kind": "flag"}, **sections.pop("header", {})},
        line={"size": {"kind": "decimal", "places": 6}, "remark": {}, **sections.pop("line", {})},
        rule=[{"id": "few", "at": "save", "require": "line.quantity < 1000000000000000000", "message": "Too many."}],
        numbering={
            "sales": {"pattern": "SO-{year}-{counter:03}"},
            "free": {"pattern": "F{counter}", "start": 7},
            "loose": {"pattern": "L{counter}", "gapless": False},
        },
        **sections,
    )
    return dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES})


def order(number=None, quantity="2", **header):
    line = {"number": "10", "item": "PANE", "quantity": quantity}
    return dokima.Order(number, **{"kind": "sales", "date": "2026-03-02", "currency": "EUR", **header}, lines=[line])


@pytest.fixture
def store(place):
    return place.create(small())


def test_an_order_comes_back_as_it_was_saved_and_rises_by_one_revision(store, place):
    first = store.save(order("A-1", note=None, pick_up=True), "Ada")
    assert (first.number, first.header["revision"]) == ("A-1", 1)
    again = place.open(small())
    kept = again.order("A-1")
    assert {k: str(v) for k, v in kept.header.items()} == {
        "number": "A-1", "kind": "sales", "currency": "EUR", "date": "2026-03-02", "revision": "1", "note": "None", "pick_up": "True",
        "state": "draft", "drawn": "['currency', 'state']",
    }  # fmt: skip
    assert [line.fields for line in kept.lines] == [{"number": "10", "item": "PANE", "quantity": "2"}]
    kept.lines[0].fields["quantity"] = "3"
    kept.lines.append(dokima.Line({"number": "20", "item": "DAY", "quantity": "1.5"}))
    assert again.save(kept, "Ben").header["revision"] == 2
    assert [line["quantity"] for line in store.order("A-1").lines] == ["3", "1.5"]
    third = store.order("A-1")
    third.lines = third.lines[1:]
    store.save(third, "Ben")
    assert [line.number for line in again.order("A-1").lines] == ["20"]


def test_a_blank_is_no_default(store):
    """What is blank on purpose stays so; what was never given takes its default."""
    store.save(order("A-1", note=None), "Ada")
    store.save(order("A-2"), "Ada")
    rules = dokima.Rulebook.from_dict(
        definition(
            header={"note": {"default": "'as usual'"}},
            rule=[{"id": "n", "at": "save", "require": "header.note == 'as usual'"}],
        ),
        tables={"item": ITEMS, "rate": RATES},
    )
    found = [rules.check(store.order(number)) for number in ("A-1", "A-2")]
    assert [[f.undecided for f in each.errors] for each in found] == [[True], []]


def test_who_saves_a_stale_order_is_told_what_moved_and_by_whom(store, place):
    store.save(order("A-1"), "Ada")
    mine, yours = store.order("A-1"), place.open(store.book).order("A-1")
    yours.lines[0].fields["quantity"] = "5"
    place.open(store.book).save(yours, "Ben", reason="more")
    mine.lines[0].fields["quantity"] = "4"
    with pytest.raises(dokima.Conflict, match="A-1 has been saved meanwhile: revision 2, not 1") as caught:
        store.save(mine, "Ada")
    told = "line 10 quantity: 2 -> 5 (Ben)" if store.documents.keeps_events else "line 10 quantity: 4 -> 5"
    assert caught.value.conflicts == (told,)
    with pytest.raises(dokima.Conflict, match="order A-9 of revision 3 is not kept here"):
        store.save(order("A-9", revision=3), "Ada")
    with pytest.raises(dokima.Conflict, match="A-1 has been saved meanwhile"):
        store.save(order("A-1"), "Ada")  # a new order of a number that is taken


def test_two_numbers_that_nobody_can_tell_apart_are_one(store):
    store.save(order("Ä-1"), "Ada")
    for same in ("ä-1", "A\u0308-1"):
        with pytest.raises(dokima.Conflict, match="there is an order Ä-1, which"):
            store.save(order(same), "Ada")
    with pytest.raises(dokima.Conflict, match="the same order twice"):
        store.save_many([order("B"), order("B")], "Ada")


def test_all_or_nothing(store):
    """A rule that refuses one of several orders keeps all of them out, and draws no number."""
    with pytest.raises(dokima.Refused, match="cannot be saved") as caught:
        store.save_many([order(), order(quantity="1000000000000000000")], "Ada")
    assert [(f.order, f.rule, f.message) for f in caught.value.findings] == [("new order 2", "few", "Too many.")]
    assert store.documents.numbers("orders") == []
    saved = store.save_many([order(), order(), order(date="2027-01-01"), order(kind="free")], "Ada")
    assert [each.number for each in saved] == ["SO-2026-001", "SO-2026-002", "SO-2027-001", "F7"]
    assert store.save(order(), "Ada").number == "SO-2026-003"
    with pytest.raises(dokima.Refused, match="^L1 cannot be saved$"):
        store.save(order(kind="loose", quantity="1000000000000000000"), "Ada")
    gap = 2 if store.documents.keeps_events else 1  # a folder counts what is there
    assert store.save(order(kind="loose"), "Ada").number == f"L{gap}"
    with pytest.raises(dokima.DokimaError, match=re.escape("the number 'SO-{year}-{counter:03}' needs header.date")):
        store.save(order(date=None), "Ada")
    with pytest.raises(
        dokima.DocumentError, match=re.escape("expected a number, or [numbering.other] in the rulebook")
    ):
        store.save(order(kind="other"), "Ada")


def test_numbers_and_texts_of_any_size_come_back_exactly(store):
    long = "quotes \"' and emoji \U0001f331, " + "x" * 100_000
    lines = [
        {"number": "10", "item": "PANE", "quantity": "1000000000000000.123456", "size": "-0.000001", "remark": long},
        {"number": "20", "item": "PANE", "quantity": "0.1"},
    ]
    for number, currency in (("Y", "JPY"), ("K", "KWD")):
        given = dokima.Order(number, kind="sales", currency=currency, date=datetime.date(1969, 7, 20), lines=lines)
        before = store.book.price(given)[number].totals
        store.save(given, "Ada")
        kept = store.order(number)
        assert kept.header["date"] == "1969-07-20"
        assert [line["quantity"] for line in kept.lines] == ["1000000000000000.123456", "0.1"]
        assert (kept.lines[0]["size"], kept.lines[0]["remark"]) == ("-0.000001", long)
        assert store.book.price(kept)[number].totals == before
        assert store.orders(numbers=(number,))[0]["with_tax"] == before.with_tax
    with pytest.raises(dokima.DocumentError, match="NUL"):
        store.save(order("N", customer="a\0b"), "Ada")


def test_lists_say_what_people_look_for(place, quillmere):
    store = place.create(quillmere)
    for name in ("SQ-2041", "SQ-2042", "SQ-2046", "PO-718"):
        store.save(dokima.Order.from_json((DEMO / "orders" / f"{name}.json").read_text()), "Ada")
    found = store.orders(kind="sales", sort="-with_tax")
    assert [(row["number"], row["name"], str(row["with_tax"])) for row in found] == [
        ("SQ-2046", "Lindenau City Parks", "14293.52"),
        ("SQ-2042", "Greenshaw Nurseries", "8304.01"),
        ("SQ-2041", "Fernholt Botanic Garden", "4339.39"),
    ]
    assert found.sums() == {"EUR": {"without_tax": D("22611.69"), "tax": D("4325.23"), "with_tax": D("26936.92")}}
    assert [row["number"] for row in store.orders(supplier="BRENNICK")] == ["PO-718"]
    assert [row["number"] for row in store.orders(since="2026-03-03", until="2026-03-04")] == ["PO-718", "SQ-2042"]
    assert [row["number"] for row in store.orders(where="requested_by == 'I. Marrow'")] == ["SQ-2041"]
    assert len(store.orders(where="kind == 'sales' and found(customer)")) == 3
    assert [row["number"] for row in store.orders(where="sum(line.quantity) > 300")] == ["PO-718"]
    with pytest.raises(dokima.DokimaError, match="there is no header field or figure 'stat'; did you mean 'state'"):
        store.orders(where="stat == 'draft'")
    with pytest.raises(dokima.NotFound, match="no column 'totl' to sort by"):
        store.orders(sort="totl")
    panes = store.lines(item="PANE-T6", open_only=True)
    assert [(row["order"], row["line"], row["quantity"], row["open"]) for row in panes] == [
        ("PO-718", "10", 240, 240), ("SQ-2041", "10", 36, 36), ("SQ-2046", "10/20", 60, 60), ("SQ-2046", "20/20", 48, 48),
    ]  # fmt: skip
    with store.edit("SQ-2041", by="Ben") as editor:
        editor.move_to("confirmed")
        editor.record_delivery("D-1", "planned", line="20", quantity=1)
        editor.record_delivery("D-2", "delivered", line="10", quantity=6)
        editor.close_line(20)
    assert [(row["line"], row["delivered"], row["open"]) for row in store.lines(customer="FERNHOLT")] == [
        ("10", 6, 30), ("20", 0, 0), ("30", 0, D("2.5")),
    ]  # fmt: skip
    (whole,) = store.read_orders(kind="sales")
    assert whole.numbers == ["SQ-2041", "SQ-2042", "SQ-2046"]


def test_an_order_that_the_rulebook_cannot_read_any_more_is_named_beside_the_list(store, place):
    """A rulebook that permits fewer kinds reads the others; the one it cannot read can be repaired and saved."""
    store.save_many([order("A-1"), order("B-1", kind="gift"), order("C-1")], "Ada")
    now, why = (
        place.open(small(header={"kind": {"choices": ["sales"]}})),
        "order B-1, kind: expected one of sales (got 'gift')",
    )
    for listed, column in (
        (now.orders(), "number"),
        (now.lines(item="PANE"), "order"),
        (now.orders(where="any(line.quantity > 1)"), "number"),
    ):
        assert [row[column] for row in listed] == ["A-1", "C-1"]
        assert [str(problem) for problem in listed.problems] == [why]
    assert [(len(each), [str(problem) for problem in each.problems]) for each in now.read_orders()] == [(2, [why])]
    found = now.order("B-1")
    found.header["kind"] = "sales"
    now.save(found, "Ben")
    assert ([row["number"] for row in now.orders()], now.orders().problems) == (["A-1", "B-1", "C-1"], [])


def test_a_change_is_settled_whole(place, quillmere):
    """The same figures in every place: two documents, their links, the ledger."""
    store = place.create(quillmere)
    store.save(dokima.Order.from_json((DEMO / "orders" / "SQ-2041.json").read_text()), "Ada")
    number = store.open_change("SQ-2041", "Ada", reason="more panes").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    with pytest.raises(dokima.NotFound, match="no change order SQ-2041-C9; did you mean 'SQ-2041-C1'"):
        store.approve("SQ-2041-C9", "Ben")
    settlement = store.approve(number, "Ben", settle="split")
    kept = place.open(quillmere)
    assert sorted(kept.documents.numbers("orders")) == ["SQ-2041", "SQ-2041-S1"]
    assert kept.order("SQ-2041").header["revision"] in (2, "2")
    together = sum(kept.book.price(kept.order(n))[n].totals.without_tax for n in ("SQ-2041", "SQ-2041-S1"))
    assert together == sum(totals["without_tax"] for totals in settlement.totals.values())
    assert kept.change(number).state == "approved"
    entry = kept.change(number).record["history"][-1]
    assert (entry["action"], entry["by"]) == ("approved", "Ben")


def test_a_change_of_an_order_that_is_cancelled_meanwhile_is_not_approved(store):
    store.save(order("A-1", state="confirmed"), "Ada")
    number = store.open_change("A-1", "Ada").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=9))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    with store.edit("A-1", by="Cleo") as editor:
        editor.move_to("cancelled")
    with pytest.raises(dokima.DokimaError, match="cancelled"):
        store.approve(number, "Ben")
    assert store.change(number).state == "submitted"
    assert str(store.order("A-1").line("10")["quantity"]) == "2"


def test_an_edit_is_saved_at_its_end_or_not_at_all(store):
    store.save(order("A-1"), "Ada")
    with store.edit("A-1", by="Ben", reason="asked") as editor:
        editor.change_line(10, quantity=4)
    assert str(store.order("A-1").line("10")["quantity"]) == "4"
    with pytest.raises(ZeroDivisionError), store.edit("A-1", by="Ben") as editor:  # noqa: PT012 (the block is what is tested)
        editor.change_line(10, quantity=5)
        _ = 1 / 0
    assert str(store.order("A-1").line("10")["quantity"]) == "4"
    with pytest.raises(dokima.Conflict, match="saved meanwhile"), store.edit("A-1", by="Ben") as editor:  # noqa: PT012
        editor.change_line(10, quantity=6)
        store.save(store.order("A-1"), "Cleo")
    seen = []

    def more(editor):
        seen.append(editor.order.header["revision"])
        editor.change_line(10, quantity=int(editor.order.line("10")["quantity"]) + 1)
        if len(seen) < 3:
            store.save(store.order("A-1"), "Cleo")  # somebody is quicker, twice

    assert store.edit_with("A-1", "Ben", more, attempts=3).line("10")["quantity"] == 5
    assert [int(revision) for revision in seen] == [3, 4, 5]
    with pytest.raises(dokima.Conflict, match="saved meanwhile"):
        store.edit_with("A-1", "Ben", lambda _: store.save(store.order("A-1"), "Cleo"))


def test_a_folder_says_what_it_does_not_keep(tmp_path):
    (tmp_path / "orders").mkdir()
    store = dokima.open_store(tmp_path, small())
    store.save(order("A-1"), "Ada")
    for ask in (lambda: store.history("A-1"), lambda: list(store.feed()), store.each, lambda: store.trim(1)):
        with pytest.raises(dokima.DokimaError, match="keeps no events: histories, feeds, names of operations and jobs"):
            ask()
    with pytest.raises(dokima.DokimaError, match="keeps no events"):
        store.save(order("A-2"), "Ada", operation="web-17")
    assert store.documents.numbers("orders") == ["A-1"]


@pytest.mark.parametrize("level", ["header", "line"])
def test_absent_blank_given_and_drawn_stay_apart(store, place, level):
    """Each in a field with a default and in one without: header note and budget, line unit and remark."""
    with_default, without, value = ("note", "budget", "7") if level == "header" else ("unit", "remark", "x")
    book = small(line={"unit": {"default": "'C62'"}})
    if place.kind != "folder":
        dokima.upgrade_store(place.where, book, schema=place.schema)
    kept = place.open(book)
    for number, given in {
        "absent": {}, "blank": {with_default: None, without: None}, "given": {with_default: value, without: value},
    }.items():  # fmt: skip
        one = order(number)
        (one.header if level == "header" else one.lines[0].fields).update(given)
        kept.save(one, "Ada")
        kept.save(kept.order(number), "Ada")
        found = place.open(book).order(number)
        fields = found.header if level == "header" else found.lines[0].fields
        assert (without in fields, fields.get(without)) == (without in given, given.get(without))
        drawn = "as usual" if level == "header" else "C62"
        assert fields[with_default] == given.get(with_default, drawn)
        assert (with_default in fields.get("drawn", ())) == (with_default not in given)
