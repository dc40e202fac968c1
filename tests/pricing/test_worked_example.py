"""Order SQ-2041 and its revision: every figure written out by hand."""

import csv
import io
import json
from decimal import Decimal

import pytest

import dokima
from tests.books import DEMO

D = Decimal


@pytest.fixture(scope="module")
def quillmere() -> dokima.Rulebook:
    return dokima.load(DEMO)


@pytest.fixture(scope="module")
def before(quillmere):
    return quillmere.price(DEMO / "orders" / "SQ-2041.json")


@pytest.fixture(scope="module")
def after(quillmere):
    return quillmere.price(DEMO / "changed" / "SQ-2041.json")


FIGURES = ("price", "goods", "quantity_discount", "goods_net", "freight", "net", "vat")


def figures(order: dokima.PricedOrder) -> dict[str, list[str]]:
    return {line.number: [str(line.figure(name)) for name in FIGURES] for line in order.lines}


def test_every_step_of_every_line(before):
    """Pane: 36 x 44.25, less 4 %, freight 36 x 11.2 kg x 0.38. Tax: the cents of 464.6271 and 137.25 shared."""
    assert figures(before["SQ-2041"]) == {
        "10": ["44.25", "1593.00", "63.72", "1529.28", "153.22", "1682.50", "353.33"],
        "20": ["129.90", "519.60", "0.00", "519.60", "10.41", "530.01", "111.30"],
        "30": ["610.00", "1525.00", "0.00", "1525.00", "0.00", "1525.00", "137.25"],
    }
    assert before.findings == dokima.Findings()


def test_totals_and_tax_breakdown(before):
    order = before["SQ-2041"]
    totals = order.totals

    assert (str(order.total("goods_net")), str(order.total("freight"))) == ("3573.88", "163.63")
    assert [str(v) for v in (totals.line_net, totals.without_tax, totals.tax, totals.with_tax, totals.payable)] == [
        "3737.51", "3737.51", "601.88", "4339.39", "4339.39",
    ]  # fmt: skip
    assert [(r.category, str(r.percent), str(r.taxable), str(r.tax)) for r in order.tax_breakdown] == [
        ("S", "9", "1525.00", "137.25"),
        ("S", "21", "2212.51", "464.63"),
    ]
    assert order.figures == {"order_margin_percent": D("38.9")}
    assert order.total("advance") == D("867.88")
    # 20 % of each line with tax, apportioned: 407.166, 128.262, 332.45; and what is to be paid, split.
    assert [str(line.advance) for line in order.lines] == ["407.17", "128.26", "332.45"]
    assert [(row.label, row.amount) for row in order.instalments] == [
        ("to pay on order", D("867.88")),
        ("to pay on delivery", D("3471.51")),
    ]
    assert [str(line.margin) for line in order.lines] == ["681.70", "233.61", "537.50"]


def test_the_revision_and_its_variance(quillmere, before, after):
    order = after["SQ-2041"]
    assert [str(order.total(name)) for name in ("goods_net", "freight")] == ["3998.90", "186.41"]
    assert [str(v) for v in (order.totals.without_tax, order.totals.tax, order.totals.payable)] == [
        "4185.31", "695.92", "4881.23",
    ]  # fmt: skip
    variance = quillmere.variance(before, after)
    rows = [
        (line.line, line.status, *(str(line.figures[name].variance) for name in ("quantity", "goods_net", "net")))
        for line in variance.lines()
    ]
    assert rows == [
        ("10", "changed", "4", "169.92", "186.94"),
        ("20", "changed", "-1", "-129.90", "-132.50"),
        ("40", "added", "1", "385.00", "393.36"),
    ]
    totals = variance.totals()["SQ-2041"]
    assert [str(totals[name].variance) for name in ("without_tax", "tax", "with_tax")] == ["447.80", "94.04", "541.84"]
    listed = sum(line.figures["without_tax"].variance for line in variance.lines())
    assert listed == totals["without_tax"].variance
    assert [line.status for line in variance.lines(every=True)] == ["changed", "changed", "unchanged", "added"]


