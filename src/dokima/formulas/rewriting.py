"""A formula written otherwise at one spot, as a slip of the pen would write it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal

from dokima.formulas.formula import Formula
from dokima.formulas.names import NUMBERS
from dokima.formulas.signs import SIGNS
from dokima.formulas.tree import LITERAL, Node

SWAPPED: Mapping[str, str] = {
    "min": "max", "max": "min", "any": "all", "all": "any", "lowest": "highest", "highest": "lowest",
}  # fmt: skip
"""Functions, and what a slip would call in their place."""
_KINDS = {"and": "logic", "or": "logic", "+": "arithmetic", "-": "arithmetic", "*": "arithmetic", "/": "arithmetic"}
"""What a change of an operator is called; of all others it is a comparison."""


@dataclass(frozen=True)
class Rewritten:
    """A formula written otherwise at one spot.

    Attributes:
        operator: What kind of change it is.
        old: What stood there; blank where something is left out.
        new: What stands there now.
        text: The whole formula as it is now.
    """

    operator: str
    old: str
    new: str
    text: str


def rewritings(formula: Formula) -> Iterator[Rewritten]:
    """Every formula that differs from one at one spot; the texts of the formulas that it names stay as they are."""
    text = formula.written.strip()
    lead = len(formula.written) - len(formula.written.lstrip())
    for node in parts_as_written(formula):
        for operator, start, stop, old, new in _spots(formula, node):
            first, last = formula.place_as_written(start) - lead, formula.place_as_written(stop) - lead
            yield Rewritten(operator, old, new, text[:first] + new + text[last:])


def with_part(formula: Formula, node: Node, new: str) -> str:
    """A formula with another text in the place of one of its parts."""
    text = formula.written.strip()
    lead = len(formula.written) - len(formula.written.lstrip())
    first, last = formula.place_as_written(node.start) - lead, formula.place_as_written(node.stop) - lead
    return text[:first] + new + text[last:]


def parts_as_written(formula: Formula) -> Iterator[Node]:
    """The parts of a formula that stand in its text, and not in that of a formula which it names."""
    return _as_written(formula, formula.root)


def _as_written(formula: Formula, node: Node) -> Iterator[Node]:
    """A node and all below it that stand in the text themselves."""
    if formula.named_as(node):
        return
    yield node
    for operand in node.operands:
        yield from _as_written(formula, operand)


Spot = tuple[str, int, int, str, str]
"""The kind of change, the first character and that after the last, what stands there, what would."""


def _spots(formula: Formula, node: Node) -> Iterator[Spot]:
    text, role = formula.source, node.role
    if role == "not":
        yield "negation", node.start, _start(node.operands[0], text), "not", ""
    elif role in SIGNS and SIGNS[role].other and len(node.operands) > 1 and not _is_chain(node):
        for left, right in zip(node.operands, node.operands[1:], strict=False):
            at = text.index(role, _stop(formula, left), _first(formula, right) + len(role))
            yield _KINDS.get(role, "comparison"), at, at + len(role), role, SIGNS[role].other
    elif role in SWAPPED:
        yield "function", node.start, node.start + len(role), role, SWAPPED[role]
    if role == LITERAL and node.kind in NUMBERS:
        yield _number(text, node.start, node.stop)
    if "places_at" in node.facts:
        yield _number(text, *node.facts["places_at"])


def _number(text: str, start: int, stop: int) -> Spot:
    written = text[start:stop]
    return "number", start, stop, written, str(next_number(Decimal(written)))


def next_number(value: Decimal) -> Decimal:
    """A number one unit of its last place higher."""
    return value + Decimal(1).scaleb(int(value.as_tuple().exponent))


def _is_chain(node: Node) -> bool:
    """Whether it joins comparisons that are written in one chain: no ``and`` stands between them."""
    return node.role == "and" and all((each.start, each.stop) == (node.start, node.stop) for each in node.operands)


def _stop(formula: Formula, node: Node) -> int:
    """Where a part ends, the brackets of a named formula included."""
    span = formula.span_of(node)
    return node.stop if span is None else span[1]


def _first(formula: Formula, node: Node) -> int:
    span = formula.span_of(node)
    return node.start if span is None else span[0]


def _start(node: Node, text: str) -> int:
    """Where what stands behind a ``not`` begins, an opening bracket before it included."""
    at = node.start
    while at > 0 and text[at - 1] == "(" and text[:at].rstrip("( ").endswith("not"):
        at -= 1
    return at
