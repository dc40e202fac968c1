"""Whole orders against a second calculation in fractions: order steps, taxes upon taxes, prices that include tax."""

from __future__ import annotations

import math
import random
from decimal import Decimal as D
from fractions import Fraction as F
from typing import Any

import hypothesis.strategies as st
import pytest
from hypothesis import given

import dokima
from tests.books import book, routine

CLASSES = {"full": "21", "low": "9.5", "none": "0"}
STEPS = (
    {"name": "price", "kind": "price", "options": [{"value": "line.price_base"}]},
    {"name": "agreed", "kind": "discount", "percent": "line.off", "best_of": "rebate"},
    {"name": "bulk", "kind": "discount", "amount": "line.quantity / 7", "best_of": "rebate"},
    {"name": "loyalty", "kind": "discount", "over": "order", "percent": "2.75", "where": "line.kind != 'low'"},
    {"name": "freight", "kind": "charge", "over": "order", "amount": "max(7.5, count() * 1.25)",
     "share": "abs(line.quantity)", "if_no_share": "equal", "when": "header.amount < 5000"},
    {"name": "vat", "kind": "tax", "percent": "classes.percent", "category": "classes.code"},
    {"name": "levy", "kind": "tax", "percent": "1.5", "on_top_of": "vat", "when": "line.kind == 'full'"},
)  # fmt: skip


def _rules(**settings_: Any) -> dokima.Rulebook:
    return book(
        header={"gross": {"kind": "flag"}},
        line={"off": {"kind": "decimal"}, "kind": {}},
        table={"classes": {"key": {"kind": "line.kind"}}, "item": {"key": {"item": "line.item"}}},
        tables={"classes": [{"kind": k, "percent": p, "code": "Z" if p == "0" else "S"} for k, p in CLASSES.items()]},
        routine=routine(*STEPS, prices_include_tax="header.gross", **settings_),
    )


RULES, BY_LINE = _rules(), _rules(tax_per="line")


def cents(value: F) -> int:
    """Half up, away from zero."""
    sign = -1 if value < 0 else 1
    return sign * math.floor(abs(value) + F(1, 2))


def handed_out(exact: list[F], whole: int) -> list[int]:
    """Whole cents whose sum is given: truncated parts, and a cent each to the largest remainders."""
    parts = [math.trunc(each) for each in exact]
    rest = whole - sum(parts)
    ranked = sorted(range(len(parts)), key=lambda at: (-(exact[at] - parts[at]) * (1 if rest > 0 else -1), at))
    for at in ranked[: abs(rest)]:
        parts[at] += 1 if rest > 0 else -1
    return parts


