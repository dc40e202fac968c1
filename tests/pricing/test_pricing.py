"""Pricing against an independent calculation with `Decimal`, line by line; and the cases that go wrong."""

from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, ITEMS, book, routine

D = Decimal
PLACES = {"EUR": 2, "JPY": 0, "KWD": 3}
STEPS = (
    {"name": "price", "kind": "price", "options": [{"value": "special.price", "base": "special.base"}, {"value": "item.list_price"}]},
    {"name": "goods", "kind": "subtotal"},
    {"name": "family_discount", "kind": "discount", "percent": "family.percent", "of": "goods", "cap": "40"},
    {"name": "goods_net", "kind": "subtotal"},
    {"name": "packing", "kind": "charge", "per_unit": "0.125", "when": "line.quantity < 10"},
    {"name": "freight", "kind": "charge", "amount": "item.weight * line.quantity / 3"},
    {"name": "vat", "kind": "tax", "percent": "rate.percent", "category": "rate.category"},
)  # fmt: skip
TABLES = {
    "special": [
        {"item": "PANE", "least": 24, "price": "4425", "base": 100},
        {"item": "VENT", "least": None, "price": "1", "base": 3},
    ],
    "family": [
        {"family": "glazing", "least": 30, "percent": "4"},
        {"family": "glazing", "least": 90, "percent": "7.5"},
    ],
}
SPECIAL = {
    "special": {
        "match": {"item": "line.item"},
        "breaks": {"least": "line.quantity"},
        "choose": ["lowest price / base"],
    },
    "family": {
        "match": {"family": "item.family"},
        "breaks": {"least": "sum(line.quantity, by=item.family)"},
        "choose": ["highest percent"],
        "columns": {"percent": {"kind": "decimal", "default": 0}},
    },
}
BOOK = book(TABLES, **FIELDS, table=SPECIAL, routine=routine(*STEPS))


def cents(value: Any, places: int) -> Decimal:
    return Decimal(value).quantize(D(1).scaleb(-places), ROUND_HALF_UP)


def price_slowly(order: dict[str, Any]) -> dict[str, Any]:
    """The same routine as a person would work it out: one line after the other, with Decimal."""
    places = PLACES[order["currency"]]
    items = {row["item"]: row for row in ITEMS}
    lines = order["lines"]
    in_family = {}
    for line in lines:
        family = items[line["item"]]["family"]
        in_family[family] = in_family.get(family, 0) + line["quantity"]
    result = []
    for line in lines:
        item, quantity = items[line["item"]], line["quantity"]
        numerator, base = D(item["list_price"]), D(1)
        for row in TABLES["special"]:
            if row["item"] == line["item"] and abs(quantity) >= (row["least"] or 0):
                numerator, base = D(row["price"]), D(row["base"])
        goods = cents(quantity * numerator / base, places)
        percents = [
            D(row["percent"])
            for row in TABLES["family"]
            if row["family"] == item["family"] and abs(in_family[item["family"]]) >= row["least"]
        ]
        discount = goods * max(percents, default=D(0)) / 100
        discount = cents(max(min(discount, D(40)), D(-40)), places)
        packing = cents(quantity * D("0.125"), places) if quantity < 10 else D(0)
        freight = cents(D(item["weight"]) * quantity / 3, places)
        net = goods - discount + packing + freight
        result.append({"goods": goods, "family_discount": discount, "freight": freight, "net": net, "item": item})
    tax = D(0)
    for percent in ("21", "9"):
        of = [line["net"] for line in result if (line["item"]["tax_class"] == "standard") == (percent == "21")]
        tax += cents(sum(of, D(0)) * D(percent) / 100, places)
    return {"lines": result, "net": sum((line["net"] for line in result), D(0)), "tax": tax}


quantities = st.one_of(
    st.integers(-40, 120).map(D),
    st.integers(-(10**4), 10**5).map(lambda n: D(n).scaleb(-3)),
    st.just(D("1e15") + D("0.000001")),
)
order_lines = st.lists(
    st.fixed_dictionaries({"item": st.sampled_from(["PANE", "VENT", "DAY"]), "quantity": quantities}), max_size=6
)
orders = st.fixed_dictionaries({"currency": st.sampled_from(sorted(PLACES)), "lines": order_lines})


