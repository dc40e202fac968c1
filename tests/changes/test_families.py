"""A change of an order with supplements: what is not the same is never merged, what nobody moved stays as it is."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from dokima.changes.checks import refuse_more_than_rounding
from dokima.changes.ledger import ledger_of
from dokima.changes.listing import change_entries
from dokima.model.content import canonical_json, digest_of

ITEMS = [
    {"item": "A", "price": "10", "rate": "21"},
    {"item": "B", "price": "100", "rate": "21"},
    {"item": "C", "price": "1", "rate": "21"},
    {"item": "Z", "price": "50", "rate": "21"},
    {"item": "F", "price": "10", "rate": "0"},
    {"item": "P", "price": "4.6994", "rate": "21"},
]
COUNTRIES = [
    {"country": "NL", "percent": "21", "rebate": "0"},
    {"country": "BE", "percent": "6", "rebate": "10"},
]
TAX = {"name": "vat", "kind": "tax", "percent": "item.rate"}


def rules(*steps, tax=TAX, settle="split", reprice=("item", "unit"), **sections):
    """Prices and rates by item; no tax where ``tax`` is None."""
    data = {
        "rulebook": {"name": "family", "currency": "EUR"},
        "changes": {"settle": settle},
        "terms": {"reprice_on": list(reprice)},
        "table": {
            "item": {"key": {"item": "line.item"}, "columns": {"rate": {"kind": "decimal"}}},
            "land": {"key": {"country": "header.ship_to_country"}},
        },
        "routine": {
            "sales": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    *steps,
                    *([] if tax is None else [tax]),
                ]
            }
        },
        **sections,
    }
    return dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "land": COUNTRIES})


class Family:
    """An order with its supplements and changes, as a store would keep them."""

    def __init__(self, book, *lines, **header):
        header = {"state": "confirmed", "date": datetime.date(2026, 3, 2), **header}
        self.book, self.changes = book, []
        self.orders = [dokima.Order("O", lines=[{"unit": "C62", **line} for line in lines], **header)]

    def open(self, *edits, **header):
        """A submitted change: each edit is a line and its fields; without a line a new one, None removes it."""
        change = self.book.change(
            self.orders[0], "Ada", supplements=self.orders[1:], taken=[each.number for each in self.changes]
        )
        editor = change.edit("Ada")
        for line, fields in edits:
            if fields is None:
                editor.remove_line(line)
            elif line is None:
                editor.add_line(unit="C62", **fields)
            elif str(line) in {each.number for each in editor.order.lines}:
                editor.change_line(line, **fields)
            else:
                editor.add_line(line, unit="C62", **fields)
        if header:
            editor.change_header(**header)
        change.submit("Ada")
        return change

    def approve(self, change, **more):
        """The settlement of a change; from then on its documents are those of the family."""
        taken = [each.number for each in self.orders]
        done = change.approve("Ben", self.orders, taken=taken, **more)
        self.orders, self.changes = list(done.orders), [*self.changes, change]
        return done

    def change(self, *edits, **header):
        """A change that is approved at once, and what it comes to without tax."""
        change = self.open(*edits, **header)
        moved = change.variance().totals()["O"]["without_tax"].variance
        self.approve(change)
        return moved

    def edit(self, at, line=None, **fields):
        """A direct edit of one of the documents: of a line, of a new one (blank), or of the header."""
        editor = self.book.edit(self.orders[at], by="Cleo")
        if line is None:
            editor.change_header(**fields)
        elif line:
            editor.change_line(line, **fields)
        else:
            editor.add_line(unit="C62", **fields)
        self.orders[at] = editor.order

    def move(self, at, state):
        """One of the documents moves to another state."""
        editor = self.book.edit(self.orders[at], by="Cleo")
        editor.move_to(state)
        self.orders[at] = editor.order

    def net(self):
        """What each document comes to without tax."""
        return [str(self.book.price(order)[order.number].totals.without_tax) for order in self.orders]

    def held(self, at):
        """Item and quantity of each line of a document, by number."""
        return {line.number: f"{line['quantity']} {line['item']}" for line in self.orders[at].lines}

    def ledger(self):
        """The ledger of today."""
        return ledger_of(self.book.program, self.orders, self.changes)


def test_lines_of_one_number_and_two_items_are_two_lines():
    """10 A; 7 C on the supplement and B on the original, both numbered 20: one A more is 207 to 217."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    family.change((None, {"item": "C", "quantity": 7}))
    family.edit(0, "", item="B", quantity=1)
    assert (family.held(0), family.held(1)) == ({"10": "10 A", "20": "1 B"}, {"20": "7 C"})
    change = family.open((10, {"quantity": 11}))
    totals = change.variance().totals()["O"]["without_tax"]
    assert (str(totals.before), str(totals.after)) == ("207.00", "217.00")
    done = family.approve(change)
    assert family.net() == ["200.00", "7.00", "10.00"]
    assert family.held(1) == {"20": "7 C"}
    assert done.amended.header["links"][-1]["numbers"] == {"O-S1": {"20": "30"}}
    # The number stays in later changes, whatever else is added; the ledger says whose line it is.
    family.edit(0, "", item="B", quantity=2)
    change = family.open(("30", {"quantity": 9}))
    assert [
        (line.line, line.item, str(line.figures["without_tax"].variance)) for line in change.variance().lines()
    ] == [("30", "C", "2.00")]
    assert "line 20 of O-S1" in dokima.report(change).text
    family.approve(change)
    assert family.held(3) == {"30": "2 C"}
    assert "line 20 of O-S1" in dokima.report(family.ledger(), book=family.book).text
    ledger = family.ledger()
    assert ledger.is_balanced
    assert {line.number: str(line.current) for line in ledger.lines} == {
        "10": "110.00",
        "20": "100.00",
        "30": "9.00",
        "40": "200.00",
    }
    assert [line.places for line in ledger.lines if line.number == "30"] == [(("O-S1", "20"), ("O-S3", "30"))]


