"""Whole rulebooks and orders, made up by Hypothesis, against a slow calculation with fractions."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.oracle import Priced, written

MODES = ("half-up", "half-even", "half-down", "up", "down", "ceiling", "floor")
CONSTANTS = st.sampled_from(["1", "2", "3", "7", "0.5", "10", "12.5", "0"])


def formulas(*names):
    """Quotients, products and sums of fields and constants."""
    leaf = st.one_of(st.sampled_from(names), CONSTANTS)
    return st.recursive(leaf, lambda inner: st.tuples(st.sampled_from("+-*//"), inner, inner), max_leaves=3)


LINE, HEADER = formulas("line.p", "line.r", "line.s"), formulas("header.share")
TEST = st.tuples(st.sampled_from(["line.p", "line.r"]), st.sampled_from(["0", "1", "-1"]))


def optional(**settings):
    """Some of the settings."""
    return st.fixed_dictionaries({}, optional=settings)


def merged(*parts):
    """One step out of its parts."""
    return st.tuples(*parts).map(lambda found: {name: value for part in found for name, value in part.items()})


def one_of(**ways):
    """Exactly one of the settings."""
    return st.one_of(*(st.fixed_dictionaries({name: value}) for name, value in ways.items()))


KIND = st.sampled_from(["discount", "charge"]).map(lambda kind: {"kind": kind})
BY_LINE = merged(KIND, one_of(percent=LINE, amount=LINE, per_unit=LINE), optional(when=TEST, cap=LINE))
BY_ORDER = merged(
    KIND,
    st.just({"over": "order"}),
    st.one_of(
        st.fixed_dictionaries({"percent": HEADER}),
        st.fixed_dictionaries({"per_unit": LINE}),
        merged(st.fixed_dictionaries({"amount": HEADER}), optional(share=LINE)),
    ),
    optional(where=TEST, when=st.tuples(st.just("header.share"), st.just("0")), cap=HEADER),
)
# A figure that reads no line would be one of the header.
READS_A_LINE = st.tuples(st.sampled_from("+-*/"), st.sampled_from(["line.p", "line.r"]), LINE)
FIGURE = st.fixed_dictionaries({"kind": st.just("figure"), "value": READS_A_LINE})
RATE = st.one_of(CONSTANTS, st.sampled_from(["line.r", ("/", "100", "3")]))
CATEGORY = st.sampled_from(["S", "E"])
TAX = merged(
    st.just({"kind": "tax"}), one_of(percent=RATE), optional(when=TEST, top=st.booleans(), category=CATEGORY)
)  # fmt: skip
OWN_TAX = merged(one_of(percent=RATE), optional(category=CATEGORY))
FLOOR = optional(keep_above=LINE)


@st.composite
def routines(draw):
    """Steps as the oracle reads them: price, some that move the amount, some that compete, taxes."""
    steps = [
        {"kind": "price", "name": "price", "value": draw(LINE), **draw(optional(base=LINE, places=st.integers(0, 4)))}
    ]
    for step in draw(st.lists(st.one_of(BY_LINE, BY_ORDER, FIGURE), max_size=4)):
        own = {**step, **(draw(FLOOR) if step["kind"] == "discount" else {}), "name": f"s{len(steps)}"}
        steps.append(own)
        if step["kind"] != "figure" and draw(st.integers(0, 3)) == 0:
            rival = draw(BY_ORDER if "over" in step else BY_LINE)
            own["best_of"] = f"b{len(steps)}"
            steps.append({**rival, "kind": step["kind"], "name": f"s{len(steps)}", "best_of": own["best_of"]})
    for step in draw(st.lists(TAX, max_size=3)):
        below = [each["name"] for each in steps if each["kind"] == "tax"]
        top = below[-1:] if step.pop("top", False) else []
        steps.append({**step, "name": f"t{len(steps)}", **({"on_top_of": top} if top else {})})
    taxes = [each for each in steps if each["kind"] == "tax"]
    for step in steps:
        if taxes and step["kind"] in ("discount", "charge") and draw(st.integers(0, 2)) == 0:
            joined = draw(st.sampled_from(taxes))["name"]
            follow = [each["name"] for each in taxes if joined in each.get("on_top_of", ()) and draw(st.booleans())]
            named = {"step": [joined, *follow]} if len(taxes) > 1 else {}
            step["tax"] = {**draw(OWN_TAX), **named}
    settings = {"rounding": st.sampled_from(MODES), "tax_per": st.sampled_from(["document", "line"])}
    return steps, draw(st.fixed_dictionaries({**settings, "inclusive": st.booleans()}))


VALUE = st.sampled_from(
    ["0", "1", "-1", "3", "0.01", "12.34", "-7.5", "100", "0.125", "33.335", "0.1234567890123", None]
)
ORDER = st.fixed_dictionaries(
    {
        "share": st.sampled_from(["1", "5", "0.05", "-3", "0", None]),
        "lines": st.lists(
            st.fixed_dictionaries(
                {"p": VALUE, "r": VALUE, "s": VALUE, "quantity": st.sampled_from(["1", "3", "-2", "0.5"])}
            ),
            max_size=4,
        ),
    }
)


def rulebook(steps, settings):
    """The same routine as a rulebook of Dokima."""

    def told(step):
        found = {
            k: written(v) for k, v in step.items() if k in ("percent", "amount", "per_unit", "value", "cap", "share")
        }
        if "tax" in step:
            own = step["tax"]
            found["tax"] = {"percent": written(own["percent"]), **({"step": own["step"]} if "step" in own else {})}
        found |= {k: f"{v[0]} > {v[1]}" for k, v in step.items() if k in ("when", "where")}
        found |= {k: v for k, v in step.items() if k in ("kind", "name", "over", "best_of", "on_top_of", "places")}
        for into, said in ((found, step), (found.get("tax", {}), step.get("tax", {}))):
            if "category" in said:
                into["category"] = f"'{said['category']}'"
        if "keep_above" in step:
            found["keep_above"] = written(step["keep_above"])
        if step["kind"] == "price":
            option = {"value": found.pop("value"), **({"base": written(step["base"])} if "base" in step else {})}
            found["options"] = [option]
        return found

    number = {"kind": "decimal"}
    routine = {"step": [told(step) for step in steps], "rounding": settings["rounding"], "tax_per": settings["tax_per"]}
    return dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "made", "currency": "EUR"},
            "header": {"share": number},
            "line": {"p": number, "r": number, "s": number},
            "routine": {"all": {**routine, "prices_include_tax": str(settings["inclusive"])}},
        }
    )


def assert_as_expected(priced, expected):
    """Every figure of an order is that of the oracle; an order in error has a finding and no total."""
    if expected.error:
        assert priced.findings.errors
        assert {value for name, value in vars(priced.totals).items() if name != "prepaid"} == {None}
        return
    assert not priced.findings
    assert {name: Fraction(getattr(priced.totals, name)) for name in expected.totals} == expected.totals
    for line, figures in zip(priced.lines, expected.lines, strict=True):
        found = {name: line.figure(name) for name in figures}
        assert {n: None if v is None else Fraction(v) for n, v in found.items()} == figures


@given(routines(), st.lists(ORDER, min_size=1, max_size=4), st.randoms())
def test_every_figure_is_that_of_a_slow_calculation(routine, documents, random):
    """Alone, together, with the lines in any order, and in pieces."""
    steps, settings = routine
    book = rulebook(steps, settings)
    orders = []
    for at, document in enumerate(documents):
        lines = [{**line, "number": str(10 * (place + 1))} for place, line in enumerate(document["lines"])]
        orders.append(dokima.Order(f"O{at}", lines=random.sample(lines, len(lines)), share=document["share"]))
    expected = [Priced(steps, settings, {"share": d["share"]}, d["lines"]) for d in documents]

    together = book.price(orders)
    pieces = {order.number: order for piece in book.stream(orders, lines=3) for order in piece}

    for order, known in zip(orders, expected, strict=True):
        for priced in (together[order.number], book.price(order)[order.number], pieces[order.number]):
            assert_as_expected(priced, known)


def test_the_oracle_itself_by_hand():
    """100 and -30, 10 % off at most 8 on the order, 20 % tax in the price: so that the oracle is not just believed."""
    steps = [
        {"kind": "price", "name": "price", "value": "line.p"},
        {"kind": "discount", "name": "off", "percent": "10", "cap": "5", "over": "order"},
        {"kind": "tax", "name": "vat", "percent": "20"},
    ]
    settings = {"rounding": "half-up", "tax_per": "document", "inclusive": True}
    lines = [{"p": "100", "quantity": "1"}, {"p": "-30", "quantity": "1"}]
    priced = Priced(steps, settings, {}, lines)
    assert [line["off"] for line in priced.lines] == [Fraction("7.14"), Fraction("-2.14")]
    assert (priced.totals["with_tax"], priced.totals["tax"]) == (Fraction(65), Fraction("10.83"))
    assert Decimal("65") == rulebook(steps, settings).price(dokima.Order("A", lines=lines))["A"].totals.payable
