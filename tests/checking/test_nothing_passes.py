"""Nothing passes in silence: what failed has a finding, and the totals of an order in error are blank."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.pricing.test_exact_figures import FIELDS, P, order, rules, tax

BLANK = dokima.Totals(None, None, None, None, None, None, Decimal(0), None, None)


def said(priced):
    """The errors of an order, each with its line."""
    return [(finding.line, finding.message) for finding in priced.findings]


# -- orders in error ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("steps", "message"),
    [
        ([tax("levy", "1.5"), tax("vat", "line.r")], "no levy: vat in the same price is unknown: line.r is blank"),
        ([tax("vat", "line.r")], "no vat: line.r is blank"),
    ],
)
def test_a_blank_rate_in_a_price_is_told_and_leaves_no_total(steps, message):
    """Taxes that share a price are all known, or none is."""
    priced = rules(*steps, prices_include_tax="True").price(order("12.10"))["A"]

    assert (said(priced), priced.totals) == ([("10", message)], BLANK)
    assert priced.line(10).net == Decimal("12.10")  # what came before the first blank step stays


@pytest.mark.parametrize(
    ("setting", "message"),
    [
        ({"amount": "header.share"}, "no part: header.share is blank"),
        ({"percent": "header.share"}, "no part: header.share is blank"),
        ({"percent": 5, "cap": "header.share"}, "no part: header.share is blank"),
        ({"amount": 5, "when": "header.share > 0"}, "no part: header.share is blank"),
        ({"amount": 5}, "no part: there is no line, or only lines of weight 0, to share it over"),
    ],
)
def test_an_empty_order_is_no_way_around_a_blank(setting, message):
    """A step of the order is worked out for an order without lines too."""
    priced = rules({"name": "part", "kind": "charge", "over": "order", **setting}).price(order())["A"]

    assert (said(priced), priced.totals) == ([("", message)], BLANK)


def test_prepaid_stands_whatever_else_is_unknown():
    """100 were paid, on an order that cannot be priced and on one that no routine fits."""
    book = rules(P, when="header.kind == 'sales'")
    paid = {"payments": [{"amount": "100"}]}
    orders = [order("", kind="sales", **paid), order("5", number="B", kind="rent", **paid)]
    totals = [priced.totals for priced in book.price(orders)]
    assert [(each.prepaid, each.payable, each.line_net) for each in totals] == [(Decimal(100), None, None)] * 2


def test_a_blank_figure_that_a_money_step_reads_is_told_there():
    """The figure itself is no error; the charge that needs it is."""
    book = rules(
        {"name": "rate", "kind": "figure", "value": "1 / line.r"},
        {"name": "toll", "kind": "charge", "amount": "line.rate"},
        {"name": "again", "kind": "charge", "amount": "header.toll"},
    )
    priced = book.price(order({"p": 5, "r": 0}, {"p": 5, "r": 1}))["A"]
    assert (said(priced), priced.totals) == ([("10", "no toll: line.rate is blank")], BLANK)


STEPS = st.sampled_from(
    [
        {"kind": "charge", "amount": "line.r"},
        {"kind": "discount", "percent": "line.r", "when": "line.f"},
        {"kind": "charge", "amount": "header.share", "over": "order"},
        {"kind": "discount", "percent": "5", "over": "order", "where": "line.r > 1"},
        {"kind": "charge", "amount": "1", "over": "order", "share": "line.r", "keep_above": None},
        {"kind": "figure", "value": "10 / line.r"},
        {"kind": "tax", "percent": "line.r"},
        {"kind": "tax", "percent": "20", "when": "line.r > 0"},
    ]
)
NUMBER = st.sampled_from([None, "0", "1", "-2", "3.5"])
LINES = st.lists(
    st.fixed_dictionaries({"p": NUMBER, "r": NUMBER, "f": st.sampled_from([True, False, None])}), max_size=3
)


@given(st.lists(STEPS, max_size=4), LINES, NUMBER, st.booleans())
def test_an_order_has_totals_or_a_finding(steps, lines, share, inclusive):
    """Whatever is blank: either every total is known and nothing is said, or the reverse."""
    steps = sorted(steps, key=lambda step: step["kind"] == "tax")
    named = [
        {key: v for key, v in {"name": f"s{at}", **step}.items() if v is not None} for at, step in enumerate(steps)
    ]
    priced = rules(*named, prices_include_tax=str(inclusive)).price(order(*lines, share=share))["A"]

    known = {value is not None for name, value in vars(priced.totals).items() if name != "prepaid"}
    assert known == {not priced.findings}
    assert len({finding.line for finding in priced.findings}) == len(priced.findings)


# -- own functions ----------------------------------------------------------------------------------------------------


@dokima.function
def inv(x: Decimal) -> Decimal:
    """One over x, as a person writes it who forgot about 0."""
    return Decimal(6) / x


@dokima.function
def rough(x: Decimal) -> Decimal:
    """Returns what it did not declare."""
    return {1: 0.5, 2: None, 3: "7", 4: Decimal("NaN")}.get(int(x), x)


@dokima.function
def halved(x: Decimal) -> str:
    """Returns what no file can hold."""
    return "\ud800"


@dokima.function
def perhaps(x: Decimal) -> Decimal | None:
    """Declares that it may be blank."""
    return None if x == 1 else x


@dokima.function(columns=True)
def ranks(x: Decimal) -> Decimal:
    """All values at once; fails if one of them is 0."""
    return [Decimal(1) / value for value in x]


def with_functions(*steps, **more):
    """A rulebook with the functions above."""
    routine = {"sales": {"step": [P, *steps]}}
    data = {"rulebook": {"name": "own", "currency": "EUR"}, **FIELDS, "routine": routine, **more}
    return dokima.Rulebook.from_dict(data, python=[inv, rough, halved, perhaps, ranks])


def charge(formula, **more):
    """A charge of an amount."""
    return {"name": "toll", "kind": "charge", "amount": formula, **more}


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("inv(line.r)", "inv(0) failed: DivisionByZero: [<class 'decimal.DivisionByZero'>]"),
        ("coalesce(inv(line.r), 0)", "inv(0) failed: DivisionByZero"),
        ("inv(line.r) if line.r != 0 else 0", None),
        ("coalesce(line.r, inv(line.r))", None),
        ("1 if line.r == 0 or inv(line.r) > 2 else 0", None),
        ("1 if line.r == 0 and inv(line.r) > 2 else 0", "inv(0) failed"),
        ("1 if line.p == 0 and inv(line.r) > 2 else 0", None),
        ("sum(inv(line.r), where=line.r != 0)", None),
        ("sum(inv(line.r))", "inv(0) failed"),
        ("1 if any(inv(line.r) == 6) else 2", None),
        ("1 if all(inv(line.r) == 6) else 2", "inv(0) failed"),
        ("1 if blank(inv(line.r)) else 2", "inv(0) failed"),
        ("coalesce(sum(inv(line.r), by=line.f), 0)", "inv(0) failed"),
        ("1 if halved(line.r) == 'A' else 2", "halved(0) failed: it returned '\\ud800', with half of a surrogate pair"),
    ],
)
def test_a_failed_call_counts_only_where_the_value_depends_on_it(formula, expected):
    """And coalesce does not cure it. Line 10 has r = 0, line 20 has r = 1."""
    priced = with_functions(charge(formula)).price(order({"p": 5, "r": 0}, {"p": 5, "r": 1, "f": True}))["A"]
    if expected is None:
        assert not priced.findings
        assert priced.totals.payable is not None
    else:
        assert priced.findings[0].line == "10"
        assert priced.findings[0].message.startswith(f"no toll: {expected}")
        assert priced.totals == BLANK


@pytest.mark.parametrize(
    ("r", "message"),
    [
        (1, "no toll: rough(1) failed: it returned the float 0.5, expected Decimal"),
        (2, "no toll: rough(2) failed: it returned None, expected Decimal"),
        (3, "no toll: rough(3) failed: it returned the str '7', expected Decimal"),
        (4, "no toll: rough(4) failed: it returned NaN, expected Decimal"),
    ],
)
def test_what_a_function_did_not_declare_is_no_value(r, message):
    """A float least of all; None only where the result is declared with it."""
    assert said(with_functions(charge("coalesce(rough(line.r), 0)")).price(order({"p": 5, "r": r}))["A"]) == [
        ("10", message)
    ]
    blank = with_functions(charge("coalesce(perhaps(line.r), 3)")).price(order({"p": 5, "r": 1}))["A"]
    assert str(blank.totals.payable) == "8.00"


def test_what_reads_a_figure_in_error_is_in_error():
    """Through figures, sums of the order, defaults of fields and keys of tables."""
    ratio = {"name": "ratio", "kind": "figure", "value": "inv(line.r)"}
    through = with_functions(ratio, charge("coalesce(line.ratio, 0)")).price(order({"p": 5, "r": 0}, "5"))["A"]
    assert [finding.field for finding in through.findings] == ["ratio", "toll"]
    assert through.totals == BLANK
    alone = with_functions(ratio).price(order({"p": 5, "r": 0}))["A"]
    assert (len(alone.findings.errors), str(alone.totals.payable)) == (1, "5.00")

    field = {"line": {**FIELDS["line"], "late": {"kind": "decimal", "default": "inv(line.r)"}}}
    default = with_functions(charge("coalesce(line.late, 0)"), **field)
    found = default.price([order({"p": 5, "r": 0}), order({"p": 5, "r": 2}, number="B")])
    assert [finding.field for finding in found["A"].findings] == ["late", "toll"]
    assert (found["A"].totals, str(found["B"].totals.payable)) == (BLANK, "8.00")
    assert "no default for late: inv(0) failed" in default.check(order({"p": 5, "r": 0}))[0].message

    # No step reads it, and it is an error all the same.
    unread = with_functions(charge("1"), **field).price(order({"p": 5, "r": 0}))
    assert [finding.field for finding in unread.findings] == ["late"]


def test_a_column_function_that_fails_is_called_order_by_order():
    """So that others are unaffected."""
    book = with_functions(charge("ranks(line.r)"))
    priced = book.price([order({"p": 5, "r": 0}, {"p": 5, "r": 1}), order({"p": 5, "r": 1}, number="B")])
    assert "no toll: ranks() failed: DivisionByZero" in priced["A"].findings[0].message
    assert (priced["B"].totals.payable, not priced["B"].findings) == (Decimal("6.00"), True)


def test_a_rule_that_depends_on_a_failed_call_is_undecided():
    """Even where coalesce would have made it pass."""
    rule = [{"id": "r", "at": "enter", "when": "line.f", "require": "coalesce(inv(line.r), 1) > 0", "message": "No."}]
    (finding,) = with_functions(rule=rule).check(order({"p": 5, "r": 0, "f": True}, {"p": 5, "r": 0, "f": False}))
    assert (finding.line, finding.undecided) == ("10", True)
    assert "could not be decided: inv(0) failed: DivisionByZero" in finding.message


# -- required tables, and leaving draft --------------------------------------------------------------------------------


def with_tables(required="header.kind == 'sales'"):
    """Items and customers that must be known on sales."""
    tables = {
        "item": {"key": {"item": "line.item"}, "required": required},
        "customer": {"key": {"customer": "header.customer"}, "required": required},
    }
    rows = {"item": [{"item": "X", "size": 1}], "customer": [{"customer": "C", "size": 1}]}
    data = {"rulebook": {"name": "known", "currency": "EUR"}, **FIELDS, "table": tables}
    return dokima.Rulebook.from_dict({**data, "routine": {"sales": {"step": [P]}}}, tables=rows)


def test_a_required_row_is_asked_for_whether_or_not_anything_reads_it():
    """At enter, save and pricing, of leaves; once per line and table; where its condition holds or is unknown."""
    book = with_tables()
    bad = order(
        {"p": 1, "item": "NOPE"}, {"p": 1}, {"p": 1, "number": "20/10", "item": "X"}, customer="NOBODY", kind="sales"
    )
    lost = [
        ("", "table customer has no row for customer NOBODY"),
        ("10", "table item has no row for item NOPE"),
    ]
    assert [(f.line, f.message) for f in book.check(bad)] == lost
    assert [(f.line, f.message) for f in book.price(bad).findings] == lost
    blank = order({"p": 1}, customer="C", kind="sales")
    assert [f.message for f in book.check(blank)] == ["table item has no row for item blank"]
    assert not book.check(blank, at="enter")
    assert not book.check(order({"p": 1, "item": "NOPE"}, kind="purchase"))
    assert len(book.check(order({"p": 1, "item": "NOPE"}))) == 2
    with pytest.raises(dokima.RulebookError, match="'required' is worked out once per order"):
        with_tables("line.quantity > 1")


def test_the_editor_asks_for_rows_as_lines_come_in_and_headers_change():
    """And an order that cannot be priced stays a draft, but may be cancelled."""
    edit = with_tables().edit(order({"p": 1, "item": "X"}, customer="C", kind="sales"), by="M")
    with pytest.raises(dokima.Refused, match="table item has no row for item NOPE"):
        edit.add_line(item="NOPE", p=2)
    with pytest.raises(dokima.Refused, match="table customer has no row for customer NOBODY"):
        edit.change_header(customer="NOBODY")
    edit.add_line(p=None, item="X")
    with pytest.raises(dokima.Refused, match="move to confirmed is refused: line 20: no price: tried line.p is blank"):
        edit.move_to("confirmed")
    assert edit.state == "draft"
    edit.move_to("cancelled")
    assert "terms" not in edit.order.header


def test_a_rulebook_without_routines_leaves_draft_freely():
    """It prices nothing, so nothing is missing."""
    book = dokima.Rulebook.from_dict({"rulebook": {"name": "rules_only", "currency": "EUR"}})
    edit = book.edit(dokima.Order("A", lines=[{"quantity": 1}]), by="M")
    edit.move_to("confirmed")
    assert edit.order.header["state"] == "confirmed"