def test_fields_of_a_line_of_a_supplement_are_its_own():
    """Its due date, description and stated price stand after a change of another line."""
    family = Family(rules(), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1})
    family.change((10, {"quantity": 15}))
    family.edit(1, "10", due_date=datetime.date(2026, 5, 4), description="for the north bay", unit_price="10")
    family.change((20, {"quantity": 2}))
    line = family.orders[1].lines[0]
    assert (line["due_date"], line["description"]) == (datetime.date(2026, 5, 4), "for the north bay")
    assert line["unit_price"] == D(10)
    assert family.held(0) == {"10": "10 A", "20": "1 C"}


def test_a_manual_price_of_a_supplement_stands():
    """10 at 10.00, 5 at a manual 7.00 and 10.00: 145 becomes 155."""
    family = Family(rules(), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 10})
    family.change((10, {"quantity": 15}))
    editor = family.book.edit(family.orders[1], by="Cleo")
    editor.override_price(10, 7, "a scratch")
    family.orders[1] = editor.order
    assert sum(map(D, family.net())) == D("145.00")
    assert family.change((20, {"quantity": 20})) == D("10.00")
    assert sum(map(D, family.net())) == D("155.00")
    assert family.orders[1].lines[0]["price_override"] == D(7)


def test_another_tax_of_a_document_stands():
    """The item of the original becomes one without tax: the supplement keeps its item and 10.50 of tax."""
    family = Family(rules(), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 10})
    family.change((10, {"quantity": 15}))
    family.edit(0, "10", item="F")
    done = family.open((20, {"quantity": 11}))
    assert done.variance().totals()["O"]["tax"].variance == D("0.21")
    assert family.approve(done).tax_rounding == D("0.00")
    assert family.held(1) == {"10": "5 A"}
    taxes = [family.book.price(order)[order.number].totals.tax for order in family.orders]
    assert taxes == [D("2.10"), D("10.50"), D("0.21")]


