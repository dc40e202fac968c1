"""Settlement under everything: what is settled stands, nothing delivered is taken back, tax is what was agreed."""

from __future__ import annotations

import json
from decimal import Decimal as D

import pytest

import dokima

RATE = {"rate": 21}


def rules(*steps, reprice=(), tables=None, table=None, values=None, settle="split", **settings):
    """Prices by line, discounts by step, 21 % tax as a named value."""
    price = {"name": "price", "kind": "price", "options": [{"value": "line.price_override"}]}
    tax = [{"name": "vat", "kind": "tax", "percent": "value.rate"}]
    data = {
        "rulebook": {"name": "settled", "currency": "EUR"},
        "value": {**RATE, **(values or {})},
        "line": {"p": {"kind": "decimal"}},
        "changes": {"settle": settle},
        "routine": {"sales": {"step": [{**price, "options": [{"value": "line.p"}]}, *steps, *tax], **settings}},
        **({"terms": {"reprice_on": list(reprice)}} if reprice else {}),
        **({"table": table} if table else {}),
    }
    return dokima.Rulebook.from_dict(data, tables=tables or {})


def changed(book, lines, *edits, number="A", settle=None, **header):
    """The settlement of a change of a confirmed order: each edit is a line number and its fields (None removes it)."""
    order = dokima.Order(number, state="confirmed", lines=lines, **header)
    change = book.change(order, by="Ada")
    editor = change.edit("Ada")
    for line, fields in edits:
        if fields is None:
            editor.remove_line(line)
        elif any(each.number == str(line) for each in order.lines):
            editor.change_line(line, **fields)
        else:
            editor.add_line(line, **fields)
    change.submit("Ada")
    return change, change.approve("Ben", [order], settle=settle)


def figures(book, order, number=10, *names):
    """Some figures of a line of a document."""
    line = book.price(order)[order.number].line(number)
    return [str(line.figure(name)) for name in names]


