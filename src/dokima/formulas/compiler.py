"""From the text of a formula to a checked tree: syntax, names, kinds and levels.

The syntax is Python's expression syntax, read with `ast` and reduced to literals, dotted names, operators, a
conditional and the functions listed in `functions` and `aggregates`.
"""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from dokima.columns.column import blanks
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.errors import ExactError, FormulaError
from dokima.exact import Decimals, parse
from dokima.formulas import operators
from dokima.formulas.calls import Calls
from dokima.formulas.expanding import expanded
from dokima.formulas.names import NUMBERS, FormulaKind, Level, Names, UnknownName
from dokima.formulas.nodes import Evaluate, Formula, Node, at_level
from dokima.formulas.reader import as_flag, as_flags, as_numbers, folded, in_words, shown_kind
from dokima.formulas.slips import comma_in_number, said_here, slip_in
from dokima.limits import FORMULA_CHARACTERS, FORMULA_DEPTH, FORMULA_PARTS
from dokima.model.arguments import is_halved

_OPERATORS: dict[type[ast.AST], str] = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%",
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=",
    ast.In: "in", ast.NotIn: "not in",
}  # fmt: skip

_DECIMAL = re.compile(r"(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?", re.ASCII)


def compile_formula(
    source: object,
    names: Names,
    expect: Sequence[FormulaKind] = (),
    most: Level = Level.LINE,
    what: str = "this formula",
) -> Formula:
    """Read and check a formula.

    Args:
        source: Its text; numbers and flags, as TOML has them, are formulas too.
        names: What it may refer to.
        expect: Kinds it may give; any if empty.
        most: The lowest level it may have; `Level.HEADER` refuses line values outside aggregates.
        what: How the message calls it.

    Raises:
        FormulaError: It cannot be read or does not make sense; names the position.
    """
    written = in_one_line(source)
    if is_halved(written):
        said = written.encode("ascii", "backslashreplace").decode()
        raise FormulaError(
            said, said.find("\\ud"), f"{what} must hold whole characters (this has half of a surrogate pair)"
        )
    text, spans = expanded(written, names)
    formula = Formula(text, _Compiler(text, names).compile(), written, spans)
    if expect and formula.kind != "blank" and formula.kind not in expect:
        gives = shown_kind(formula.root, names)
        raise FormulaError(text, 0, f"{what} must give {in_words(expect)} (this gives {gives})")
    if formula.level > most:
        line = next((node for node in formula.root.walk() if node.name and node.level > most), formula.root)
        once = "once per order" if most is Level.HEADER else "without reading an order"
        raise FormulaError(
            text, line.start, f"{what} is worked out {once}; reach line values through sum, any, all ..."
        )
    return formula


def in_one_line(source: object) -> str:
    """A formula as TOML has it, as one line of text."""
    if isinstance(source, bool):
        return str(source)
    if isinstance(source, str):
        return source.replace("\n", " ").replace("\t", " ")
    return format(source, "f") if hasattr(source, "as_tuple") else str(source)


@lru_cache(maxsize=1024)
def _parsed(source: str) -> ast.Expression:
    """The tree of a text, which is only read. A rulebook changed one spot at a time has mostly the same texts."""
    with warnings.catch_warnings():
        warnings.simplefilter("error", SyntaxWarning)  # such as 1or 2, which Python puts up with
        return ast.parse(source, mode="eval")