LAND = {"name": "vat", "kind": "tax", "percent": "land.percent"}
REBATE = {"name": "rebate", "kind": "discount", "percent": "land.rebate"}


def test_another_header_of_a_document_stands():
    """101.00 at 21 % and, in Belgium, 45.00 at 6 %: a description moves neither, nor does one piece more."""
    book = rules(REBATE, tax=LAND, reprice=("item", "unit", "header.ship_to_country"))
    family = Family(book, {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1}, ship_to_country="NL")
    family.change((10, {"quantity": 15}))
    family.edit(1, ship_to_country="BE")
    assert family.net() == ["101.00", "45.00"]
    done = family.approve(family.open((20, {"description": "polished"})))
    assert (family.net(), done.tax_rounding) == (["101.00", "45.00"], D("0.00"))
    assert family.change((20, {"quantity": 2})) == D("1.00")
    assert family.net() == ["101.00", "45.00", "1.00"]
    # The Belgian line goes on by Belgian terms: one more is 9.00.
    (line,) = [line.number for line in family.open((20, {"quantity": 3})).document.lines if line["item"] == "A"][1:]
    assert family.change((line, {"quantity": 6})) == D("9.00")
    assert family.net() == ["101.00", "45.00", "1.00", "9.00"]
    assert family.ledger().is_balanced


def test_documents_whose_terms_of_the_order_differ_are_not_one_order():
    """A rebate of the order reads 10 on one document and 0 on the other: opening says so."""
    step = {**REBATE, "over": "order"}
    book = rules(step, tax=LAND, reprice=("item", "unit", "header.ship_to_country"))
    family = Family(book, {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1}, ship_to_country="NL")
    family.change((10, {"quantity": 15}))
    family.edit(1, ship_to_country="BE")
    with pytest.raises(dokima.Refused, match=r"rebate reads land.rebate: 0 on O, 10 on O-S1"):
        family.open((20, {"quantity": 2}))


@pytest.mark.parametrize("tax", [TAX, None])
def test_a_line_that_got_sub_lines_is_not_the_line_it_was(tax):
    """5 A of the supplement become one sub-line of 3.00; and the other way round."""
    for at, expected in ((1, ["101.00", "3.00", "1.00"]), (0, ["4.00", "50.00", "1.00"])):
        family = Family(rules(tax=tax), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1})
        family.change((10, {"quantity": 15}))
        editor = family.book.edit(family.orders[at], by="Cleo")
        editor.add_line("10/10", item="C", unit="C62", quantity=3)
        family.orders[at] = editor.order
        assert family.change((20, {"quantity": 2})) == D("1.00")
        assert family.net() == expected
        assert family.orders[at].header["state"] == "confirmed"


def test_an_edit_of_the_supplement_makes_a_change_stale():
    """Its line 10 becomes item Z after a change of line 20 was submitted; nothing is written back."""
    family = Family(rules(), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1})
    family.change((10, {"quantity": 15}))
    change = family.open((20, {"quantity": 2}))
    family.edit(1, "10", item="Z")
    with pytest.raises(dokima.StaleBaseline, match="O has moved since O-C2 was opened") as caught:
        family.approve(change)
    assert caught.value.moved[0] == "O-S1 line 10: item was A and is Z"
    change.rebase(family.orders, "Ada")
    change.submit("Ada")
    family.approve(change)
    assert [family.held(at) for at in range(3)] == [{"10": "10 A", "20": "1 C"}, {"10": "5 Z"}, {"20": "1 C"}]


def test_what_is_drawn_from_the_quantity_is_drawn_on_each_document():
    """2 kilos a piece: 20 on 10 pieces, 10 on the 5 that were added; what was typed stays typed."""
    book = rules(line={"kilos": {"kind": "decimal", "default": "line.quantity * 2"}})
    family = Family(book, {"item": "A", "quantity": 10})
    family.change((10, {"quantity": 15}))

    def kilos():
        return [str(book.price(each)[each.number].line(10).field("kilos")) for each in family.orders]

    assert kilos() == ["20", "10"]
    family.change((10, {"quantity": 12}))
    assert kilos() == ["20", "4"]
    typed = Family(book, {"item": "A", "quantity": 10, "kilos": 7})
    typed.change((10, {"quantity": 15}))
    assert [each.lines[0]["kilos"] for each in typed.orders] == [7, 7]


