"""Kernels: how the values of a node are made out of those of its operands."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import reduce
from typing import cast

from dokima.columns.column import Column, Kind
from dokima.columns.flags import Flags
from dokima.exact.integers import everywhere
from dokima.formulas import aggregates, operators
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.functions import FUNCTIONS, Function, matcher, round_to
from dokima.formulas.names import FormulaKind, Frame
from dokima.formulas.operators import flags, numbers
from dokima.formulas.signs import ARITHMETIC, COMPARISONS
from dokima.formulas.tree import OWN, Node

Kernel = Callable[[Frame, Sequence[Column]], Column]
"""Makes the values of a node on a frame, out of those of its operands."""

_KINDS: Mapping[str, Kind] = {
    "number": "decimal", "integer": "integer", "text": "text", "date": "date", "flag": "flag",
}  # fmt: skip
"""The kind that a function wants of an argument, where that is one."""


def wanted_kinds(node: Node, own: Mapping[str, Function]) -> Sequence[Kind | None]:
    """For each operand the kind that the blank literal stands for there; None where that follows from its neighbour."""
    if node.gathers:
        kinds = {"argument": AGGREGATES[node.role].takes[0], "where": "flag"}
        return [cast("Kind | None", kinds.get(role)) for role in node.roles]
    if node.role == "if":
        return ["flag", None, None]
    if node.role in ("and", "or", "not"):
        return ["flag"] * len(node.operands)
    if node.role in ARITHMETIC or node.role in ("round", "round_to"):
        return ["decimal"] * len(node.operands)
    if node.role == "matches":
        return ["text"]
    function = own[node.facts["function"]] if node.role == OWN else FUNCTIONS.get(node.role)
    if function is None:
        return [None] * len(node.operands)
    known: list[FormulaKind] = [each.kind for each in node.operands if each.kind != "blank"]
    fallback = cast(Kind, known[0] if known else "decimal")
    last = len(function.takes) - 1
    return [_KINDS.get(function.takes[min(at, last)], fallback) for at in range(len(node.operands))]


def kernel_of(node: Node, own: Mapping[str, Function]) -> Kernel:
    """The kernel of a node that is neither a literal nor a name.

    Args:
        node: The node.
        own: The rulebook's own functions that it calls, by name.
    """
    role = node.role
    if node.gathers:
        return _gathering(node)
    if node.table:
        return _finding(node.table)
    if role in ARITHMETIC:
        return _negative if len(node.operands) == 1 else _arithmetic(role)
    if role in COMPARISONS:
        return _compared(role, is_blank=any(each.kind == "blank" for each in node.operands))
    if role in ("in", "not in"):
        return _among if role == "in" else lambda frame, columns: operators.logical_not(_among(frame, columns))
    if role in ("round", "round_to", "matches"):
        return _with_facts(node)
    if role == OWN:
        return _own(own[node.facts["function"]].apply)
    return _LOGIC[role] if role in _LOGIC else _own(FUNCTIONS[role].apply)


def _own(apply: Callable[[Sequence[Column]], Column]) -> Kernel:
    return lambda _, columns: apply(columns)


def _arithmetic(role: str) -> Kernel:
    work = operators.ARITHMETIC[role]
    return lambda _, columns: work(numbers(columns[0]), numbers(columns[1]))


def _negative(_: Frame, columns: Sequence[Column]) -> Column:
    return -numbers(columns[0])


def _compared(role: str, *, is_blank: bool) -> Kernel:
    compared, alike = operators.compared, operators.alike
    if is_blank:
        return lambda _, columns: compared(*alike(columns[0], columns[1]), role)
    return lambda _, columns: compared(columns[0], columns[1], role)


def _among(_: Frame, columns: Sequence[Column]) -> Flags:
    """Whether the first is one of the others."""
    subject, *listed = columns
    if not listed:
        return Flags(~everywhere(1))
    each = [operators.compared(*operators.alike(subject, one), "==") for one in listed]
    return reduce(operators.logical_or, each)


def _selected(_: Frame, columns: Sequence[Column]) -> Column:
    return operators.selected(flags(columns[0]), columns[1], columns[2])


def _finding(table: str) -> Kernel:
    return lambda frame, _: Flags(frame.found(table))


def _with_facts(node: Node) -> Kernel:
    if node.role == "matches":
        test = matcher(node.facts["pattern"])
        return lambda _, columns: test(columns)
    mode: str = node.facts["mode"]
    if node.role == "round_to":
        return lambda _, columns: round_to(numbers(columns[0]), numbers(columns[1]), mode)
    places: int = node.facts["places"]
    return lambda _, columns: numbers(columns[0]).round(places, mode)


def _gathering(node: Node) -> Kernel:
    kind = AGGREGATES[node.role]
    places = {role: at for at, role in enumerate(node.roles)}
    argument, where, by = (places.get(role, -1) for role in ("argument", "where", "by"))

    def work(frame: Frame, columns: Sequence[Column]) -> Column:
        return aggregates.aggregate(
            kind,
            frame,
            columns[argument] if argument >= 0 else None,
            flags(columns[where]) if where >= 0 else None,
            columns[by] if by >= 0 else None,
        )

    return work


def _joined(join: Callable[[Flags, Flags], Flags]) -> Kernel:
    return lambda _, columns: reduce(join, [flags(each) for each in columns])


_LOGIC: Mapping[str, Kernel] = {
    "and": _joined(operators.logical_and),
    "or": _joined(operators.logical_or),
    "not": lambda _, columns: operators.logical_not(flags(columns[0])),
    "if": _selected,
}
