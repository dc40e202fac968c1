"""Formulas of texts and dates, made together with what they mean in plain Python, for several orders at once."""

from __future__ import annotations

import datetime
from fractions import Fraction

from hypothesis import example, given
from hypothesis import strategies as st

import dokima
from tests.books import book, routine

LEAP = datetime.date(2024, 2, 29)


def leaf(formula, value=None):
    """A name of the line or of the header, or a constant."""
    level, _, name = formula.partition(".")
    of = {"line": lambda order, line: line[name], "header": lambda order, line: order[name]}
    return st.just((formula, of.get(level, lambda order, line: value)))


def made(form, work, *parts, known=True):
    """A formula out of smaller ones; blank where one of them is, unless ``work`` knows what to do with blanks."""

    def both(chosen):
        def value(order, line):
            values = [of(order, line) for _, of in chosen]
            return None if known and None in values else work(*values)

        return form.format(*(formula for formula, _ in chosen)), value

    return st.tuples(*parts).map(both)


def over_lines(form, work, part):
    """An aggregate: blank where it is blank on a line, and over no lines."""

    def both(chosen):
        formula, of = chosen

        def value(order, line):
            values = [of(order, each) for each in order["lines"]]
            return None if None in values or not values else work(values)

        return form.format(formula), value

    return part.map(both)


def chosen(test, yes, no):
    return None if test is None else yes if test else no


def moved(day, days):
    return day + datetime.timedelta(days=int(days))


def first(*values):
    return next((each for each in values if each is not None), None)


def grown(text, day, number, flag):
    """Larger formulas of each kind."""
    return (
        st.one_of(
            made("upper({})", str.upper, text), made("lower({})", str.lower, text),
            made("trim({})", lambda a: a.strip() or None, text),
            made("coalesce({}, {})", first, text, text, known=False),
            made("({1} if {0} else {2})", chosen, flag, text, text, known=False),
        ),
        st.one_of(
            made("add_days({}, {})", moved, day, number), made("coalesce({}, {})", first, day, day, known=False),
            made("({1} if {0} else {2})", chosen, flag, day, day, known=False),
        ),
        st.one_of(
            made("length({})", len, text), made("year({})", lambda a: a.year, day),
            made("month({})", lambda a: a.month, day), made("weekday({})", datetime.date.isoweekday, day),
            made("days_between({}, {})", lambda a, b: (b - a).days, day, day),
        ),
        st.one_of(
            made("starts_with({}, {})", str.startswith, text, text), made("ends_with({}, {})", str.endswith, text, text),
            made("contains({}, {})", lambda a, b: b in a, text, text), made("({} < {})", lambda a, b: a < b, text, text),
            made("({} == {})", lambda a, b: a == b, text, text), made("({} >= {})", lambda a, b: a >= b, day, day),
            made("matches({}, '[a-z]+')", lambda a: a.isascii() and a.isalpha() and a.islower(), text),
            made("({} in ['a', 'x y'])", lambda a: a in ("a", "x y"), text),
            made("blank({})", lambda a: a is None, st.one_of(text, day), known=False),
        ),
    )  # fmt: skip


TEXT = st.one_of(leaf("line.a"), leaf("header.c"), leaf("'Aé'", "Aé"), leaf("' q'", " q"), leaf("''"))
DAY = st.one_of(leaf("line.d"), leaf("header.f"), leaf("date('2024-02-29')", LEAP))
FEW = grown(TEXT, DAY, leaf("1", 1), st.one_of(leaf("header.h"), leaf("line.g")))
GATHERED = over_lines("highest({})", max, FEW[1]) | over_lines("lowest({})", min, FEW[1])
COUNTED = over_lines("distinct({})", lambda found: len(set(found)), FEW[0])
ANY = st.one_of(*grown(TEXT | FEW[0], DAY | FEW[1] | GATHERED, leaf("-2", -2) | FEW[2] | COUNTED, FEW[3]))
TEXTS, DAYS = st.sampled_from([None, "a", "A", "Aé", "x y", " q ", "ß"]), st.sampled_from([None, LEAP, datetime.date(2026, 1, 31)])  # fmt: skip
LINE = st.fixed_dictionaries({"a": TEXTS, "d": DAYS, "g": st.sampled_from([None, True, False])})
ORDER = st.fixed_dictionaries(
    {"c": TEXTS, "f": DAYS, "h": st.sampled_from([None, True, False]), "lines": st.lists(LINE, min_size=1, max_size=3)}
)
BLANK, FULL = {"a": None, "d": None, "g": None}, {"a": "a", "d": LEAP, "g": True}


@example(
    ("(date('2024-02-29') if '' == '' else coalesce(line.d, line.d))", lambda order, line: None),
    [{"c": None, "f": None, "h": None, "lines": [BLANK, FULL]}, {"c": "a", "f": LEAP, "h": True, "lines": [FULL]}],
)
@given(ANY, st.lists(ORDER, min_size=1, max_size=3))
def test_a_formula_of_texts_and_dates_gives_what_python_gives(formula, orders):
    source, value = formula
    step = {"name": "result", "kind": "figure", "value": source}
    fields = {"header": {"c": {}, "f": {"kind": "date"}, "h": {"kind": "flag"}}}
    fields["line"] = {"a": {}, "d": {"kind": "date"}, "g": {"kind": "flag"}}
    priced = book(**fields, routine=routine(step)).price(
        [
            dokima.Order(f"O{at}", **{**o, "lines": [{"quantity": 1, **line} for line in o["lines"]]})
            for at, o in enumerate(orders)
        ]
    )
    for at, order in enumerate(orders):
        of = priced[f"O{at}"]
        for position, line in enumerate(order["lines"]):
            found = of.figures["result"] if "result" in of.figures else of.lines[position].figure("result")
            expected = value(order, line)
            assert found == (Fraction(expected) if type(expected) is int else expected)