def test_rules_of_approving_see_deliveries_and_payments_of_all_documents():
    """2 pieces of the supplement are delivered and 5.00 paid on it: the rule counts them."""
    seen = "{sum(delivery.quantity)} delivered, {sum(payment.amount)} paid"
    rule = {
        "id": "look",
        "at": "approve",
        "require": "sum(delivery.quantity) + sum(payment.amount) == 0",
        "message": seen,
    }
    family = Family(rules(rule=[rule]), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1})
    family.change((10, {"quantity": 15}))
    change = family.open((20, {"quantity": 2}))
    editor = family.book.edit(family.orders[1], by="Cleo")
    editor.record_payment(5)
    editor.record_delivery("D", "delivered", line=10, quantity=2)
    family.orders[1] = editor.order
    with pytest.raises(dokima.Refused, match="2 delivered, 5.00 paid"):
        family.approve(change)


def test_cents_of_lines_that_no_change_moved_stay():
    """24 at 4.6994 are 112.79, 5 more 23.49: a description of another line leaves both."""
    family = Family(rules(), {"item": "P", "quantity": 24}, {"item": "C", "quantity": 1})
    family.change((10, {"quantity": 29}))

    def cents():
        return [str(family.book.price(each)[each.number].line(10).net) for each in family.orders[:2]]

    assert cents() == ["112.79", "23.49"]
    family.change((20, {"description": "polished"}))
    assert cents() == ["112.79", "23.49"]
    family.change((20, {"quantity": 7}))
    assert cents() == ["112.79", "23.49"]


@pytest.mark.parametrize("settle", ["amend", "split"])
def test_what_is_over_takes_nothing_in(settle):
    """The original is cancelled, its supplement of 5 lives: 15 reads 5, and growth goes to what lives."""
    family = Family(rules(tax=None), {"item": "A", "quantity": 10})
    family.approve(family.open((10, {"quantity": 15})), settle="split")
    family.move(0, "cancelled")
    change = family.open((10, {"quantity": 6}))
    assert [
        (line.figures["quantity"].before, line.figures["quantity"].after) for line in change.variance().lines()
    ] == [(5, 6)]
    family.approve(change, settle=settle)
    assert family.net() == (["100.00", "60.00"] if settle == "amend" else ["100.00", "50.00", "10.00"])
    family.change((10, {"quantity": 3}))
    assert family.net()[:2] == ["100.00", "30.00"]
    ledger = family.ledger()
    assert (ledger.is_balanced, str(ledger.current["without_tax"]), str(ledger.cancelled["without_tax"])) == (
        True,
        "30.00",
        "100.00",
    )


def test_what_was_delivered_of_what_is_over_stays_in_the_baseline():
    """4 of 10 were delivered before the original was cancelled: 9 stand, and fewer than 4 cannot be left."""
    rule = {"id": "not-below-delivered", "at": "enter", "require": "True"}
    family = Family(rules(tax=None, rule=[rule]), {"item": "A", "quantity": 10}, budget=200)
    family.change((10, {"quantity": 15}))
    editor = family.book.edit(family.orders[0], by="Cleo")
    editor.record_delivery("D", "delivered", line=10, quantity=4)
    editor.move_to("cancelled")
    family.orders[0] = editor.order
    with pytest.raises(
        dokima.Refused, match="O line 10: less would be left .* 3 in all, and 4 on O, which is cancelled must stay"
    ):
        family.change((10, {"quantity": 3}))
    assert family.change((10, {"quantity": 6})) == D("-30.00")
    assert (family.held(0), family.held(1)) == ({"10": "10 A"}, {"10": "2 A"})
    ledger = family.ledger()
    assert [str(each["without_tax"]) for each in (ledger.current, ledger.cancelled)] == ["60.00", "60.00"]
    assert (ledger.is_balanced, str(ledger.headroom)) == (True, "140.00")


