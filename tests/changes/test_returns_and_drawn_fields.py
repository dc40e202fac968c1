"""Changes beside the main road: returns that become sales, fields that defaults give, ledgers of what was agreed."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from dokima.changes.delivered_part import counted_part
from dokima.changes.documents import as_document, priced_as_agreed, with_terms
from dokima.pricing.program import Run
from tests.books import ITEMS, RATES, definition


def rules(channel="web", **sections):
    data = definition(header={"channel": {"default": f"'{channel}'"}}, **sections)
    return dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES})


def order(*quantities, **header):
    lines = [{"number": str(10 * at + 10), "item": "PANE", "quantity": q} for at, q in enumerate(quantities)]
    return dokima.Order("A", **{"kind": "sales", "currency": "EUR", "state": "confirmed", **header}, lines=lines)


def changed(store, quantity, settle=None):
    number = store.open_change("A", "Ada").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=quantity))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    return store.approve(number, "Ben", settle=settle)


@pytest.mark.parametrize(("before", "after"), [(-2, 3), (-2, 0), (3, -2), (2, 0), (4, 1), (-4, -1)])
def test_from_or_to_a_return_there_is_nothing_to_divide(tmp_path, before, after):
    """One document takes all of it; without tax it comes to the new quantity times 48.50, and the ledger balances."""
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules(changes={"settle": "split"})) as store:
        store.save(order(before, 1), "Ada")
        done = changed(store, after)
        family = store.with_supplements("A")
        assert [each.number for each in family] == ["A"]
        assert [D(str(line["quantity"])) for line in family[0].lines] == [D(after), D(1)]
        assert done.supplement is None
        ledger = store.ledger("A")
        assert (ledger.is_balanced, ledger.current["without_tax"]) == (True, D("48.50") * (after + 1))


def test_a_field_that_a_default_gives_on_both_sides_has_not_moved(tmp_path):
    """The rulebook gives another channel meanwhile; what somebody typed has moved, and the change is stale."""
    url = f"sqlite:///{tmp_path}/o.db"
    for typed, stale in ((None, False), ("shop", True)):
        number = "T" if typed else "D"
        with dokima.open_store(url, rules()) if typed else dokima.create_store(url, rules()) as store:
            store.save(dokima.Order.from_dict({**order(2).to_dict(), "number": number}), "Ada")
            change = store.open_change(number, "Ada").number
            store.update_change(change, "Ada", lambda found: found.edit("Ada").change_line(10, quantity=3))
            store.update_change(change, "Ada", lambda found: found.submit("Ada"))
        with dokima.open_store(url, rules("phone")) as store:
            kept = store.order(number)
            if typed:
                kept.header["channel"] = typed
                kept.header["drawn"] = []
            store.save(kept, "Cleo")
            if stale:
                with pytest.raises(dokima.StaleBaseline, match="channel"):
                    store.approve(change, "Ben")
            else:
                assert store.approve(change, "Ben").orders


def test_a_ledger_tells_what_was_agreed_though_no_price_is_left(tmp_path):
    """Two panes at 48.50, then three, and one beside them: the list price is gone from the table meanwhile."""
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules()) as store:
        store.save(order(2, 1), "Ada")
        changed(store, 3)
    items = [{**row, "list_price": None if row["item"] == "PANE" else row["list_price"]} for row in ITEMS]
    data = definition(header={"channel": {"default": "'web'"}})
    priceless = dokima.Rulebook.from_dict(data, tables={"item": items, "rate": RATES})
    with dokima.open_store(f"sqlite:///{tmp_path}/o.db", priceless) as store:
        ledger = store.ledger("A")
        assert [(line.number, line.original, line.current, line.rest) for line in ledger.lines] == [
            ("10", D("97.00"), D("145.50"), D(0)), ("20", D("48.50"), D("48.50"), D(0)),
        ]  # fmt: skip
        assert (ledger.current["without_tax"], ledger.is_balanced) == (D("194.00"), True)


@pytest.mark.parametrize("settle", ["amend", "split"])
def test_what_a_change_says_of_a_parent_line_is_in_the_order(tmp_path, settle):
    """A parent has no money to divide: its words are changed where it stands, and the list names the party, or none."""
    lines = [{"number": "10", "description": "North"}, {"number": "10/10", "item": "PANE", "quantity": 2}]
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules(changes={"settle": settle})) as store:
        for number, party in (("A", {"customer": "K"}), ("B", {"supplier": "S"}), ("C", {})):
            store.save(
                dokima.Order(number, kind="sales", currency="EUR", state="confirmed", **party, lines=lines), "Ada"
            )
            change = store.open_change(number, "Ada").number

            def both(found):
                editor = found.edit("Ada")
                editor.change_line("10", description="South")
                editor.change_line("10/10", quantity=3)

            store.update_change(change, "Ada", both)
            store.update_change(change, "Ada", lambda found: found.submit("Ada"))
            if number == "A":
                store.approve(change, "Ben")
                assert [line.get("description") for line in store.order("A").lines] == ["South", None]
        listed = store.list_changes(datetime.date(2026, 3, 2))
        assert {(each.order, each.party) for each in listed} == {("A", "K"), ("B", "S"), ("C", "")}


@pytest.mark.parametrize(
    ("quantity", "delivered", "counts"),
    [("1", "1", "48.50"), ("2", "1", "48.50"), ("0.5", "0.5", "24.25"), ("1", "2", "48.50"), ("-1", "-1", "-48.50"), ("-1", "1", None),
     ("-2", "-1", "-48.50"), ("1", None, None), ("1", "0", None)],
)  # fmt: skip
def test_of_a_cancelled_part_of_an_order_counts_what_was_delivered(quantity, delivered, counts):
    """48.50 a piece; never beyond what was ordered, nothing in the other direction, one piece as well as several."""
    program = rules().program
    line = {"number": "10", "item": "PANE", "quantity": quantity, "delivered": delivered}
    one = dokima.Order(
        "A",
        kind="sales",
        currency="EUR",
        state="cancelled",
        lines=[line, {"number": "20", "item": "VENT", "quantity": 3}],
    )
    part = counted_part(program, with_terms(program, as_document(program, one), Run()))
    (priced,) = priced_as_agreed(program, [part])
    assert [(each.number, str(each.figure("net"))) for each in priced.lines] == (
        [] if counts is None else [("10", counts)]
    )
