"""Warnings that arise while an order is edited: shown, kept, stopping the save, and gone when they are settled."""

from __future__ import annotations

import json

import pytest

import dokima
from tests.books import DEMO

BOOK = dokima.load(DEMO)


def edited(customer="OAKMERE", document=None):
    """An editor of an order of an institution."""
    header = {"kind": "sales", "customer": customer, "date": "2026-03-02"}
    order = dokima.Order("SQ-9", lines=[{"item": "VENT-R", "quantity": 1}], **header)
    return BOOK.edit(order if document is None else dokima.Order.from_dict(document), by="Ada")


SAID = "Site survey: institutions have a surveyor of their own; Oakmere Horticultural College is one."


def test_this_item_is_not_for_institutions():
    """Said while the item is picked, to institutions only; it stops saving until it is accepted by name."""
    assert not edited("GREENSHAW").add_line(item="SURV-1", quantity=1).findings
    edit = edited()
    number = edit.add_line(item="SURV-1", quantity=1)
    assert (number, [finding.message for finding in number.findings]) == ("20", [SAID])
    assert [(f.rule, f.line, f.stops) for f in edit.pending] == [("surveys-of-institutions", "20", True)]
    with pytest.raises(dokima.Refused, match="saving is refused: line 20: Site survey: institutions have"):
        edit.save()
    with pytest.raises(dokima.Refused, match="Site survey: institutions have"):
        edit.move_to("confirmed")

    # It survives a reload, and every check of the document shows it.
    kept = json.loads(json.dumps(edit.order.to_dict(), default=str))
    assert [finding.message for finding in BOOK.check(dokima.Order.from_dict(kept)).stopping] == [SAID]
    again = edited(document=kept)
    assert [finding.message for finding in again.pending] == [SAID]
    again.acknowledge(again.pending[0], "we go there anyway")
    assert not again.pending
    saved = again.save()
    assert "pending" not in saved.header
    assert saved.header["acknowledgements"][0]["by"] == "Ada"


def test_it_goes_when_its_values_change_or_its_line_does():
    """Another item, another customer, no line: whatever it was about is no more."""
    for change in (
        lambda edit: edit.change_line(20, item="VENT-L"),
        lambda edit: edit.change_header(customer="GREENSHAW"),
        lambda edit: edit.remove_line(20),
        lambda edit: edit.undo(),
    ):
        edit = edited()
        edit.add_line(item="SURV-1", quantity=1)
        change(edit)
        assert not edit.pending
        assert edit.save()
    edit = edited()
    edit.add_line(item="SURV-1", quantity=1)
    edit.change_line(20, quantity=2)  # not what it was about
    assert [finding.message for finding in edit.pending] == [SAID]
    edit.renumber_lines()
    edit.change_header(customer="LINDENAU")
    said = "Site survey: institutions have a surveyor of their own; Lindenau City Parks is one."
    assert [finding.message for finding in edit.pending] == [said]


def test_a_rule_that_reads_what_was_is_asked_at_edit_and_at_enter():
    """A quantity may not be halved without a word; said by either moment, it is kept, because saving has no before."""
    for moments in ("edit", "enter", ["edit", "enter"]):
        rule = {
            "id": "halved", "at": moments, "field": "line.quantity", "severity": "warning", "acknowledge": True,
            "require": "line.quantity * 2 >= was.quantity", "message": "{was.quantity} to {line.quantity}.",
        }  # fmt: skip
        book = dokima.Rulebook.from_dict({"rulebook": {"name": "small", "currency": "EUR"}, "rule": [rule]})
        edit = book.edit(dokima.Order("A", lines=[{"quantity": 10}]), by="M")
        (said,) = edit.change_line(10, quantity=4)
        assert (said.message, len(edit.pending), edit.pending[0].message) == ("10 to 4.", 1, "10 to 4.")
        with pytest.raises(dokima.Refused, match="10 to 4."):
            edit.save()
        assert not edit.change_line(10, quantity=5).stopping
        assert edit.save().number == "A"


def test_a_manual_price_has_a_reason_and_is_not_negative():
    """Unless the rulebook permits it."""
    edit = edited()
    with pytest.raises(dokima.Refused, match="a manual price needs a reason"):
        edit.override_price(10, "5.00", " ")
    with pytest.raises(dokima.Refused, match="a manual price of -5.00 is below 0"):
        edit.override_price(10, "-5.00", "returned")
    lenient = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "small"}, "editing": {"override": {"reason": False, "negative": True}}}
    ).edit(dokima.Order("A", lines=[{"quantity": 1}]), by="M")
    lenient.override_price(10, "-5.00", "")
    assert str(lenient.order.line(10)["price_override"]) == "-5"


