"""The operators of formulas, in one table: how each is written, and its kin."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Sign:
    """An operator.

    Attributes:
        other: What a slip of the pen would write in its place, blank for none.
        opposite: Of a comparison what holds just where it does not.
        turned: Of a comparison the one that says the same with its sides changed.
    """

    other: str = ""
    opposite: str = ""
    turned: str = ""


ARITHMETIC: Mapping[str, Sign] = {
    "+": Sign("-"), "-": Sign("+"), "*": Sign("/"), "/": Sign("*"), "//": Sign(), "%": Sign(),
}  # fmt: skip
COMPARISONS: Mapping[str, Sign] = {
    "==": Sign("!=", "!=", "=="), "!=": Sign("==", "==", "!="), "<": Sign("<=", ">=", ">"), "<=": Sign("<", ">", ">="),
    ">": Sign(">=", "<=", "<"), ">=": Sign(">", "<", "<="),
}  # fmt: skip
MEMBERSHIP: Mapping[str, Sign] = {"in": Sign("", "not in"), "not in": Sign("", "in")}
LOGIC: Mapping[str, Sign] = {"and": Sign("or"), "or": Sign("and"), "not": Sign()}
SIGNS: Mapping[str, Sign] = {**ARITHMETIC, **COMPARISONS, **MEMBERSHIP, **LOGIC}
"""All of them, by how they are written."""