def test_a_cancelled_supplement_gives_nothing_up():
    """10 and 5, the supplement cancelled: lowering to 7 takes 3 from the original."""
    family = Family(rules(tax=None), {"item": "A", "quantity": 10})
    family.change((10, {"quantity": 15}))
    family.move(1, "cancelled")
    assert family.change((10, {"quantity": 7})) == D("-30.00")
    assert family.net() == ["70.00", "50.00"]
    assert str(family.ledger().cancelled["without_tax"]) == "50.00"


def test_parts_of_both_signs_say_what_to_do_and_stop_no_other_line():
    """-3 on the original, 5 on the supplement: other lines go on, and this one says what is in its way."""
    flat = {"name": "fee", "kind": "charge", "amount": "5"}
    family = Family(rules(flat, tax=None), {"item": "A", "quantity": 10}, {"item": "C", "quantity": 1})
    family.change((10, {"quantity": 15}))
    family.edit(0, "10", quantity=-3)
    assert family.change((20, {"quantity": 2})) == D("1.00")
    said = r"O line 10: -3 on O, 5 on O-S1, 2 on the new supplement .*make their quantities of one sign"
    with pytest.raises(dokima.Refused, match=said):
        family.change((10, {"quantity": 4}))


def test_a_change_keeps_the_currency():
    """Neither in a change nor in a document of a family; what is there already stops no list."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    change = family.book.change(family.orders[0], "Ada")
    with pytest.raises(dokima.Refused, match="'currency' cannot be changed like a field here: it is that of the order"):
        change.edit("Ada").change_header(currency="USD")
    family.change((10, {"quantity": 15}))
    with pytest.raises(dokima.Refused, match="'currency' .* O-S1"):
        family.book.edit(family.orders[0], by="Cleo").change_header(currency="USD")


@pytest.mark.parametrize("at", [0, 1])
def test_lines_of_a_family_keep_their_numbers(at):
    """Renumbering is refused in a change and in a document of a family."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    with pytest.raises(dokima.Refused, match="renumber_lines"):
        family.book.change(family.orders[0], "Ada").edit("Ada").renumber_lines()
    family.change((10, {"quantity": 15}))
    with pytest.raises(dokima.Refused, match="renumber_lines"):
        family.book.edit(family.orders[at], by="Cleo").renumber_lines()


