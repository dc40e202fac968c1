"""Change orders: the worked example through split and amend by hand, properties of settlement, and the hard cases."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from dokima.changes.grouping import grouped
from dokima.changes.ledger import ledger_of
from dokima.model.content import digest_of
from dokima.reports.changes import change_paper
from dokima.reports.translations import Wording
from tests.books import DEMO, book, routine

BOOK = dokima.load(DEMO)
ORDER = DEMO / "orders" / "SQ-2041.json"


def original():
    return dokima.Order.from_dict(BOOK.orders(ORDER).document(0))


def opened(order=None, rules=BOOK, supplements=(), taken=()):
    return rules.change(order or original(), by="Ada", supplements=supplements, reason="more panes", taken=taken)


def revised():
    """Four panes more, one vent less, and a bench."""
    change = opened()
    editor = change.edit("Ada")
    editor.change_line(10, quantity=40)
    editor.change_line(20, quantity=3)
    editor.add_line(item="BENCH-K", quantity=1)
    return change


def approved(change, *orders, **how):
    change.submit("Ada")
    return change.approve("Ben", list(orders), **how)


def sums(order, rules=BOOK):
    found = rules.price(order)[order.number]
    assert not found.findings
    return found.totals.without_tax, found.totals.tax


def steps(order, number, rules=BOOK):
    line = rules.price(order)[order.number].line(number)
    return [str(value) for value in (line.quantity, line.goods, line.quantity_discount, line.freight, line.net)]


def test_the_worked_example_is_split_to_the_cent():
    """Line 10: 40 x 44.25 = 1770.00 - 70.80 + 170.24; the 36 keep 1593.00 - 63.72 + 153.22, the 4 get the rest."""
    change = revised()
    ((_, totals),) = change.variance().totals().items()
    assert (totals["without_tax"].after, totals["tax"].after, totals["tax"].variance) == (
        D("4185.31"), D("695.92"), D("94.04"),
    )  # fmt: skip
    done = approved(change, original())
    assert [order.number for order in done.orders] == ["SQ-2041", "SQ-2041-S1"]
    assert steps(done.amended, 10) == ["36", "1593.00", "63.72", "153.22", "1682.50"]
    assert steps(done.amended, 20) == ["3", "389.70", "0.00", "7.81", "397.51"]
    assert steps(done.supplement, 10) == ["4", "177.00", "7.08", "17.02", "186.94"]
    assert steps(done.supplement, 40) == ["1", "385.00", "0.00", "8.36", "393.36"]
    # Tax 436.80 + 137.25 and 121.86, one cent less than the 695.92 that were approved.
    assert [sums(order) for order in done.orders] == [(D("3605.01"), D("574.05")), (D("580.30"), D("121.86"))]
    assert done.tax_rounding == D("-0.01")
    # The advance is 20 % of what each document comes to: 835.81 of 4179.06, 140.43 of 702.16.
    assert [BOOK.price(o)[o.number].total("advance") for o in done.orders] == [D("835.81"), D("140.43")]
    assert [sum(D(r["figures"]["without_tax"]) for r in o.header["terms"][1:]) for o in done.orders] == [
        D("3605.01"), D("580.30"),
    ]  # fmt: skip
    assert (done.amended.header["revision"], done.amended.header["state"]) == (1, "confirmed")
    assert {link["number"] for link in done.supplement.header["links"]} == {"SQ-2041", "SQ-2041-C1"}
    assert original() == dokima.Order.from_dict(BOOK.orders(ORDER).document(0))


def test_the_worked_example_as_one_amended_order():
    done = approved(revised(), original(), settle="amend")
    assert (done.supplement, done.tax_rounding) == (None, D("0.00"))
    assert sums(done.amended) == (D("4185.31"), D("695.92"))


def test_a_second_change_takes_back_what_the_supplement_holds_first():
    """36 + 4 panes to 30: the supplement gives up its 4, the original 6; every cent is where it was approved."""
    first = approved(revised(), original())
    again = opened(first.amended, supplements=[first.supplement], taken=["SQ-2041-C1"])
    assert again.number == "SQ-2041-C2"
    assert again.variance().is_empty
    again.edit("Ada").change_line(10, quantity=30)
    done = approved(again, first.amended, first.supplement)
    # 30 x 44.25 = 1327.50 less 4 % = 53.10, freight 11.2 x 30 x 0.38 = 127.68.
    assert steps(done.amended, 10) == ["30", "1327.50", "53.10", "127.68", "1402.08"]
    (supplement,) = done.supplements
    assert [line.number for line in supplement.lines] == ["40"]
    assert sums(supplement) == (D("393.36"), D("82.61"))
    change = revised()
    approved(change, original())
    ledger = ledger_of(BOOK.program, done.orders, [change, again])
    assert (ledger.is_balanced, [each.tax_rounding for each in ledger.approved]) == (True, [D("-0.01"), D("0.01")])


def test_a_supplement_keeps_its_own_state():
    first = approved(revised(), original())
    first.supplement.header["state"] = "finished"
    again = opened(first.amended, supplements=[first.supplement], taken=["SQ-2041-C1"])
    again.edit("Ada").change_line(20, quantity=2)
    done = approved(again, first.amended, first.supplement)
    assert [order.header["state"] for order in done.orders] == ["confirmed", "finished"]


def test_states_follow_each_other_and_nothing_is_done_twice():
    change = revised()
    with pytest.raises(dokima.Locked, match="SQ-2041-C1 is draft, so it cannot be approved; that needs it submitted"):
        change.approve("Ben", [original()])
    change.submit("Ada")
    with pytest.raises(dokima.Locked, match="is submitted, so it cannot be edited"):
        change.edit("Ada")
    change.approve("Ben", [original()])
    with pytest.raises(dokima.Locked, match="is approved, so it cannot be approved"):
        change.approve("Ben", [original()])
    with pytest.raises(dokima.Locked, match="is approved, so it cannot be withdrawn"):
        change.withdraw("Ada")
    assert [(entry["action"], entry["by"]) for entry in change.record["history"]] == [
        ("submitted", "Ada"), ("approved", "Ben"),
    ]  # fmt: skip
    other = revised()
    other.submit("Ada")
    other.reject("Ben", "too dear")
    assert (other.state, other.record["history"][-1]["reason"]) == ("rejected", "too dear")


def test_a_change_back_to_the_original_changes_nothing():
    change = opened()
    editor = change.edit("Ada")
    editor.change_line(10, quantity=40)
    editor.change_line(10, quantity=36)
    editor.remove_line(20)
    editor.add_line(20, item="VENT-R", quantity=4)
    assert change.variance().is_empty
    with pytest.raises(dokima.Refused, match="SQ-2041-C1 changes nothing"):
        change.submit("Ada")


def test_a_change_of_a_date_alone_moves_no_money():
    change = opened()
    change.edit("Ada").change_line(20, due_date="2026-05-01")
    (line,) = change.variance().lines()
    assert (line.status, list(line.fields), line.figures["without_tax"].variance) == (
        "changed",
        ["due_date"],
        D("0.00"),
    )
    done = approved(change, original())
    assert (done.supplement, done.amended.line(20)["due_date"]) == (None, datetime.date(2026, 5, 1))


def test_an_original_that_moved_is_stale_until_rebased():
    change = revised()
    change.submit("Ada")
    moved = dokima.Order.from_dict({**original().to_dict(), "state": "draft", "payments": [{"amount": "5"}]})
    moved.lines[2].fields["quantity"] = D("3")
    with pytest.raises(dokima.StaleBaseline, match="line 30: quantity was 2.5 and is 3") as stale:
        change.approve("Ben", [moved])
    assert stale.value.moved == ("line 30: quantity was 2.5 and is 3",)
    change.rebase([moved], "Ada")
    assert change.state == "draft"
    done = approved(change, moved)
    assert [line["quantity"] for line in done.amended.lines] == [D("36"), D("3"), D("3")]
    assert done.amended.header["payments"] == [{"amount": "5"}]
    clash = revised()
    moved.lines[0].fields["quantity"] = D("37")
    with pytest.raises(dokima.Conflict, match="line 10 quantity is 40 here and 37 there"):
        clash.rebase([moved], "Ada")


def test_what_is_delivered_or_closed_cannot_be_taken_back():
    order = original()
    order.lines[1].fields["delivered"] = "4"
    change = opened(order)
    change.edit("Ada").change_line(10, quantity=40)
    after = dokima.Order.from_dict(order.to_dict())
    change.submit("Ada")
    late = opened()
    late.edit("Ada").change_line(20, quantity=3)
    late.submit("Ada")
    after.lines[1].fields["delivered"] = "4"
    with pytest.raises(dokima.Refused, match="line 20: less would be left than is delivered or closed already"):
        late.approve("Ben", [after])
    assert approved_amounts(change, after) == ["36", "4", "2.5"]


def approved_amounts(change, order):
    return [str(line["quantity"]) for line in change.approve("Ben", [order]).amended.lines]


def test_a_rule_of_approving_stops_it():
    rules = book(
        line={"colour": {}},
        rule=[{"id": "limit", "at": "approve", "require": "header.without_tax <= 100", "message": "over the limit"}],
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "10"}]}),
    )
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": 4}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=11)
    change.submit("Ada")
    with pytest.raises(dokima.Refused, match="over the limit"):
        change.approve("Ben", [order])
    assert change.state == "submitted"


@pytest.mark.parametrize(
    ("before", "after", "kept", "apart"),
    [
        ("-2", "3", "3", None),
        ("5", "-1", "-1", None),
        ("5", "0", "0", None),
        ("0", "4", "4", None),
        ("2", "5", "2", "3"),
    ],
)
def test_a_quantity_through_zero_stays_with_the_original(before, after, kept, apart):
    rules = book(routine=routine({"name": "price", "kind": "price", "options": [{"value": "10"}]}))
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": before}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=after)
    done = approved(change, order, settle="split")
    assert str(done.amended.line(10)["quantity"]) == kept
    assert (None if done.supplement is None else str(done.supplement.line(10)["quantity"])) == apart


def test_another_item_under_the_same_number_is_removed_and_added():
    change = opened()
    change.edit("Ada").change_line(20, item="VENT-L", quantity=2)
    done = approved(change, original())
    assert [line.number for line in done.amended.lines] == ["10", "30"]
    assert [(line.number, line["item"]) for line in done.supplement.lines] == [("20", "VENT-L")]


def test_a_policy_in_python_says_whose_growth_is_ordered_separately():
    done = approved(revised(), original(), settle=lambda line: line.status == "added")
    assert steps(done.amended, 10)[0] == "40"
    assert [line.number for line in done.supplement.lines] == ["40"]

    @dokima.settling
    def large_only(line):
        return line.figures["quantity"].variance > 5

    steps_ = routine({"name": "price", "kind": "price", "options": [{"value": "1"}]})
    data = {"rulebook": {"name": "r", "currency": "EUR"}, "routine": steps_}
    rules = dokima.Rulebook.from_dict(data, python=[large_only])
    order = dokima.Order("A", state="confirmed", lines=[{"quantity": 2}, {"quantity": 2}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=4)
    change.edit("Ada").change_line(20, quantity=14)
    assert [line.number for line in approved(change, order).supplement.lines] == ["20"]


def test_a_changed_byte_of_a_baseline_is_refused():
    change = revised()
    data = change.to_dict()
    text = change.baseline.text
    assert dokima.ChangeOrder.from_dict(BOOK.program, data, text, datetime.datetime.now).number == "SQ-2041-C1"
    with pytest.raises(dokima.DocumentError, match="SQ-2041-C1, baseline: the baseline has been changed: its SHA-256"):
        dokima.ChangeOrder.from_dict(BOOK.program, data, text.replace("36", "35", 1), datetime.datetime.now)


@pytest.mark.parametrize(("reprice_on", "moving"), [(["item", "quantity"], ["10", "20"]), (["item"], ["10"])])
def test_a_break_that_is_crossed_moves_lines_that_nobody_touched(reprice_on, moving):
    """Only where quantity calls for new prices is the sum of both lines asked again: it reaches 24, and 20 follows."""
    rules = book(
        terms={"reprice_on": reprice_on},
        table={
            "item": {"key": {"item": "line.item"}},
            "off": {
                "match": {"item": "line.item"},
                "breaks": {"least": "sum(line.quantity)"},
                "choose": "highest percent",
            },
        },
        tables={"off": [{"item": "X", "least": None, "percent": "0"}, {"item": "X", "least": "24", "percent": "10"}]},
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "10"}]},
            {"name": "cut", "kind": "discount", "percent": "off.percent"},
        ),
    )
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": 10}, {"item": "X", "quantity": 10}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=20)
    moved = {line.line: line for line in change.variance().lines()}
    assert list(moved) == moving
    if "20" in moved:
        assert [moved[n].figures["cut"].after for n in ("10", "20")] == [D("20.00"), D("10.00")]
        assert [moved[n].is_consequence for n in ("10", "20")] == [False, True]
        paper = change_paper(change, Wording.of(rules.program))
        assert [row.mark for row in paper.sections[1].rows] == ["changed", "follows", "detail", "total"]
        assert paper.sections[1].rows[2].values[2] == "because line 10 changed: cut +10.00"


def test_amounts_chain_from_one_state_to_the_next():
    """A to B and B to C is A to C, line by line, for quantities and every amount."""
    states = [original(), revised().document, original()]
    states[2].lines[0].fields["quantity"] = D("12")
    one, two, both = (BOOK.variance(states[a], states[b]) for a, b in ((0, 1), (1, 2), (0, 2)))
    for name in ("quantity", "goods", "quantity_discount", "freight", "net", "vat", "with_tax", "cost", "margin"):
        moved = [
            {line.line: line.figures[name].variance for line in each.lines(every=True)} for each in (one, two, both)
        ]
        assert all(moved[0][n] + moved[1].get(n, 0) == moved[2].get(n, 0) for n in moved[0] if n != "40")


def test_mix_and_sums_by_a_field():
    """36 to 40 panes at 46.736 and 46.736 a piece: by quantity 186.94; nothing by price, and no mix."""
    variance = BOOK.variance(ORDER, DEMO / "changed" / "SQ-2041.json", mix=True)
    for line in variance.lines():
        effects = [line.figures[f"{name}_effect"].variance for name in ("quantity", "price", "mix")]
        assert sum(effects) == line.figures["without_tax"].variance
    assert [(g.value, g.lines, g.figures["without_tax"][2]) for g in grouped(variance, "family").groups] == [
        ("benches", 1, D("393.36")), ("glazing", 1, D("186.94")), ("vents", 1, D("-132.50")),
    ]  # fmt: skip
    with pytest.raises(dokima.NotFound, match="did you mean 'family'"):
        grouped(variance, "famly")


def test_a_discount_that_only_now_applies_is_shared():
    """10 % from 40 on: 4 x 10 % of 400.00 = 40.00 go to 36 and 4 by quantity, not all to the four that were added."""
    rules = book(
        changes={"settle": "split"},
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "10"}]},
            {"name": "off", "kind": "discount", "percent": "10", "when": "line.quantity >= 40"},
        ),
    )
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": 36}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=40)
    done = approved(change, order)
    assert [rules.price(o)[o.number].line(10).off for o in done.orders] == [D("36.00"), D("4.00")]


def test_sub_lines_are_settled_below_their_parents():
    """PO-721 split: 84 to 100 m2 at 6.40; the site allowance of 150.00 is shared anew over the sub-lines."""
    source = DEMO / "orders" / "PO-721.json"
    change = BOOK.change(source, by="Ada")
    change.edit("Ada").change_line("10/10", quantity=100)
    order = dokima.Order.from_dict(BOOK.orders(source).document(0))
    done = approved(change, order, settle="split")
    assert [(line.number, str(line["quantity"] if "quantity" in line.fields else None)) for line in done.supplement.lines] == [
        ("10", "None"), ("10/10", "16"),
    ]  # fmt: skip
    priced = [BOOK.price(o)[o.number] for o in done.orders]
    assert sum(each.line("10/10").works for each in priced) == D("640.00")
    assert sum(each.total("site") for each in priced) == D("150.00")
    assert not any(each.findings for each in priced)


def test_what_has_ended_cannot_be_changed_and_a_draft_keeps_its_frozen_prices(tmp_path):
    with pytest.raises(dokima.Locked, match="order SQ-2041 is cancelled, and nothing about it can change"):
        opened(dokima.Order.from_dict({**original().to_dict(), "state": "cancelled"}))
    text = (DEMO / "tables" / "agreed_prices.csv").read_text().replace("44.25", "99.00")
    (tmp_path / "new.csv").write_text(text)
    dearer = dokima.load(DEMO, tables={"agreed": tmp_path / "new.csv"})
    kept = revised()
    data, text = kept.to_dict(), kept.baseline.text
    assert data["baseline"] == digest_of(text)
    change = dokima.ChangeOrder.from_dict(dearer.program, data, text, datetime.datetime.now)
    assert next(iter(change.variance().lines())).figures["price"].after == D("44.25")


def test_two_people_who_each_add_a_line_do_not_conflict():
    """The change gives way: its line 40 and what is below take the next free number, and it says so."""
    order = original()
    change = opened(order)
    editor = change.edit("Ada")
    assert editor.add_line(item="BED-H", quantity=1) == "40"
    assert editor.explode_line(40)[:2] == ["40/10", "40/20"]
    mine = [line.fields["item"] for line in change.document.lines[3:]]
    direct = BOOK.edit(order, by="Cleo")
    assert direct.add_line(item="VENT-R", quantity=2) == "40"
    numbers = change.rebase([direct.order], "Ada")
    assert (numbers["40"], numbers["40/10"]) == ("50", "50/10")
    assert change.record["history"][-1]["renumbered"] == numbers
    assert [line.fields["item"] for line in change.document.lines[3:]] == ["VENT-R", *mine]
    assert [line.line for line in change.variance().lines() if line.status == "added"] == list(numbers.values())[1:]


def test_a_change_that_is_offered_no_longer_can_be_refused_by_a_rule():
    rule = {
        "id": "too-late", "at": "approve", "require": "blank(change.valid_until) or run.today <= change.valid_until",
        "message": "It was offered until {change.valid_until}.",
    }  # fmt: skip
    price = {"name": "price", "kind": "price", "options": [{"value": "10"}]}
    rules = book(routine=routine(price), rule=[rule], report={"valid_days": 14})
    order = dokima.Order("A", state="confirmed", lines=[{"item": "X", "quantity": 1}])
    change = rules.change(order, by="Ada")
    change.edit("Ada").change_line(10, quantity=2)
    change.submit("Ada")
    last = change.valid_until
    with pytest.raises(dokima.Refused, match=f"It was offered until {last}."):
        change.approve("Ben", [order], today=last + datetime.timedelta(days=1))
    assert change.approve("Ben", [order], today=last).orders[0].number == "A"


def test_cost_and_margin_need_no_steps_of_the_rulebook():
    """Line 10: cost 2 x 7.005 = 14.01, then 3 x 7.005 = 21.02 (21.015 half up); margin 20.00 - 14.01, 30.00 - 21.02.

    Line 20 costs 5 before and after; line 30 is new and nobody knows its cost, so the order's is unknown afterwards.
    """
    rules = book(routine=routine({"name": "price", "kind": "price", "options": [{"value": "10"}]}))
    lines = [{"item": "X", "quantity": 2, "unit_cost": "7.005"}, {"item": "Y", "quantity": 1, "unit_cost": "5"}]
    change = rules.change(dokima.Order("A", lines=lines), by="Ada")
    editor = change.edit("Ada")
    editor.change_line(10, quantity=3)
    first = change.variance()
    moved = {line.line: (line.figures["cost"], line.figures["margin"]) for line in first.lines(every=True)}
    assert list(moved["10"]) == [
        (D("14.01"), D("21.02"), D("7.01")),
        (D("5.99"), D("8.98"), D("2.99")),
    ]
    assert moved["20"][0].variance == D("0.00")
    totals = first.totals()["A"]
    assert [totals[name].variance for name in ("cost", "margin")] == [D("7.01"), D("2.99")]
    assert (totals["cost"].before, totals["margin"].after) == (D("19.01"), D("13.98"))
    editor.add_line(item="Z", quantity=1)
    totals = change.variance().totals()["A"]
    assert (totals["cost"].before, totals["cost"].after, totals["margin"].variance) == (D("19.01"), None, None)
    paper = change_paper(change, Wording.of(rules.program), with_costs=True)
    assert paper.sections[2].rows[0].values[-6:] == [
        D("14.01"), D("21.02"), D("7.01"), D("5.99"), D("8.98"), D("2.99"),
    ]  # fmt: skip
    assert "cost" not in str(change_paper(change, Wording.of(rules.program)))


@pytest.mark.parametrize("settle", ["amend", "split"])
def test_what_the_original_stated_does_not_stop_a_change_and_goes_where_it_is_stale(settle):
    """2 x 48.50 = 97.00 and 1 x 129.90; three panes more make 242.50, which nobody has stated."""
    rules = book()
    lines = [
        {"number": 10, "item": "PANE", "quantity": 2, "unit_price": "48.50", "stated_net": "97.00"},
        {"number": 20, "item": "VENT", "quantity": 1, "unit_price": "129.90", "stated_net": "129.90"},
    ]
    order = dokima.Order("S1", lines=lines, stated_without_tax="226.90", stated_with_tax="274.55")
    assert not rules.price(order).findings
    change = opened(order, rules)
    change.edit("Ada").change_line(10, quantity=5)
    settled = approved(change, order, settle=settle)
    made = [settled.amended, *([settled.supplement] if settled.supplement else [])]
    assert not rules.price(made).findings
    first = settled.amended.line(10).fields
    if settle == "amend":
        assert ("stated_net" in first, first["unit_price"], first["quantity"]) == (False, D("48.50"), 5)
        assert "stated_without_tax" not in settled.amended.header
    else:
        assert (first["stated_net"], first["quantity"]) == (D("97.00"), 2)
        assert settled.amended.header["stated_with_tax"] == D("274.55")
        assert "stated_net" not in made[1].line(10).fields
    assert settled.amended.line(20).fields["stated_net"] == D("129.90")
