"""Whether two parts of formulas say the same, whatever they are written like."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from dokima.columns.column import value_at
from dokima.formulas.tree import LITERAL, NAME, Node

Shape = tuple[Any, ...]


def shape(node: Node, known: Callable[[Node], Shape | None] = lambda _: None) -> Shape:
    """What a part says, without its place: equal for parts that say the same. A number counts by its value.

    Args:
        node: The part.
        known: Gives a part another shape, None for its own.
    """
    found = known(node)
    if found is not None:
        return found
    if node.role == NAME:
        return (NAME, node.name)
    if node.role == LITERAL:
        assert node.value is not None
        return (LITERAL, "decimal" if node.kind == "integer" else node.kind, value_at(node.value, 0))
    # Where the places of a rounding stand in the text says nothing.
    facts = tuple(sorted((key, value) for key, value in node.facts.items() if key != "places_at"))
    return (node.role, node.table, node.roles, facts, *(shape(each, known) for each in node.operands))