def test_rebase_finds_lines_by_the_map():
    """C of the supplement is line 30 of the change; the original gives 30 to B, and C stays what it was."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    family.change((None, {"item": "C", "quantity": 7}))
    family.edit(0, "", item="B", quantity=1)
    change = family.open((30, {"quantity": 9}), (None, {"item": "Z", "quantity": 1}))
    assert [line.number for line in change.document.lines] == ["10", "20", "30", "40"]
    editor = family.book.edit(family.orders[0], by="Cleo")
    editor.add_line("30", item="B", unit="C62", quantity=2)
    editor.add_line("40", item="B", unit="C62", quantity=3)
    family.orders[0] = editor.order
    with pytest.raises(dokima.StaleBaseline, match="O line 30 is new"):
        family.approve(change)
    assert change.rebase(family.orders, "Ada") == {"40": "60"}
    assert {line.number: line["item"] for line in change.document.lines} == {
        "10": "A", "20": "B", "30": "B", "40": "B", "50": "C", "60": "Z",
    }  # fmt: skip
    change.submit("Ada")
    assert change.variance().totals()["O"]["without_tax"].variance == D("52.00")
    family.approve(change)
    assert [family.held(at) for at in (1, 2)] == [{"20": "7 C"}, {"50": "2 C", "60": "1 Z"}]
    # What the change touches and the documents have pulled apart is told, and nothing is done.
    family = Family(rules(), {"item": "A", "quantity": 10})
    family.change((10, {"quantity": 15}))
    change = family.open((10, {"quantity": 16}))
    family.edit(1, "10", description="for the north bay")
    with pytest.raises(dokima.Conflict, match="line 10 is changed here, and stands in line 10, line 20 with others"):
        change.rebase(family.orders, "Ada")


def test_a_baseline_of_an_earlier_version_that_merged_too_much_is_stale():
    """It took 7 C for 7 B; rebase mends it."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    family.change((None, {"item": "C", "quantity": 7}))
    family.edit(0, "", item="B", quantity=1)
    change = family.open((10, {"quantity": 11}))
    content = change.baseline.content
    merged = content["document"]
    merged["lines"] = [line for line in merged["lines"] if line["number"] != "30"]
    merged["lines"][1]["quantity"] = "8"
    merged["terms"] = [each for each in merged["terms"] if each["line"] != "30"]
    text = canonical_json({name: content[name] for name in ("number", "revision", "rulebook", "parts", "document")})
    data = {**change.to_dict(), "baseline": digest_of(text)}
    data["document"]["lines"] = [line for line in data["document"]["lines"] if line["number"] != "30"]
    data["document"]["lines"][1]["quantity"] = "8"
    old = dokima.ChangeOrder.from_dict(family.book.program, data, text, change._clock)
    with pytest.raises(dokima.StaleBaseline, match="O-S1 line 20 is not the line of that number in O"):
        family.approve(old)
    old.rebase(family.orders, "Ada")
    old.submit("Ada")
    assert old.variance().totals()["O"]["without_tax"].variance == D("10.00")
    family.approve(old)
    assert family.net() == ["200.00", "7.00", "10.00"]


def test_what_is_in_another_currency_already_is_listed_with_its_reason():
    """A draft in USD, and a family in USD and EUR, both from before that was refused: sums are unknown, never wrong."""
    family = Family(rules(), {"item": "A", "quantity": 10}, budget="500")
    change = family.book.change(family.orders[0], "Ada")
    data = change.to_dict()
    data["document"]["currency"] = "USD"
    foreign = dokima.ChangeOrder.from_dict(family.book.program, data, change.baseline.text, change._clock)
    why = "order O, currency: expected one currency before and after (got EUR and USD)"
    (entry,) = change_entries([foreign], datetime.date(2026, 3, 4))
    assert (entry.without_tax, entry.currency, entry.unknown) == (None, "USD", why)
    assert why in dokima.report(change_entries([foreign], datetime.date(2026, 3, 4))).to_text(width=200)
    pending = ledger_of(family.book.program, family.orders, [foreign])
    assert (pending.pending[0].unknown, pending.headroom, pending.headroom_pending) == (why, D("400.00"), None)
    family.change((10, {"quantity": 15}))
    family.orders[1].header["currency"] = "USD"
    ledger = family.ledger()
    assert ledger.current == dict.fromkeys(("without_tax", "tax", "with_tax"))
    assert ledger.unknown == {"O": "expected documents of one currency (got O in EUR, O-S1 in USD)"}
    with pytest.raises(dokima.Refused, match="expected documents of one currency"):
        family.open((10, {"quantity": 16}))


def test_tax_that_rounding_does_not_explain_is_refused():
    """Whatever settles a line in a way of its own: 10.00 more of tax on a document is no rounding of three groups."""
    family = Family(rules(), {"item": "A", "quantity": 10})
    change = family.open((10, {"quantity": 15}))
    priced = family.book.price(family.orders[0])["O"]
    refuse_more_than_rounding("O-C1", D("0.015"), [priced, priced, priced])
    with pytest.raises(
        dokima.Refused, match=r"differs by 10.00 from what was approved, and rounding explains 0.015 at"
    ):
        refuse_more_than_rounding(change.number, D("10.00"), [priced, priced, priced])
