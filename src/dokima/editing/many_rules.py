"""What rules say to an edit of many orders at once; `Edit` asks them about one."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

import numpy as np

from dokima.checking.asking import ASKS_FOR_PENDING, ASKS_FOR_ROWS, ask_rules, rules_asked
from dokima.checking.pending import pending_findings
from dokima.checking.rule_columns import rule_context
from dokima.exact.integers import Mask
from dokima.model.finding import Finding
from dokima.model.finding_columns import one_by_one
from dokima.model.orders import Orders
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import failed_defaults
from dokima.pricing.running.required import missing_rows, required_tables
from dokima.rules.rule import Rule
from dokima.tables.table import Table


def at_moment(
    program: Program, after: Orders, before: Orders, moment: str, run: Run, only: Mask | None = None
) -> list[Finding]:
    """What the rules of a moment say to orders, and the rows that tables lack.

    Args:
        program: The rulebook.
        after: The orders as they would be.
        before: The same orders as they are.
        moment: The moment.
        run: What the caller says about the run.
        only: The lines that are asked about; all if None.
    """
    asked = rules_asked(program, moment)
    context = _context(program, after, before, [rule for rule, _ in asked], run)
    found = ask_rules(context, asked, only)
    tables = required_tables(program) if moment in ASKS_FOR_ROWS else []
    found += _lacking(program, context, tables, only, blank_keys=moment != "enter")
    return found + pending_findings(program, context.orders, run) if moment in ASKS_FOR_PENDING else found


def header_changed(
    program: Program, after: Orders, before: Orders, fields: Sequence[str], run: Run
) -> list[Finding] | None:
    """What rules say to changed header fields; None where a rule of ``edit`` is about them: it is asked one by one."""

    def reads(rule: Rule) -> bool:
        return bool(program.read_by_rules[rule.key] & set(fields)) or rule.definition.python is not None

    if edits(program, fields) or any(reads(rule) for rule, _ in rules_asked(program, "edit")):
        return None
    asked = [(rule, at) for rule, at in rules_asked(program, "enter") if reads(rule)]
    context = _context(program, after, before, [rule for rule, _ in asked], run)
    tables = required_tables(program, fields)
    return ask_rules(context, asked) + _lacking(program, context, tables, None, blank_keys=False)


def edits(program: Program, fields: Collection[str]) -> bool:
    """Whether a rule of ``edit`` is about one of some fields."""
    named = [rule.definition.field for rule, _ in rules_asked(program, "edit")]
    return any((name if "." in name else f"line.{name}") in fields for name in named)


def by_order(into: dict[int, list[Finding]], orders: Orders, findings: Iterable[Finding]) -> None:
    """Put findings to the positions of their orders."""
    for finding in findings:
        into.setdefault(orders.position(finding.order), []).append(finding)


def _context(program: Program, after: Orders, before: Orders, rules: Collection[Rule], run: Run) -> Context:
    prepared = prepare(program, after, run)
    was = prepared if before is after else prepare(program, before, run)
    state = Before(was, np.arange(after.count), np.arange(after.line_count))
    return rule_context(program, prepared, run, list(rules), state)


def _lacking(
    program: Program, context: Context, tables: Sequence[Table], only: Mask | None, *, blank_keys: bool
) -> list[Finding]:
    """Rows that tables lack and defaults that failed, of the lines that are asked about."""
    lost = [
        *one_by_one(missing_rows(context, tables, blank_keys=blank_keys)),
        *failed_defaults(program, context.orders),
    ]
    if only is None:
        return lost
    orders = context.orders
    numbers, of = orders.line_numbers, orders.numbers
    meant = {(of[int(orders.order_of[at])], numbers[at]) for at in np.flatnonzero(only).tolist()}
    return [finding for finding in lost if not finding.line or (finding.order, finding.line) in meant]
