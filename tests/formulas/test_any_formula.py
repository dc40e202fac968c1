"""Formulas of any shape against a plain evaluator of their trees: as figures, and as rules of several orders at once."""

import ast
from fractions import Fraction

from hypothesis import example, given
from hypothesis import strategies as st

import dokima
from tests.books import FIELDS, book, routine


def _pairs(form, *parts):
    return st.tuples(*parts).map(lambda chosen: form.format(*chosen))


_OF_HEADER = (
    st.sampled_from(["header.credit", "0", "1", "-2", "0.5", "1 / 0"]),
    st.sampled_from(["header.rush", "1 > 2", "1 / 0 > 1"]),
)
_OF_LINE = (st.sampled_from(["line.quantity", "line.boxes"]), st.just("line.fitted"))


def _grown(numbers, flags):
    """Formulas that give a number, and formulas that give a flag, out of smaller ones."""
    both = st.deferred(lambda: numbers | grown_numbers), st.deferred(lambda: flags | grown_flags)
    number, flag = both
    grown_numbers = st.one_of(
        _pairs("({} {} {})", number, st.sampled_from("+-*"), number),
        _pairs("({} / {})", number, st.sampled_from(["0", "2", "-4", "header.credit"])),
        _pairs("{}({}, {})", st.sampled_from(["min", "max", "coalesce"]), number, number),
        _pairs("abs({})", number),
        _pairs("({} if {} else {})", number, flag, number),
    )
    grown_flags = st.one_of(
        _pairs("({} {} {})", number, st.sampled_from(["<", "==", ">="]), number),
        _pairs("({} {} {})", flag, st.sampled_from(["and", "or"]), flag),
        _pairs("(not {})", flag),
        _pairs("blank({})", number),
    )
    return both


_SUMMED = _grown(_OF_HEADER[0] | _OF_LINE[0], _OF_HEADER[1] | _OF_LINE[1])
NUMBER, FLAG = _grown(
    _OF_HEADER[0] | _OF_LINE[0] | _pairs("sum({})", _SUMMED[0]), _OF_HEADER[1] | _OF_LINE[1] | _pairs("any({})", _SUMMED[1])
)  # fmt: skip
MAYBE = st.sampled_from([None, -1, 0, 2, 4])  # divided by, they leave a finite number of places
ORDER = st.fixed_dictionaries(
    {
        "credit": MAYBE,
        "rush": st.sampled_from([True, False, None]),
        "lines": st.lists(st.fixed_dictionaries({"quantity": MAYBE, "boxes": MAYBE, "fitted": st.sampled_from([True, False, None])}), max_size=3),
    }
)  # fmt: skip


def plainly(node, order, line):
    """The value of a formula's tree; None where it is unknown. Kleene's logic, exact fractions."""

    def of(each):
        return plainly(each, order, line)

    match node:
        case ast.Constant(value):
            return Fraction(str(value))
        case ast.Attribute(ast.Name("header"), name):
            return order[name]
        case ast.Attribute(_, name):
            return line[name]
        case ast.UnaryOp(ast.USub(), operand):
            return -of(operand)
        case ast.UnaryOp(_, operand):
            return None if of(operand) is None else not of(operand)
        case ast.IfExp(test, body, orelse):
            return None if of(test) is None else of(body) if of(test) else of(orelse)
        case ast.BoolOp(operator, values):
            deciding, found = isinstance(operator, ast.Or), [of(each) for each in values]
            return deciding if deciding in found else None if None in found else not deciding
        case ast.Call(ast.Name("sum" | "any" as name), [operand]):
            found = [plainly(operand, order, each) for each in order["lines"]]
            if name == "any" and True in found:
                return True
            return None if None in found else sum(found) if name == "sum" else False
        case ast.Call(ast.Name(name), arguments):
            found = [of(each) for each in arguments]
            if name in ("coalesce", "blank"):
                known = [each for each in found if each is not None]
                return not known if name == "blank" else known[0] if known else None
            return None if None in found else {"min": min, "max": max, "abs": abs}[name](*found)
        case ast.BinOp(left, operator, right) | ast.Compare(left, [operator], [right]):
            a, b = of(left), of(right)
            if a is None or b is None or (isinstance(operator, ast.Div) and not b):
                return None
            return _WORK[type(operator)](Fraction(a), Fraction(b))
    raise AssertionError(ast.dump(node))


_WORK = {
    ast.Add: Fraction.__add__, ast.Sub: Fraction.__sub__, ast.Mult: Fraction.__mul__, ast.Div: Fraction.__truediv__,
    ast.Lt: Fraction.__lt__, ast.Gt: Fraction.__gt__, ast.Eq: Fraction.__eq__, ast.GtE: Fraction.__ge__,
}  # fmt: skip


LINE = {"quantity": 2, "boxes": None, "fitted": True}
NONE, TWO = {"credit": 2, "rush": True, "lines": []}, {"credit": None, "rush": True, "lines": [LINE, LINE]}


@example("1 if 1 / 0 > 1 else line.quantity", "header.rush", "1 / 0 < line.quantity", [NONE, TWO])
@example("line.quantity + coalesce(0, header.credit)", "1 > 0", "line.boxes > 1 or header.credit > 1", [NONE, TWO])
@given(NUMBER, FLAG, FLAG, st.lists(ORDER, min_size=1, max_size=3))
def test_formulas_give_what_a_plain_evaluator_gives(number, when, require, orders):
    tried = book(
        **FIELDS,
        routine=routine({"name": "result", "kind": "figure", "value": number}),
        rule=[{"id": "tried", "at": "save", "when": when, "require": require}],
    )
    documents = [dokima.Order(f"O{at}", **order) for at, order in enumerate(orders)]
    calculation, findings = tried.price(documents), tried.check(documents)
    verdict = ast.parse(f"not {when} or {require}", mode="eval").body
    value, by_line = ast.parse(number, mode="eval").body, tried.program.rules[0].level.name == "LINE"
    said = {(each.order, each.line): each.undecided for each in findings}
    for at, order in enumerate(orders):
        for position, line in enumerate(order["lines"]):
            priced = calculation[f"O{at}"]
            found = priced.figures["result"] if "result" in priced.figures else priced.lines[position].figure("result")
            assert found == plainly(value, order, line)
            holds = plainly(verdict, order, line)
            expected = None if holds is True else holds is None
            assert said.get((f"O{at}", str(10 * position + 10) if by_line else "")) is expected