OFF = {"name": "off", "kind": "discount", "percent": "deal.percent"}
DEAL = {"deal": {"match": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": "highest percent"}}
DEALS = {"deal": [{"item": "X", "least": 20, "percent": 10}]}
DEAL["deal"]["columns"] = {"percent": {"kind": "decimal", "default": 0}}


def test_what_is_settled_stands_whatever_calls_for_a_new_price():
    """18 to 24 at 10.00, 10 % off from 20 pieces: 216.00 is 162.00 + 54.00, discounts 18.00 + 6.00, and no rounding."""
    book = rules(OFF, reprice=["item", "unit", "quantity", "header.date"], table=DEAL, tables=DEALS)
    _, done = changed(book, [{"item": "X", "quantity": 18, "p": "10"}], (10, {"quantity": 24}), date="2026-03-02")
    assert figures(book, done.amended, 10, "amount", "off") == ["162.00", "18.00"]
    assert figures(book, done.supplement, 10, "amount", "off") == ["54.00", "6.00"]
    assert done.tax_rounding == D("0.00")

    # A later change of the date moves the original; the supplement stands until it is itself changed.
    again = book.change(done.amended, by="Ada", supplements=[done.supplement], taken=["A-C1"])
    assert again.variance().is_empty
    again.edit("Ada").change_header(date="2026-04-01")
    again.submit("Ada")
    later = again.approve("Ben", [done.amended, done.supplement])
    assert [figures(book, each, 10, "amount")[0] for each in later.orders] == ["162.00", "54.00"]


def test_a_shared_question_of_a_table_is_that_of_each_document():
    """10 % off from 20 pieces of the order: 12 + 12 to 12 + 24, and each document keeps what was approved."""
    deal = {"deal": {**DEAL["deal"], "breaks": {"least": "sum(line.quantity, by=line.item)"}}}
    book = rules(OFF, reprice=["item", "unit", "quantity"], table=deal, tables=DEALS)
    lines = [{"item": "X", "quantity": 12, "p": "10"}, {"item": "X", "quantity": 12, "p": "10"}]
    _, done = changed(book, lines, (20, {"quantity": 24}))
    assert [figures(book, done.amended, n, "amount")[0] for n in (10, 20)] == ["108.00", "108.00"]
    assert figures(book, done.supplement, 20, "amount") == ["108.00"]


def test_a_percentage_keeps_its_figure_only_on_the_amount_it_worked_on():
    """10 % off, 10 at 10.00 to 20 at 1.00: 9.00 + 9.00, discounts 1.00 + 1.00."""
    flat = {"name": "flat", "kind": "discount", "amount": "5"}
    for step, expected in (({**OFF, "percent": "10"}, ["1.00", "1.00"]), (flat, ["2.50", "2.50"])):
        book = rules(step)
        _, done = changed(book, [{"item": "X", "quantity": 10, "p": "10"}], (10, {"quantity": 20, "p": "1"}))
        assert [figures(book, each, 10, step["name"])[0] for each in done.orders] == expected
    kept = rules({**OFF, "percent": "10"})
    _, done = changed(kept, [{"item": "X", "quantity": 3, "p": "0.35"}], (10, {"quantity": 6}))
    # 0.105 is 0.11 on three, 0.21 on six: three keep their 0.11.
    assert [figures(kept, each, 10, "off")[0] for each in done.orders] == ["0.11", "0.10"]


def test_prices_with_tax_add_up_with_tax():
    """2 x 10.00 with 21 %: 16.53 without, 8.26 + 8.26 on two documents; the cent stands in the total without tax."""
    book = rules(prices_include_tax="True")
    _, done = changed(book, [{"item": "X", "quantity": 1, "p": "10"}], (10, {"quantity": 2}))
    totals = [book.price(each)[each.number].totals for each in done.orders]
    assert [str(each.without_tax) for each in totals] == ["8.26", "8.26"]
    assert sum(each.with_tax for each in totals) == D("20.00")
    assert done.tax_rounding == D("0.01")


@pytest.mark.parametrize(
    ("line", "edit", "message"),
    [
        ({"quantity": 5, "delivered": 3}, {"quantity": -1}, "3 are delivered already, and less would be left"),
        ({"quantity": -5, "delivered": -3}, {"quantity": -1}, "-3 are delivered already"),
        ({"quantity": 5, "delivered": 5}, {"item": "Y"}, "cannot be removed: some of it is delivered"),
        ({"quantity": 5, "state": "closed"}, {"quantity": 4}, "must be reopened first"),
        ({"quantity": 5, "delivered": 5}, "sub-line", "5 are delivered already"),
    ],
)
def test_nothing_delivered_or_closed_is_taken_back(line, edit, message):
    """Neither by another sign, nor by another shape."""
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "settled", "currency": "EUR"}, "line": {"p": {"kind": "decimal"}},
            "rule": [{"id": "not-below-delivered", "at": "enter", "require": "True"}],
            "routine": {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "line.p"}]}]}},
        }
    )  # fmt: skip
    edits = [("10/10", {"item": "Z", "quantity": 1, "p": "1"})] if edit == "sub-line" else [(10, edit)]
    with pytest.raises((dokima.Refused, dokima.Locked), match=message):
        changed(book, [{"item": "X", "p": "10", **line}], *edits)


def test_a_document_that_lost_every_line_ends_and_is_no_error():
    """X replaced by Y: the original has nothing left. Its freight of 10.00 is 0 then, and moves with the rest."""
    freight = {"name": "freight", "kind": "charge", "amount": "10", "over": "order"}
    book = rules(freight)
    for state, line in (
        ("cancelled", {}),
        ("finished", {"deliveries": [{"id": "D", "state": "delivered", "line": "5", "quantity": 1}]}),
    ):
        _, done = changed(
            book,
            [{"item": "X", "quantity": 1, "p": "5"}],
            (10, None),
            (20, {"item": "Y", "quantity": 1, "p": "7"}),
            **line,
        )
        first, second = done.orders
        assert (first.header["state"], first.lines, second.header["state"]) == (state, [], "confirmed")
        assert {link["kind"]: link["number"] for link in first.header["links"]} == {
            "supplement": "A-S1",
            "change": "A-C1",
        }
        assert first.header["links"][-1]["emptied"] is True
        totals = [book.price(each)[each.number] for each in done.orders]
        assert [str(each.totals.without_tax) for each in totals] == ["0.00", "17.00"]
        assert not totals[0].findings
    empty = book.price(dokima.Order("B", lines=[]))["B"]
    assert (empty.totals.payable, len(empty.findings)) == (None, 1)
    # The supplement can still be changed, and gives up all it has.
    again = book.change(done.amended, by="Ada", supplements=[done.supplement], taken=["A-C1"])
    again.edit("Ada").change_line(20, quantity=2)
    again.submit("Ada")
    first = again.approve("Ben", done.orders).amended
    assert str(book.price(first)["A"].totals.without_tax) == "0.00"


