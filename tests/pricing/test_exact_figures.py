"""Figures that come out to the last digit: quotients, taxes in a price, returns, and no order's company counts."""

from __future__ import annotations

from typing import Any

import pytest

import dokima

P = {"name": "price", "kind": "price", "options": [{"value": "line.p"}]}
FIELDS = {
    "line": {
        "p": {"kind": "decimal"},
        "r": {"kind": "decimal"},
        "f": {"kind": "flag", "default": "False"},
        "quantity": {"kind": "decimal", "default": "1"},
    },
    "header": {"share": {"kind": "decimal"}},
}


def rules(*steps: dict[str, Any], currency: str = "EUR", tables: Any = None, **settings: Any) -> dokima.Rulebook:
    """A rulebook of one routine."""
    table = {"table": settings.pop("table")} if "table" in settings else {}
    routine = {"sales": {"step": list(steps if steps and steps[0]["kind"] == "price" else (P, *steps)), **settings}}
    return dokima.Rulebook.from_dict(
        {"rulebook": {"name": "exact", "currency": currency}, **FIELDS, **table, "routine": routine}, tables=tables
    )


def order(*lines: Any, number: str = "A", **header: Any) -> dokima.Order:
    """An order of lines given by their prices, or by their fields."""
    return dokima.Order(
        number, lines=[line if isinstance(line, dict) else {"p": str(line)} for line in lines], **header
    )


def figures(book: dokima.Rulebook, *lines: Any, step: str = "", **header: Any) -> Any:
    """Payable and the line figures of a step, as text."""
    priced = book.price(order(*lines, **header))["A"]
    assert not priced.findings, [finding.message for finding in priced.findings]
    return str(priced.totals.payable), [str(line.figure(step)) for line in priced.lines] if step else []


def tax(name: str, percent: Any, **more: Any) -> dict[str, Any]:
    """A tax step."""
    return {"name": name, "kind": "tax", "percent": percent, **more}


HANDLING = {"name": "handling", "kind": "charge", "percent": "1", "places": 4}


def test_places_beyond_the_currency_stay_in_every_total():
    """1 % of 10.01 and 10.02 with four places is 0.1001 + 0.1002; of 92233720368547758.07 it is 922337203685477.5807."""
    assert figures(rules(HANDLING), "10.01", "10.02")[0] == "20.2303"
    big = rules(HANDLING).price(order("92233720368547758.07"))
    assert str(big["A"].totals.without_tax) == "93156057572233235.6507"
    assert str(big.headers["payable"][0]) == "93156057572233235.6507"
    assert figures(rules({**HANDLING, "places": 2}, currency="JPY"), "150", "175")[0] == "328.25"


LEVY = tax("levy", 30, when="line.f")


def test_a_tax_in_a_price_is_the_same_alone_and_in_company():
    """0.01 and 0.02 hold 0.03 x 20 / 120 = 0.005 of tax, which is 0.01, whatever another order says."""
    book = rules(LEVY, tax("vat", 20), prices_include_tax="True")
    a = order("0.01", "0.02")
    z = order({"p": 5, "f": True}, "5", number="Z")
    assert str(book.price(a)["A"].totals.tax) == "0.01"
    assert str(book.price([a, z])["A"].totals.tax) == "0.01"
    assert str(book.price([z, a])["A"].totals.tax) == "0.01"


@pytest.mark.parametrize("tax_per", ["document", "line"])
def test_shares_of_a_price_stay_fractions(tax_per):
    """1.00 x 0.2 / 1.5 + 2.00 x 0.2 / 1.5 + 1.20 x 0.2 / 1.2 = 0.60; and 4.00 holds a third of 3.00."""
    if tax_per == "document":
        book = rules(tax("vat", 20), LEVY, prices_include_tax="True", rounding="down")
        priced = book.price(order({"p": "1.00", "f": True}, {"p": "2.00", "f": True}, "1.20"))["A"]
        assert {row.step: str(row.tax) for row in priced.tax_breakdown} == {"vat": "0.60", "levy": "0.60"}
    third = rules(tax("vat", "100 / 3"), prices_include_tax="True", rounding="down", tax_per=tax_per)
    assert str(third.price(order("4.00"))["A"].totals.tax) == "1.00"


def test_quotients_of_the_order_are_summed_as_fractions():
    """100 / 7 percent of 3 + 4 is 1; 100 / 30 percent of 0.15 is 0.005; three thirds are 1."""
    off = {"name": "off", "kind": "discount", "over": "order"}
    assert figures(rules({**off, "percent": "100 / 7"}, rounding="down"), 3, 4, step="off") == (
        "6.00",
        ["0.43", "0.57"],
    )
    assert figures(rules({**off, "percent": "100 / 30"}), "0.10", "0.05", step="off") == ("0.14", ["0.01", "0.00"])
    parts = figures(rules({**off, "kind": "charge", "per_unit": "1 / 3"}, rounding="down"), 1, 1, 1, step="off")
    assert parts == ("4.00", ["0.34", "0.33", "0.33"])


def graded(price: str, rounding: str) -> dokima.Rulebook:
    """Prices per 3, by bands."""
    table = {"scale": {"key": {}, "match": {"x": "line.unit"}, "graduated": True, "breaks": {"least": "line.quantity"}}}
    table["scale"].pop("key")
    price_step = {"name": "price", "kind": "price", "options": [{"amount": "scale.amount"}]}
    rows = [{"x": None, "least": 0, "price": price, "base": 3}]
    return rules(price_step, rounding=rounding, table=table, tables={"scale": rows})