class _Compiler(Calls):
    def compile(self) -> Node:
        if not self.source.strip():
            self._fail(0, "expected a formula (got nothing)")
        if len(self.source) > FORMULA_CHARACTERS:
            self._fail(
                FORMULA_CHARACTERS,
                f"a formula may have at most {FORMULA_CHARACTERS} characters (this has {len(self.source)})",
            )
        try:
            tree = _parsed(self.source.lstrip())
        except SyntaxError as error:
            place = self._lead + error.offset - 1 if error.offset else len(self.source)
            self._fail(place, f"this is not a formula: {error.msg.split('. ')[0]}{slip_in(self.source)}")
        except (ValueError, RecursionError, MemoryError):
            self._fail(0, "this is not a formula: it is nested too deeply or holds a character that cannot be read")
        root = self._node(tree.body, 0)
        for node in root.outside_aggregates():
            if node.rows and not node.gathers:
                self._fail(
                    node.start, f"{node.name} is a value of each {node.rows}: read it through sum, count, any, all"
                )
        return root

    def _node(self, node: ast.expr, depth: int) -> Node:
        self.parts += 1
        if depth > FORMULA_DEPTH:
            self._fail(node, f"a formula may be nested at most {FORMULA_DEPTH} deep")
        if self.parts > FORMULA_PARTS:
            self._fail(node, f"a formula may have at most {FORMULA_PARTS} parts")
        match node:
            case ast.Constant():
                return self._literal(node)
            case ast.Attribute() | ast.Name():
                return self._name(node)
            case ast.BinOp():
                return self._arithmetic(node, depth)
            case ast.UnaryOp():
                return self._unary(node, depth)
            case ast.Compare():
                return self._comparison(node, depth)
            case ast.BoolOp():
                return self._logic(node, depth)
            case ast.IfExp():
                return self._conditional(node, depth)
            case ast.Call():
                return self._call(node, depth)
            case ast.List() | ast.Tuple():
                self._fail(node, f"a list may only stand to the right of 'in'{comma_in_number(self._quote(node))}")
        self._fail(node, f"a formula has no {_construct(node)}; it has names, numbers, texts, operators and functions")

    def _literal(self, node: ast.Constant) -> Node:
        value = node.value
        if isinstance(value, bool):
            return self._constant(node, "flag", Flags.of([value]))
        if isinstance(value, str):
            if value == "":
                return self._constant(node, "blank", blanks("text", 1))
            return self._constant(node, "text", Texts.of([value]))
        text = self._quote(node)
        if isinstance(value, int | float) and _DECIMAL.fullmatch(text):
            try:
                units, places = parse(text)
            except ExactError as error:
                self._fail(node, str(error))
            kind: FormulaKind = "decimal" if places or "." in text else "integer"
            return self._constant(node, kind, Decimals.constant(units, places))
        message = f"expected a number such as 0.35, a text in quotes, True or False (got {text})"
        self._fail(node, message + said_here(text))

    def _name(self, node: ast.Attribute | ast.Name) -> Node:
        if isinstance(node, ast.Name):
            try:
                return self._named(node, node.id)
            except UnknownName as error:
                every = list(self.names.known())
                if not any("." in name for name in every):
                    self._fail(node, str(error.args[0]))
            known = [name for name in every if name.split(".")[-1] == node.id]
            hint = f"; did you mean '{known[0]}'?" if known else said_here(node.id)
            self._fail(node, f"a name has two parts, such as line.quantity (got '{node.id}'){hint}")
        if not isinstance(node.value, ast.Name):
            self._fail(node, f"a name has two parts, such as line.quantity (got '{self._quote(node)}')")
        try:
            return self._named(node, f"{node.value.id}.{node.attr}")
        except UnknownName as error:
            self._fail(node, str(error.args[0]))

    def _named(self, node: ast.expr, name: str) -> Node:
        known = self.names.describe(name)
        return Node(
            known.kind, known.level, lambda frame: frame.column(name), *self._span(node),
            name=name, rows=known.rows, money=known.money,
        )  # fmt: skip

    def _arithmetic(self, node: ast.BinOp, depth: int) -> Node:
        operator = _OPERATORS.get(type(node.op))
        if operator is None:
            self._fail(node, f"a formula has no {_construct(node.op)}; use + - * / // %")
        operands, (left, right) = self._operands([node.left, node.right], depth)
        for each, operand in zip((node.left, node.right), operands, strict=True):
            self._needs(each, operand, set(NUMBERS), f"'{operator}'")
        whole = operator != "/" and all(operand.kind == "integer" for operand in operands)
        work = operators.ARITHMETIC[operator]
        kind: FormulaKind = "integer" if whole or operator == "//" else "decimal"
        a, b = as_numbers(operands[0], left), as_numbers(operands[1], right)
        made = self._made(node, kind, operands, lambda frame: work(a(frame), b(frame)))
        return replace(made, role=operator)

    def _unary(self, node: ast.UnaryOp, depth: int) -> Node:
        operand = self._node(node.operand, depth + 1)
        if isinstance(node.op, ast.Not):
            self._needs(node.operand, operand, {"flag"}, "'not'")
            flag = as_flags(operand, operand.evaluate)
            made = self._made(node, "flag", [operand], lambda frame: operators.logical_not(flag(frame)))
            return replace(made, role="not")
        if isinstance(node.op, ast.Invert):
            self._fail(node, "a formula has no '~'; use not")
        self._needs(node.operand, operand, set(NUMBERS), "a sign")
        if isinstance(node.op, ast.UAdd):
            return operand
        number = as_numbers(operand, operand.evaluate)
        return replace(self._made(node, operand.kind, [operand], lambda frame: -number(frame)), role="-")

    def _logic(self, node: ast.BoolOp, depth: int) -> Node:
        operands, evaluates = self._operands(node.values, depth)
        word = "and" if isinstance(node.op, ast.And) else "or"
        for each, operand in zip(node.values, operands, strict=True):
            self._needs(each, operand, {"flag"}, f"'{word}'")
        join = operators.logical_and if word == "and" else operators.logical_or
        flags = [as_flags(operand, evaluate) for operand, evaluate in zip(operands, evaluates, strict=True)]
        return replace(self._made(node, "flag", operands, folded(join, flags)), role=word)

    def _conditional(self, node: ast.IfExp, depth: int) -> Node:
        operands, (test, yes, no) = self._operands([node.test, node.body, node.orelse], depth)
        self._needs(node.test, operands[0], {"flag"}, "'if'")
        kind = self._common(node, [node.body, node.orelse], operands[1:], "both sides of 'if ... else'")
        condition = as_flags(operands[0], test)
        made = self._made(
            node, kind, operands, lambda frame: operators.selected(condition(frame), yes(frame), no(frame))
        )
        return replace(made, role="if")

    # -- comparison -------------------------------------------------------------------------------------------

    def _comparison(self, node: ast.Compare, depth: int) -> Node:
        parts: list[Node] = []
        left = node.left
        for op, right in zip(node.ops, node.comparators, strict=True):
            operator = _OPERATORS.get(type(op))
            if operator is None:
                self._fail(
                    node, f"a formula has no '{'is' if isinstance(op, ast.Is) else 'is not'}'; use == or blank()"
                )
            if operator in ("in", "not in"):
                parts.append(self._membership(node, left, right, operator, depth))
            else:
                parts.append(self._compared(node, left, right, operator, depth))
            left = right
        if len(parts) == 1:
            return parts[0]
        level = max(part.level for part in parts)
        all_hold = folded(operators.logical_and, [as_flags(part, at_level(part, level)) for part in parts])
        return replace(self._made(node, "flag", parts, all_hold), role="and")

    def _compared(self, node: ast.Compare, left: ast.expr, right: ast.expr, operator: str, depth: int) -> Node:
        operands, (a, b) = self._operands([left, right], depth)
        kinds = [operand.kind for operand in operands]
        if "blank" not in kinds and not set(kinds) <= NUMBERS and len(set(kinds)) > 1:
            shown = [shown_kind(operand, self.names) for operand in operands]
            told = " with ".join(f"'{self._quote(n)}' ({s})" for s, n in zip(shown, (left, right), strict=True))
            self._fail(right, f"'{operator}' cannot compare {told}")
        if operator not in ("==", "!=") and "flag" in kinds:
            self._fail(left, f"'{operator}' cannot order flags; use ==, not, and, or")
        compared, alike = operators.compared, operators.alike
        if "blank" in kinds:
            made = self._made(node, "flag", operands, lambda frame: compared(*alike(a(frame), b(frame)), operator))
        else:
            made = self._made(node, "flag", operands, lambda frame: compared(a(frame), b(frame), operator))
        return replace(made, role=operator)

    def _membership(self, node: ast.Compare, left: ast.expr, right: ast.expr, operator: str, depth: int) -> Node:
        if not isinstance(right, ast.List | ast.Tuple):
            self._fail(right, f"'{operator}' needs a list such as ['NL', 'BE'] (got '{self._quote(right)}')")
        options = [self._compared(node, left, each, "==", depth) for each in right.elts]
        for each, option in zip(right.elts, options, strict=True):
            if option.operands[1].level is not Level.CONSTANT:
                self._fail(each, "a list may hold only numbers, texts and dates written out")
        subject = options[0].operands[0] if options else self._node(left, depth + 1)
        evaluates = [as_flags(option, option.evaluate) for option in options]
        found: Evaluate = folded(operators.logical_or, evaluates) if evaluates else lambda _: Flags.of([False])
        listed_ = [subject, *(option.operands[1] for option in options)]
        if operator == "not in":
            made = self._made(node, "flag", listed_, lambda frame: operators.logical_not(as_flag(found(frame))))
        else:
            made = self._made(node, "flag", listed_, found)
        return replace(made, role="in")


def _construct(node: ast.AST) -> str:
    words = {
        ast.Pow: "power", ast.Subscript: "indexing", ast.Lambda: "lambda", ast.ListComp: "comprehension",
        ast.GeneratorExp: "comprehension", ast.SetComp: "comprehension", ast.DictComp: "comprehension",
        ast.Dict: "dictionary", ast.Set: "set", ast.JoinedStr: "f-string", ast.NamedExpr: "assignment",
        ast.Starred: "star", ast.Await: "await", ast.Yield: "yield", ast.Slice: "slice", ast.BitOr: "'|'",
        ast.BitAnd: "'&'", ast.BitXor: "'^'", ast.LShift: "'<<'", ast.RShift: "'>>'", ast.MatMult: "'@'",
    }  # fmt: skip
    return words.get(type(node), type(node).__name__)
