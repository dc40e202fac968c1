"""Literals, names, operators and conditionals, from Python's tree to checked nodes."""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping

from dokima.columns.column import blanks
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.errors import ExactError
from dokima.exact import Decimals, parse
from dokima.formulas.names import NUMBERS, FormulaKind, Level, UnknownLoneName, UnknownName
from dokima.formulas.reading.reader import Reader, construct, shown_kind
from dokima.formulas.slips import comma_in_number, said_here
from dokima.formulas.tree import LITERAL, NAME, Node
from dokima.limits import FORMULA_CHAIN

_SIGNS: Mapping[type[ast.AST], str] = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%",
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=",
    ast.In: "in", ast.NotIn: "not in", ast.And: "and", ast.Or: "or",
}  # fmt: skip
_DECIMAL = re.compile(r"(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?", re.ASCII)


def literal(reader: Reader, node: ast.Constant, _: int) -> Node:
    """A number, a text or a flag that is written out."""
    value = node.value
    if isinstance(value, bool):
        return reader.made(node, LITERAL, "flag", value=Flags.of([value]))
    if isinstance(value, str):
        if value == "":
            return reader.made(node, LITERAL, "blank", value=blanks("text", 1))
        return reader.made(node, LITERAL, "text", value=Texts.of([value]))
    text = reader.quote(node)
    if isinstance(value, int | float) and _DECIMAL.fullmatch(text):
        try:
            units, places = parse(text)
        except ExactError as error:
            reader.fail(node, str(error))
        kind: FormulaKind = "decimal" if places or "." in text else "integer"
        return reader.made(node, LITERAL, kind, value=Decimals.constant(units, places))
    message = f"expected a number such as 0.35, a text in quotes, True or False (got {text})"
    reader.fail(node, message + said_here(text))


def name(reader: Reader, node: ast.Attribute | ast.Name, _: int) -> Node:
    """A dotted name."""
    if isinstance(node, ast.Name):
        try:
            return _named(reader, node, node.id)
        except UnknownLoneName as error:
            reader.fail(node, str(error.args[0]))
        except UnknownName:
            known = [each for each in reader.names.known() if each.split(".")[-1] == node.id]
            hint = f"; did you mean '{known[0]}'?" if known else said_here(node.id)
            reader.fail(node, f"a name has two parts, such as line.quantity (got '{node.id}'){hint}")
    if not isinstance(node.value, ast.Name):
        reader.fail(node, f"a name has two parts, such as line.quantity (got '{reader.quote(node)}')")
    try:
        return _named(reader, node, f"{node.value.id}.{node.attr}")
    except UnknownName as error:
        reader.fail(node, str(error.args[0]))


def _named(reader: Reader, node: ast.expr, dotted: str) -> Node:
    known = reader.names.describe(dotted)
    return reader.made(
        node, NAME, known.kind, level=known.level, name=known.dotted or dotted, rows=known.rows, money=known.money
    )  # fmt: skip


def arithmetic(reader: Reader, node: ast.BinOp, depth: int) -> Node:
    """``+ - * / // %`` on numbers."""
    sign = _SIGNS.get(type(node.op))
    if sign is None:
        reader.fail(node, f"a formula has no {construct(node.op)}; use + - * / // %")
    # A chain such as a + b - c is one level to whoever reads it, though each sign stands within the next.
    if _is_longer(node, FORMULA_CHAIN):
        reader.fail(node, f"a formula may have at most {FORMULA_CHAIN} signs in a row")
    left = reader.node(node.left, depth if _is_chained(node) else depth + 1)
    operands = [left, reader.node(node.right, depth + 1)]
    for each, operand in zip((node.left, node.right), operands, strict=True):
        reader.needs(each, operand, set(NUMBERS), f"'{sign}'")
    whole = sign != "/" and all(operand.kind == "integer" for operand in operands)
    return reader.made(node, sign, "integer" if whole or sign == "//" else "decimal", operands)


_CHAINS = ((ast.Add, ast.Sub), (ast.Mult, ast.Div))


def _is_chained(node: ast.BinOp) -> bool:
    """Whether what stands before a sign ends in one of the same kind: sums and differences, products and quotients."""
    return isinstance(node.left, ast.BinOp) and any(
        isinstance(node.op, signs) and isinstance(node.left.op, signs) for signs in _CHAINS
    )


