"""Warnings that somebody has accepted: what they were about, and whether it is still the same."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.formulas import Frame, Level
from dokima.model.content import ACCEPTANCE_FORM
from dokima.model.orders import Orders
from dokima.rules.rule import Rule

_NOVELTY = ("header.is_new", "line.is_new")
"""What the same order no longer says once it is saved."""


def rule_digest(rule: Rule, frame: Frame, order: int, line: int | None) -> str:
    """Digest of a rule and of every value it read; any difference asks again.

    What was before an edit is left out: a warning is about the order as it stands, and an order that is read from a
    file has no before.
    """
    read: dict[str, Any] = {}
    lines = frame.by_order.members(order)
    for name in rule.reads_of_records:
        records = frame.records(name.partition(".")[0])
        column = records.column(name)
        read[name] = [shown(value_at(column, at)) for at in records.by_order.members(order)]
    for name, level in sorted(rule.reads.items()):
        if name.startswith(("was.", "was_header.")) or name in _NOVELTY:
            continue
        column = frame.column(name)
        if level is Level.LINE and (line is None or name in rule.whole):
            read[name] = [shown(value_at(column, at)) for at in lines]
        else:
            position = {Level.CONSTANT: 0, Level.HEADER: order, Level.LINE: line or 0}[level]
            read[name] = shown(value_at(column, position))
    digest = hashlib.sha256(json.dumps([rule.fingerprint, read], sort_keys=True).encode()).hexdigest()
    return f"{ACCEPTANCE_FORM}:{digest}"


def acceptance(orders: Orders, order: int, rule: str, line: str, digest: str) -> str:
    """Who accepted a warning and why; blank if nobody has, or if the values it was about have changed since."""
    for kept in acceptances(orders, order, rule, line):
        if kept.get("digest") == digest:
            return f"{kept.get('by')}: {kept.get('reason')}"
    return ""


def acceptances(orders: Orders, order: int, rule: str, line: str) -> list[Mapping[str, Any]]:
    """What was accepted of a rule before, about the same line."""
    kept = orders.records.get("acknowledgements")
    mine = [] if kept is None else kept[order]
    return [each for each in mine if (each.get("rule"), each.get("line", "")) == (rule, line)]
