"""Changes of a rulebook that no order could tell: comparisons that say the same of every value a field can have.

A field with two decimal places is below 0.555 just where it is at most 0.55. Brought to one normal form, two such
comparisons are equal, and so are two rulebooks that differ in nothing else.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from typing import Any

from dokima.columns.column import value_at
from dokima.compiling.places import formula_places
from dokima.formulas.comparing import shape
from dokima.formulas.names import NUMBERS
from dokima.formulas.signs import COMPARISONS
from dokima.formulas.tree import LITERAL, NAME, Node
from dokima.model.fields import Field
from dokima.pricing.fingerprint import fingerprint_of
from dokima.pricing.program import Program
from dokima.proving.attacking import SUMS, attack
from dokima.proving.rows import never_winning

NO_VALUE = "no value that the field can have"


@dataclass
class Equivalence:
    """Proves that changed rulebooks say the same as one, and attacks each proof before it is told.

    Attributes:
        program: The rulebook.
        attacked: Orders on which the equivalent ones were tried, all together.
        refuted: What was proved equivalent, and an order came out otherwise: a mistake of Dokima.
    """

    program: Program
    attacked: int = 0
    refuted: list[str] = field(default_factory=list)
    _idle: dict[str, set[int]] = field(default_factory=dict)

    def equivalent(self, name: str, changed: Program, at: tuple[str, int] | None = None) -> bool:
        """Whether a changed rulebook is proved to say the same of every order, and no order tried says otherwise.

        Args:
            name: What it is called among those that are refuted.
            changed: The changed rulebook.
            at: Where it differs in a row of a table: the table, and the position of the row.
        """
        if changed.fingerprint == self.program.fingerprint:
            return True
        is_said = say_the_same(self.program, changed)
        if not is_said and (at is None or not self._never_wins(changed, *at)):
            return False
        found = attack(self.program, changed, None if is_said else at)
        self.attacked += found.orders
        if found.difference is not None:
            self.refuted.append(name)
        return found.orders > 0 and found.difference is None  # what no order was tried on is not told as proved

    def _never_wins(self, changed: Program, table: str, row: int) -> bool:
        """Whether a row never wins, neither as it is nor as it would be."""
        if table not in self._idle:
            self._idle[table] = never_winning(self.program, self.program.tables[table])
        return row in self._idle[table] and row in never_winning(changed, changed.tables[table])


def say_the_same(program: Program, changed: Program) -> bool:
    """Whether a changed rulebook says the same of every order: its comparisons agree on all values of their fields."""
    mine, theirs = list(formula_places(program)), list(formula_places(changed))
    if [place.path for place in mine] != [place.path for place in theirs]:
        return False
    definition = changed.definition
    for place, other in zip(mine, theirs, strict=True):
        if normal_form(program, place.formula.root) != normal_form(program, other.formula.root):
            return False
        given = place.given(program.definition)
        if given != other.given(changed.definition):
            definition = place.put(definition, given)
    return fingerprint_of(definition) == program.fingerprint


def normal_form(program: Program, node: Node) -> tuple[Any, ...]:
    """What a formula says, its comparisons of fields with numbers as ``<`` and ``>=`` of a value the field can have.

    Args:
        program: The rulebook, for the decimal places of its fields.
        node: The formula.
    """
    return shape(node, lambda part: _compared(program, part))


def _compared(program: Program, node: Node) -> tuple[Any, ...] | None:
    """A comparison of a field with a number in normal form; None for all else."""
    if node.role not in COMPARISONS:
        return None
    (left, right), sign = node.operands, node.role
    if _number(left) is not None:
        left, right, sign = right, left, COMPARISONS[sign].turned
    number, field = _number(right), _field(program, left)
    if number is None or field is None or field.kind not in NUMBERS or left.name in SUMS:
        return None
    places = 0 if field.kind == "integer" else field.places
    return None if places is None else (left.name, *_at_a_value(sign, number, places))


def _field(program: Program, node: Node) -> Field | None:
    if node.role != NAME:
        return None
    head, _, name = node.name.partition(".")
    return {"header": program.fields.header, "line": program.fields.line}.get(head, {}).get(name)


def _number(node: Node) -> Decimal | None:
    """A number that is written out, with its sign."""
    if node.role == "-" and len(node.operands) == 1:
        inner = _number(node.operands[0])
        return None if inner is None else -inner
    if node.role != LITERAL or node.kind not in NUMBERS or node.value is None:
        return None
    return Decimal(value_at(node.value, 0))


def _at_a_value(sign: str, number: Decimal, places: int) -> tuple[str, Decimal | str]:
    """A comparison at a value that a field of so many places can have."""
    unit = Decimal(1).scaleb(-places)
    below, above = number.quantize(unit, ROUND_FLOOR), number.quantize(unit, ROUND_CEILING)
    match sign:
        case "<":
            return "<", above
        case "<=":
            return "<", below + unit
        case ">":
            return ">=", below + unit
        case ">=":
            return ">=", above
    return sign, below if below == above else NO_VALUE