@given(st.lists(orders, min_size=1, max_size=6), st.randoms())
def test_every_figure_equals_the_slow_calculation(documents, random):
    """And lines may come in any sequence, and orders with others or alone."""
    batch = []
    for at, document in enumerate(documents):
        lines = [{**line, "number": str(10 * (n + 1))} for n, line in enumerate(document["lines"])]
        shuffled = random.sample(lines, len(lines))
        batch.append(dokima.Order(f"O{at}", currency=document["currency"], lines=shuffled))
    calculation = BOOK.price(batch)

    for document, order, given_order in zip(documents, calculation, batch, strict=True):
        slow = price_slowly(document)
        for line, expected in zip(order.lines, slow["lines"], strict=True):
            assert {n: line.figure(n) for n in ("goods", "family_discount", "freight", "net")} == {
                n: expected[n] for n in ("goods", "family_discount", "freight", "net")
            }
        totals = order.totals
        assert (totals.without_tax, totals.tax) == (slow["net"], slow["tax"])
        assert sum(line.vat for line in order.lines) == totals.tax == sum(row.tax for row in order.tax_breakdown)
        assert totals.without_tax == totals.line_net - totals.allowances + totals.charges
        assert totals.with_tax == totals.without_tax + totals.tax
        assert totals.payable == totals.with_tax - totals.prepaid + totals.rounding
        alone = BOOK.price(given_order)[order.number]
        assert (alone.totals, alone.tax_breakdown) == (totals, order.tax_breakdown)