def test_a_band_per_three_is_a_fraction():
    """10 per 3, 3 of them: 10.00; 1 per 3, 0.015 of it: 0.005, which is 0.01."""
    assert figures(graded("10", "down"), {"quantity": 3})[0] == "10.00"
    assert figures(graded("1", "half-up"), {"quantity": "0.015"})[0] == "0.01"


def test_a_formula_sums_quotients_exactly():
    """1/3 + 1/3 + 1/3 is 1, and a sum of many different quotients is rounded as the fraction is."""
    book = rules(
        {"name": "n", "kind": "figure", "value": "round(sum(1 / line.p), 2, 'down')"},
        {"name": "m", "kind": "figure", "value": "round(1 / line.p + 1 / line.p + 1 / line.p, 3, 'floor')"},
    )
    priced = book.price([order(3, 3, 3), order(2, 3, 6, number="B"), order(7, 11, 13, 1001, number="C")])
    assert [str(priced[number].figures["n"]) for number in "ABC"] == ["1", "1", "0.31"]
    assert str(priced["A"].line(10).m) == "1"


def test_dividing_by_a_power_of_ten_is_no_quotient():
    """A price of 13 places keeps them, whatever base another order has."""
    step = {"name": "price", "kind": "price", "options": [{"value": "line.p", "base": "line.r"}]}
    book, small = rules(step), {"p": "0.1234567890123", "r": 1, "quantity": "1000"}
    third = order({"p": 1, "r": 3}, number="B")
    assert str(book.price(order(small))["A"].line(10).price) == "0.1234567890123"
    assert str(book.price([order(small), third])["A"].line(10).price) == "0.1234567890123"
    assert str(book.price([order({**small, "r": 100}), third])["A"].line(10).price) == "0.001234567890123"
    assert str(book.price([order(small), third])["B"].line(10).price) == "0.333333333333"


def test_an_amount_of_nothing_is_shared_by_any_weights():
    """0 over 100 and -30 is 0 and 0."""
    for amount in ("0", "0.001"):
        part = {"name": "part", "kind": "charge", "over": "order", "amount": amount}
        assert figures(rules(part), 100, -30, step="part") == ("70.00", ["0.00", "0.00"])


def test_a_cap_limits_the_magnitude_whatever_its_sign():
    """20 % of -100, at most 10 % of it: -10, by line and by order."""
    goods = {"name": "goods", "kind": "subtotal"}
    off = {"name": "off", "kind": "discount", "percent": 20, "cap": "line.goods * 0.1"}
    assert figures(rules(P, goods, off), -100, step="off") == ("-90.00", ["-10.00"])
    off |= {"over": "order", "cap": "header.goods * 0.1"}
    assert figures(rules(P, goods, off), -100, step="off") == ("-90.00", ["-10.00"])
    amount = {"name": "off", "kind": "discount", "amount": -20, "cap": -10, "over": "order"}
    assert figures(rules(P, goods, amount), -100, step="off") == ("-90.00", ["-10.00"])


def test_the_price_effect_is_rounded_and_the_mix_is_the_rest():
    """1 x 1.00 to 2 x 0.125: by quantity 1.00, by price round(-0.875) = -0.88, mix -0.87."""
    variance = rules(P).variance(order("1.00"), order({"p": "0.125", "quantity": 2}), mix=True)
    (line,) = variance.lines()
    effects = [line.figures[f"{name}_effect"].variance for name in ("quantity", "price", "mix")]
    assert [str(effect) for effect in effects] == ["1.00", "-0.88", "-0.87"]


def test_steps_of_the_order_compete_with_each_other():
    """5 % of 110 is 5.50, 6.00 flat beats it; on 130 the percentage does, 6.50."""
    rivals = [
        {"name": "percent", "kind": "discount", "percent": 5, "over": "order", "best_of": "offer"},
        {"name": "flat", "kind": "discount", "amount": 6, "over": "order", "best_of": "offer"},
    ]
    book = rules(*rivals)
    assert figures(book, 100, 10, step="flat") == ("104.00", ["5.45", "0.55"])
    assert figures(book, 100, 10, step="percent")[1] == ["0.00", "0.00"]
    assert figures(book, 100, 30, step="percent") == ("123.50", ["5.00", "1.50"])
    together = book.price([order(100, 10), order(100, 30, number="B")])
    assert [str(together[number].totals.allowances) for number in "AB"] == ["6.00", "6.50"]
    with pytest.raises(dokima.RulebookError, match="steps that compete are all worked out for one"):
        rules({**rivals[0], "over": "line"}, rivals[1])


def test_keep_above_is_read_only_where_the_step_applies():
    """A blank floor of a step that does not apply, or on a line it leaves out, says nothing."""
    off = {"name": "off", "kind": "discount", "amount": 10, "over": "order", "keep_above": "line.r"}
    assert figures(rules({**off, "when": "blank(header.date)"}), 100, step="off", date="2026-03-02")[1] == ["0.00"]
    lines = {"p": 100, "f": True, "r": 95}, {"p": 50}
    assert figures(rules({**off, "where": "line.f"}), *lines, step="off") == ("145.00", ["5.00", "0.00"])
    by_line = {"name": "off", "kind": "discount", "percent": 10, "keep_above": "line.r", "when": "line.f"}
    assert figures(rules(by_line), *lines, step="off") == ("145.00", ["5.00", "0.00"])
