"""The whole table: every operation in every state, of the usual life cycle and of one of one's own."""

from __future__ import annotations

import pytest

import dokima
from tests.books import ITEMS, RATES, definition

OWN = {
    "order": {
        "new": {"to": ["sold"], "permits": ["lines", "header"]},
        "sold": {"to": ["gone"], "permits": ["close", "deliveries"], "asks": "save"},
        "gone": {"permits": ["payments"]},
    },
    "finished": "gone", "finished_when": "never",
}  # fmt: skip
LINES, HEADER, CLOSE = "changing lines", "changing the header", "closing or reopening lines"
PAYMENTS, DELIVERIES = "recording payments", "recording deliveries"
ALL = {LINES, HEADER, CLOSE, PAYMENTS, DELIVERIES}
CYCLES = {
    "usual": (None, {"draft": ALL, "confirmed": ALL, "finished": {PAYMENTS, DELIVERIES}, "cancelled": set()},
              {"draft": "confirmed, cancelled", "confirmed": "finished, cancelled", "finished": "nowhere", "cancelled": "nowhere"}),
    "own": (OWN, {"new": {LINES, HEADER}, "sold": {CLOSE, DELIVERIES}, "gone": {PAYMENTS}},
            {"new": "sold", "sold": "gone", "gone": "nowhere"}),
}  # fmt: skip
STATES = [(cycle, state) for cycle, (_, permits, _) in CYCLES.items() for state in permits]
OPERATIONS = {
    "add_line": (LINES, lambda e: e.add_line(item="VENT", quantity=1)),
    "insert_line": (LINES, lambda e: e.insert_line(item="VENT", quantity=1, before=20)),
    "copy_line": (LINES, lambda e: e.copy_line(10)),
    "change_line": (LINES, lambda e: e.change_line(10, quantity=3)),
    "remove_line": (LINES, lambda e: e.remove_line(10)),
    "renumber_lines": (LINES, lambda e: e.renumber_lines()),
    "remove_lines": (LINES, lambda e: e.remove_lines([10])),
    "override_price": (LINES, lambda e: e.override_price(10, 5, reason="x")),
    "reprice_line": (LINES, lambda e: e.reprice_line(10)),
    "change_header": (HEADER, lambda e: e.change_header(budget=5)),
    "close_line": (CLOSE, lambda e: e.close_line(10)),
    "close_lines": (CLOSE, lambda e: e.close_lines([10])),
    "reopen_line": (CLOSE, lambda e: e.reopen_line(20)),
    "record_payment": (PAYMENTS, lambda e: e.record_payment("1")),
    "record_delivery": (DELIVERIES, lambda e: e.record_delivery(id="D", state="planned", line=10, quantity=1)),
}
MANY = {
    "set": (HEADER, {"fields": {"header.budget": "5"}}), "close": (CLOSE, {"lines": ["10"]}), "reopen": (CLOSE, {"lines": ["20"]}),
    "reprice": (LINES, {"lines": ["10"]}),
}  # fmt: skip


def rules(cycle):
    states = {} if cycle == "usual" else {"states": OWN}
    return dokima.Rulebook.from_dict(definition(**states), tables={"item": ITEMS, "rate": RATES})


def order(state, closed="closed"):
    lines = [
        {"number": "10", "item": "PANE", "quantity": 2},
        {"number": "20", "item": "VENT", "quantity": 1, "state": closed},
    ]
    return dokima.Order("A", kind="sales", currency="EUR", date="2026-03-02", state=state, lines=lines)


def locked(state, what):
    return rf"^order A is {state}, and that does not permit {what}$"


@pytest.mark.parametrize(("cycle", "state"), STATES)
@pytest.mark.parametrize("name", OPERATIONS)
def test_an_operation_is_permitted_or_says_why_not(cycle, state, name):
    what, work = OPERATIONS[name]
    editor = rules(cycle).edit(order(state), "Ada")
    before = editor.order
    if what in CYCLES[cycle][1][state]:
        work(editor)
        assert editor.journal
        return
    with pytest.raises(dokima.Locked, match=locked(state, what)) as caught:
        work(editor)
    assert (editor.order, editor.journal, caught.value.state) == (before, (), state)