def test_submitted_and_agreed_tax_is_frozen():
    """80.00 at 21 % is 16.80; after the rate has gone to 25 it still is, on the change and on what it settles."""
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": 1, "p": "20"}])
    book, other = rules(), rules(values={"rate": 25})
    change = book.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=4)
    change.submit("Ada")
    late = dokima.ChangeOrder.from_dict(other.program, change.to_dict(), change.baseline.text, change._clock)
    ((_, totals),) = late.variance().totals().items()
    assert (totals["tax"].before, totals["tax"].after) == (D("4.20"), D("16.80"))
    done = late.approve("Ben", [order])
    assert [str(other.price(each)[each.number].totals.tax) for each in done.orders] == ["4.20", "12.60"]
    priced = other.price(done.amended)["A"]
    assert [finding.message for finding in priced.findings] == ["vat 21 % was agreed; the rulebook of today says 25 %"]


def test_a_quantity_by_default_can_be_approved():
    """What a line comes to by default is what it holds."""
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "default", "currency": "EUR"},
            "line": {"p": {"kind": "decimal"}, "quantity": {"kind": "decimal", "default": "2"}},
            "changes": {"settle": "split"},
            "routine": {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "line.p"}]}]}},
        }
    )
    _, done = changed(book, [{"item": "X", "p": "10"}], (10, {"quantity": 5}))
    assert [str(book.price(each)[each.number].totals.without_tax) for each in done.orders] == ["20.00", "30.00"]


def test_every_field_is_carried_out_or_refused_with_its_reason():
    """The budget is agreed; what was delivered, stated or linked is not, and a change of nothing cannot be submitted."""
    book = rules()
    order = dokima.Order("A", state="confirmed", budget="100", lines=[{"item": "X", "quantity": 1, "p": "10"}])
    change = book.change(order, by="Ada")
    editor = change.edit("Ada")
    with pytest.raises(dokima.Refused, match="'delivered' cannot be changed like a field here: it is summed from del"):
        editor.change_line(10, delivered=1)
    with pytest.raises(dokima.Refused, match="'unit_price' .* says what a document states, and is compared"):
        editor.add_line(item="Y", quantity=1, unit_price="3")
    with pytest.raises(dokima.Refused, match="'revision' .* rises by itself when a change is approved"):
        editor.change_header(revision=7)
    with pytest.raises(dokima.Refused, match="A-C1 changes nothing"):
        change.submit("Ada")
    editor.change_header(budget="250")
    assert change.variance().headers()["A"]["budget"].after == 250
    change.submit("Ada")
    done = change.approve("Ben", [order])
    assert (done.amended.header["budget"], done.amended.header["revision"]) == (D(250), 1)
    assert done.supplement is None


def test_a_changed_unit_cost_is_a_change():
    """Nothing else of the line moves, and it is settled."""
    cost = {"name": "cost", "kind": "figure", "value": "line.quantity * line.unit_cost", "places": 2}
    book = rules(cost, {"name": "margin", "kind": "figure", "value": "line.without_tax - line.cost", "places": 2})
    lines = [{"item": "X", "quantity": 4, "p": "10", "unit_cost": "6"}]
    change, done = changed(book, lines, (10, {"unit_cost": "7.50"}))
    (line,) = change.variance().lines()
    moved = {name: line.figures[name].variance for name in ("cost", "margin", "without_tax")}
    assert moved == {"cost": D("6.00"), "margin": D("-6.00"), "without_tax": D("0.00")}
    assert done.amended.lines[0].fields["unit_cost"] == D("7.50")


def test_what_cannot_be_priced_is_unknown_in_the_ledger_never_nothing(tmp_path):
    """A pending change without a price leaves open what the budget would leave."""
    book = rules()
    order = dokima.Order("A", state="confirmed", budget="100", lines=[{"item": "X", "quantity": 1, "p": "10"}])
    (tmp_path / "orders").mkdir()
    (tmp_path / "orders" / "A.json").write_text(json.dumps(order.to_dict(), default=str))
    store = dokima.FolderStore(tmp_path, book)
    for price in ("20", None):
        number = store.open_change("A", "Ada").number
        store.update_change(number, "Ada", lambda change, price=price: change.edit("Ada").change_line(10, p=price))
    ledger = store.ledger("A")
    assert [each.variance["without_tax"] for each in ledger.pending] == [D("10.00"), None]
    assert "line 10" in ledger.pending[1].unknown
    assert (ledger.headroom, ledger.headroom_pending) == (D("90.00"), None)
    assert ledger.to_dict()["pending"][1]["variance"] == {"without_tax": None, "tax": None, "with_tax": None}