def by_hand(lines: list[dict[str, Any]], gross: bool, per_line: bool) -> dict[str, Any]:
    """Everything in whole cents and exact fractions, one idea after the other."""
    running = []
    for line in lines:
        amount = cents(F(line["quantity"]) * F(line["price_base"]) * 100)
        best = [cents(amount * F(line["off"]) / 100), cents(F(line["quantity"]) / 7 * 100)]
        running.append(amount - (best[1] if abs(best[1]) > abs(best[0]) else best[0]))
    net = list(running)
    wanted = [
        F(amount) * F(11, 400) if line["kind"] != "low" else F(0) for line, amount in zip(lines, running, strict=True)
    ]
    chosen = [at for at, line in enumerate(lines) if line["kind"] != "low"]
    parts = handed_out([wanted[at] for at in chosen], cents(sum(wanted)))
    for at, part in zip(chosen, parts, strict=True):
        running[at] -= part
    freight = 0
    if sum(running) < 500_000:
        freight = cents(max(F("7.5"), F("1.25") * len(lines)) * 100)
        weights = [abs(F(line["quantity"])) for line in lines]
        weights = weights if any(weights) else [F(1)] * len(lines)
        for at, part in enumerate(handed_out([freight * w / sum(weights) for w in weights], freight)):
            running[at] += part
    rates = [F(CLASSES[line["kind"]]) / 100 for line in lines]
    levies = [F(15, 1000) if line["kind"] == "full" else F(0) for line in lines]
    vat, levy = [0] * len(lines), [0] * len(lines)
    for tax in (vat, levy):
        for kind in CLASSES:
            mine = [at for at, line in enumerate(lines) if line["kind"] == kind and (tax is vat or kind == "full")]
            if gross:
                held = [levies[at] * (1 + rates[at]) for at in mine]
                share = [
                    (rates[at] if tax is vat else held[n]) / (1 + rates[at] + held[n]) for n, at in enumerate(mine)
                ]
                exact = [running[at] * share[n] for n, at in enumerate(mine)]
            else:
                exact = [running[at] * rates[at] if tax is vat else (running[at] + vat[at]) * levies[at] for at in mine]
            found = [cents(each) for each in exact] if per_line else handed_out(exact, cents(sum(exact, F(0))))
            for at, part in zip(mine, found, strict=True):
                tax[at] = part
    taxes = sum(vat) + sum(levy)
    return {
        "net": net, "running": running, "vat": vat, "levy": levy, "line_net": sum(net), "tax": taxes,
        "with_tax": sum(running) + (0 if gross else taxes), "without_tax": sum(running) - (taxes if gross else 0),
        "allowances": sum(parts), "charges": freight,
    }  # fmt: skip


LINE = st.fixed_dictionaries(
    {
        "quantity": st.decimals("-40", "90", places=1),
        "price_base": st.decimals("0", "95", places=3),
        "off": st.decimals("0", "12", places=1),
        "kind": st.sampled_from([*CLASSES]),
    }
)


def _order(number: str, lines: list[dict[str, Any]], gross: bool) -> dokima.Order:
    return dokima.Order(
        number, gross=gross, lines=[{"number": str(10 * n + 10), **line} for n, line in enumerate(lines)]
    )


@given(st.lists(LINE, min_size=1, max_size=7), st.booleans(), st.booleans())
def test_every_figure_equals_that_of_fractions(lines, gross, per_line):
    if not any(line["kind"] != "low" for line in lines):
        return
    found = (BY_LINE if per_line else RULES).price(_order("O", lines, gross))["O"]
    wanted = by_hand(lines, gross, per_line)
    for name, figure in (("net", "net"), ("running", "amount"), ("vat", "vat"), ("levy", "levy")):
        assert [line.figure(figure) * 100 for line in found.lines] == wanted[name], name
    for name in ("line_net", "allowances", "charges", "without_tax", "tax", "with_tax"):
        assert getattr(found.totals, name) * 100 == wanted[name], name


@given(st.lists(st.lists(LINE, min_size=1, max_size=4), min_size=2, max_size=5), st.randoms())
def test_neither_place_nor_company_matters(orders, shuffle):
    """The order of lines in a file, the batch and its neighbours change nothing; taxes and lines add up to totals."""
    orders = [[*lines, {"quantity": D(1), "price_base": D(5), "off": D(0), "kind": "full"}] for lines in orders]
    documents = [_order(f"O{n}", lines, n % 2 == 1) for n, lines in enumerate(orders)]
    together = RULES.price(documents)
    for document in documents:
        alone = RULES.price(document)[document.number]
        mixed = dokima.Order.from_dict(
            {**document.to_dict(), "lines": shuffle.sample(document.to_dict()["lines"], len(document.lines))}
        )
        other = RULES.price(mixed)[document.number]
        here = together[document.number]
        for line in here.lines:
            assert line.with_tax == alone.line(line.number).with_tax == other.line(line.number).with_tax
        totals = here.totals
        assert totals == alone.totals == other.totals
        assert sum(line.with_tax for line in here.lines) == totals.with_tax == totals.without_tax + totals.tax
        assert sum(row.tax for row in here.tax_breakdown) == totals.tax == sum(line.tax for line in here.lines)
        assert totals.payable == totals.with_tax - totals.prepaid + totals.rounding