def test_effects_split_the_variance(quillmere, before):
    """Line 30 from 2.5 days at 610 to 3 days at 600: round(0.5 x 1525 / 2.5) = 305 by quantity, -30 by price."""
    changed = dokima.Order.from_dict(next(quillmere.orders(DEMO / "orders" / "SQ-2041.json").documents()))
    changed.line("30").fields.update(quantity="3", price_override="600")
    (line,) = quillmere.variance(before, changed).lines()

    assert [str(line.figures[name].variance) for name in ("without_tax", "quantity_effect", "price_effect")] == [
        "275.00", "305.00", "-30.00",
    ]  # fmt: skip
    assert line.figures["price"] == dokima.Delta(D("610.00"), D("600.00"), D("-10.00"))
    assert {name: (c.before, c.after) for name, c in line.fields.items()} == {"price_override": (D(610), D(600))}


def test_why_44_25(quillmere):
    """One reason for each row that lost, and the row that won."""
    explanation = quillmere.explain(DEMO / "orders" / "SQ-2041.json", 10)
    (agreed,) = [answer for answer in explanation.step("price").answers if answer.table == "agreed"]

    assert explanation.step("price").source == "agreed price"
    assert (agreed.file, agreed.row) == ("tables/agreed_prices.csv", 6)
    assert {c.number: (c.reason, c.detail) for c in agreed.candidates} == {
        2: ("window", "valid from 2025-01-01 until 2025-12-31, not on 2026-03-02"),
        3: ("match", "for unit MTK, not C62"),
        4: ("break", "from quantity 48 on, not 36"),
        5: ("choose", "lowest price / base: row 6 is better"),
        6: ("won", ""),
        7: ("choose", "lowest price / base: row 6 is better"),
    }
    assert explanation.step("quantity_discount").formulas == [("percent", "volume.percent", "4")]
    assert explanation.step("freight").formulas[0][2] == "11.2 * 36 * 1 * 0.38"
    manual = quillmere.explain(DEMO / "orders" / "SQ-2041.json", 30, "price")
    assert [step.source for step in manual.steps] == ["manual price (framework terms)"]


def test_the_demo_rules(quillmere):
    """One order breaks all three, the others none."""
    found = quillmere.check(DEMO / "orders")

    assert [(f.order, f.line, f.rule, f.moment) for f in found] == [
        ("SQ-2043", "", "pane-needs-crate", "save"),
        ("SQ-2043", "30", "half-days", "enter"),
        ("SQ-2043", "40", "manual-price-reason", "enter"),
    ]
    assert found[1].message == "Installation day is sold by the half day: 1.25 is not a multiple of 0.5."
    assert found[1].values == {"line.unit": "DAY", "line.quantity": D("1.25")}


def test_results_as_json_and_csv(quillmere, before, after):
    variance = quillmere.variance(before, after)
    data = json.loads(dokima.to_json(before))

    assert data["orders"][0]["totals"]["payable"] == "4339.39"
    assert [row["net"] for row in csv.DictReader(io.StringIO(dokima.to_csv(before)))] == [
        "1682.50",
        "530.01",
        "1525.00",
    ]
    assert json.loads(dokima.to_json(variance))["lines"][0]["figures"]["net"]["variance"] == "186.94"
    assert [row["net_variance"] for row in csv.DictReader(io.StringIO(dokima.to_csv(variance)))] == [
        "186.94",
        "-132.50",
        "393.36",
    ]
    explanation = quillmere.explain(DEMO / "orders" / "SQ-2041.json", 10)
    assert json.loads(dokima.to_json(explanation))["steps"][0]["source"] == "agreed price"
    assert dokima.to_csv(before.findings).startswith("order,line,severity")


def test_one_order_that_is_gone_and_one_that_is_new(quillmere, before):
    other = quillmere.price(DEMO / "orders" / "SQ-2042.json")
    both = quillmere.price([DEMO / "orders" / "SQ-2041.json", DEMO / "orders" / "SQ-2042.json"])

    assert [(n, str(t["with_tax"].variance)) for n, t in quillmere.variance(before, both).totals().items()] == [
        ("SQ-2041", "0.00"),
        ("SQ-2042", str(other["SQ-2042"].totals.with_tax)),
    ]
    assert quillmere.variance(before, before).is_empty
    document = next(quillmere.orders(DEMO / "orders" / "SQ-2041.json").documents())
    with pytest.raises(dokima.DocumentError, match="one currency before and after .got EUR and JPY"):
        quillmere.variance(before, {**document, "currency": "JPY"})
