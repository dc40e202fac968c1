"""Changes of a rulebook that no order could tell: comparisons that say the same of every value a field can have.

A field with two decimal places is below 0.555 just where it is at most 0.55. Written in one normal form, two such
comparisons are the same text, and so are two rulebooks that differ in nothing else.
"""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from typing import Any

from dokima.model.fields import Field
from dokima.pricing.fingerprint import fingerprint_of
from dokima.pricing.program import Program, ProgramDefinition

TURNED: Mapping[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.Gt(), ast.LtE: ast.GtE(), ast.Gt: ast.Lt(), ast.GtE: ast.LtE(), ast.Eq: ast.Eq(),
    ast.NotEq: ast.NotEq(),
}  # fmt: skip
"""A comparison with its sides changed."""
FORMULAS = ("when", "require", "value", "base", "percent", "amount", "per_unit", "cap", "keep_above", "where", "share")
"""Settings of rules and steps that hold formulas."""
NO_VALUE = "no value that the field can have"


def say_the_same(program: Program, changed: ProgramDefinition) -> bool:
    """Whether a changed rulebook says the same of every order: its comparisons agree on all values of their fields."""
    mine = _normal(program, program.definition)
    return fingerprint_of(mine) == fingerprint_of(_normal(program, changed))


def _normal(program: Program, definition: ProgramDefinition) -> ProgramDefinition:
    """A definition whose rules and routines have their formulas in normal form."""
    rules = [_formulas(program, each) for each in definition.rules]
    routines = [_formulas(program, each) for each in definition.routines]
    return replace(definition, rules=rules, routines=routines)


def _formulas(program: Program, part: Any) -> Any:
    changed: dict[str, Any] = {}
    for each in fields(part):
        value = getattr(part, each.name)
        if each.name in FORMULAS and isinstance(value, str):
            changed[each.name] = normal_form(program, value)
        elif each.name in ("steps", "options") and isinstance(value, list | tuple):
            changed[each.name] = [_formulas(program, one) if is_dataclass(one) else one for one in value]
    return replace(part, **changed) if changed else part


def normal_form(program: Program, source: str) -> str:
    """A formula whose comparisons of fields with numbers are written with ``<`` and ``>=``, at a value of the field.

    Args:
        program: The rulebook, for the decimal places of its fields.
        source: The formula.
    """
    text = source.strip()
    try:
        tree = ast.parse(text, mode="eval")
    except SyntaxError:
        return source
    written = (each for each in ast.walk(tree) if isinstance(each, ast.Constant) and isinstance(each.value, float))
    if any(Decimal(ast.get_source_segment(text, each) or "NaN") != Decimal(str(each.value)) for each in written):
        return source  # more digits than a float holds: read as floats, two numbers might look alike
    return ast.unparse(_Normal(program).visit(tree))


class _Normal(ast.NodeTransformer):
    def __init__(self, program: Program) -> None:
        self.program = program

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        """One comparison of a field with a number; of several at once nothing is changed."""
        if len(node.ops) != 1:
            return self.generic_visit(node)
        left, op, right = node.left, node.ops[0], node.comparators[0]
        if _number(left) is not None and type(op) in TURNED:
            left, op, right = right, TURNED[type(op)], left
        number, field = _number(right), self._field(left)
        places = None if field is None else 0 if field.kind == "integer" else field.places
        if number is None or places is None or field is None or field.kind not in ("integer", "decimal"):
            return self.generic_visit(node)
        return _at_a_value(left, op, number, places) or self.generic_visit(node)

    def _field(self, node: ast.expr) -> Field | None:
        head, _, name = ast.unparse(node).partition(".") if isinstance(node, ast.Attribute) else ("", "", "")
        known = {"header": self.program.fields.header, "line": self.program.fields.line}
        return known.get(head, {}).get(name)


def _number(node: ast.expr) -> Decimal | None:
    """A number that is written out, with its sign."""
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        inner = _number(node.operand)
        return None if inner is None else -inner
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        return Decimal(str(node.value))
    return None


def _at_a_value(field: ast.expr, op: ast.cmpop, number: Decimal, places: int) -> ast.expr | None:
    """The comparison at a value that the field can have."""
    unit = Decimal(1).scaleb(-places)
    below, above = number.quantize(unit, ROUND_FLOOR), number.quantize(unit, ROUND_CEILING)
    said: tuple[str, Decimal | str]
    match op:
        case ast.Lt():
            said = ("<", above)
        case ast.LtE():
            said = ("<", below + unit)
        case ast.Gt():
            said = (">=", below + unit)
        case ast.GtE():
            said = (">=", above)
        case ast.Eq() | ast.NotEq():
            word = "==" if isinstance(op, ast.Eq) else "!="
            said = (word, below if below == above else NO_VALUE)
        case _:
            return None
    value = f"'{said[1]}'" if isinstance(said[1], str) else format(said[1] + 0, "f")  # not -0
    return ast.parse(f"{ast.unparse(field)} {said[0]} {value}", mode="eval").body
