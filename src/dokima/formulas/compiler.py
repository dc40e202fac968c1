"""From the text of a formula to a checked tree: syntax, names, kinds and levels.

The syntax is Python's expression syntax, read with `ast` and reduced to literals, dotted names, operators, a
conditional and the functions listed in `functions` and `aggregates`.
"""

from __future__ import annotations

import ast
import datetime
import re
from collections.abc import Callable, Sequence
from typing import NoReturn

import numpy as np

from dokima.errors import ExactError, FormulaError, listed, nearest
from dokima.exact import MODES, Decimals, Number, parse
from dokima.formulas import aggregates, functions, operators
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.functions import FUNCTIONS, SPECIAL, Function
from dokima.formulas.names import NUMBERS, FormulaKind, Frame, Level, Names, UnknownName
from dokima.formulas.nodes import Evaluate, Formula, Node, at_level
from dokima.model.columns import Column, Dates, Flags, Texts, blanks

LONGEST = 2000
"""Characters a formula may have."""
DEEPEST = 40
"""How deep its parts may be nested."""
MOST_PARTS = 400
"""How many parts it may have."""

_OPERATORS: dict[type[ast.AST], str] = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%",
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=",
    ast.In: "in", ast.NotIn: "not in",
}  # fmt: skip

_DECIMAL = re.compile(r"(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?", re.ASCII)
_ISO_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)


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
    text = _as_text(source)
    formula = Formula(text, _Compiler(text, names).compile())
    if expect and formula.kind != "blank" and formula.kind not in expect:
        raise FormulaError(text, 0, f"{what} must give {_kinds(expect)} (this gives {_kinds([formula.kind])})")
    if formula.level > most:
        line = next((node for node in formula.root.walk() if node.name and node.level > most), formula.root)
        once = "once per order" if most is Level.HEADER else "without reading an order"
        raise FormulaError(
            text, line.start, f"{what} is worked out {once}; reach line values through sum, any, all ..."
        )
    return formula


def _as_text(source: object) -> str:
    if isinstance(source, bool):
        return str(source)
    if isinstance(source, str):
        return source.replace("\n", " ").replace("\t", " ")
    return format(source, "f") if hasattr(source, "as_tuple") else str(source)


def _kinds(kinds: Sequence[FormulaKind]) -> str:
    words = {"integer": "a whole number", "decimal": "a number", "text": "text", "date": "a date", "flag": "a flag"}
    return " or ".join(dict.fromkeys(words.get(kind, "a blank") for kind in kinds))


