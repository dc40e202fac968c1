"""Formulas in plain English, for people who do not read formulas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import listed
from dokima.formulas import Formula
from dokima.formulas.signs import COMPARISONS, MEMBERSHIP
from dokima.formulas.tree import Node
from dokima.model.fields import Field
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Step

COMPARED: Mapping[str, tuple[str, str]] = {
    "==": ("is", "is"), "!=": ("is not", "is not"), "<": ("is below", "is before"),
    "<=": ("is at most", "is on or before"), ">": ("is above", "is after"),
    ">=": ("is at least", "is on or after"), "in": ("is one of", "is one of"), "not in": ("is none of", "is none of"),
}  # fmt: skip
"""Comparisons in words: of numbers and texts, and of dates."""
WORKED: Mapping[str, str] = {
    "+": "plus", "-": "less", "*": "times", "/": "divided by", "%": "modulo", "//": "divided into whole parts by",
}  # fmt: skip
ROUNDED: Mapping[str, str] = {
    "half-up": "rounded", "half-even": "rounded half to even", "half-down": "rounded half down", "up": "rounded up",
    "down": "rounded down", "ceiling": "rounded to the next higher", "floor": "rounded to the next lower",
}  # fmt: skip
"""Rounding modes in words."""
OPEN = ("it is not so that ", "on some ", "on every ", "on no ")
"""How sentences begin that take whatever follows them."""
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
KNOWN_NOT: Mapping[str, str] = {"line.is_new": "the line is not new", "line.is_parent": "the line has no sub-lines"}
"""What is said where such a name does not hold."""
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
    "month": "the month of {0}", "weekday": "the day of the week of {0}", "floor": "the whole number at or below {0}",
    "ceil": "the whole number at or above {0}", "abs": "the size of {0}",
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

    def of(self, formula: Formula) -> str:
        """A formula in words."""
        return self._of(formula.root)

    def condition(self, formula: Formula) -> str:
        """A formula in words, where it says whether something is so: a flag by itself is "is set"."""
        return self._flag(formula.root)

    def part(self, step: Step, key: str) -> str:
        """A formula of a step in words; one that says where something applies as a condition."""
        formula = step.parts[key]
        return self.condition(formula) if formula.kind == "flag" else self.of(formula)

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

    def _of(self, node: Node) -> str:
        if node.formula:
            return self.name(node.formula)
        match node.role:
            case "literal":
                return self._literal(node)
            case "name":
                return self.name(node.name)
            case "and" | "or":
                return f" {node.role} ".join(self._part(each) for each in node.operands)
            case "not":
                return self._not(node.operands[0])
            case "if":
                test, body, other = node.operands
                return f"{self._operand(body)} if {self._part(test)}, else {self._operand(other)}"
            case "in" | "not in":
                subject, *options = node.operands
                return f"{self._operand(subject)} {COMPARED[node.role][0]} {listed(list(map(self._of, options)), 50)}"
        if node.role in COMPARED:
            return self._compared(node, node.role)
        if node.role in WORKED:
            return self._worked(node)
        return self._aggregate(node) if node.gathers else self._call(node)

    def _literal(self, node: Node) -> str:
        assert node.value is not None
        value = value_at(node.value, 0)
        if value is None:
            return "blank"
        return f"‘{value}’" if node.kind == "text" else str(value) if isinstance(value, bool) else shown(value)

    def _worked(self, node: Node) -> str:
        if len(node.operands) == 1:
            return f"minus {self._operand(node.operands[0])}"
        left, right = node.operands
        first = self._of(left) if left.role == node.role and node.role in "+*" else self._operand(left)
        return f"{first} {WORKED[node.role]} {self._operand(right)}"

    def _operand(self, node: Node) -> str:
        """A part of a calculation or an argument; in parentheses unless it is a name or a value."""
        said = self._of(node)
        return said if node.formula or node.role in ("name", "literal") else f"({said})"

    def _flag(self, node: Node, *, negated: bool = False) -> str:
        if node.formula:
            return f"{self.name(node.formula)} {'does not hold' if negated else 'holds'}"
        if node.role == "name":
            if node.name in KNOWN:
                return (KNOWN_NOT if negated else KNOWN)[node.name]
            return f"{self.name(node.name)} is {'not ' if negated else ''}set"
        return self._not(node) if negated else self._of(node)

    def _part(self, node: Node) -> str:
        """A condition within another; in parentheses if it is made of several."""
        said = self._flag(node)
        is_long = node.role in ("and", "or", "if", "coalesce") or _is_narrowed(node) or said.startswith(OPEN)
        return f"({said})" if is_long and not node.formula else said

    def _not(self, node: Node) -> str:
        if node.formula or (node.role == "name" and (node.name not in KNOWN or node.name in KNOWN_NOT)):
            return self._flag(node, negated=True)
        if node.role == "blank":
            return f"{self._operand(node.operands[0])} is given"
        if node.table:
            return f"there is no {self._table(node.table)}"
        if node.role == "any":
            return f"on no line {self._gathered(node)}"
        if node.role in MEMBERSHIP:
            return self._of(replace(node, role=MEMBERSHIP[node.role].opposite))
        if node.role in COMPARISONS:
            return self._compared(node, COMPARISONS[node.role].opposite)
        return f"it is not so that {self._part(node)}"

    def _compared(self, node: Node, sign: str) -> str:
        left, right = node.operands
        if sign in ("==", "!=") and left.role == "%" and right.role == "literal" and self._of(right) == "0":
            whole, by = left.operands
            return f"{self._operand(whole)} {COMPARED[sign][0]} a multiple of {self._operand(by)}"
        words = COMPARED[sign][1 if "date" in (left.kind, right.kind) else 0]
        return f"{self._side(left)} {words} {self._side(right)}"

    def _side(self, node: Node) -> str:
        """A side of a comparison; in parentheses if it is a condition itself, chooses, or counts only some lines."""
        said = self._of(node)
        is_long = node.role in ("if", "and", "or", "not", "coalesce", "min", "max", *COMPARED) or _is_narrowed(node)
        return f"({said})" if is_long and not node.formula else said

    def _call(self, node: Node) -> str:
        name, given = node.role, [self._operand(each) for each in node.operands]
        match name:
            case "min" | "max":
                return f"the {'smallest' if name == 'min' else 'largest'} of {_joined(given)}"
            case "coalesce":
                return f"{given[0]}, or where that is blank {', or where that is blank '.join(given[1:])}"
            case "found":
                return f"there is a row of {self._table(node.table)}"
            case "matches":
                return f"{given[0]} has the form ‘{node.facts['pattern']}’"
            case "round":
                places = node.facts["places"]
                said = "a whole number" if not places else f"{places} decimal place{'' if places == 1 else 's'}"
                return f"{given[0]} {ROUNDED[node.facts['mode']]} to {said}"
            case "round_to":
                return f"{given[0]} {ROUNDED[node.facts['mode']]} to a multiple of {given[1]}"
            case "call":
                own = node.facts["function"].replace("_", " ")
                return f"{own} of {_joined(given)} (worked out in Python)" if given else f"{own} (worked out in Python)"
        return CALLS[name].format(*given)

    def _aggregate(self, node: Node) -> str:
        name = node.role
        if name in ("any", "all"):
            return f"on {'some' if name == 'any' else 'every'} {self._row(node)} {self._gathered(node)}"
        parts = self._roles(node)
        if name == "count":
            argument = [self._part(parts["argument"])] if "argument" in parts else []
            return f"the number of {self._row(node)}{self._narrowed(node, argument)}"
        return GATHERED[name].format(self._operand(parts["argument"])) + self._narrowed(node, [])

    def _row(self, node: Node) -> str:
        """What an aggregate runs over: lines, deliveries or payments, in the singular but for a count."""
        row = node.rows or "line"
        many = {"delivery": "deliveries"}.get(row, f"{row}s")
        return many if node.role == "count" else row

    def _roles(self, node: Node) -> dict[str, Node]:
        return dict(zip(node.roles, node.operands, strict=True))

    def _gathered(self, node: Node) -> str:
        return self._part(self._roles(node)["argument"]) + self._narrowed(node, [])

    def _narrowed(self, node: Node, conditions: Sequence[str]) -> str:
        """Which lines an aggregate runs over."""
        parts = self._roles(node)
        where = [*conditions, *([self._part(parts["where"])] if "where" in parts else [])]
        said = f" where {' and '.join(where)}" if where else ""
        return said + (f" over lines with the same {_bare(self._operand(parts['by']))}" if "by" in parts else "")

    def _table(self, name: str) -> str:
        table = self.program.tables.get(name)
        return table.definition.shown if table is not None else name


def _is_narrowed(node: Node) -> bool:
    """Whether it runs over some lines only, so that a condition ends its sentence."""
    return "where" in node.roles or (node.role == "count" and bool(node.operands))


def _bare(phrase: str) -> str:
    return phrase.removeprefix("the ")


def _plural(words: str) -> str:
    """``agreed prices`` as it is; ``volume`` stands for its rows."""
    return words if words.endswith("s") else f"{words} rows"


def _joined(words: Sequence[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)
