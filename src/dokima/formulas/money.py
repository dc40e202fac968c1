"""Which formulas give an amount of money, so that messages and explanations write it as money is written."""

from __future__ import annotations

from dokima.formulas.tree import Node

_KEEPING = ("+", "-", "if", "coalesce", "abs", "min", "max")
"""What is money if one of its parts is."""
_GATHERING = ("sum", "lowest", "highest")
"""Aggregates of money that are money."""


def is_money(node: Node) -> bool:
    """Whether a part of a formula gives an amount of money: a field or figure that is one, or what adds such up."""
    if node.name:
        return node.money
    if node.gathers:
        return node.role in _GATHERING and any(
            is_money(each) for role, each in zip(node.roles, node.operands, strict=True) if role == "argument"
        )
    if node.role in _KEEPING:
        return any(is_money(each) for each in node.operands)
    if node.role == "*":
        return sum(is_money(each) for each in node.operands) == 1
    return False
