"""Discounts and charges with a tax of their own: groups, totals, agreed terms, and what does not load."""

from decimal import Decimal as D

import pytest

import dokima
from dokima.explaining.phrases import Phrases
from dokima.reports.specification.steps import step_sentences
from tests.books import book, routine

VAT = {"name": "vat", "kind": "tax", "percent": "coalesce(line.rate, 21)", "category": "'S'"}
FIELDS = {"line": {"rate": {"kind": "decimal"}}, "header": {"fee": {"kind": "decimal"}, "back": {"kind": "decimal"}}}
STANDARD = {"percent": "21", "category": "'S'"}
EXEMPT = {"percent": "0", "category": "'E'", "reason": "'insurance'"}
FREIGHT = {"name": "freight", "kind": "charge", "over": "order", "amount": "coalesce(header.fee, 0)", "tax": STANDARD}
WAIVER = {"name": "waiver", "kind": "charge", "over": "order", "amount": "coalesce(header.back, 0)", "tax": EXEMPT}


def charged(*steps, line=None, header=None, **settings):
    """A rulebook whose price is the quantity; rate, fee and back stand on the order."""
    fields = {"line": {**FIELDS["line"], **(line or {})}, "header": {**FIELDS["header"], **(header or {})}}
    return book(**fields, routine=routine(*steps, VAT, **settings))


def priced(book_, *lines, **header):
    return book_.price(dokima.Order("A", lines=[{"quantity": q, "rate": r} for q, r in lines], **header))["A"]


def groups(order):
    return [(t.category, str(t.percent), str(t.taxable), str(t.tax)) for t in order.tax_breakdown]


def totals(order):
    names = ("line_net", "allowances", "charges", "without_tax", "tax", "with_tax")
    return [str(getattr(order.totals, name)) for name in names]


@pytest.mark.parametrize(
    ("inclusive", "amount", "fee", "net"),
    [("False", "100.00", "10.00", "100.00 0.00 15.00"), ("True", "109.00", "12.10", "109.00 0.00 17.10")],
)
def test_freight_is_standard_and_a_waiver_exempt_whatever_the_goods_are(inclusive, amount, fee, net):
    """Goods at 9 %, freight 10.00 at 21 %, waiver 5.00 exempt: 9.00 + 2.10 + 0.00 on 115.00, also inside one price."""
    order = priced(charged(FREIGHT, WAIVER, prices_include_tax=inclusive), (amount, "9"), fee=fee, back="5.00")
    assert totals(order) == [*net.split(), "115.00", "11.10", "126.10"]
    assert groups(order) == [
        ("E", "0", "5.00", "0.00"), ("S", "9", "100.00", "9.00"), ("S", "21", "10.00", "2.10"),
    ]  # fmt: skip
    assert [t.reason for t in order.tax_breakdown] == ["insurance", None, None]
    assert order.line("10").figure("net") == D(amount)


@pytest.mark.parametrize("per", ["document", "line"])
def test_one_group_is_rounded_once(per):
    """10.02 and 10.02 at 21 % are 4.21 on 20.04, not 2.10 + 2.10; per line the two are of one line."""
    order = priced(charged(FREIGHT, tax_per=per), ("10.02", "21"), fee="10.02")
    assert groups(order) == [("S", "21", "20.04", "4.21")]


def test_a_discount_of_the_running_amount_lowers_the_lines_own_base():
    """100 + 10 of freight, 10 % off 110 is 11: taxed are 89 at 9 % and 10 at 21 %."""
    off = {"name": "off", "kind": "discount", "percent": "10"}
    order = priced(charged(FREIGHT, off), ("100", "9"), fee="10")
    assert groups(order) == [("S", "9", "89.00", "8.01"), ("S", "21", "10.00", "2.10")]
    assert totals(order)[:4] == ["89.00", "0.00", "10.00", "99.00"]


def test_what_is_beaten_or_does_not_apply_has_no_tax():
    """Of 5.00 exempt and 10.00 standard the larger counts; a charge of a line that is 0 joins no group."""
    steps = [
        {"name": "plain", "kind": "charge", "amount": "5", "best_of": "fee", "tax": EXEMPT},
        {"name": "fast", "kind": "charge", "amount": "line.rate - 1", "best_of": "fee", "tax": STANDARD},
        {"name": "gift", "kind": "charge", "amount": "1", "when": "line.rate > 50", "tax": {"percent": "line.blank"}},
    ]
    order = priced(charged(*steps, line={"blank": {"kind": "decimal"}}), ("100", "11"), ("100", "3"))
    assert groups(order) == [
        ("E", "0", "5.00", "0.00"), ("S", "3", "100.00", "3.00"), ("S", "11", "100.00", "11.00"),
        ("S", "21", "10.00", "2.10"),
    ]  # fmt: skip
    assert totals(order)[:3] == ["200.00", "0.00", "15.00"]


