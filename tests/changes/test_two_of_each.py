"""The second of something: what holds of one is easily wrong of the next. Every figure is worked out by hand."""

from __future__ import annotations

from decimal import Decimal as D

import pytest

import dokima
from tests.books import ITEMS, RATES, book, definition, routine


def rules(**sections):
    return dokima.Rulebook.from_dict(definition(**sections), tables={"item": ITEMS, "rate": RATES})


def order(*quantities, **header):
    lines = [{"number": str(10 * at + 10), "item": "PANE", "quantity": q} for at, q in enumerate(quantities)]
    return dokima.Order("A", **{"kind": "sales", "currency": "EUR", "state": "confirmed", **header}, lines=lines)


def test_two_warnings_are_accepted_one_by_one_and_lapse_one_by_one():
    asks = {"at": "save", "severity": "warning", "acknowledge": True}
    tried = rules(
        rule=[
            {**asks, "id": "few", "require": "line.quantity < 5"},
            {**asks, "id": "who", "require": "header.customer != 'K'"},
        ]
    )
    editor = tried.edit(order(7, 8, customer="K", state="draft"), "Ada")
    few, more, who = sorted(editor.check("save"), key=lambda finding: (finding.rule, finding.line))
    assert [(each.rule, each.line) for each in (few, more, who)] == [("few", "10"), ("few", "20"), ("who", "")]
    left = [few, more, who]
    for finding in (few, who):
        with pytest.raises(dokima.Refused, match="saving is refused") as caught:
            editor.save()
        said = sorted((each.rule, each.line) for each in caught.value.findings)
        assert said == sorted((each.rule, each.line) for each in left)
        editor.acknowledge(finding, "agreed")
        left.remove(finding)
    editor.acknowledge(more, "agreed too")
    assert [record["reason"] for record in editor.save().header["acknowledgements"]] == [
        "agreed",
        "agreed",
        "agreed too",
    ]
    editor.change_line(20, quantity=9)  # only what was said of this line lapses
    with pytest.raises(dokima.Refused, match="saving is refused") as caught:
        editor.save()
    assert [(each.rule, each.line) for each in caught.value.findings] == [("few", "20")]


def test_two_taxes_of_which_one_stands_on_the_other():
    """2 x 48.50 = 97.00. Levy 5 %: 4.85. Tax 10 % of 97.00 + 4.85 = 101.85: 10.185, 10.19. Together 112.04."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]},
        {"name": "levy", "kind": "tax", "percent": "5", "category": "'L'"},
        {"name": "vat", "kind": "tax", "percent": "10", "category": "'S'", "on_top_of": ["levy"]},
    ]
    priced = rules(routine={"sales": {"step": steps}}).price(order(2))["A"]
    assert [(row.step, row.taxable, row.tax) for row in priced.tax_breakdown] == [
        ("levy", D("97.00"), D("4.85")), ("vat", D("101.85"), D("10.19")),
    ]  # fmt: skip
    assert (priced.totals.tax, priced.totals.with_tax) == (D("15.04"), D("112.04"))


def test_the_second_and_the_third_band():
    """12 pieces: 5 at 10, 5 at 9, 2 at 8: 50 + 45 + 16 = 111. At 5 and at 10 the next band has not begun: 50, 95."""
    bands = [
        {"item": "PANE", "least": least, "price": price} for least, price in (("0", "10"), ("5", "9"), ("10", "8"))
    ]
    table = {"band": {"key": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "graduated": True}}
    price = {"name": "price", "kind": "price", "options": [{"value": "0"}]}
    charge = {"name": "pieces", "kind": "charge", "amount": "band.amount"}
    tried = book({"band": bands}, table=table, routine=routine(price, charge))
    nets = [str(tried.price(order(q))["A"].totals.without_tax) for q in (4, 5, 6, 10, 11, 12)]
    assert nets == ["40.00", "50.00", "59.00", "95.00", "103.00", "111.00"]


def test_percentages_after_two_steps_of_which_one_moved():
    """1 to 2 pieces of 100: price +100; 10 % off 100, then 200: -10; 5 a line: 0; 2 % of 95, then 185: +1.80."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "100"}]},
        {"name": "off", "kind": "discount", "percent": "10"},
        {"name": "parcel", "kind": "charge", "amount": "5"},
        {"name": "fuel", "kind": "charge", "percent": "2"},
    ]
    tried = rules(routine={"sales": {"step": steps}})
    varied = tried.variance(order(1), order(2))
    assert [str(tried.price(order(q))["A"].totals.without_tax) for q in (1, 2)] == ["96.90", "188.70"]
    (line,) = varied.lines()
    assert line.figures["without_tax"].variance == D("91.80")
    assert {name: line.figures[name].variance for name in ("off", "parcel", "fuel") if name in line.figures} == {
        "off": D("10.00"), "parcel": D("0.00"), "fuel": D("1.80"),
    }  # fmt: skip


def test_a_second_delivery_finishes_and_a_correction_of_the_first_takes_it_back():
    editor = rules().edit(order(5), "Ada")
    editor.record_delivery(id="D1", state="delivered", line=10, quantity=2)
    assert (editor.state, editor.line(10).delivered) == ("confirmed", D(2))
    editor.record_delivery(id="D2", state="delivered", line=10, quantity=3)
    assert (editor.state, editor.line(10).delivered) == ("finished", D(5))
    editor.record_delivery(id="D1", state="delivered", line=10, quantity=1)
    assert (editor.state, editor.line(10).delivered) == ("confirmed", D(4))
    editor.record_delivery(id="D3", state="delivered", line=10, quantity=1)
    assert editor.state == "finished"


