"""A variance against a slow comparison with fractions, line by line: orders and lines that come, go and change."""

from __future__ import annotations

import json
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.oracle import rounded

PRICE = [{"kind": "price", "name": "price", "options": [{"value": "line.p"}]}]
BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "made"},
        "header": {"fine": {"kind": "flag"}},
        "line": {"p": {"kind": "decimal"}},
        "routine": {
            "near": {"when": "not header.fine", "step": PRICE},
            "cut": {"when": "header.fine", "step": PRICE, "rounding": "down"},
        },
    }
)
PLACES = {"EUR": 2, "JPY": 0, "KWD": 3}
NUMBER = st.sampled_from(["0", "1", "3", "-2", "0.5", "7.25", "0.333"])
LINE = st.fixed_dictionaries({"quantity": NUMBER, "p": NUMBER, "unit_cost": NUMBER, "item": st.sampled_from("xy")})
SIDE = st.dictionaries(st.sampled_from("ABC"), st.dictionaries(st.sampled_from(["10", "20", "30"]), LINE), max_size=3)


def amounts(line, places, mode):
    """Quantity, net and cost of a line; an absent one counts 0."""
    if line is None:
        return Fraction(0), Fraction(0), Fraction(0)
    quantity, price, cost = (Fraction(line[name]) for name in ("quantity", "p", "unit_cost"))
    return quantity, rounded(quantity * price, places, mode[0]), rounded(quantity * cost, places, mode[1])


def expected_line(old, new, places, modes):
    """What a line's variance says: amounts, and what quantity, price and mix did of it."""
    mode = modes[1] or modes[0]  # effects, and costs, are rounded as the later order is; a removed one as it was
    before, after = amounts(old, places, (modes[0], mode)), amounts(new, places, (modes[1], mode))
    moved = after[1] - before[1]
    by_quantity, two, by_price = moved, Fraction(0), Fraction(0)
    if old and new and old["item"] == new["item"] and before[0] and after[0]:
        by_quantity = rounded((after[0] - before[0]) * before[1] / before[0], places, mode)
        two = moved - by_quantity
        by_price = rounded(before[0] * (after[1] / after[0] - before[1] / before[0]), places, mode)
    effects = {"quantity_effect": by_quantity, "price_effect": by_price, "mix_effect": moved - by_quantity - by_price}
    moved_at_all = "unchanged" if (old, before) == (new, after) else "changed"
    status = "added" if old is None else "removed" if new is None else moved_at_all
    return status, {"quantity": (before[0], after[0]), "net": before[1:2] + after[1:2], "cost": before[2:] + after[2:]}, effects, two  # fmt: skip


@given(SIDE, SIDE, st.tuples(st.sampled_from(sorted(PLACES)), st.booleans(), st.booleans()))
def test_every_variance_is_that_of_a_slow_comparison(before, after, how):
    currency, *fine = how
    if len(before) == len(after) == 1:  # two single orders are a pair, whatever their numbers
        before = dict(zip(after, before.values(), strict=True))
    places = PLACES[currency]
    sides = [
        [
            dokima.Order(
                number, currency=currency, fine=flag, lines=[{"number": n, **line} for n, line in lines.items()]
            )
            for number, lines in side.items()
        ]
        for side, flag in zip((before, after), fine, strict=True)
    ]
    variance, mixed = BOOK.variance(*sides), BOOK.variance(*sides, mix=True)

    seen, sums = set(), {}
    for line, split in zip(variance.lines(every=True), mixed.lines(every=True), strict=True):
        old, new = (side.get(line.order, {}).get(line.line) for side in (before, after))
        modes = [
            ("down" if flag else "half-up") if line.order in side else None
            for side, flag in zip((before, after), fine, strict=True)
        ]
        status, figures, effects, by_price = expected_line(old, new, places, modes)
        assert (line.status, line.item) == (status, (new or old)["item"])
        for name, sides_of in figures.items():
            change = line.figures[name]
            assert (Fraction(change.before), Fraction(change.after)) == sides_of
            assert Fraction(change.variance) == sides_of[1] - sides_of[0]
            for at in (0, 1):
                sums.setdefault((line.order, name), [Fraction(0), Fraction(0)])[at] += sides_of[at]
        assert {name: Fraction(split.figures[name].variance) for name in effects} == effects
        assert Fraction(line.figures["quantity_effect"].variance) == effects["quantity_effect"]
        assert Fraction(line.figures["price_effect"].variance) == by_price
        assert {-line.figures[name].variance.as_tuple().exponent for name in ("net", "price_effect")} == {places}
        seen.add((line.order, line.line))

    assert seen == {(number, n) for side in (before, after) for number, lines in side.items() for n in lines}
    for number, totals in variance.totals().items():
        for name in ("net", "cost") if seen else ():
            assert [Fraction(totals[name].before), Fraction(totals[name].after)] == sums.get((number, name), [0, 0])
    assert {order["number"] for order in json.loads(dokima.to_json(variance))["orders"]} == {*before, *after}