class _Compiler:
    def __init__(self, source: str, names: Names) -> None:
        self.source = source
        self.names = names
        self.parts = 0
        # ast counts columns in UTF-8 bytes, and the text was wrapped in one bracket.
        self._bytes = source.encode()

    def compile(self) -> Node:
        if not self.source.strip():
            self._fail(0, "expected a formula (got nothing)")
        if len(self.source) > LONGEST:
            self._fail(LONGEST, f"a formula may have at most {LONGEST} characters (this has {len(self.source)})")
        try:
            tree = ast.parse(f"({self.source})", mode="eval")
        except SyntaxError as error:
            self._fail((error.offset or 2) - 2, f"this is not a formula: {error.msg.split('. Maybe')[0]}")
        except (ValueError, RecursionError, MemoryError):
            self._fail(0, "this is not a formula: it is nested too deeply or holds a character that cannot be read")
        return self._node(tree.body, 0)

    # -- places -----------------------------------------------------------------------------------------------

    def _at(self, offset: int) -> int:
        return len(self._bytes[: max(0, offset - 1)].decode(errors="ignore"))

    def _span(self, node: ast.expr) -> tuple[int, int]:
        return self._at(node.col_offset), self._at(node.end_col_offset or node.col_offset)

    def _fail(self, position: int | ast.expr, reason: str) -> NoReturn:
        if isinstance(position, ast.expr):
            position = self._span(position)[0]
        raise FormulaError(self.source, position, reason)

    def _quote(self, node: ast.expr) -> str:
        start, stop = self._span(node)
        return self.source[start:stop]

    # -- nodes ------------------------------------------------------------------------------------------------

    def _node(self, node: ast.expr, depth: int) -> Node:
        self.parts += 1
        if depth > DEEPEST:
            self._fail(node, f"a formula may be nested at most {DEEPEST} deep")
        if self.parts > MOST_PARTS:
            self._fail(node, f"a formula may have at most {MOST_PARTS} parts")
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
                self._fail(node, "a list may only stand to the right of 'in'")
        self._fail(node, f"a formula has no {_construct(node)}; it has names, numbers, texts, operators and functions")

    def _made(
        self,
        node: ast.expr,
        kind: FormulaKind,
        operands: Sequence[Node],
        evaluate: Evaluate,
        level: Level | None = None,
    ) -> Node:
        if level is None:
            level = max((operand.level for operand in operands), default=Level.CONSTANT)
        return Node(kind, level, evaluate, *self._span(node), tuple(operands))

    def _constant(self, node: ast.expr, kind: FormulaKind, column: Column) -> Node:
        return self._made(node, kind, (), lambda _: column)

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
        self._fail(node, f"expected a number such as 0.35, a text in quotes, True or False (got {text})")

    def _name(self, node: ast.Attribute | ast.Name) -> Node:
        if isinstance(node, ast.Name):
            try:
                return self._named(node, node.id)
            except UnknownName:
                pass
            known = [name for name in self.names.known() if name.split(".")[-1] == node.id]
            hint = f"; did you mean '{known[0]}'?" if known else ""
            self._fail(node, f"a name has two parts, such as line.quantity (got '{node.id}'){hint}")
        if not isinstance(node.value, ast.Name):
            self._fail(node, f"a name has two parts, such as line.quantity (got '{self._quote(node)}')")
        try:
            return self._named(node, f"{node.value.id}.{node.attr}")
        except UnknownName as error:
            self._fail(node, str(error.args[0]))

    def _named(self, node: ast.expr, name: str) -> Node:
        known = self.names.describe(name)
        return Node(known.kind, known.level, lambda frame: frame.column(name), *self._span(node), name=name)

    def _operands(self, nodes: Sequence[ast.expr], depth: int) -> tuple[list[Node], list[Evaluate]]:
        operands = [self._node(each, depth + 1) for each in nodes]
        level = max(operand.level for operand in operands)
        return operands, [at_level(operand, level) for operand in operands]

    def _needs(self, node: ast.expr, operand: Node, kinds: frozenset[FormulaKind] | set[FormulaKind], who: str) -> None:
        if operand.kind not in kinds and operand.kind != "blank":
            wanted = _kinds(sorted(kinds))
            self._fail(node, f"{who} needs {wanted} (got '{self._quote(node)}', which is {_kinds([operand.kind])})")

    def _arithmetic(self, node: ast.BinOp, depth: int) -> Node:
        operator = _OPERATORS.get(type(node.op))
        if operator is None:
            self._fail(node, f"a formula has no {_construct(node.op)}; use + - * / // %")
        operands, (left, right) = self._operands([node.left, node.right], depth)
        for each, operand in zip((node.left, node.right), operands, strict=True):
            self._needs(each, operand, set(NUMBERS), f"'{operator}'")
        whole = operator != "/" and all(operand.kind == "integer" for operand in operands)
        work = operators.ARITHMETIC[operator]
        return self._made(
            node,
            "integer" if whole or operator == "//" else "decimal",
            operands,
            lambda frame: work(_number(left(frame)), _number(right(frame))),
        )

    def _unary(self, node: ast.UnaryOp, depth: int) -> Node:
        operand = self._node(node.operand, depth + 1)
        evaluate = operand.evaluate
        if isinstance(node.op, ast.Not):
            self._needs(node.operand, operand, {"flag"}, "'not'")
            return self._made(node, "flag", [operand], lambda frame: operators.logical_not(_flag(evaluate(frame))))
        if isinstance(node.op, ast.Invert):
            self._fail(node, "a formula has no '~'; use not")
        self._needs(node.operand, operand, set(NUMBERS), "a sign")
        if isinstance(node.op, ast.UAdd):
            return operand
        return self._made(node, operand.kind, [operand], lambda frame: -_number(evaluate(frame)))

    def _logic(self, node: ast.BoolOp, depth: int) -> Node:
        operands, evaluates = self._operands(node.values, depth)
        word = "and" if isinstance(node.op, ast.And) else "or"
        for each, operand in zip(node.values, operands, strict=True):
            self._needs(each, operand, {"flag"}, f"'{word}'")
        join = operators.logical_and if word == "and" else operators.logical_or
        return self._made(node, "flag", operands, _folded(join, evaluates))

    def _conditional(self, node: ast.IfExp, depth: int) -> Node:
        operands, (test, yes, no) = self._operands([node.test, node.body, node.orelse], depth)
        self._needs(node.test, operands[0], {"flag"}, "'if'")
        kind = self._common(node, [node.body, node.orelse], operands[1:], "both sides of 'if ... else'")
        return self._made(
            node, kind, operands, lambda frame: operators.selected(_flag(test(frame)), yes(frame), no(frame))
        )

    def _common(self, node: ast.expr, nodes: Sequence[ast.expr], operands: Sequence[Node], who: str) -> FormulaKind:
        """The one kind that all operands have; whole numbers and blanks fit in with numbers."""
        kinds = {operand.kind for operand in operands} - {"blank"}
        if kinds <= NUMBERS:
            return "blank" if not kinds else "integer" if kinds == {"integer"} else "decimal"
        if len(kinds) > 1:
            told = ", ".join(
                f"'{self._quote(each)}' is {_kinds([o.kind])}" for each, o in zip(nodes, operands, strict=True)
            )
            self._fail(node, f"{who} must be of one kind ({told})")
        return kinds.pop()

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
        return self._made(
            node, "flag", parts, _folded(operators.logical_and, [at_level(part, level) for part in parts])
        )

    def _compared(self, node: ast.Compare, left: ast.expr, right: ast.expr, operator: str, depth: int) -> Node:
        operands, (a, b) = self._operands([left, right], depth)
        kinds = [operand.kind for operand in operands]
        if "blank" not in kinds and not set(kinds) <= NUMBERS and len(set(kinds)) > 1:
            told = " with ".join(
                f"{_kinds([kind])} ('{self._quote(n)}')" for kind, n in zip(kinds, (left, right), strict=True)
            )
            self._fail(right, f"'{operator}' cannot compare {told}")
        if operator not in ("==", "!=") and "flag" in kinds:
            self._fail(left, f"'{operator}' cannot order flags; use ==, not, and, or")
        return self._made(
            node, "flag", operands, lambda frame: operators.compared(*operators.alike(a(frame), b(frame)), operator)
        )

    def _membership(self, node: ast.Compare, left: ast.expr, right: ast.expr, operator: str, depth: int) -> Node:
        if not isinstance(right, ast.List | ast.Tuple):
            self._fail(right, f"'{operator}' needs a list such as ['NL', 'BE'] (got '{self._quote(right)}')")
        options = [self._compared(node, left, each, "==", depth) for each in right.elts]
        for each, option in zip(right.elts, options, strict=True):
            if option.operands[1].level is not Level.CONSTANT:
                self._fail(each, "a list may hold only numbers, texts and dates written out")
        subject = options[0].operands[0] if options else self._node(left, depth + 1)
        evaluates = [option.evaluate for option in options]
        found = _folded(operators.logical_or, evaluates) if evaluates else lambda _: Flags.of([False])
        if operator == "not in":
            return self._made(node, "flag", [subject], lambda frame: operators.logical_not(_flag(found(frame))))
        return self._made(node, "flag", [subject], found)

    # -- calls ------------------------------------------------------------------------------------------------

    def _call(self, node: ast.Call, depth: int) -> Node:
        if not isinstance(node.func, ast.Name):
            self._fail(node, f"expected a function such as round(...) (got '{self._quote(node.func)}(...)')")
        name = node.func.id
        if name in AGGREGATES:
            return self._aggregate(node, name, depth)
        if node.keywords:
            self._fail(node, f"{name}() takes no '{node.keywords[0].arg}='; only aggregates take where= and by=")
        if name in FUNCTIONS:
            return self._function(node, name, FUNCTIONS[name], depth)
        special = {
            "round": self._round, "round_to": self._round_to, "matches": self._matches,
            "found": self._found, "date": self._date,
        }.get(name)  # fmt: skip
        if special is None:
            every = [*AGGREGATES, *FUNCTIONS, *SPECIAL]
            self._fail(
                node,
                f"there is no function '{name}'{nearest(name, every) or f'; there are {listed(sorted(every), 40)}'}",
            )
        return special(node, depth)

    def _function(self, node: ast.Call, name: str, function: Function, depth: int) -> Node:
        most = "more" if function.more else str(len(function.takes))
        if len(node.args) < function.least or (not function.more and len(node.args) > len(function.takes)):
            wanted = f"{function.least} or more" if function.more else most
            self._fail(node, f"{name}() takes {wanted} arguments (got {len(node.args)})")
        operands, evaluates = self._operands(node.args, depth)
        accepts: dict[str, set[FormulaKind]] = {
            "number": {"decimal", "integer"}, "integer": {"integer"}, "text": {"text"}, "date": {"date"},
            "flag": {"flag"}, "ordered": {"decimal", "integer", "date"},
            "any": {"decimal", "integer", "date", "text", "flag"},
        }  # fmt: skip
        for at, (each, operand) in enumerate(zip(node.args, operands, strict=True)):
            takes = function.takes[min(at, len(function.takes) - 1)]
            self._needs(each, operand, accepts[takes], f"{name}()")
        kind = function.gives
        if kind == "same":
            kind = self._common(node, node.args, operands, f"the arguments of {name}()")
        apply = function.apply
        return self._made(node, kind, operands, lambda frame: apply([evaluate(frame) for evaluate in evaluates]))

    def _constant_argument(self, node: ast.Call, at: int, wanted: str) -> object:
        """The value of an argument that must be written out: a text, or a whole number with or without a sign."""
        argument = node.args[at]
        value = (
            argument.operand if isinstance(argument, ast.UnaryOp) and isinstance(argument.op, ast.USub) else argument
        )
        if isinstance(value, ast.Constant) and isinstance(value.value, str | int) and not isinstance(value.value, bool):
            return -value.value if value is not argument and isinstance(value.value, int) else value.value
        self._fail(argument, f"expected {wanted}, written out (got '{self._quote(argument)}')")

    def _mode(self, node: ast.Call, at: int) -> str:
        if len(node.args) <= at:
            return "half-up"
        mode = self._constant_argument(node, at, "a rounding mode")
        if not isinstance(mode, str) or mode not in MODES:
            self._fail(node.args[at], f"expected a rounding mode: {listed(MODES)} (got {mode!r})")
        return mode

    def _round(self, node: ast.Call, depth: int) -> Node:
        if not 1 <= len(node.args) <= 3:
            self._fail(node, f"round(value, places, mode) takes 1 to 3 arguments (got {len(node.args)})")
        operand = self._node(node.args[0], depth + 1)
        self._needs(node.args[0], operand, set(NUMBERS), "round()")
        places = self._constant_argument(node, 1, "a number of places") if len(node.args) > 1 else 0
        if not isinstance(places, int) or abs(places) > 30:
            self._fail(node.args[1], f"expected a number of places from -30 to 30 (got {places!r})")
        mode, evaluate, kept = self._mode(node, 2), operand.evaluate, places
        kind: FormulaKind = "integer" if places <= 0 else operand.kind
        return self._made(node, kind, [operand], lambda frame: _number(evaluate(frame)).round(kept, mode))

    def _round_to(self, node: ast.Call, depth: int) -> Node:
        if not 2 <= len(node.args) <= 3:
            self._fail(node, f"round_to(value, step, mode) takes 2 or 3 arguments (got {len(node.args)})")
        operands, (value, step) = self._operands(node.args[:2], depth)
        for each, operand in zip(node.args, operands, strict=False):
            self._needs(each, operand, set(NUMBERS), "round_to()")
        mode = self._mode(node, 2)
        return self._made(
            node,
            "decimal",
            operands,
            lambda frame: functions.round_to(_number(value(frame)), _number(step(frame)), mode),
        )

    def _matches(self, node: ast.Call, depth: int) -> Node:
        if len(node.args) != 2:
            self._fail(node, f"matches(text, pattern) takes 2 arguments (got {len(node.args)})")
        operand = self._node(node.args[0], depth + 1)
        self._needs(node.args[0], operand, {"text"}, "matches()")
        pattern = self._constant_argument(node, 1, "a pattern in quotes")
        if not isinstance(pattern, str):
            self._fail(node.args[1], f"expected a pattern in quotes (got {pattern!r})")
        try:
            apply = functions.matcher(pattern)
        except ValueError as error:
            self._fail(node.args[1], f"this pattern cannot be read: {error}")
        evaluate = operand.evaluate
        return self._made(node, "flag", [operand], lambda frame: apply([evaluate(frame)]))

    def _found(self, node: ast.Call, depth: int) -> Node:  # noqa: ARG002 - one signature for all special functions
        if len(node.args) != 1 or not isinstance(node.args[0], ast.Name):
            self._fail(node, "found() takes the name of a table, such as found(agreed)")
        table = node.args[0].id
        try:
            level = self.names.describe_table(table)
        except UnknownName as error:
            self._fail(node.args[0], str(error.args[0]))
        start, stop = self._span(node)
        return Node("flag", level, lambda frame: Flags(frame.rows(table) >= 0), start, stop, table=table)

    def _date(self, node: ast.Call, depth: int) -> Node:  # noqa: ARG002
        value = self._constant_argument(node, 0, "a date in quotes") if len(node.args) == 1 else None
        if isinstance(value, str) and _ISO_DATE.fullmatch(value):
            try:
                return self._constant(node, "date", Dates.of([datetime.date.fromisoformat(value)]))
            except ValueError:
                pass
        self._fail(node, f"expected a date such as date('2026-03-02') (got '{self._quote(node)}')")

    def _aggregate(self, node: ast.Call, name: str, depth: int) -> Node:
        kind = AGGREGATES[name]
        extra = {keyword.arg: keyword.value for keyword in node.keywords}
        if unknown := set(extra) - {"where", "by"}:
            self._fail(node, f"{name}() takes where= and by= (got '{unknown.pop()}=')")
        least = 0 if kind.argument_optional else 1
        if not least <= len(node.args) <= 1:
            self._fail(node, f"{name}() takes one argument, then where= and by= (got {len(node.args)} arguments)")
        inner: dict[str, Node] = {}
        for role, part in [("argument", each) for each in node.args] + list(extra.items()):
            inner[str(role)] = self._node(part, depth + 1)
            self._no_whole_order_inside(part, name)
        if "argument" in inner:
            self._needs(node.args[0], inner["argument"], set(kind.takes), f"{name}()")
        if "where" in inner:
            self._needs(extra["where"], inner["where"], {"flag"}, "where=")
        evaluates = {role: at_level(part, Level.LINE) for role, part in inner.items()}
        argument, where, by = (evaluates.get(role) for role in ("argument", "where", "by"))

        def evaluate(frame: Frame) -> Column:
            return aggregates.aggregate(
                kind,
                frame,
                argument(frame) if argument else None,
                _flag(where(frame)) if where else None,
                by(frame) if by else None,
            )

        gives = kind.gives or (inner["argument"].kind if "argument" in inner else "integer")
        return self._made(node, gives, list(inner.values()), evaluate, Level.LINE if by else Level.HEADER)

    def _no_whole_order_inside(self, part: ast.expr, name: str) -> None:
        for below in ast.walk(part):
            called = below.func.id if isinstance(below, ast.Call) and isinstance(below.func, ast.Name) else ""
            if called in AGGREGATES and not any(keyword.arg == "by" for keyword in below.keywords):  # type: ignore[attr-defined]
                self._fail(below, f"only an aggregate with by= may stand inside {name}()")  # type: ignore[arg-type]


