"""Assemblies rolled up, prices converted, prices along a path of records: figures worked out by hand."""

import random
from decimal import ROUND_HALF_UP
from decimal import Decimal as D

import pytest

import dokima
from tests.books import DEMO, book, routine

PARTS = [
    {"item": "HOUSE", "component": "FRAME", "quantity": "1", "scrap": None},
    {"item": "HOUSE", "component": "BED", "quantity": "2", "scrap": None},
    {"item": "HOUSE", "component": "PANE", "quantity": "24", "scrap": "5"},
    {"item": "BED", "component": "PIPE", "quantity": "2", "scrap": "2.5"},
    {"item": "PIPE", "component": "CLIP", "quantity": "12", "scrap": "2.5"},
]
COSTS = [{"item": "FRAME", "cost": "712.40"}, {"item": "PANE", "cost": "11.95"}, {"item": "CLIP", "cost": "0.1135"}]


def _kits(parts=PARTS, costs=COSTS, **settings):
    return book(
        table={
            "costs": {"key": {"item": "line.item"}},
            "kit": {"key": {"item": "line.item"}, "roll_up": {"cost": "costs.cost"}, **settings},
        },
        tables={"kit": parts, "costs": costs},
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "kit.cost * 1.5"}]}),
    )


def _cost(rules, item):
    return rules.explain(dokima.Order("K", lines=[{"item": item, "quantity": 1}]), 10).step("price").answers[0]


def test_three_levels_with_scrap_and_rounding_at_each():
    """PIPE 12 x 1.025 x 0.1135 = 1.39605; BED 2 x 1.025 x that; HOUSE 712.40 + 2 BED + 24 x 1.05 x 11.95 = 301.14."""
    exact = _cost(_kits(), "HOUSE")
    assert exact.cells["cost"] == D("712.40") + 2 * D("2.05") * D("1.39605") + D("301.14")
    rounded = _cost(_kits(columns={"cost": {"places": 2}}), "HOUSE")
    # 1.40 a pipe; 2.05 x 1.40 = 2.87 a bed; 712.40 + 5.74 + 301.14.
    assert rounded.cells["cost"] == D("1019.28")
    assert [(n.depth, n.item, n.each, n.value) for n in rounded.tree] == [
        (0, "HOUSE", D("1019.28"), D("1019.28")),
        (1, "FRAME", D("712.40"), D("712.40")),
        (1, "BED", D("2.87"), D("5.74")),
        (2, "PIPE", D("1.40"), D("2.87")),
        (3, "CLIP", D("0.1135"), D("1.40")),
        (1, "PANE", D("11.95"), D("301.14")),
    ]


def test_a_tree_too_long_to_read_says_what_is_left_of_it():
    """Two of each in the one above, 60 levels deep, a clip in each of the last; and 1,500 levels of one each."""
    deep = [{"item": f"L{at}", "component": f"L{at + 1}", "quantity": 1} for at in range(60) for _ in range(2)]
    rules = _kits([*deep, {"item": "L60", "component": "CLIP", "quantity": 1}])
    tree = _cost(rules, "L0").tree
    assert (len(tree), sum(node.beyond for node in tree)) == (500, 2**61 - 2 + 2**60 - 499)
    told = str(dokima.report(rules.explain(dokima.Order("K", lines=[{"item": "L0", "quantity": 1}]), 10)))
    assert f"and {tree[-1].beyond} more components" in told

    line = [{"item": f"L{at}", "component": f"L{at + 1}", "quantity": 1} for at in range(1500)]
    assert _cost(_kits([*line, {"item": "L1500", "component": "CLIP", "quantity": 2}]), "L0").cells["cost"] == D(
        "0.227"
    )


def test_generated_assemblies_against_a_plain_recursion():
    rng = random.Random(7)
    names = [f"A{at}" for at in range(40)]
    parts = [
        {"item": name, "component": rng.choice(names[at + 1 :] or ["Z"]), "quantity": D(rng.randint(1, 400)) / 100,
         "scrap": D(rng.randint(0, 150)) / 10}
        for at, name in enumerate(names[:30]) for _ in range(rng.randint(1, 4))
    ]  # fmt: skip
    own = {name: D(rng.randint(1, 99999)) / 1000 for name in [*names, "Z"]}

    def rolled(item):
        mine = [part for part in parts if part["item"] == item]
        if not mine:
            return own[item]
        cents = [
            (part["quantity"] * (1 + part["scrap"] / 100) * rolled(part["component"])).quantize(
                D("0.01"), ROUND_HALF_UP
            )
            for part in mine
        ]
        return sum(cents)

    costs = [{"item": name, "cost": value} for name, value in own.items()]
    kits = _kits(rng.sample(parts, len(parts)), costs, columns={"cost": {"places": 2}})
    made = sorted({part["item"] for part in parts})
    order = dokima.Order("K", lines=[{"item": item, "quantity": 1} for item in made])
    found = kits.price(order)["K"]
    assert [line.price / D("1.5") for line in found.lines] == [rolled(item) for item in made]


