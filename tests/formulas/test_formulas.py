"""The formula language: what each construct gives, what blanks do, and what is refused where."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, book, definition, routine, worked_out

D = Decimal


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("0.35 * 3", D("1.05")),
        ("0.1 + 0.2", D("0.3")),
        ("1e3 - .5", D("999.5")),
        ("0.29 / 12 * 6", D("0.145")),
        ("round(0.29 / 12 * 6, 2)", D("0.15")),
        ("1 / 3 + 1 / 3", D("0.666666666666")),  # each third takes 12 places, ROUND_05UP, before it is added
        ("1 / 3 * 3 == 1", True),
        ("7 // 2 * 10 + 7 % 2", D(31)),
        ("-7 // 2", D(-3)),
        ("-7 % 2", D(-1)),
        ("2 - -3", D(5)),
        ("1 / 0", None),
        ("round(2.345, 2)", D("2.35")),
        ("round(2.345, 2, 'half-even')", D("2.34")),
        ("round(-2.345, 2)", D("-2.35")),
        ("round(1250, -2)", D(1300)),
        ("round(2.5)", D(3)),
        ("round_to(12.37, 0.05)", D("12.35")),
        ("round_to(12.37, 0.25, 'up')", D("12.50")),
        ("floor(-1.5)", D(-2)),
        ("ceil(1 / 3)", D(1)),
        ("abs(-1 / 4)", D("0.25")),
        ("min(3, 1 / 3, 2) == 1 / 3", True),
        ("max(date('2026-01-31'), date('2026-02-01'))", date(2026, 2, 1)),
        ("5 if 2 > 1 else 'x' == 'y'", "refused"),
        ("'a' if 1 > 2 else 'b'", "b"),
        ("1 < 2 <= 2 < 3", True),
        ("'NL' in ['BE', 'NL']", True),
        ("3 not in [1, 2]", True),
        ("3 in []", False),
        ("'b' > 'a'", True),
        ("coalesce('', '', 'x')", "x"),
        ("coalesce('', 4)", D(4)),
        ("blank('')", True),
        ("upper(trim('  ab '))", "AB"),
        ("length('zwölf')", D(5)),
        ("contains('toughened pane', 'pane') and starts_with('pane', 'pa') and not ends_with('pane', 'x')", True),
        ("matches('SQ-2041', 'SQ-[0-9]+')", True),
        ("matches('SQ-2041x', 'SQ-[0-9]+')", False),
        ("days_between(date('2026-02-27'), date('2026-03-02'))", D(3)),
        ("add_days(date('2024-02-28'), 2)", date(2024, 3, 1)),
        ("add_days(date('9999-12-31'), 1)", None),
        ("year(date('1899-12-31')) * 100 + month(date('1899-12-31'))", D(189912)),
        ("weekday(date('2026-03-02'))", D(1)),
        ("weekday(date('1066-10-14'))", D(date(1066, 10, 14).isoweekday())),
        ("not (1 == 1.0)", False),
        ("   1 + 1  ", D(2)),
    ],
)
def test_constants(formula, expected):
    """Each construct on written-out values, exact to the last digit."""
    if expected == "refused":
        with pytest.raises(dokima.RulebookError, match="both sides of 'if ... else' must be of one kind"):
            worked_out(formula)
        return
    assert worked_out(formula) == [expected]


T, F, B = {"rush": True}, {"rush": False}, {"rush": None}


@pytest.mark.parametrize(
    ("formula", "header", "expected"),
    [
        ("header.rush and 1 == 1", B, None),
        ("header.rush and 1 == 2", B, False),
        ("header.rush or 1 == 1", B, True),
        ("header.rush or 1 == 2", B, None),
        ("not header.rush", B, None),
        ("header.rush == header.rush", B, None),
        ("1 if header.rush else 2", B, None),
        ("1 if header.rush else 2", T, D(1)),
        ("header.country in ['NL']", {}, None),
        ("blank(header.country)", {}, True),
        ("header.country == ''", {"country": "NL"}, None),
        ("min(1, header.credit)", {}, None),
        ("header.credit + 1", {"credit": ""}, None),
        ("header.due < date('2026-01-01')", {"due": date(1850, 1, 1)}, True),
        ("upper(header.country) == 'NL'", {"country": "nl"}, True),
    ],
)
def test_a_blank_is_unknown(formula, header, expected):
    """Kleene's logic: a blank spreads, unless the other side decides alone."""
    assert worked_out(formula, header) == [expected]