@pytest.mark.parametrize(("cycle", "state"), STATES)
@pytest.mark.parametrize("name", MANY)
def test_so_is_the_same_on_many_orders_and_in_a_store(tmp_path, cycle, state, name):
    what, arguments = MANY[name]
    book, permitted = rules(cycle), what in CYCLES[cycle][1][state]
    done = book.edit_many(book.orders([order(state)]), name, "Ada", **arguments)
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", book) as store:
        store.save(order(state), "Ada")
        kept = store.each().apply(name, "Ada", **arguments)
        assert (kept.done, store.order("A").header["revision"]) == ((1, 2) if permitted else (0, 1))
    said = "" if permitted else f"order A is {state}, and that does not permit {what}"
    assert [str(each) for each in done.refused.values()] == [said] * (not permitted)
    assert [why for _, _, why in kept.others] == [said] * (not permitted)


@pytest.mark.parametrize(("cycle", "state"), STATES)
def test_an_order_moves_where_its_state_leads(cycle, state):
    _, states, leads = CYCLES[cycle]
    for target in [*states, "nowhere to be found"]:
        editor = rules(cycle).edit(order(state, "open"), "Ada")
        if target in leads[state].split(", "):
            editor.move_to(target)
            assert editor.state == target
            continue
        known = target in states
        kind, said = (
            (dokima.Locked, f"an order that is {state} cannot become {target}; it can become {leads[state]}")
            if known
            else (dokima.NotFound, f"there is no state '{target}'")
        )
        with pytest.raises(kind, match=said):
            editor.move_to(target)
        assert editor.state == state
    book = rules(cycle)
    if leads[state] == "nowhere":
        with pytest.raises(dokima.Locked, match=f"^order A is {state}, and nothing about it can change$"):
            book.change(order(state), "Ada")
    else:
        assert book.change(order(state), "Ada").number == "A-C1"


def test_a_closed_line_is_opened_before_it_changes():
    editor = rules("usual").edit(order("confirmed"), "Ada")
    for work in (
        lambda: editor.change_line(20, quantity=3),
        lambda: editor.remove_line(20),
        lambda: editor.override_price(20, 5, reason="x"),
    ):
        with pytest.raises(dokima.Locked, match="^line 20 must be reopened first"):
            work()
    editor.reopen_line(20)
    editor.change_line(20, quantity=3)


VERBS = {
    "be edited": ({"draft"}, lambda c: c.edit("Ada")),
    "be submitted": ({"draft"}, lambda c: c.submit("Ada")),
    "be rejected": ({"submitted"}, lambda c: c.reject("Ben")),
    "be withdrawn": ({"draft", "submitted"}, lambda c: c.withdraw("Ada")),
    "be approved": ({"submitted"}, lambda c: c.approve("Ben", [order("confirmed", "open")], settle="amend")),
    "be rebased": ({"draft", "submitted"}, lambda c: c.rebase([order("confirmed", "open")], "Ada")),
}  # fmt: skip
WAYS = {
    "draft": [], "submitted": ["be submitted"], "withdrawn": ["be withdrawn"], "rejected": ["be submitted", "be rejected"],
    "approved": ["be submitted", "be approved"],
}  # fmt: skip


@pytest.mark.parametrize("state", WAYS)
@pytest.mark.parametrize("what", VERBS)
def test_a_change_order_permits_what_its_state_does(state, what):
    change = rules("usual").change(order("confirmed", "open"), "Ada")
    change.edit("Ada").change_line(10, quantity=3)
    for way in WAYS[state]:
        VERBS[way][1](change)
    assert change.state == state
    permitted, work = VERBS[what]
    if state in permitted:
        work(change)
        return
    record = change.to_dict()
    with pytest.raises(dokima.Locked, match=f"^A-C1 is {state}, so it cannot {what}; that needs it (draft|submitted)$"):
        work(change)
    assert change.to_dict() == record
