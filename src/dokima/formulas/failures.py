"""Failures of own functions, and which values of a formula depend on them.

An own function that raises, or returns what it did not declare, has given no value. That is not a blank: ``coalesce``
may put something else in the place of a blank, but not in the place of a mistake. So beside its values a formula has
its failures, a column of text that says for each place which call failed there and how. A call whose value does not
count, such as that in the branch of a condition that is not taken, is no failure of the formula.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from dokima.columns.column import Column
from dokima.columns.texts import Texts
from dokima.columns.words import Words
from dokima.exact.integers import Mask, common_length
from dokima.formulas.aggregates import grouped
from dokima.formulas.names import Frame, Level
from dokima.formulas.operators import flags, pick
from dokima.formulas.tree import Node

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


def combined(
    node: Node, frame: Frame, columns: Sequence[Column], failures: Sequence[Failures | None], value: Column
) -> Failures | None:
    """The failures that the values of a node depend on, at its own level; None if there are none.

    Args:
        node: The node.
        frame: What its operands were worked out on.
        columns: The values of its operands, at the level at which the node reads them.
        failures: The failures of its operands, likewise.
        value: The values of the node.
    """
    if all(part is None for part in failures):
        return None
    if node.gathers:
        return _of_aggregate(node, frame, columns, failures, value)
    work = _BY_ROLE.get(node.role)
    return first_of(*failures) if work is None else work(node, columns, failures)


def _of_conditional(_: Node, columns: Sequence[Column], failures: Sequence[Failures | None]) -> Failures | None:
    test = flags(columns[0])
    condition, yes, no = failures
    return first_of(condition, only(yes, test.is_true()), only(no, test.is_false()))


def _of_logic(node: Node, columns: Sequence[Column], failures: Sequence[Failures | None]) -> Failures | None:
    """A failure counts unless another operand has decided already."""
    decides = node.role == "or"
    decided: Mask | None = None
    for column, part in zip(columns, failures, strict=True):
        flag = flags(column)
        mine = flag.is_true() if decides else flag.is_false()
        mine = mine if part is None else mine & part.is_missing()
        decided = mine if decided is None else decided | mine
    assert decided is not None
    return _where_not(first_of(*failures), decided)


def _of_coalesce(_: Node, columns: Sequence[Column], failures: Sequence[Failures | None]) -> Failures | None:
    """A failure counts as long as no value before it has been found."""
    found: Failures | None = None
    taken: Mask | None = None
    for column, part in zip(columns, failures, strict=True):
        found = first_of(found, part if taken is None or part is None else only(_spread_like(part, taken), ~taken))
        there = ~column.is_missing()
        taken = there if taken is None else taken | there
    return found


def _of_aggregate(
    node: Node, frame: Frame, columns: Sequence[Column], failures: Sequence[Failures | None], value: Column
) -> Failures | None:
    """A group fails with one of the lines that count in it, unless any or all is decided without that line."""
    operands = dict(zip(node.roles, columns, strict=True))
    parts = dict(zip(node.roles, failures, strict=True))
    length = len(frame.order_of)
    found = parts.get("argument")
    if "where" in operands and found is not None:
        found = only(found, ~flags(operands["where"]).spread(length).is_false())
    found = first_of(parts.get("where"), parts.get("by"), found)
    if found is None:
        return None
    if frame.leaf is not None:
        found = found.without(~frame.leaf)
    by = operands.get("by")
    groups = grouped(frame, by)
    failed = np.flatnonzero((found.codes >= 0) & (groups.of >= 0))
    codes = groups.at(failed).first(found.codes[failed], -1)
    result: Failures = Texts(codes, found.words)
    if by is not None:
        result = Texts(np.where(groups.of < 0, -1, codes[np.maximum(groups.of, 0)]), found.words)
    if node.role in ("any", "all"):
        decided = flags(value)
        return _where_not(result, decided.is_true() if node.role == "any" else decided.is_false())
    return result if (result.codes >= 0).any() else None


def _spread_like(part: Failures, like: Mask) -> Failures:
    return part.spread(common_length(len(part), len(like)))


def _where_not(failures: Failures | None, decided: Mask) -> Failures | None:
    return None if failures is None else only(_spread_like(failures, decided), ~decided)


def _picked(condition: Mask, yes: Failures, no: Failures) -> Failures:
    found = pick(condition, yes, no)
    assert isinstance(found, Texts)
    return found


_BY_ROLE: dict[str, Callable[[Node, Sequence[Column], Sequence[Failures | None]], Failures | None]] = {
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