def _is_longer(node: ast.BinOp, most: int) -> bool:
    """Whether a chain that ends in a sign has more signs than so many: each takes a call of its own to work out."""
    for _ in range(most):
        if not _is_chained(node):
            return False
        assert isinstance(node.left, ast.BinOp)
        node = node.left
    return True


def unary(reader: Reader, node: ast.UnaryOp, depth: int) -> Node:
    """``not`` of a flag, a sign before a number."""
    operand = reader.node(node.operand, depth + 1)
    if isinstance(node.op, ast.Not):
        reader.needs(node.operand, operand, {"flag"}, "'not'")
        return reader.made(node, "not", "flag", [operand])
    if isinstance(node.op, ast.Invert):
        reader.fail(node, "a formula has no '~'; use not")
    reader.needs(node.operand, operand, set(NUMBERS), "a sign")
    return operand if isinstance(node.op, ast.UAdd) else reader.made(node, "-", operand.kind, [operand])


def logic(reader: Reader, node: ast.BoolOp, depth: int) -> Node:
    """``and``, ``or``."""
    operands = reader.operands(node.values, depth)
    sign = _SIGNS[type(node.op)]
    for each, operand in zip(node.values, operands, strict=True):
        reader.needs(each, operand, {"flag"}, f"'{sign}'")
    return reader.made(node, sign, "flag", operands)


def conditional(reader: Reader, node: ast.IfExp, depth: int) -> Node:
    """``a if condition else b``."""
    operands = reader.operands([node.test, node.body, node.orelse], depth)
    reader.needs(node.test, operands[0], {"flag"}, "'if'")
    kind = reader.common(node, [node.body, node.orelse], operands[1:], "both sides of 'if ... else'")
    return reader.made(node, "if", kind, operands)


def comparison(reader: Reader, node: ast.Compare, depth: int) -> Node:
    """A comparison, or several in a chain, which all must hold."""
    parts: list[Node] = []
    left = node.left
    for op, right in zip(node.ops, node.comparators, strict=True):
        sign = _SIGNS.get(type(op))
        if sign is None:
            word = "is" if isinstance(op, ast.Is) else "is not"
            reader.fail(node, f"a formula has no '{word}'; use == or blank()")
        read = _membership if sign in ("in", "not in") else _compared
        parts.append(read(reader, node, left, right, sign, depth))
        left = right
    return parts[0] if len(parts) == 1 else reader.made(node, "and", "flag", parts)


def _compared(reader: Reader, node: ast.Compare, left: ast.expr, right: ast.expr, sign: str, depth: int) -> Node:
    operands = reader.operands([left, right], depth)
    _comparable(reader, (left, right), operands, sign)
    return reader.made(node, sign, "flag", operands)


def _comparable(reader: Reader, nodes: tuple[ast.expr, ast.expr], operands: list[Node], sign: str) -> None:
    kinds = [operand.kind for operand in operands]
    if "blank" not in kinds and not set(kinds) <= NUMBERS and len(set(kinds)) > 1:
        shown = [shown_kind(operand, reader.names) for operand in operands]
        told = " with ".join(f"'{reader.quote(n)}' ({s})" for s, n in zip(shown, nodes, strict=True))
        reader.fail(nodes[1], f"'{sign}' cannot compare {told}")
    if sign not in ("==", "!=") and "flag" in kinds:
        reader.fail(nodes[0], f"'{sign}' cannot order flags; use ==, not, and, or")


def _membership(reader: Reader, node: ast.Compare, left: ast.expr, right: ast.expr, sign: str, depth: int) -> Node:
    if not isinstance(right, ast.List | ast.Tuple):
        reader.fail(right, f"'{sign}' needs a list such as ['NL', 'BE'] (got '{reader.quote(right)}')")
    subject = reader.node(left, depth + 1)
    listed = list[Node]()
    for each in right.elts:
        option = reader.node(each, depth + 1)
        _comparable(reader, (left, each), [subject, option], "==")
        if option.level is not Level.CONSTANT:
            reader.fail(each, "a list may hold only numbers, texts and dates written out")
        listed.append(option)
    return reader.made(node, sign, "flag", [subject, *listed])


def no_list(reader: Reader, node: ast.List | ast.Tuple, _: int) -> Node:
    """A list that stands by itself."""
    reader.fail(node, f"a list may only stand to the right of 'in'{comma_in_number(reader.quote(node))}")
