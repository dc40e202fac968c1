"""An order that cannot be priced: whatever is done with it ends in words, and what is unknown is nowhere taken for 0."""

from __future__ import annotations

import datetime
import json

import pytest

import dokima
from tests.books import ITEMS, RATES, definition

LINES = {
    "no price": ({"currency": "EUR"}, [("PANE", 2), ("FREE", 2)], "line 20"),
    "an item that is not there": ({"currency": "EUR"}, [("PANE", 2), ("NOSUCH", 2)], "line 20"),
    "no such currency": ({"currency": "XXQ"}, [("PANE", 2)], "ISO 4217"),
}
DAY = datetime.date(2026, 3, 2)


@pytest.fixture(params=LINES, ids=str)
def known(request):
    """A rulebook, a confirmed order that it cannot price, and what is said of it."""
    header, lines, said = LINES[request.param]
    rules = dokima.Rulebook.from_dict(definition(), tables={"item": ITEMS, "rate": RATES})
    rows = [{"number": str(10 * at + 10), "item": item, "quantity": count} for at, (item, count) in enumerate(lines)]
    return rules, dokima.Order("A", kind="sales", state="confirmed", date="2026-03-02", lines=rows, **header), said


def test_payments_deliveries_and_changes_are_refused_or_recorded_in_words(known):
    rules, order, said = known
    editor = rules.edit(order, "Ada")
    for amount in ("5", "0", "-1"):
        with pytest.raises(dokima.Refused, match="what is payable is unknown while the order cannot be priced"):
            editor.record_payment(amount)
    editor.record_delivery(id="D1", state="delivered", line=10, quantity=1)
    assert editor.order.header["deliveries"][0]["id"] == "D1"
    change = rules.change(order, "Ada")
    change.edit("Ada").change_line(10, quantity=3)
    with pytest.raises(dokima.Refused, match=f"submitting A-C1 is refused: .*{said}"):
        change.submit("Ada")
    with pytest.raises(dokima.Locked, match="A-C1 is draft, so it cannot be approved"):
        change.approve("Ben", [order])
    assert {name: each.variance for name, each in change.variance().totals()["A"].items()}["with_tax"] is None


def test_every_form_of_every_result_says_what_is_unknown(known, tmp_path):
    rules, order, _ = known
    priced = rules.price(order)
    assert priced["A"].totals.with_tax is None
    results = {
        "priced": priced, "variance": rules.variance(order, order), "change": rules.change(order, "Ada"), "replay": rules.replay(order, rules),
    }  # fmt: skip
    assert str(dokima.report(rules.edit(order, "Ada"), book=rules))
    for name, result in results.items():
        shown = dokima.report(result, book=rules)
        for ending in ("html", "md", "pdf", "xlsx", "csv"):
            shown.write(tmp_path / f"{name}.{ending}")
            assert (tmp_path / f"{name}.{ending}").stat().st_size > 0
        assert str(shown)
    data = json.loads(dokima.to_json(priced))["orders"][0]
    assert (data["totals"]["with_tax"], data["totals"]["payable"]) == (None, None)
    assert priced.to_arrow("orders").column("with_tax").to_pylist() == [None]


def test_a_store_keeps_lists_and_tells_it(known, tmp_path):
    rules, order, said = known
    where = f"sqlite:///{tmp_path}/o.db"
    with dokima.create_store(where, rules) as store:
        store.save(order, "Ada")
        (row,) = store.orders(sort="-with_tax")
        assert (row["number"], row["with_tax"]) == ("A", None)
        assert list(store.orders(where="with_tax > 0")) == []
        assert [line["open"] for line in store.lines(open_only=True)] == [2] * len(order.lines)
        assert [event["subject"] for event in store.feed()] == ["A"]
        number = store.open_change("A", "Ada").number
        store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=5))
        with pytest.raises(dokima.Refused, match=f"submitting A-C1 is refused: .*{said}"):
            store.update_change(number, "Ada", lambda change: change.submit("Ada"))
        (entry,) = store.list_changes(DAY)
        assert (entry.without_tax, bool(entry.unknown)) == (None, True)
        ledger = store.ledger("A")
        assert (ledger.is_balanced, ledger.current["with_tax"], list(ledger.unknown)) == (False, None, ["A"])
        assert str(dokima.report(ledger, book=rules))
        with pytest.raises(dokima.Locked, match="is draft, so it cannot be approved"):
            store.approve(number, "Ben")
        store.update_change(number, "Ada", lambda change: change.withdraw("Ada"))
        assert store.each().apply("set", "Ada", fields={"header.budget": "5"}).done == 1
    assert list(dokima.check_store(where, rules)) == []
