"""Failures of own functions, and which values of a formula depend on them.

An own function that raises, or returns what it did not declare, has given no value. That is not a blank: ``coalesce``
may put something else in the place of a blank, but not in the place of a mistake. So beside its values a formula has
its failures, a column of text that says for each place which call failed there and how. A call whose value does not
count, such as that in the branch of a condition that is not taken, is no failure of the formula.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from dokima.columns.texts import Texts
from dokima.columns.words import Words
from dokima.exact.integers import Mask, common_length
from dokima.formulas.aggregates import AGGREGATES, grouped
from dokima.formulas.names import Frame, Level
from dokima.formulas.nodes import Node, at_level
from dokima.formulas.operators import pick
from dokima.formulas.reader import as_flag

Failures = Texts
"""For each order or line the call that failed, in words; missing where none did."""


def first_of(*found: Failures | None) -> Failures | None:
    """For each place the first failure; None if there is none at all."""
    result: Failures | None = None
    for each in found:
        if each is not None:
            result = each if result is None else _picked(~result.is_missing(), result, each)
    return result


def only(failures: Failures | None, where: Mask) -> Failures | None:
    """The failures at some places; None if none is left."""
    if failures is None:
        return None
    kept = failures.without(~where)
    return kept if (kept.codes >= 0).any() else None


def by_line(failures: Failures | None, level: Level, wanted: Level, frame: Frame) -> Failures | None:
    """Failures of a formula of one level, at another that is not above it."""
    if failures is None or level >= wanted:
        return failures
    if level is Level.HEADER:
        return failures.take(frame.order_of)
    return failures.spread(len(frame.order_of) if wanted is Level.LINE else frame.order_count)


def failures_of(node: Node, frame: Frame, level: Level) -> Failures | None:
    """The failures that a formula depends on, at a level that is not above its own; None if there are none.

    Asked right after the formula has been evaluated on the frame.
    """
    return by_line(_failures(node, frame), node.level, level, frame)


def _failures(node: Node, frame: Frame) -> Failures | None:
    if node.name:
        return frame.failures(node.name)
    if node.table:
        return frame.failures(f"{node.table}.")
    if node.gathers:
        return _of_aggregate(node, frame)
    parts = [by_line(_failures(each, frame), each.level, node.level, frame) for each in node.operands]
    if node.role == "call":
        return first_of(frame.failed_calls.get(node), *parts)
    if all(part is None for part in parts):
        return None
    work = _BY_ROLE.get(node.role)
    return first_of(*parts) if work is None else work(node, frame, parts)


def _of_conditional(node: Node, frame: Frame, parts: Sequence[Failures | None]) -> Failures | None:
    test = as_flag(at_level(node.operands[0], node.level)(frame))
    condition, yes, no = parts
    return first_of(condition, only(yes, test.is_true()), only(no, test.is_false()))


def _of_logic(node: Node, frame: Frame, parts: Sequence[Failures | None]) -> Failures | None:
    """A failure counts unless another operand has decided already."""
    decides = node.role == "or"
    decided: Mask | None = None
    for operand, part in zip(node.operands, parts, strict=True):
        flag = as_flag(at_level(operand, node.level)(frame))
        mine = flag.is_true() if decides else flag.is_false()
        mine = mine if part is None else mine & part.is_missing()
        decided = mine if decided is None else decided | mine
    assert decided is not None
    return _where_not(first_of(*parts), decided)


def _of_coalesce(node: Node, frame: Frame, parts: Sequence[Failures | None]) -> Failures | None:
    """A failure counts as long as no value before it has been found."""
    found: Failures | None = None
    taken: Mask | None = None
    for operand, part in zip(node.operands, parts, strict=True):
        found = first_of(found, part if taken is None or part is None else only(_as_long_as(part, taken), ~taken))
        there = ~at_level(operand, node.level)(frame).is_missing()
        taken = there if taken is None else taken | there
    return found


def _of_aggregate(node: Node, frame: Frame) -> Failures | None:
    """A group fails with one of the lines that count in it, unless any or all is decided without that line."""
    parts = {role: _failures(each, frame) for role, each in zip(node.roles, node.operands, strict=True)}
    if all(part is None for part in parts.values()):
        return None
    inner = frame if not node.rows else frame.records(node.rows)
    lines = {
        role: by_line(part, each.level, Level.LINE, inner)
        for (role, part), each in zip(parts.items(), node.operands, strict=True)
    }
    length = len(inner.order_of)
    operands = dict(zip(node.roles, node.operands, strict=True))
    found = lines.get("argument")
    if "where" in operands and found is not None:
        left_out = as_flag(at_level(operands["where"], Level.LINE)(inner)).spread(length).is_false()
        found = only(found, ~left_out)
    found = first_of(lines.get("where"), lines.get("by"), found)
    if found is None:
        return None
    if inner.leaf is not None:
        found = found.without(~inner.leaf)
    by = at_level(operands["by"], Level.LINE)(inner) if "by" in operands else None
    groups = grouped(inner, by)
    failed = np.flatnonzero((found.codes >= 0) & (groups.of >= 0))
    codes = groups.at(failed).first(found.codes[failed], -1)
    result: Failures = Texts(codes, found.words)
    if by is not None:
        result = Texts(np.where(groups.of < 0, -1, codes[np.maximum(groups.of, 0)]), found.words)
    work = AGGREGATES.get(node.role)
    if work is not None and node.role in ("any", "all"):
        value = as_flag(node.evaluate(frame))
        return _where_not(result, value.is_true() if node.role == "any" else value.is_false())
    return result if (result.codes >= 0).any() else None


def _as_long_as(part: Failures, like: Mask) -> Failures:
    return part.spread(common_length(len(part), len(like)))


def _where_not(failures: Failures | None, decided: Mask) -> Failures | None:
    return None if failures is None else only(_as_long_as(failures, decided), ~decided)


def _picked(condition: Mask, yes: Failures, no: Failures) -> Failures:
    found = pick(condition, yes, no)
    assert isinstance(found, Texts)
    return found


_BY_ROLE: dict[str, Callable[[Node, Frame, Sequence[Failures | None]], Failures | None]] = {
    "if": _of_conditional,
    "and": _of_logic,
    "or": _of_logic,
    "coalesce": _of_coalesce,
}


def failed_at(texts: Sequence[str | None]) -> Failures | None:
    """A column of failures; None if there are none."""
    if not any(texts):
        return None
    index: dict[str, int] = {}
    codes = [index.setdefault(text, len(index)) if text else -1 for text in texts]
    return Texts(np.array(codes, np.int64), Words(list(index), index))
