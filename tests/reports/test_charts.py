"""What charts show, as facts: heights of bars, what stands at them, currency, ends of lines. Figures are those of the demo."""

from __future__ import annotations

import pytest

import dokima
from dokima.reports import charts
from tests.books import DEMO, book, routine

BOOK = dokima.load(DEMO)


@pytest.fixture
def drawn(monkeypatch):
    """The axes of each chart, as they were when it was written."""
    found, real = [], charts._save
    monkeypatch.setattr(charts, "_save", lambda figure, axes, target: (found.append(axes), real(figure, axes, target)))
    return found


def bars(axes):
    return [(round(float(bar.get_y()), 2), round(float(bar.get_y() + bar.get_height()), 2)) for bar in axes.patches]


def labels(axes):
    return [tick.get_text().replace("\n", " ") for tick in axes.get_xticklabels()]


@pytest.mark.parametrize("ending", ["png", "svg", "pdf"])
def test_a_waterfall_goes_from_the_goods_to_the_total_with_tax(drawn, tmp_path, ending):
    """36 at 44.25: 1593.00; 4 % off: 63.72; freight 153.22; 21 % of 1682.50: 353.33; together 2035.83."""
    target = dokima.draw(BOOK.price(DEMO / "orders" / "SQ-2041.json")["SQ-2041"].line(10), tmp_path / f"w.{ending}")
    (axes,) = drawn
    assert labels(axes) == ["goods", "quantity discount", "goods net", "freight", "vat", "with tax"]
    assert bars(axes) == [
        (0.0, 1593.0),
        (1593.0, 1529.28),
        (0.0, 1529.28),
        (1529.28, 1682.5),
        (1682.5, 2035.83),
        (0.0, 2035.83),
    ]
    assert [text.get_text() for text in axes.texts] == ["1593.00", "−63.72", "1529.28", "+153.22", "+353.33", "2035.83"]
    assert (axes.get_title(loc="left"), axes.get_ylabel()) == ("SQ-2041 line 10   PANE-T6 Toughened pane 6 mm", "EUR")
    # Each bar is joined to the next one where it ends.
    joints = [
        (tuple(map(float, line.get_xdata())), set(map(float, line.get_ydata())))
        for line in axes.lines
        if len(line.get_xdata()) == 2
    ][:5]
    assert [height for _, (height,) in joints] == [1593.0, 1529.28, 1529.28, 1682.5, 2035.83]
    assert target.read_bytes()[:4] in (b"\x89PNG", b"<?xm", b"%PDF")


def test_a_bridge_goes_from_one_total_to_the_other_and_says_where_its_axis_starts(drawn, tmp_path):
    """2 to 3 at 100.00, and 1 that is gone at 1000.00; without tax: 1200.00 + 100.00 - 1000.00 = 300.00."""
    price = {"name": "price", "kind": "price", "options": [{"value": "line.size"}]}
    tried = book(line={"size": {"kind": "decimal"}}, routine=routine(price))

    def order(*lines):
        rows = [{"number": n, "item": i, "quantity": q, "size": s} for n, i, q, s in lines]
        return dokima.Order("A", currency="EUR", lines=rows)

    before = order(("10", "P", 2, "100"), ("20", "Q", 1, "1000"))
    dokima.draw(tried.variance(before, order(("10", "P", 3, "100"))), tmp_path / "b.png")
    assert labels(drawn[0]) == ["original", "10 P", "20 Q", "tax", "new total"]
    assert bars(drawn[0]) == [(0.0, 1200.0), (1200.0, 1300.0), (1300.0, 300.0), (300.0, 300.0), (0.0, 300.0)]
    assert drawn[0].get_xlabel() == ""
    dokima.draw(tried.variance(before, order(("10", "P", 3, "100"), ("20", "Q", 1, "1000"))), tmp_path / "c.png")
    assert drawn[1].get_xlabel() == "The axis starts at 1100, so that the change can be seen."
    assert bars(drawn[1])[0] == (1100.0, 1200.0)
    assert bars(drawn[1])[-1] == (1100.0, 1300.0)


def test_prices_by_quantity_are_steps_that_begin_at_their_breaks(drawn, tmp_path):
    """10.00 from 1, 9.00 from 5, 8.50 from 10; 10 % off from 10 pieces on: 7.65 net."""
    rows = [{"item": "P", "least": least, "price": price} for least, price in (("1", "10"), ("5", "9"), ("10", "8.5"))]
    table = {
        "deal": {"match": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": ["highest least"]}
    }
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "deal.price"}]},
        {"name": "off", "kind": "discount", "percent": "10", "when": "line.quantity >= 10"},
    ]
    tried = book({"deal": rows}, table=table, routine=routine(*steps))
    explanation, rungs = tried.price_line({"currency": "EUR"}, {"item": "P", "quantity": 7})
    dokima.draw(rungs, tmp_path / "s.svg", explanation=explanation)
    (axes,) = drawn
    steps = {line.get_label(): line for line in axes.lines if not line.get_label().startswith("_")}
    assert list(steps) == ["unit price", "net of one unit"]
    quantities = [float(rung.quantity) for rung in rungs]
    assert {1.0, 5.0, 10.0} <= set(quantities)
    last = quantities[-1] * 1.25
    for name, of in (
        ("unit price", lambda q: 10 if q < 5 else 9 if q < 10 else 8.5),
        ("net of one unit", lambda q: 10 if q < 5 else 9 if q < 10 else 7.65),
    ):
        line = steps[name]
        assert line.get_drawstyle() == "steps-post"
        assert list(map(float, line.get_xdata())) == [*quantities, last]
        assert [round(float(y), 4) for y in line.get_ydata()] == [*map(of, quantities), of(quantities[-1])]
    assert "asked for: 7" in [text.get_text() for text in axes.texts]
    assert axes.get_ylabel() == "EUR"
    nothing, none = tried.price_line({"currency": "EUR"}, {"item": "X", "quantity": 7})
    with pytest.raises(dokima.DokimaError, match="there is no price at any quantity"):
        dokima.draw(none, tmp_path / "n.svg", explanation=nothing)
