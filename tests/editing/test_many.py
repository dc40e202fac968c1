"""One operation on many orders gives what the editor gives for each alone: orders, refusals, journals."""

import datetime
import re
from typing import Any

import pytest

import dokima
from dokima.editing.operations import operate
from tests.books import DEMO

BOOK = dokima.load(DEMO)
DAY = datetime.date(2026, 3, 2)


def numbered() -> list[dict[str, Any]]:
    """The demo's orders, and one of them once more with a survey abroad and a typed price."""
    documents = BOOK.orders(DEMO / "orders").documents()
    found = [{**document, "number": f"T{at:03}"} for at, document in enumerate(documents)]
    found.append({**found[4], "number": "ABROAD", "customer": "LINDENAU"})
    found[-1]["lines"] = [*found[-1]["lines"], {"number": "90", "item": "CRATE-A", "quantity": 1, "price_override": 5}]
    return found


def moved(orders: list[Any], to: str = "confirmed") -> list[dokima.Order]:
    return list(BOOK.edit_many(orders, "move", "Ada", to=to, today=DAY).orders)


DRAFTS = [dokima.Order.from_dict(document) for document in numbered()]
CONFIRMED = moved(DRAFTS)
HALF = list(BOOK.edit_many(CONFIRMED, "close", "Ada", lines=["10"]).orders)


def warned() -> list[dokima.Order]:
    """Orders that keep a warning nobody has accepted: they need the editor."""
    found = []
    for order in DRAFTS[:8]:
        editor = BOOK.edit(order, "Ada", today=DAY)
        if order.header.get("kind") == "sales" and not order.header.get("payments"):
            editor.change_header(customer="LINDENAU")
            editor.add_line(item="SURV-1", quantity=1)
        found.append(editor.order)
    return found


def told(order: dokima.Order) -> dict[str, Any]:
    """The order without its blanks and the times of acceptances."""
    document = order.to_dict()
    for record in document.get("acknowledgements", []):
        record["time"] = ""
    lines = [{name: value for name, value in line.items() if value is not None} for line in document["lines"]]
    return {**{name: value for name, value in document.items() if value not in (None, [])}, "lines": lines}


OPERATIONS: list[tuple[str, dict[str, Any]]] = [
    ("close", {}), ("close", {"lines": ["10"]}), ("close", {"lines": [20, "30"]}), ("reopen", {}),
    ("reopen", {"lines": ["10"]}), ("move", {"to": "confirmed"}), ("move", {"to": "cancelled"}),
    ("move", {"to": "finished"}), ("set", {"fields": {"header.requested_by": "Bo", "header.date": "2026-05-01"}}),
    ("set", {"fields": {"header.customer": "GREENSHAW"}}), ("set", {"fields": {"header.date": "soon"}}),
    ("set", {"fields": {"line.quantity": "3.5"}}), ("set", {"fields": {"10.quantity": 7, "20.unit": "MTK"}}),
    ("set", {"fields": {"line.item": "PANE-H4"}}), ("set", {"fields": {"line.price_override": "5"}}),
    ("set", {"fields": {"header.requested_by": None, "10.quantity": 2}}), ("reprice", {}), ("reprice", {"lines": ["10"]}),
    ("acknowledge", {"rule": "surveys-of-institutions", "because": "by phone"}),
]  # fmt: skip


@pytest.mark.parametrize("orders", [DRAFTS, CONFIRMED, HALF, warned()], ids=["drafts", "confirmed", "half", "warned"])
@pytest.mark.parametrize(("operation", "arguments"), OPERATIONS, ids=[f"{o}-{a}"[:40] for o, a in OPERATIONS])
def test_many_are_edited_as_each_alone(operation, arguments, orders):
    many = BOOK.edit_many(orders, operation, "Ada", today=DAY, **arguments)
    done = {order.number: order for order in many.orders}
    assert len(done) + len(many.refused) == len(orders)
    for order in orders:
        editor = BOOK.edit(order, "Ada", today=DAY)
        if order.number in many.refused:
            refused = many.refused[order.number]
            with pytest.raises(type(refused), match=f"^{re.escape(str(refused))}$"):
                operate(editor, operation, arguments)
            continue
        operate(editor, operation, arguments)
        assert told(done[order.number]) == told(editor.order)
        journal = [(each.action, dict(each.details)) for each in many.journals[order.number]]
        assert journal == [(each.action, dict(each.details)) for each in editor.journal]


def test_all_or_nothing_and_who_is_refused():
    paid = [number for number, error in BOOK.edit_many(
        CONFIRMED, "set", "Ada", fields={"header.requested_by": "Bo"}).refused.items() if "has payments" in str(error)]  # fmt: skip
    assert paid
    nothing = BOOK.edit_many(CONFIRMED, "set", "Ada", fields={"header.requested_by": "Bo"}, all_or_nothing=True)
    assert (len(nothing), set(nothing.refused)) == (0, set(paid))
    assert "has payments" in str(dokima.report(nothing))
    counts: list[int] = []
    BOOK.edit_many(CONFIRMED, "close", "Ada", progress=counts.append)
    assert counts[-1] == len(CONFIRMED)
    with pytest.raises(dokima.NotFound, match="there is no operation 'shut'"):
        BOOK.edit_many(CONFIRMED, "shut", "Ada")
    with pytest.raises(dokima.DokimaError, match="'move': missing a required argument: 'to'"):
        BOOK.edit_many(CONFIRMED, "move", "Ada")


def test_what_a_form_leaves_empty_stays_as_it_is():
    editor = BOOK.edit(DRAFTS[4], "Ada", today=DAY)
    number = editor.order.lines[0].number
    before = editor.order.line(number).fields
    form = {"quantity": "4", "item": "", "unit": ""}
    editor.change_line(number, **{name: text or dokima.LEAVE for name, text in form.items()})
    assert editor.order.line(number).fields == {**before, **editor.order.line(number).fields, "item": before["item"]}
    assert (editor.order.line(number)["quantity"], editor.journal[-1].details["fields"]) == (4, {"quantity": "4"})
    assert repr(dokima.LEAVE) == "dokima.LEAVE"