# -- deliveries and payments -----------------------------------------------------------------------------------------


def confirmed(**states):
    """An order of 10 and 4 at 2.00 each, confirmed."""
    rule = [
        {"id": "enough", "at": "close", "require": "sum(delivery.quantity, where=delivery.state == 'delivered') >= 6"},
        {"id": "paid", "at": "approve", "require": "any(payment.method == 'bank') and count(payment.amount > 1) == 1"},
    ]
    routine = {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "2"}]}]}}
    data = {"rulebook": {"name": "small", "currency": "EUR"}, "rule": rule, "routine": routine}
    book = dokima.Rulebook.from_dict({**data, **({"states": states} if states else {})})
    edit = book.edit(dokima.Order("A", lines=[{"quantity": 10}, {"quantity": 4}]), by="M")
    edit.move_to("confirmed")
    return book, edit


def test_deliveries_keep_what_was_recorded_and_add_up():
    """A new state keeps line and quantity; what is delivered is summed into the line; rules read it."""
    book, edit = confirmed()
    edit.record_delivery("D1", "planned", line=10, quantity=4, carrier="Van")
    edit.record_delivery("D2", "planned", line=10, quantity="2.5")
    edit.record_delivery("D2", "planned", line=20, quantity=4)
    edit.record_delivery("D1", "delivered", date="2026-03-05")
    assert edit.order.header["deliveries"][0] == {
        "id": "D1", "state": "delivered", "line": "10", "quantity": 4, "carrier": "Van", "date": "2026-03-05",
    }  # fmt: skip
    assert [edit.line(n).delivered for n in (10, 20)] == [4, None]
    with pytest.raises(dokima.Locked, match="an order cannot become finished while a delivery is open .D2"):
        edit.move_to("finished")
    with pytest.raises(dokima.Refused, match="enough does not hold"):
        edit.close_line(20)
    edit.record_delivery("D2", "delivered", line=10)
    edit.close_line(20)
    assert [edit.line(n).delivered for n in (10, 20)] == [6.5, None]
    edit.record_delivery("D1", "failed")
    assert edit.line(10).delivered == 2.5
    document = {**edit.order.to_dict()}
    for line in document["lines"]:
        line.pop("delivered", None)
    assert book.price(dokima.Order.from_dict(document))["A"].line(10).delivered == 2.5
    edit.record_delivery("D2", "delivered")
    assert edit.state == "confirmed"  # 7.5 of line 10 are still to come
    edit.record_delivery("D3", "delivered")
    assert [edit.line(n).delivered for n in (10, 20)] == [10, 4]
    assert (edit.state, edit.order.header["state_before"]) == ("finished", "confirmed")
    assert edit.journal[-1].details["because"] == "it is delivered"
    # A correction takes back what the order did by itself, and not what somebody has said.
    edit.record_delivery("D3", "failed")
    assert (edit.state, "state_before" in edit.order.header) == ("confirmed", False)
    assert edit.journal[-1].details["because"] == "it is not delivered any more"
    edit.move_to("finished")
    edit.record_delivery("D2", "failed")
    assert edit.state == "finished"


def test_a_state_of_a_delivery_is_one_that_is_declared():
    """With the nearest named, recorded or loaded; a rulebook may have states of its own."""
    book, edit = confirmed()
    message = "expected one of planned, sent, delivered, failed, cancelled .got 'delivred'; did you mean 'delivered'"
    with pytest.raises(dokima.DocumentError, match=message):
        edit.record_delivery("D1", "delivred")
    loaded = dokima.Order("A", deliveries=[{"id": "D1", "state": "delivred"}])
    assert "did you mean 'delivered'" in book.check(loaded)[0].message
    with pytest.raises(dokima.NotFound, match="has no line 90"):
        edit.record_delivery("D1", "sent", line=90)
    _, own = confirmed(delivery={"packed": "open", "gone": "delivered"})
    own.record_delivery("D1", "gone", line=10)
    assert (own.line(10).delivered, own.state) == (10, "confirmed")
    own.record_delivery("D2", "gone", line=20)
    assert (own.line(20).delivered, own.state) == (4, "finished")