def test_a_second_change_is_stale_after_the_first_and_counts_once(tmp_path):
    """10 to 12, and 10 to 15: the second, rebased onto 12, comes to 15. 48.50 each: 485.00 + 97.00 + 145.50 = 727.50."""
    tried = rules(changes={"settle": "amend"})
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", tried) as store:
        store.save(order(10, 1), "Ada")
        numbers = []
        for line, quantity in ((10, 12), (20, 4)):
            numbers.append(store.open_change("A", "Ada").number)
            store.update_change(
                numbers[-1], "Ada", lambda c, n=line, q=quantity: c.edit("Ada").change_line(n, quantity=q)
            )
            store.update_change(numbers[-1], "Ada", lambda c: c.submit("Ada"))
        store.approve(numbers[0], "Ben")
        with pytest.raises(dokima.StaleBaseline, match="A"):
            store.approve(numbers[1], "Ben")
        store.rebase(numbers[1], "Ada")
        store.update_change(numbers[1], "Ada", lambda c: c.submit("Ada"))
        store.approve(numbers[1], "Ben")
        ledger = store.ledger("A")
        assert [(each.number, each.variance["without_tax"]) for each in ledger.approved] == [
            ("A-C1", D("97.00")), ("A-C2", D("145.50")),
        ]  # fmt: skip
        assert (ledger.original["without_tax"], ledger.current["without_tax"]) == (D("533.50"), D("776.00"))
        assert ledger.is_balanced
        assert [store.change(number).record["settled"]["sequence"] for number in numbers] == [1, 2]


def test_a_second_supplement_holds_just_its_own_growth(tmp_path):
    """2 pieces; 3 more as one supplement, 4 more as another: 97.00, 145.50, 194.00. Then 9 down to 6 takes from the last."""
    tried = rules(changes={"settle": "split"})
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", tried) as store:
        store.save(order(2), "Ada")
        for quantity in (5, 9):
            number = store.open_change("A", "Ada").number
            store.update_change(number, "Ada", lambda c, q=quantity: c.edit("Ada").change_line(10, quantity=q))
            store.update_change(number, "Ada", lambda c: c.submit("Ada"))
            store.approve(number, "Ben")
        family = store.with_supplements("A")
        assert [each.number for each in family] == ["A", "A-S1", "A-S2"]
        nets = [str(tried.price(each)[each.number].totals.without_tax) for each in family]
        assert nets == ["97.00", "145.50", "194.00"]
        ledger = store.ledger("A")
        assert ([str(each.variance["without_tax"]) for each in ledger.approved], ledger.is_balanced) == (
            ["145.50", "194.00"],
            True,
        )
        assert [(line.number, str(line.current)) for line in ledger.lines] == [("10", "436.50")]


def test_the_second_order_of_a_batch_shares_its_own_freight_by_its_own_weights():
    """10.00 over 1, 1, 1 pieces: 3.34, 3.33, 3.33. Over 1 and 2: 3.33, 6.67. 3 % of the goods 97.00: 2.91, as 1 to 1: 1.46, 1.45."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "48.50"}]},
        {"name": "goods", "kind": "subtotal"},
        {"name": "freight", "kind": "charge", "amount": "10", "over": "order", "share": "line.quantity"},
        {"name": "rebate", "kind": "discount", "percent": "3", "of": "goods", "over": "order"},
    ]
    tried = rules(routine={"sales": {"step": steps}})
    batch = tried.price([order(1, 1, 1), dokima.Order("B", kind="sales", currency="EUR", lines=order(1, 2).lines),
                         dokima.Order("C", kind="sales", currency="EUR", lines=order(1, 1).lines)])  # fmt: skip
    shares = {number: [str(line.figure("freight")) for line in batch[number].lines] for number in ("A", "B", "C")}
    assert shares == {"A": ["3.34", "3.33", "3.33"], "B": ["3.33", "6.67"], "C": ["5.00", "5.00"]}
    assert [str(line.figure("rebate")) for line in batch["C"].lines] == ["1.46", "1.45"]


def test_the_second_instalment_the_second_payment_and_the_second_date():
    """97.00 in thirds: 32.34, 32.33, 32.33. After two payments of 30.00 and 7.00, 60.00 are payable, and no more is taken."""
    thirds = [{"label": name, "share": "1", "due": "header.date"} for name in ("first", "second", "third")]
    prices = [
        {"item": "PANE", "start": "2026-01-01", "end": "2026-01-31", "price": "48.50"},
        {"item": "PANE", "start": "2026-02-01", "end": "", "price": "50.00"},
    ]
    dated = {"key": {"item": "line.item"}, "window": {"from": "start", "until": "end", "on": "header.date"}, "choose": ["latest start"],
             "columns": {"price": {"kind": "decimal"}}}  # fmt: skip
    data = definition(
        table={"dated": dated},
        routine={"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "dated.price"}]}],
                           "instalments": thirds}},
    )  # fmt: skip
    tried = dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES, "dated": prices})
    days = ("2026-01-31", "2026-02-01")
    batch = tried.price(
        [dokima.Order(day, kind="sales", currency="EUR", date=day, lines=order(2).lines) for day in days]
    )
    assert [str(batch[day].totals.payable) for day in days] == ["97.00", "100.00"]
    assert [str(each.amount) for each in batch[days[0]].instalments] == ["32.34", "32.33", "32.33"]
    editor = tried.edit(order(2, date=days[0]), "Ada")
    editor.record_payment("30.00")
    editor.record_payment("7.00")
    assert (editor.totals.prepaid, editor.totals.payable) == (D("37.00"), D("60.00"))
    with pytest.raises(dokima.Refused, match="60.00"):
        editor.record_payment("60.01")
    editor.record_payment("60.00")
    assert (len(editor.document.header["payments"]), editor.totals.payable) == (3, D("0.00"))