def _number(column: Column) -> Number:
    """The column as numbers; the blank literal becomes a blank number."""
    return Decimals.blanks(len(column)) if isinstance(column, Texts) else operators.numbers(column)


def _flag(column: Column) -> Flags:
    return (
        Flags(np.zeros(len(column), bool), np.ones(len(column), bool))
        if isinstance(column, Texts)
        else operators.flags(column)
    )


def _folded(join: Callable[[Flags, Flags], Flags], evaluates: Sequence[Evaluate]) -> Evaluate:
    first, *others = evaluates

    def evaluate(frame: Frame) -> Column:
        result = _flag(first(frame))
        for other in others:
            result = join(result, _flag(other(frame)))
        return result

    return evaluate


def _construct(node: ast.AST) -> str:
    words = {
        ast.Pow: "power", ast.Subscript: "indexing", ast.Lambda: "lambda", ast.ListComp: "comprehension",
        ast.GeneratorExp: "comprehension", ast.SetComp: "comprehension", ast.DictComp: "comprehension",
        ast.Dict: "dictionary", ast.Set: "set", ast.JoinedStr: "f-string", ast.NamedExpr: "assignment",
        ast.Starred: "star", ast.Await: "await", ast.Yield: "yield", ast.Slice: "slice", ast.BitOr: "'|'",
        ast.BitAnd: "'&'", ast.BitXor: "'^'", ast.LShift: "'<<'", ast.RShift: "'>>'", ast.MatMult: "'@'",
    }  # fmt: skip
    return words.get(type(node), type(node).__name__)