@pytest.mark.parametrize(
    ("when", "paid", "states"),
    [
        ("delivered", None, ["finished", "finished", "finished"]),
        ("delivered and paid", "28", ["confirmed", "confirmed", "finished"]),
        ("never", "28", ["confirmed", "confirmed", "confirmed"]),
    ],
)
def test_when_an_order_is_finished_is_a_setting(when, paid, states):
    """28.00 are payable: with the deliveries, with the last payment, or never by itself."""
    _, edit = confirmed(finished_when=when)
    found = []
    edit.record_delivery("D1", "delivered")
    found.append(edit.state)
    edit.record_payment("20")
    found.append(edit.state)
    edit.record_payment("8")
    assert [*found, edit.state] == states


def test_an_order_with_open_pieces_is_not_finished():
    """One delivery of a piece, delivered, failed or cancelled, leaves 13 to come; a payment is still recorded."""
    for state in ("delivered", "failed", "cancelled"):
        _, edit = confirmed()
        edit.record_delivery("D1", state, line=10, quantity=1)
        assert edit.state == "confirmed"
        edit.record_payment("28")
        assert edit.state == "confirmed"
    edit.record_delivery("D2", "delivered", line=10, quantity=6)
    for number in (10, 20):
        edit.close_line(number)
    assert edit.state == "finished"
    with pytest.raises(dokima.Locked, match="is finished, and that does not permit closing or reopening lines"):
        edit.reopen_line(10)


def test_a_return_and_what_another_system_counted_are_delivered_in_full():
    """-4 is delivered by -4 and not by 4; a stated quantity counts as a recorded one does."""
    _, edit = confirmed()
    back = edit.order
    back.lines[1].fields["quantity"] = -4
    back.lines[0].fields["delivered"] = 12
    for delivered, state in ((4, "confirmed"), (-4, "finished")):
        edit = confirmed()[0].edit(back, by="M")
        edit.record_delivery("D1", "delivered", line=20, quantity=delivered)
        assert edit.state == state


def test_payments_are_what_is_payable():
    """28.00 is payable; cancelling a paid order needs somebody who accepts it."""
    book, edit = confirmed()
    for amount in ("-1", "28.01"):
        with pytest.raises(
            dokima.Refused, match=f"a payment of {amount} is refused: expected an amount from 0 to 28.00"
        ):
            edit.record_payment(amount)
    edit.record_payment("20.00", method="bank")
    with pytest.raises(dokima.Refused, match="from 0 to 8.00"):
        edit.record_payment("9")
    assert not book.check(edit.order, rule="paid")
    with pytest.raises(dokima.Refused, match="20.00 has been paid on A.") as refused:
        edit.move_to("cancelled")
    edit.acknowledge(refused.value.findings[0], "paid back by hand")
    edit.move_to("cancelled")
    _, free = confirmed(payments="free")
    free.record_payment("-5")
    assert str(free.totals.payable) == "33.00"


def test_deliveries_are_read_through_aggregates_only():
    """And in rules only; the words are taken for tables."""
    for formula, message in (
        (
            "delivery.quantity > 1",
            "delivery.quantity is a value of each delivery: read it through sum, count, any, all",
        ),
        ("sum(delivery.quantity * line.quantity) > 1", "runs over one kind of rows"),
        ("sum(delivery.quantity, by=delivery.line) > 1", "over records takes no by="),
        ("sum(delivery.quantty) > 1", "did you mean 'delivery.quantity'"),
    ):
        rule = {"id": "r", "at": "save", "require": formula}
        with pytest.raises(dokima.RulebookError, match=message):
            dokima.Rulebook.from_dict({"rulebook": {"name": "small"}, "rule": [rule]})
    steps = [{"name": "price", "kind": "price", "options": [{"value": "sum(payment.amount)"}]}]
    with pytest.raises(dokima.RulebookError, match="only rules see deliveries and payments"):
        dokima.Rulebook.from_dict({"rulebook": {"name": "small"}, "routine": {"sales": {"step": steps}}})
    with pytest.raises(dokima.RulebookError, match="'ledger' has a meaning of its own"):
        dokima.Rulebook.from_dict(
            {"rulebook": {"name": "small"}, "table": {"ledger": {"key": {"a": "line.item"}}}}, tables={"ledger": []}
        )