def test_a_tax_on_top_takes_it_only_if_named():
    """10 at 20 % is 2.00; a levy of 10 % on top of that tax bears 1.20 of it if the step names it, else nothing."""
    levy = {"name": "levy", "kind": "tax", "percent": "10", "on_top_of": ["vat"]}
    for step, expected in ((["vat"], "0.00"), (["vat", "levy"], "1.20")):
        fee = {"name": "fee", "kind": "charge", "amount": "10", "tax": {"percent": "20", "step": step}}
        order = book(routine=routine(fee, {**VAT, "percent": "0"}, levy)).price(
            dokima.Order("A", lines=[{"quantity": "0"}])
        )["A"]
        assert (str(order.total("vat")), str(order.total("levy"))) == ("2.00", expected)


def test_an_unknown_rate_is_said_and_the_order_has_no_total():
    fee = {"name": "crane", "kind": "charge", "amount": "10", "tax": {"percent": "line.own"}}
    calculation = charged(fee, line={"own": {"kind": "decimal"}}).price(dokima.Order("A", lines=[{"quantity": "1"}]))
    assert calculation["A"].totals.with_tax is None
    assert [each.message for each in calculation.findings] == ["no crane: line.own is blank"]


@pytest.mark.parametrize(
    ("steps", "path", "message"),
    [
        ([FREIGHT], "freight.tax", "a tax of its own joins a tax step (this routine has none)"),
        ([FREIGHT, VAT, {**VAT, "name": "eco"}], "freight.tax", "expected 'step', the tax that it joins: one of vat"),
        ([{**FREIGHT, "tax": {**STANDARD, "step": ["vta"]}}, VAT], "tax.step", "a tax step (got 'vta'; did you mean"),
        ([{**FREIGHT, "tax": {**STANDARD, "step": ["vat", "eco"]}}, VAT, {**VAT, "name": "eco"}], "tax.step",
         "a tax step on top of 'vat', once (got 'eco')"),
        ([{**VAT, "tax": STANDARD}], "vat.tax", "a tax step takes percent, category, reason"),
        ([{**FREIGHT, "tax": {"category": "'S'"}}, VAT], "freight.tax", "expected this key"),
        ([{**FREIGHT, "tax": {"percent": "21", "category": "21"}}, VAT], "tax.category", "must give text (this gives a whole number)"),
        ([{**FREIGHT, "tax": {"percent": "line.vat"}}, VAT], "tax.percent", "line.vat"),
    ],
)  # fmt: skip
def test_what_does_not_load(steps, path, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(**FIELDS, routine=routine(*steps))
    (problem,) = [each for each in caught.value.problems if path in each.path]
    assert message in problem.message


def test_what_was_agreed_stands_and_settles_to_the_cent():
    """Rate 19 of freight is agreed; the rulebook says 21 later. Two lines more: original and supplement are approved."""
    early = charged({**FREIGHT, "amount": "3.33", "tax": {**STANDARD, "percent": "19"}}, WAIVER)
    late = charged({**FREIGHT, "amount": "3.33"}, WAIVER)
    lines = [{"quantity": "10.01", "rate": "9"}, {"quantity": "7.77", "rate": "9"}]
    agreed = early.edit(dokima.Order("A", lines=lines, back="0.50"), by="Ada")
    agreed.move_to("confirmed")
    before = late.price(agreed.order)["A"]
    assert ("S", "19", "3.33", "0.63") in groups(before)
    assert [f.rule for f in late.check(agreed.order)] == []

    for settle in ("amend", "split"):
        change = late.change(agreed.order, by="Ada")
        editor = change.edit("Ada")
        editor.change_line(20, quantity="9.99")
        editor.add_line(quantity="5.55", rate="9")
        change.submit("Ada")
        whole = late.price(change.document)["A"]
        done = change.approve("Ben", [agreed.order], settle=settle)
        parts = [late.price(each)[each.number] for each in done.orders]
        assert sum((part.totals.without_tax for part in parts), D(0)) == whole.totals.without_tax
        assert sum((part.totals.tax for part in parts), D(0)) == whole.totals.tax + done.tax_rounding
        for part in parts:
            assert sum((row.taxable for row in part.tax_breakdown), D(0)) == part.totals.without_tax


def test_it_is_told_everywhere():
    book_ = charged(FREIGHT, WAIVER)
    order = dokima.Order("A", lines=[{"quantity": "100", "rate": "9"}], fee="10", back="5")
    told = dokima.report(book_.explain(order, 10)).text
    assert "a tax of its own: 21 %, tax category S" in told
    assert "tax category E" in told
    phrases = Phrases(book_.program)
    (sales,) = book_.program.routines
    said = [each.text for each in step_sentences(sales.step("freight"), sales, phrases)]
    assert said[-3:] == [
        "Its amount has a tax of its own: 21 % of it, whatever its line is taxed with.",
        "That tax is part of vat.",
        "Its category is ‘S’.",
    ]
