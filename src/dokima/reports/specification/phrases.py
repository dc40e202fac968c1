"""Formulas in plain English, for people who do not read formulas."""

from __future__ import annotations

import ast
from collections.abc import Mapping, Sequence

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import listed
from dokima.model.fields import Field
from dokima.pricing.program import Program

COMPARED: Mapping[type[ast.cmpop], tuple[str, str]] = {
    ast.Eq: ("is", "is"), ast.NotEq: ("is not", "is not"), ast.Lt: ("is below", "is before"),
    ast.LtE: ("is at most", "is on or before"), ast.Gt: ("is above", "is after"),
    ast.GtE: ("is at least", "is on or after"), ast.In: ("is one of", "is one of"),
    ast.NotIn: ("is none of", "is none of"),
}  # fmt: skip
"""Comparisons in words: of numbers and texts, and of dates."""
OPPOSITE: Mapping[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Lt: ast.GtE, ast.LtE: ast.Gt, ast.Gt: ast.LtE, ast.GtE: ast.Lt,
    ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
WORKED: Mapping[type[ast.operator], str] = {
    ast.Add: "plus", ast.Sub: "less", ast.Mult: "times", ast.Div: "divided by", ast.Mod: "modulo",
    ast.FloorDiv: "divided into whole parts by", ast.Pow: "to the power of",
}  # fmt: skip
KNOWN: Mapping[str, str] = {
    "run.today": "today",
    "run.user": "who does it",
    "change.opened_by": "who opened the change",
    "change.submitted_by": "who submitted the change",
    "change.requested_by": "who asked for the change",
    "change.valid_until": "the day until which the change is offered",
    "ledger.headroom": "what the budget leaves before the change",
    "ledger.headroom_after": "what the budget leaves after the change",
    "variance.without_tax": "the variance without tax",
    "variance.with_tax": "the variance with tax",
    "variance.margin": "the variance of the margin",
    "line.is_new": "the line is new",
    "line.is_parent": "the line has sub-lines",
    "line.position": "the place of the line",
    "line.delivered": "the quantity of the line that is delivered",
}
"""Names that say more than their parts."""
FIGURES: Mapping[str, str] = {
    "without_tax": "amount without tax", "with_tax": "amount with tax", "net": "net amount",
    "amount": "amount so far", "tax": "tax", "price": "price", "payable": "payable amount",
}  # fmt: skip
"""Figures that every routine has."""
OWNERS: Mapping[str, str] = {
    "header": " of the order", "line": " of the line", "parent": " of the line above", "was": " of the line before",
    "was_header": " of the order before", "delivery": " of the delivery", "payment": " of the payment",
}  # fmt: skip
CALLS: Mapping[str, str] = {
    "blank": "{0} is blank", "starts_with": "{0} begins with {1}", "ends_with": "{0} ends with {1}",
    "contains": "{0} contains {1}", "matches": "{0} has the form {1}", "upper": "{0} in capitals",
    "lower": "{0} in small letters", "trim": "{0} without spaces around it", "length": "the length of {0}",
    "days_between": "the days from {0} to {1}", "add_days": "{1} days after {0}", "year": "the year of {0}",
    "month": "the month of {0}", "weekday": "the day of the week of {0}", "floor": "{0} rounded down to a whole number",
    "ceil": "{0} rounded up to a whole number", "abs": "the size of {0}", "round": "{0} rounded to {1} decimal places",
    "round_to": "{0} rounded to a multiple of {1}", "date": "{0}",
}  # fmt: skip
"""Functions in words; the braces take the arguments."""
GATHERED: Mapping[str, str] = {
    "sum": "the sum of {0}", "lowest": "the lowest of {0}", "highest": "the highest of {0}",
    "average": "the average of {0}", "distinct": "how many different there are of {0}",
}  # fmt: skip


class Phrases:
    """Says formulas of a rulebook in words.

    Args:
        program: The rulebook.
    """

    def __init__(self, program: Program) -> None:
        self.program = program
        self._steps = {step.name: step for routine in program.routines for step in routine.steps}

    def of(self, source: object) -> str:
        """A formula in words."""
        text = str(source).strip()
        try:
            return self._of(ast.parse(text, mode="eval").body)
        except SyntaxError:
            return text

    def name(self, dotted: str) -> str:
        """A dotted name in words: ``line.quantity`` is "the quantity of the line"."""
        if dotted in KNOWN:
            return KNOWN[dotted]
        head, _, tail = dotted.partition(".")
        if head == "value":
            known = self.program.definition.values.get(tail)
            worth = "" if known is None else f" ({shown(value_at(known, 0))})"
            return f"the {tail.replace('_', ' ')}{worth}"
        if head == "formula":
            return f"“{tail.replace('_', ' ')}”"
        table = self.program.tables.get(head)
        if table is not None:
            field = table.fields.get(tail)
            said = field.shown if field is not None else tail.replace("_", " ")
            kin = table.definition.shown
            return f"the {said} of the {kin}" if table.definition.is_master else f"the {said} in {_plural(kin)}"
        field = self.field(dotted)
        step = self._steps.get(tail)
        known_figure = (FIGURES.get(tail) if head in ("header", "line", "parent") else "") or (
            step.definition.shown if step else tail.replace("_", " ")
        )
        said = field.shown if field is not None else known_figure
        return f"the {said}{OWNERS.get(head, '')}"

    def field(self, dotted: str) -> Field | None:
        """The field of an order that a dotted name stands for, None for a figure or a table's column."""
        head, _, tail = dotted.partition(".")
        fields = self.program.fields
        level = {"header": fields.header, "was_header": fields.header, "line": fields.line, "parent": fields.line,
                 "was": fields.line}.get(head, {})  # fmt: skip
        return level.get(tail)

    # -- nodes --------------------------------------------------------------------------------------------------------

    def _of(self, node: ast.expr) -> str:
        match node:
            case ast.Constant(value=value):
                return "blank" if value == "" else f"‘{value}’" if isinstance(value, str) else str(value)
            case ast.Attribute():
                return self.name(ast.unparse(node))
            case ast.Name(id=name):
                return name
            case ast.BoolOp(op=ast.And(), values=values):
                return " and ".join(self._inner(each, ast.Or) for each in values)
            case ast.BoolOp(values=values):
                return " or ".join(self._inner(each, ast.And) for each in values)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return self._not(operand)
            case ast.UnaryOp(operand=operand):
                return f"minus {self._of(operand)}"
            case ast.Compare():
                return self._compared(node)
            case ast.BinOp(left=left, op=op, right=right):
                word = WORKED.get(type(op), ast.unparse(node))
                return f"{self._operand(left, op)} {word} {self._operand(right, None)}"
            case ast.IfExp(test=test, body=body, orelse=other):
                return f"{self._of(body)} if {self._of(test)}, else {self._of(other)}"
            case ast.Call():
                return self._call(node)
            case ast.List(elts=items) | ast.Tuple(elts=items):
                return listed([self._of(each) for each in items], 50)
        return ast.unparse(node)

    def condition(self, source: object) -> str:
        """A formula in words, where it says whether something is so: a flag by itself is "is set"."""
        text = str(source).strip()
        try:
            return self._flag(ast.parse(text, mode="eval").body)
        except SyntaxError:
            return text

    def _flag(self, node: ast.expr, *, negated: bool = False) -> str:
        if isinstance(node, ast.Attribute):
            dotted = ast.unparse(node)
            if dotted in KNOWN:
                return f"{'not: ' if negated else ''}{KNOWN[dotted]}"
            if dotted.startswith("formula."):
                return f"{self.name(dotted)} {'does not hold' if negated else 'holds'}"
            return f"{self.name(dotted)} is {'not ' if negated else ''}set"
        return self._not(node) if negated else self._of(node)

    def _not(self, node: ast.expr) -> str:
        match node:
            case ast.Call(func=ast.Name(id="blank"), args=[given]):
                return f"{self._of(given)} is given"
            case ast.Call(func=ast.Name(id="found"), args=[table]):
                return f"there is no {self._table(table)}"
            case ast.Call(func=ast.Name(id="any")):
                return f"on no line {self._gathered(node)}"
            case ast.Compare(left=left, ops=[op], comparators=[right]):
                return self._compared(ast.Compare(left, [OPPOSITE[type(op)]()], [right]))
            case ast.Attribute():
                return self._flag(node, negated=True)
        return f"it is not so that {self._of(node)}"

    def _inner(self, node: ast.expr, other: type[ast.boolop]) -> str:
        said = self._flag(node)
        return f"({said})" if isinstance(node, ast.BoolOp) and isinstance(node.op, other) else said

    def _operand(self, node: ast.expr, op: ast.operator | None) -> str:
        """A part of a sum or a product; in parentheses unless it is more of the same."""
        said = self._of(node)
        if isinstance(node, ast.BinOp) and op is not None and type(node.op) is type(op):
            return said
        is_long = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "coalesce"
        return f"({said})" if isinstance(node, ast.BinOp | ast.IfExp) or is_long else said

    def _compared(self, node: ast.Compare) -> str:
        parts = []
        left = node.left
        for op, right in zip(node.ops, node.comparators, strict=True):
            whole = isinstance(left, ast.BinOp) and isinstance(left.op, ast.Mod)
            if whole and isinstance(right, ast.Constant) and right.value == 0 and isinstance(op, ast.Eq | ast.NotEq):
                assert isinstance(left, ast.BinOp)
                word = "is" if isinstance(op, ast.Eq) else "is not"
                parts.append(f"{self._of(left.left)} {word} a multiple of {self._of(left.right)}")
            else:
                words = COMPARED[type(op)][1 if self._is_date(left) or self._is_date(right) else 0]
                parts.append(f"{self._of(left)} {words} {self._of(right)}")
            left = right
        return " and ".join(parts)

    def _is_date(self, node: ast.expr) -> bool:
        field = self.field(ast.unparse(node)) if isinstance(node, ast.Attribute) else None
        return field is not None and field.kind == "date"

    def _call(self, node: ast.Call) -> str:
        name = node.func.id if isinstance(node.func, ast.Name) else ast.unparse(node.func)
        given = [self._of(each) for each in node.args]
        match name:
            case "any" | "all":
                return f"on {'some' if name == 'any' else 'every'} line {self._gathered(node)}"
            case "count":
                return f"the number of lines{self._narrowed(node, [self._flag(each) for each in node.args])}"
            case "min" | "max" if len(given) > 1:
                return f"the {'lowest' if name == 'min' else 'highest'} of {_joined(given)}"
            case "coalesce":
                return f"{given[0]}, or where that is blank {', or where that is blank '.join(given[1:])}"
            case "found":
                return f"there is a row of {self._table(node.args[0])}"
        if name in GATHERED:
            return GATHERED[name].format(*given) + self._narrowed(node, [])
        if name in CALLS and len(given) > CALLS[name].count("{1}"):
            return CALLS[name].format(*given)
        own = self.program.definition.functions.get(name)
        what = name.replace("_", " ")
        return f"{what} of {_joined(given)}" + (" (worked out in Python)" if own is not None else "")

    def _gathered(self, node: ast.Call) -> str:
        return self._flag(node.args[0]) + self._narrowed(node, [])

    def _narrowed(self, node: ast.Call, conditions: Sequence[str]) -> str:
        """Which lines an aggregate runs over."""
        keys = {each.arg: each.value for each in node.keywords}
        where = [*conditions, *([self._flag(keys["where"])] if "where" in keys else [])]
        said = f" where {' and '.join(where)}" if where else ""
        by = keys.get("by")
        names = by.elts if isinstance(by, ast.List | ast.Tuple) else [by] if by is not None else []
        return said + (
            f" over lines with the same {_joined([_bare(self._of(each)) for each in names])}" if names else ""
        )

    def _table(self, node: ast.expr) -> str:
        table = self.program.tables.get(ast.unparse(node).strip("'\""))
        return table.definition.shown if table is not None else ast.unparse(node)


def _bare(phrase: str) -> str:
    return phrase.removeprefix("the ")


def _plural(words: str) -> str:
    """``agreed prices`` as it is; ``volume`` stands for its rows."""
    return words if words.endswith("s") else f"{words} rows"


def _joined(words: Sequence[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)