@pytest.mark.parametrize(
    ("parts", "costs", "settings", "message"),
    [
        (
            [*PARTS, {"item": "CLIP", "component": "BED", "quantity": "1", "scrap": None}],
            COSTS,
            {},
            "an item contains itself: BED -> PIPE -> CLIP -> BED",
        ),
        (PARTS, COSTS, {"choose": "lowest cost"}, "an assembly table takes no 'choose'"),
        (PARTS, COSTS, {"roll_up": {"cost": "costs.price"}}, "expected a number of a table, such as item.unit_cost"),
        (
            [{"item": "A", "component": None, "quantity": "1", "scrap": None}],
            COSTS,
            {},
            "column component, table.kit: expected a value",
        ),
    ],
)
def test_assemblies_that_cannot_be(parts, costs, settings, message):
    with pytest.raises(dokima.RulebookError, match=message.replace("(", "[(]")):
        _kits(parts, costs, **settings)


def test_a_component_without_a_cost_leaves_the_kit_without_a_price():
    found = _kits(costs=COSTS[1:]).price(dokima.Order("K", lines=[{"item": "HOUSE", "quantity": 1}]))
    assert [finding.rule for finding in found.findings] == ["sales.price"]


def test_a_kit_line_explodes_into_sub_lines_with_absolute_quantities():
    editor = _kits().edit(dokima.Order("K", lines=[{"item": "HOUSE", "quantity": 3}, {"item": "X"}]), by="Ada")
    assert editor.explode_line(10, levels=None) == ["10/10", "10/20", "10/20/10", "10/20/10/10", "10/30"]
    assert [(n, editor.order.line(n)["item"], editor.order.line(n)["quantity"]) for n in ("10/20", "10/20/10/10")] == [
        ("10/20", "BED", D("6")),
        ("10/20/10/10", "CLIP", D("144")),
    ]
    with pytest.raises(dokima.Refused, match="line 10 has sub-lines already"):
        editor.explode_line(10)
    with pytest.raises(dokima.Refused, match="line 20 has no quantity to explode"):
        editor.explode_line(20)
    editor.undo()
    assert editor.order.lines[0]["item"] == "HOUSE"
    editor.change_line(10, item="PANE")
    with pytest.raises(dokima.NotFound, match="'PANE' is not an assembly"):
        editor.explode_line(10)


RATES = [
    {"from": "GBP", "to": "EUR", "since": "2026-01-01", "rate": "1.15"},
    {"from": "GBP", "to": "EUR", "since": "2026-03-01", "rate": "1.1645"},
]


def _converted(convert=None, choose="latest since"):
    prices = {"match": {"item": "line.item"}, "choose": [choose]}
    if convert:
        prices["convert"] = convert
    return book(
        table={
            "prices": prices,
            "fx": {
                "match": {"from": "prices.currency", "to": "header.currency"},
                "window": {"from": "since", "on": "header.date"},
                "choose": ["latest since"],
            },
        },
        tables={
            "prices": [{"item": "A", "currency": "GBP", "price": "94.00", "since": None}],
            "fx": RATES,
        },
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "prices.price"}]}),
    )


def test_a_price_in_another_currency_is_converted_only_where_that_is_declared():
    """94.00 GBP at 1.1645 on 6 March: 109.463; at 1.15 in February: 108.10; before any rate: no price."""
    rules = _converted({"price": "fx.rate"}, "most specific")
    for date, price in (("2026-03-06", D("109.463")), ("2026-02-27", D("108.10"))):
        order = dokima.Order("P", date=date, lines=[{"item": "A", "quantity": 5}])
        assert rules.price(order)["P"].line(10).price == price
    early = rules.price(dokima.Order("P", date="2025-12-31", lines=[{"item": "A", "quantity": 5}]))
    assert [finding.rule for finding in early.findings] == ["sales.price"]
    with pytest.raises(
        dokima.RulebookError, match="table 'prices' has a column 'currency': match on it, or say convert"
    ):
        _converted(None, "most specific")
    with pytest.raises(dokima.RulebookError, match="'price' is converted, and rows in other currencies do not compare"):
        _converted({"price": "fx.rate"}, "lowest price")


def test_every_hop_of_a_path_of_records_is_shown():
    found = dokima.load(DEMO).explain(DEMO / "orders" / "PO-721.json", "10/20", "price")
    hops = [(a.table, dict(a.asked), a.row) for a in found.steps[0].answers if a.is_path]
    assert hops == [
        ("contract", {"contract": "WC-14"}, 2),
        ("schedule_section", {"schedule": "SR-GROUND-26", "section": "10"}, 2),
        ("works_rate", {"rates": "GROUND-A", "line": "10/20"}, 3),
    ]
    assert found.price == D("21.75")