@given(order_lines)
@settings(max_examples=settings.default.max_examples // 10)
def test_an_order_alone_equals_itself_among_a_thousand(lines):
    mine = dokima.Order("MINE", lines=lines, currency="EUR")
    others = [
        dokima.Order(f"X{n}", currency=["EUR", "JPY", "KWD"][n % 3], lines=[{"item": "PANE", "quantity": n}, {"item": "DAY", "quantity": 1}])
        for n in range(1000)
    ]  # fmt: skip
    alone, among = BOOK.price(mine)["MINE"], BOOK.price([*others[:500], mine, *others[500:]])["MINE"]

    assert alone.totals == among.totals
    assert [line.with_tax for line in alone.lines] == [line.with_tax for line in among.lines]


def priced(*lines: dict[str, Any], on: dokima.Rulebook = BOOK, **header: Any) -> tuple[dokima.PricedOrder, list[str]]:
    calculation = on.price(dokima.Order("A", lines=lines, **header))
    return calculation["A"], [finding.message for finding in calculation.findings]


def test_18_75_per_100_for_168_pieces():
    tables = {"special": [{"item": "PANE", "least": None, "price": "18.75", "base": 100}], "family": TABLES["family"]}
    tried = book(tables, **FIELDS, table=SPECIAL, routine=routine(*STEPS[:2]))
    order, _ = priced({"item": "PANE", "quantity": 168}, on=tried)

    assert (str(order.line(10).goods), str(order.line(10).price)) == ("31.50", "0.1875")


def test_a_manual_price_comes_first_with_its_own_base():
    order, _ = priced({"item": "PANE", "quantity": 30, "price_override": "1000", "price_base": "144"})
    assert str(order.line(10).goods) == "208.33"
    assert str(order.line(10).price) == "6.944444444444"
    order, found = priced({"item": "PANE", "quantity": 30, "price_override": "1000", "price_base": 0})
    assert order.line(10).goods is None
    assert found == ["no price: the manual price is per 0 units"]
    tables = {"special": [{"item": "PANE", "least": None, "price": "18.75", "base": 0}]}
    columns = {"special": {**SPECIAL["special"], "columns": {"base": {"kind": "decimal"}}}}
    tried = book(tables, **FIELDS, table=columns, routine=routine(STEPS[0]))
    assert priced({"item": "PANE", "quantity": 1}, on=tried)[1] == ["no price: its base 'special.base' is 0"]


def test_yen_have_no_decimals_and_kuwaiti_dinars_three():
    line = {"item": "VENT", "quantity": 7}  # 7 x 1 / 3 = 2.3333...
    assert str(priced(line, currency="JPY")[0].line(10).goods) == "2"
    assert str(priced(line, currency="EUR")[0].line(10).goods) == "2.33"
    assert str(priced(line, currency="KWD")[0].line(10).goods) == "2.333"
    order, found = priced(line, currency="EURO")
    assert order.totals.payable is None
    assert found == ["expected a currency code of ISO 4217, such as EUR (got 'EURO'; did you mean 'EUR'?)"]


def test_a_line_without_price_is_told_and_its_neighbours_are_priced():
    """Error finding with the tables tried, blank total; the neighbour's own figures stand."""
    order, found = priced(
        {"item": "FREE", "quantity": 1}, {"item": "PANE", "quantity": 2}, {"item": "NONE", "quantity": 1}
    )

    assert found == [
        "no price: tried table special has no row that fits; table item has a row that fits, but no list_price in it",
        "no price: tried table special has no row that fits; table item has no row that fits",
    ]
    assert [line.goods for line in order.lines] == [None, D("97.00"), None]
    assert order.totals == dokima.Totals(None, None, None, None, None, None, D(0), None, None)
    calculation = BOOK.price(
        [
            dokima.Order("A", lines=[{"item": "FREE", "quantity": 1}]),
            dokima.Order("B", lines=[{"item": "PANE", "quantity": 1}]),
        ]
    )
    assert calculation["A"].totals.payable is None
    assert calculation["B"].totals.payable is not None


def test_a_blank_quantity_is_a_finding_not_a_zero():
    order, found = priced({"item": "PANE"}, {"item": "PANE", "quantity": 5})

    assert found == ["no price: the quantity is blank"]
    assert order.line(10).goods is None
    assert str(order.line(20).goods) == "242.50"
    assert (
        str(order.line(20).net) == "261.80"
    )  # how many panes there are is unknown, so no volume row fits: no discount
    assert order.totals.payable is None


def test_an_empty_order_costs_nothing():
    order, found = priced()
    assert (str(order.totals.payable), order.tax_breakdown, found) == ("0.00", [], [])


def test_payments_reduce_what_is_payable():
    order, _ = priced({"item": "DAY", "quantity": 1}, payments=[{"amount": "100.00"}, {"amount": 50}])
    # 640.00 + packing 0.13 = 640.13, tax 9 % 57.61
    assert [str(v) for v in (order.totals.with_tax, order.totals.prepaid, order.totals.payable)] == [
        "697.74", "150.00", "547.74",
    ]  # fmt: skip


def test_exactly_one_routine_must_fit():
    two = {**routine(when="header.kind == 'sales'"), "work": routine(when="header.rush")["sales"]}
    tried = book(**FIELDS, routine=two)

    def said(**header: Any) -> list[str]:
        return priced({"quantity": 1}, on=tried, **header)[1]

    assert said(kind="sales", rush=False) == []
    assert said(kind="sales", rush=True) == ["expected exactly one routine to fit (these do: sales, work)"]
    assert said(kind="rent", rush=False) == ["expected exactly one routine to fit (none does; there are: sales, work)"]
    assert said(kind="sales") == ["which routine fits could not be decided: a value is blank (there are: sales, work)"]


def test_five_thousand_lines():
    lines = [{"item": "PANE", "quantity": 1} for _ in range(5000)]
    order, _ = priced(*lines)
    # 4425 / 100 does not apply to one piece: 5000 x 48.50; 7.5 % of each, 3.64; packing 0.13; freight 3.73
    assert str(order.totals.line_net) == "243600.00"


def test_sub_lines_carry_the_money_and_parents_show_the_sum():
    lines = [
        {"number": "10", "description": "House", "quantity": "99"},
        {"number": "10/20", "item": "PANE", "quantity": 2},
        {"number": "10/10", "item": "VENT", "quantity": 3},
        {"number": "10/10/10", "item": "DAY", "quantity": 1},
        {"number": "20", "item": "DAY", "quantity": 1},
    ]
    order, found = priced(*lines)

    assert [(line.number, line.is_parent, str(line.goods)) for line in order.lines] == [
        ("10", True, "737.00"),
        ("10/10", True, "640.00"),
        ("10/10/10", False, "640.00"),
        ("10/20", False, "97.00"),
        ("20", False, "640.00"),
    ]
    assert found == []
    assert order.totals.line_net == order.line("10").net + order.line("20").net
    assert order.line("10").price is None


def test_tax_per_line_and_tax_without_category():
    """Three lines of 0.05 at 21 %: 0.0105 each is 0.03 per line and 0.03 on the document; 0.12 each differs."""
    steps = [{"name": "vat", "kind": "tax", "percent": "21", "when": "line.boxes != 9"}]
    lines = [{"quantity": "0.12"}, {"quantity": "0.12"}, {"quantity": "0.12"}, {"quantity": 5, "boxes": 9}]
    lines = [{"boxes": 1, **line} for line in lines]
    per_document = priced(*lines, on=book(**FIELDS, routine=routine(*steps)))[0]
    per_line = priced(*lines, on=book(**FIELDS, routine=routine(*steps, tax_per="line")))[0]

    assert [str(line.vat) for line in per_document.lines] == ["0.03", "0.03", "0.02", "0.00"]
    assert [str(line.vat) for line in per_line.lines] == ["0.03", "0.03", "0.03", "0.00"]
    assert [(r.category, str(r.taxable), str(r.tax)) for r in per_document.tax_breakdown] == [(None, "0.36", "0.08")]


@pytest.mark.parametrize(
    ("steps", "message"),
    [
        ([{"name": "a", "kind": "subtotal"}, {"name": "a", "kind": "subtotal"}], "expected each step name once in a routine"),
        ([{"name": "a", "kind": "figure", "value": "1"}, {"name": "a", "kind": "figure", "value": "line.quantity"}],
         "expected each step name once in a routine"),
        ([{"name": "net", "kind": "subtotal"}], "'net' is a figure every routine leaves"),
        ([{"name": "item", "kind": "subtotal"}], "'item' is already a line field"),
        ([{"name": "d", "kind": "discount", "percent": 1, "of": "later"}, {"name": "later", "kind": "subtotal"}], "its step comes later"),
        ([{"name": "d", "kind": "discount", "percent": 1, "amount": 2}], "expected one of percent, amount, per_unit (got percent, amount)"),
        ([{"name": "d", "kind": "charge", "amount": "line.later"}, {"name": "later", "kind": "subtotal"}], "can be read only after that step"),
        ([{"name": "d", "kind": "subtotal", "percent": 1}], "a subtotal step takes no settings (got 'percent')"),
        ([{"name": "t", "kind": "tax", "percent": 1}, {"name": "d", "kind": "subtotal"}], "expected only tax, figure and advance steps after a tax"),
        ([{"name": "p", "kind": "price", "options": []}], "a price step needs 'options'"),
        ([{"name": "a b", "kind": "subtotal"}], "expected a step name of letters"),
        ([{"name": "x", "kind": "figure", "value": "header.price"}], "there is no 'header.price'"),
    ],
)  # fmt: skip
def test_routines_that_cannot_work(steps, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(**FIELDS, routine=routine(*steps))

    assert message in str(caught.value)


def discounted(quantity: Any, *steps: dict[str, Any], **line: Any) -> tuple[list[Any], list[str]]:
    """Figures of the given steps and the net of one line of item price 1."""
    tried = book(**FIELDS, routine=routine(*steps))
    order, found = priced({"quantity": quantity, **line}, on=tried)
    names = [*(step["name"] for step in steps), "net"]
    values = [order.line(10).figure(name) for name in names]
    return [None if value is None else str(value) for value in values], found


CAMPAIGN = {"name": "campaign", "kind": "discount", "percent": 10, "best_of": "offer"}
LOYAL = {"name": "loyal", "kind": "discount", "amount": "line.weight", "best_of": "offer"}
RETURN = {"name": "again", "kind": "discount", "percent": 10}


def test_the_best_of_several_stays_and_the_others_are_beaten():
    """10 % of 50 is 5.00: beaten by 6, tied with 5 (the first wins), and one blank member makes all blank."""
    assert discounted(50, CAMPAIGN, LOYAL, RETURN, weight=6)[0] == ["0.00", "6.00", "4.40", "39.60"]
    assert discounted(50, CAMPAIGN, LOYAL, weight=5)[0] == ["5.00", "0.00", "45.00"]
    assert discounted(50, CAMPAIGN, {**LOYAL, "when": "line.fitted"}, weight=6, fitted=False)[0] == [
        "5.00",
        "0.00",
        "45.00",
    ]
    assert discounted(50, {**CAMPAIGN, "cap": "4.50"}, LOYAL, weight="4.75")[0] == ["0.00", "4.75", "45.25"]
    assert discounted(-50, CAMPAIGN, LOYAL, weight=-6)[0] == ["0.00", "-6.00", "-44.00"]
    blank, found = discounted(50, CAMPAIGN, LOYAL)
    assert (blank, found) == ([None, None, None], ["no loyal: line.weight is blank"])
    tried = book(**FIELDS, routine=routine(CAMPAIGN, LOYAL))
    explained = tried.explain(dokima.Order("A", lines=[{"quantity": 50, "weight": 6}]), 10)
    assert [step.source for step in explained.steps[1:]] == ["beaten by loyal", ""]


def test_a_discount_is_cut_so_that_enough_is_left():
    """Of 50.00 at least 47.995 stays: 2.00 may go, truncated; a line below that loses nothing; returns mirror."""
    keep = {"name": "cut", "kind": "discount", "percent": 10}
    assert discounted(50, {**keep, "keep_above": "47.995"})[0] == ["2.00", "48.00"]
    assert discounted(50, {**keep, "keep_above": "45"})[0] == ["5.00", "45.00"]
    assert discounted(50, {**keep, "keep_above": "60"})[0] == ["0.00", "50.00"]
    assert discounted(-50, {**keep, "keep_above": "-48"})[0] == ["-2.00", "-48.00"]
    assert discounted(-50, {**keep, "keep_above": "10"})[0] == ["-5.00", "-45.00"]
    assert discounted(50, {**keep, "percent": 100})[0] == ["50.00", "0.00"]


def test_competitors_stand_together_and_are_of_one_kind():
    charge = {"name": "fee", "kind": "charge", "amount": 1, "best_of": "offer"}
    for steps, message in (
        ([CAMPAIGN, {"name": "between", "kind": "subtotal"}, LOYAL], "steps that compete stand together"),
        ([CAMPAIGN, charge], "steps that compete are of one kind (got discount and charge)"),
    ):
        with pytest.raises(dokima.RulebookError) as caught:
            book(**FIELDS, routine=routine(*steps))
        assert message in str(caught.value)


@pytest.mark.parametrize(("piece", "workers"), [(1, 1), (7, 1), (7, 2), (10**6, 2)])
def test_pieces_and_threads_make_no_difference(monkeypatch, piece, workers):
    """Orders of several currencies, one without lines, one faulty: the same results however the work is cut."""
    documents = [
        dokima.Order(f"O{n}", currency=["EUR", "JPY", "KWD", "XXQ"][n % 4], lines=[{"item": ["PANE", "VENT", "FREE"][k % 3], "quantity": n + k} for k in range(n % 5)])
        for n in range(23)
    ]  # fmt: skip
    whole = BOOK.price(documents)
    monkeypatch.setattr("dokima.pricing.running.pricing.PIECE", piece)
    cut = BOOK.price(documents, workers=workers)

    assert cut.findings == whole.findings
    assert dokima.to_json(cut) == dokima.to_json(whole)


@pytest.mark.parametrize(
    ("currency", "step", "cut", "left"),
    [
        ("EUR", {"amount": "0.125", "places": 3, "keep_above": "9.871"}, "0.125", "9.875"),  # leaves enough
        ("EUR", {"amount": "0.125", "places": 3, "keep_above": "9.871", "over": "order"}, "0.125", "9.875"),
        ("EUR", {"amount": "0.125", "places": 3, "keep_above": "9.875"}, "0.125", "9.875"),
        ("EUR", {"amount": "0.125", "places": 3, "keep_above": "9.8751"}, "0.12", "9.88"),  # cut, to cents
        ("EUR", {"amount": "0.125", "places": 3, "keep_above": "9.8751", "over": "order"}, "0.12", "9.88"),
        ("JPY", {"amount": "0.5", "places": 1, "keep_above": "9.3"}, "0.5", "9.5"),
        ("JPY", {"amount": "1.5", "places": 1, "keep_above": "8.6"}, "1", "9"),
        ("EUR", {"amount": "-0.125", "places": 3, "keep_above": "20"}, "-0.125", "10.125"),
    ],
)
def test_only_a_discount_that_leaves_too_little_is_cut(currency, step, cut, left):
    """10 less a discount with more places than the currency: compared as it is, truncated only where it is cut."""
    price = {"name": "price", "kind": "price", "options": [{"value": "10"}]}
    tried = book(routine=routine(price, {"name": "cut", "kind": "discount", **step}))
    order = tried.price(dokima.Order("A", currency=currency, lines=[{"quantity": 1}]))["A"]
    assert [str(order.line(10).figure(name)) for name in ("cut", "without_tax")] == [cut, left]