LINES = (
    {"quantity": 2, "colour": "green", "weight": "1.5", "fitted": True},
    {"quantity": 3, "colour": "white", "weight": "0.25", "fitted": False},
    {"quantity": 5, "colour": "green", "weight": None, "fitted": None},
    {"quantity": 7, "colour": None, "weight": "4", "fitted": True},
)


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("sum(line.quantity)", [17]),
        ("sum(line.quantity, where=line.colour == 'green')", [None]),  # nobody knows the fourth line's colour
        ("sum(line.quantity, where=coalesce(line.colour, '-') == 'green')", [7]),
        ("sum(line.quantity, by=line.colour)", [7, 3, 7, None]),
        ("sum(line.weight)", [None]),
        ("sum(line.weight, where=not blank(line.weight))", [D("5.75")]),
        ("count()", [4]),
        ("count(line.quantity > 2)", [3]),
        ("count(line.fitted)", [None]),
        ("count(where=line.quantity > 2)", [3]),
        ("any(line.fitted)", [True]),
        ("all(line.fitted)", [False]),
        ("any(line.fitted, where=line.quantity > 2)", [True]),
        ("all(line.quantity > 0)", [True]),
        ("any(line.weight > 100)", [None]),
        ("any(line.quantity > 100, where=line.fitted)", [False]),
        ("lowest(line.quantity, by=line.colour)", [2, 3, 2, None]),
        ("highest(line.quantity)", [7]),
        ("average(line.quantity) * 4", [17]),
        ("distinct(line.quantity > 2)", [2]),
        ("distinct(coalesce(line.colour, '-'))", [3]),
        ("sum(line.quantity, where=line.quantity > 100)", [0]),
        ("all(line.fitted, where=line.quantity > 100)", [True]),
        ("lowest(line.quantity, where=line.quantity > 100)", [None]),
        ("line.quantity / sum(line.quantity, by=line.colour) == 1", [False, True, False, None]),
        ("sum(line.quantity / sum(line.quantity, by=line.quantity))", [4]),
        ("line.quantity == highest(line.quantity)", [False, False, False, True]),
    ],
)
def test_aggregates(formula, expected):
    """Over the lines of an order, whole, filtered and by group."""
    assert worked_out(formula, {}, *LINES) == expected


maybe = st.one_of(st.none(), st.integers(-3, 3))


@given(st.lists(st.tuples(maybe, st.sampled_from([True, False, None]), st.sampled_from(["a", "b", None])), min_size=1))
def test_aggregates_against_a_plain_loop(rows):
    lines = [{"quantity": q, "fitted": f, "colour": c} for q, f, c in rows]

    def over(members, work):
        counted = [q for q, f, _ in members if f is True]
        unknown = any(f is None for _, f, _ in members)
        return None if unknown or None in counted else work(counted)

    total = worked_out("sum(line.quantity, where=line.fitted)", {}, *lines)
    assert total == [over(rows, sum)]
    groups = {c: [row for row in rows if row[2] == c] for c in ("a", "b")}
    by_colour = worked_out("highest(line.quantity, where=line.fitted, by=line.colour)", {}, *lines)
    assert by_colour == [None if c is None else over(groups[c], lambda m: max(m, default=None)) for *_, c in rows]
    verdicts = [None if q is None else q > 0 for q, *_ in rows]
    kleene = True if True in verdicts else None if None in verdicts else False
    assert worked_out("any(line.quantity > 0)", {}, *lines) == [kleene]


@given(st.lists(st.tuples(st.integers(-50, 50), st.integers(-5, 5)), min_size=1, max_size=5))
def test_lines_and_header_meet_by_broadcast(rows):
    """Arithmetic on columns against fractions, a header value meeting every line."""
    lines = [{"quantity": a, "boxes": b} for a, b in rows]
    found = worked_out("line.quantity / line.boxes * header.credit < sum(line.boxes)", {"credit": "0.5"}, *lines)
    whole = sum(b for _, b in rows)

    assert found == [None if b == 0 else Fraction(a, b) / 2 < whole for a, b in rows]


