"""What many orders keep of what was agreed, in one pass."""

from __future__ import annotations

from typing import Any

import numpy as np

from dokima.model.document import TERMS
from dokima.model.orders import Orders, texts
from dokima.pricing.program import Program, Run
from dokima.pricing.running.capturing_terms import capture_all


def kept_terms(program: Program, orders: Orders, run: Run) -> list[list[dict[str, Any]] | None]:
    """What each order keeps of what was agreed, by the rule of `keep_terms`, worked out for those that lack it at once.

    Returns:
        For each order the records of its terms, None where it keeps none.
    """
    lifecycle = program.definition.lifecycle
    records = orders.records.get(TERMS)
    kept: list[Any] = [None] * len(orders) if records is None else [mine or None for mine in records]
    found = [orders.terms(at) if kept[at] else None for at in range(len(orders))]
    digests: dict[tuple[str, ...], list[str]] = {}
    leaves = orders.leaf
    lacking: list[int] = []
    states = [state or lifecycle.first for state in texts(orders.header("state")).to_list()]
    for at, (state, mine) in enumerate(zip(states, found, strict=True)):
        if state == lifecycle.first:
            kept[at] = None
            continue
        if mine is None:
            if not lifecycle.ends_undelivered(state):
                lacking.append(at)
            continue
        fields = tuple(mine.fields)
        if fields not in digests:
            digests[fields] = orders.digests(fields)
        where = orders.lines_of(at)
        numbers = {orders.line_numbers[p] for p in range(where.start, where.stop) if leaves is None or leaves[p]}
        if numbers != set(mine.lines) or digests[fields][at] != mine.digest:
            lacking.append(at)
    if lacking:
        captured = capture_all(program, orders.select(np.array(lacking)), run)
        for at, terms in zip(lacking, captured, strict=True):
            kept[at] = kept[at] if terms is None else terms.to_records()
    return kept
