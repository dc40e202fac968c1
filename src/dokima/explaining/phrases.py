"""Formulas in words, for people who do not read formulas."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import listed
from dokima.explaining import words
from dokima.formulas import Formula
from dokima.formulas.signs import COMPARISONS, MEMBERSHIP
from dokima.formulas.tree import Node
from dokima.model.fields import Field
from dokima.model.said import Said
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Step


@dataclass(frozen=True)
class Speech:
    """How a language says what formulas are made of.

    Attributes:
        template: A template of `words` in the language.
        value: A value as people write it.
        label: What a field is called.
    """

    template: Callable[[Said], str] = str
    value: Callable[[Any], str] = shown
    label: Callable[[Field], str] = lambda field: field.shown


ENGLISH = Speech()
_OPEN = (words.NOT, *words.ON_ROWS.values())
"""Sentences that take whatever follows their beginning."""


class Phrases:
    """Says formulas of a rulebook in words.

    Args:
        program: The rulebook.
        speech: In which language.
    """

    def __init__(self, program: Program, speech: Speech = ENGLISH) -> None:
        self.program = program
        self.speech = speech
        self._open = tuple(speech.template(each).partition("{")[0] for each in _OPEN)
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
        if dotted in words.KNOWN:
            return self._say(words.KNOWN[dotted])
        head, _, tail = dotted.partition(".")
        if head == "value":
            known = self.program.definition.values.get(tail)
            worth = "" if known is None else f" ({self.speech.value(value_at(known, 0))})"
            return self._say(words.OWNED[""], tail.replace("_", " ")) + worth
        if head == "formula":
            return self._say(words.NAMED, tail.replace("_", " "))
        table = self.program.tables.get(head)
        if table is not None:
            field = table.fields.get(tail)
            said = field.shown if field is not None else tail.replace("_", " ")
            kin = table.definition.shown
            if table.definition.is_master:
                return self._say(words.OF_MASTER, said, kin)
            return self._say(words.IN_TABLE, said, kin if kin.endswith("s") else self._say(words.ROWS_OF, kin))
        return self._say(words.OWNED.get(head, words.OWNED[""]), self._label(dotted))

    def _label(self, dotted: str) -> str:
        """What a field or figure of an order is called."""
        field = self.field(dotted)
        if field is not None:
            return self.speech.label(field)
        head, _, tail = dotted.partition(".")
        if head in ("header", "line", "parent") and tail in words.FIGURES:
            return self._say(words.FIGURES[tail])
        step = self._steps.get(tail)
        return step.definition.shown if step is not None else tail.replace("_", " ")

    def series(self, parts: Iterable[str], word: str = "and") -> str:
        """Parts joined by "and" or "or"."""
        said, *others = parts
        for each in others:
            said = self._say(words.JOINED[word], said, each)
        return said

    def field(self, dotted: str) -> Field | None:
        """The field of an order that a dotted name stands for, None for a figure or a table's column."""
        head, _, tail = dotted.partition(".")
        fields = self.program.fields
        level = {"header": fields.header, "was_header": fields.header, "line": fields.line, "parent": fields.line,
                 "was": fields.line}.get(head, {})  # fmt: skip
        return level.get(tail)

    def _say(self, template: Said, *parts: str) -> str:
        """A template of `words` in the language, with its parts."""
        return self.speech.template(template).format(*parts)

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
                return self.series(map(self._part, node.operands), node.role)
            case "not":
                return self._not(node.operands[0])
            case "if":
                test, body, other = node.operands
                return self._say(words.IF_ELSE, self._operand(body), self._part(test), self._operand(other))
            case "in" | "not in":
                subject, *options = node.operands
                known = listed([self._of(each) for each in options], 50)
                return self._say(words.CHOSEN[node.role], self._operand(subject), known)
        if node.role in COMPARISONS:
            return self._compared(node, node.role)
        if node.role in words.WORKED:
            return self._worked(node)
        return self._aggregate(node) if node.gathers else self._call(node)

    def _literal(self, node: Node) -> str:
        assert node.value is not None
        value = value_at(node.value, 0)
        return f"‘{value}’" if isinstance(value, str) else self.speech.value(value)

    def _worked(self, node: Node) -> str:
        if len(node.operands) == 1:
            return self._say(words.MINUS, self._operand(node.operands[0]))
        left, right = node.operands
        first = self._of(left) if left.role == node.role and node.role in "+*" else self._operand(left)
        return self._say(words.WORKED[node.role], first, self._operand(right))

    def _operand(self, node: Node) -> str:
        """A part of a calculation or an argument; in parentheses unless it is a name or a value."""
        said = self._of(node)
        return said if node.formula or node.role in ("name", "literal") else f"({said})"

    def _flag(self, node: Node, *, negated: bool = False) -> str:
        if node.formula:
            return self._say(words.HOLDS[not negated], self.name(node.formula))
        if node.role == "name":
            if node.name in words.KNOWN:
                return self._say((words.KNOWN_NOT if negated else words.KNOWN)[node.name])
            return self._say(words.IS_SET[not negated], self.name(node.name))
        return self._not(node) if negated else self._of(node)

    def _part(self, node: Node) -> str:
        """A condition within another; in parentheses if it is made of several."""
        said = self._flag(node)
        is_long = node.role in ("and", "or", "if", "coalesce") or _is_narrowed(node) or said.startswith(self._open)
        return f"({said})" if is_long and not node.formula else said

    def _not(self, node: Node) -> str:
        if node.formula or (node.role == "name" and (node.name not in words.KNOWN or node.name in words.KNOWN_NOT)):
            return self._flag(node, negated=True)
        if node.role == "blank":
            return self._say(words.IS_GIVEN, self._operand(node.operands[0]))
        if node.table:
            return self._say(words.ROW_FOUND[False], self._table(node.table))
        if node.role == "any":
            return self._on_rows("none", node)
        if node.role in MEMBERSHIP:
            return self._of(replace(node, role=MEMBERSHIP[node.role].opposite))
        if node.role in COMPARISONS:
            return self._compared(node, COMPARISONS[node.role].opposite)
        return self._say(words.NOT, self._part(node))

    def _compared(self, node: Node, sign: str) -> str:
        left, right = node.operands
        if sign in words.MULTIPLE and left.role == "%" and right.role == "literal" and self._of(right) == "0":
            return self._say(words.MULTIPLE[sign], *map(self._operand, left.operands))
        is_date = "date" in (left.kind, right.kind)
        return self._say(words.COMPARED[sign][is_date], self._side(left), self._side(right))

    def _side(self, node: Node) -> str:
        """A side of a comparison; in parentheses if it is a condition itself, chooses, or counts only some lines."""
        said = self._of(node)
        is_long = node.role in ("if", "and", "or", "not", "coalesce", "min", "max", *COMPARISONS) or _is_narrowed(node)
        return f"({said})" if is_long and not node.formula else said

    def _call(self, node: Node) -> str:
        name, given = node.role, [self._operand(each) for each in node.operands]
        match name:
            case "min" | "max":
                return self._say(words.LEAST if name == "min" else words.MOST, self._listed(given))
            case "coalesce":
                said = given[0]
                for each in given[1:]:
                    said = self._say(words.OR_WHERE_BLANK, said, each)
                return said
            case "found":
                return self._say(words.ROW_FOUND[True], self._table(node.table))
            case "matches":
                return self._say(words.HAS_FORM, given[0], f"‘{node.facts['pattern']}’")
            case "round":
                places = node.facts["places"]
                to = (words.TO_WHOLE, words.TO_PLACE)[places] if places in (0, 1) else words.TO_PLACES
                return self._rounded(node, given[0], self._say(to, str(places)))
            case "round_to":
                return self._rounded(node, given[0], self._say(words.TO_MULTIPLE, given[1]))
            case "call":
                own = node.facts["function"].replace("_", " ")
                return self._say(words.IN_PYTHON_OF if given else words.IN_PYTHON, own, self._listed(given))
        return self._say(words.CALLS[name], *given)

    def _rounded(self, node: Node, number: str, to: str) -> str:
        return f"{number} {self._say(words.ROUNDED[node.facts['mode']])} {to}"

    def _aggregate(self, node: Node) -> str:
        name = node.role
        if name in ("any", "all"):
            return self._on_rows(name, node)
        parts = self._roles(node)
        if name == "count":
            argument = [self._part(parts["argument"])] if "argument" in parts else []
            return self._narrowed(self._say(words.COUNTED[node.rows or "line"]), node, argument)
        return self._narrowed(self._say(words.GATHERED[name], self._operand(parts["argument"])), node)

    def _on_rows(self, which: str, node: Node) -> str:
        """Whether something is so on any, on all or on none of the lines, deliveries or payments."""
        said = self._narrowed(self._part(self._roles(node)["argument"]), node)
        return self._say(words.ON_ROWS[which, node.rows or "line"], said)

    def _roles(self, node: Node) -> dict[str, Node]:
        return dict(zip(node.roles, node.operands, strict=True))

    def _narrowed(self, said: str, node: Node, conditions: Sequence[str] = ()) -> str:
        """Which lines an aggregate runs over."""
        parts = self._roles(node)
        where = [*conditions, *([self._part(parts["where"])] if "where" in parts else [])]
        if where:
            said = self._say(words.WHERE, said, self.series(where))
        if "by" in parts:
            said = self._say(words.SAME, said, self._operand(parts["by"]).removeprefix("the "))
        return said

    def _listed(self, parts: Sequence[str]) -> str:
        """``a, b and c``."""
        return self.series([", ".join(parts[:-1]), parts[-1]]) if len(parts) > 1 else "".join(parts)

    def _table(self, name: str) -> str:
        table = self.program.tables.get(name)
        return table.definition.shown if table is not None else name


def _is_narrowed(node: Node) -> bool:
    """Whether it runs over some lines only, so that a condition ends its sentence."""
    return "where" in node.roles or (node.role == "count" and bool(node.operands))