def test_pieces_hold_whole_orders_and_the_same_figures():
    line = {"quantity": D(3), "price_base": D("1.11"), "off": D(1), "kind": "full"}
    documents = [_order(f"O{n}", [line] * (n % 3 + 1), n % 2 == 1) for n in range(20)]
    documents.insert(5, {"number": "BAD", "lines": [{"quantity": "many"}]})
    whole, pieces = RULES.price(documents), list(RULES.stream(documents, lines=7))
    assert len(pieces) > 4
    assert [order.number for piece in pieces for order in piece] == [order.number for order in whole]
    assert [order.totals for piece in pieces for order in piece] == [order.totals for order in whole]
    assert [[f.order for f in piece.findings] for piece in pieces] == [["BAD"], *[[]] * (len(pieces) - 1)]


def _shared(amount: str, lines: list[dict[str, Any]], **more: Any) -> dokima.Calculation:
    steps = (STEPS[0], {"name": "part", "kind": "discount", "over": "order", "amount": amount, **more})
    return book(routine=routine(*steps)).price(dokima.Order("O", lines=lines))


def test_a_cent_for_a_hundred_lines_and_twenty_thousand_lines():
    hundred = _shared("0.01", [{"quantity": 1, "price_base": "1"} for _ in range(100)])["O"]
    assert [line.part for line in hundred.lines] == [D("0.01"), *[D("0.00")] * 99]
    rng = random.Random(5)
    lines = [
        {"quantity": rng.randint(1, 9), "price_base": f"{rng.randint(1, 9999)}.{rng.randint(0, 99):02}"}
        for _ in range(20_000)
    ]
    long = _shared("12345.67", lines)["O"]
    assert (long.totals.allowances, sum(line.part for line in long.lines)) == (D("12345.67"), D("12345.67"))


def test_a_rebate_larger_than_the_goods_and_lines_that_are_all_free():
    large = _shared("10", [{"quantity": 1, "price_base": "3"}, {"quantity": 1, "price_base": "1"}])["O"]
    assert ([line.part for line in large.lines], large.totals.payable) == ([D("7.50"), D("2.50")], D("-6.00"))
    free = [{"quantity": 1, "price_base": "0"}, {"quantity": 0, "price_base": "9"}]
    refused = _shared("10", free)
    assert "no line, or only lines of weight 0, to share it over" in refused.findings[0].message
    assert [line.part for line in _shared("10", free, if_no_share="equal")["O"].lines] == [D("5.00"), D("5.00")]


def test_amounts_of_eighteen_digits_and_zero_rates_kept_apart():
    steps = (STEPS[0], {"name": "vat", "kind": "tax", "percent": "0", "category": "line.tax_category"})
    lines = [
        {"quantity": "3", "price_base": "333333333333333.33", "tax_category": "S"},
        {"quantity": "1", "price_base": "0.01", "tax_category": "Z"},
    ]
    found = book(routine=routine(*steps)).price(dokima.Order("O", lines=lines))["O"]
    assert found.totals.with_tax == D("1000000000000000.00")
    assert [(row.category, row.taxable) for row in found.tax_breakdown] == [
        ("S", D("999999999999999.99")), ("Z", D("0.01")),
    ]  # fmt: skip


@pytest.mark.parametrize(("fits", "said"), [([], "none does"), (["a", "b"], "these do: a, b")])
def test_no_routine_and_two_of_them_are_findings(fits, said):
    routines = {name: {"when": "header.kind == 'k'", "step": [STEPS[0]]} for name in fits}
    rules = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "r", "currency": "EUR"},
            "routine": routines or {"c": {"when": "False", "step": [STEPS[0]]}},
        }
    )
    found = rules.price(dokima.Order("O", kind="k", lines=[{"quantity": 1, "price_base": 1}]))
    assert found["O"].totals.payable is None
    assert said in found.findings[0].message