@pytest.mark.parametrize(
    ("formula", "position", "message"),
    [
        ("  ", 0, "expected a formula (got nothing)"),
        ("line.quantity >", 15, "this is not a formula"),
        ("item.from + 1", 5, "invalid syntax; 'from' is a reserved word"),
        ("1 + item.class", 9, "invalid syntax; 'class' is a reserved word"),
        ("line.quantity = 5", 14, "invalid syntax; '==' compares"),
        ("sum(line.quantity, where=line.fitted) >= 5%", 43, "a percentage is its number: 5 % is 5"),
        ("line.fitted AND header.rush", 12, "and, or, not, in, if, else are written small"),
        ("line.colour == 'a = b' && line.fitted", 24, "'and' and 'or' join conditions"),
        ("line.quantity > 1,5", 0, "the right of 'in'; decimals are written with a point: 1.5"),
        ("IF(line.fitted, 1, 2) > 1", 0, "there is no function 'IF'; 'a if condition else b' chooses"),
        ("line.colour == null", 15, "(got 'null'); '' is a blank, and blank(x) asks for one"),
        ("line.fitted == true", 15, "(got 'true'); 'True' is written with a capital letter"),
        ("header.due > 2026-03-02", 18, "a day is written date('2026-03-02')"),
        ("line.quantity > 'A'", 16, "'>' cannot compare 'line.quantity' (a number) with ''A'' (text)"),
        ("line.quantty + 1", 0, "there is no 'line.quantty'; did you mean 'line.quantity'?"),
        ("1 + header.cuontry", 4, "there is no 'header.cuontry'; did you mean 'header.country'?"),
        (
            "quantity * 2",
            0,
            "a name has two parts, such as line.quantity (got 'quantity'); did you mean 'line.quantity'?",
        ),
        ("line.quantity.units", 0, "a name has two parts"),
        ("itm.list_price", 0, "there is no table or level 'itm'; did you mean 'item'?"),
        ("item.list_prise", 0, "table 'item' has no column 'list_prise'; did you mean 'item.list_price'?"),
        ("'ä' == line.colour + 1", 7, "'+' needs a number (got 'line.colour', which is text)"),
        ("line.quantity ** 2", 0, "a formula has no power"),
        ("[1, 2][0]", 0, "a formula has no indexing"),
        ("line.quantity is 2", 0, "a formula has no 'is'; use == or blank()"),
        ("line.quantity in 'abc'", 17, "'in' needs a list such as ['NL', 'BE']"),
        ("line.colour in ['a', line.colour]", 21, "a list may hold only numbers, texts and dates written out"),
        ("rond(1)", 0, "there is no function 'rond'; did you mean 'round'?"),
        ("round(1, 2.5)", 9, "expected a number of places, written out (got '2.5')"),
        ("round(1, 2, 'halfup')", 12, "expected a rounding mode"),
        ("min(1)", 0, "min() takes 2 or more arguments (got 1)"),
        ("length(line.quantity)", 7, "length() needs text (got 'line.quantity', which is a number)"),
        ("sum(line.colour)", 4, "sum() needs a number (got 'line.colour', which is text)"),
        ("sum(line.quantity, when=line.fitted)", 0, "sum() takes where= and by= (got 'when=')"),
        ("sum(count())", 4, "only an aggregate with by= may stand inside sum()"),
        ("matches(line.colour, '(')", 21, "this pattern cannot be read"),
        ("found(itme)", 6, "there is no table or level 'itme'; did you mean 'item'?"),
        ("date('2026-02-30')", 0, "expected a date such as date('2026-03-02')"),
        ("run.today", 0, "rules and defaults may read run.today"),
        ("value.rate", 0, "there is no named value 'rate'"),
        ("1_000", 0, "expected a number such as 0.35"),
        ("1) + (2", 1, "this is not a formula"),
        ("count(line.item)", 6, "which is text); count() counts all, count(not blank(x)) those that have x"),
        ("not line.quantity", 4, "'not' needs a flag (got 'line.quantity', which is a number)"),
        ("header.rush < True", 0, "'<' cannot order flags"),
        ("lambda: 1", 0, "a formula has no lambda"),
        (" + ".join(["1"] * 102), 0, "a formula may have at most 100 signs in a row"),
        ("1" + "-(1" * 45 + ")" * 45, 123, "a formula may be nested at most 40 deep"),
        ("1+" * 1500 + "1", 2000, "a formula may have at most 2000 characters"),
        ("line.goods", 0, "there is no 'line.goods'"),
    ],
)
def test_what_is_refused_and_where(formula, position, message):
    """A mistake is found when the rulebook loads; the message quotes the formula and points at the place."""
    with pytest.raises(dokima.RulebookError) as caught:
        worked_out(formula)

    (problem,) = caught.value.problems
    assert problem.path == "routine.sales.step.result.value"
    assert message in problem.message
    if len(formula) < 100:
        assert problem.message.splitlines()[-1].index("^") - 4 == position


def test_when_must_be_a_flag_of_the_order():
    with pytest.raises(
        dokima.RulebookError, match="'when' is worked out once per order; reach line values through sum"
    ):
        book(**FIELDS, routine=routine(when="line.fitted"))
    with pytest.raises(dokima.RulebookError, match="'when' must give a flag .this gives a whole number."):
        book(routine=routine(when="1"))


def test_named_values_of_every_kind_and_numbers_as_formulas():
    values = {"rate": D("0.35"), "until": date(2026, 12, 31), "name": "glass", "on": True}
    step = {"name": "result", "kind": "figure", "value": "value.rate * 2 if value.on and value.name == 'glass' else 0"}
    tried = book(value=values, routine=routine(step, {"name": "four", "kind": "figure", "value": D("4.50")}))
    order = tried.price(dokima.Order("A", lines=[{"quantity": 1}]))["A"]

    assert order.figures == {"result": D("0.7"), "four": D("4.5")}
    with pytest.raises(dokima.RulebookError, match="value.rate.*got the binary float 0.35"):
        dokima.Rulebook.from_dict(definition(value={"rate": 0.35}))
