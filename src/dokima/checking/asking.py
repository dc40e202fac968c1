"""Checking: asking the rules of a moment about many orders at once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from dokima.checking.pending import pending_findings
from dokima.checking.rule_columns import figures_read, rule_context, with_figures
from dokima.errors import NotFound, listed, nearest
from dokima.exact.integers import Mask
from dokima.model.finding import Finding, RuleSummary
from dokima.model.finding_columns import FEW, Found
from dokima.model.findings import Findings
from dokima.model.orders import Orders, texts
from dokima.pricing.defaults.preparing import prepare, prepared_context
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import failed_defaults
from dokima.pricing.running.required import missing_rows
from dokima.pricing.running.threads import PIECE, on_threads
from dokima.rules.rule import Rule
from dokima.rules.verdicts import Asking, RuleAnswer

ASKS_FOR_ROWS = ("enter", "save", "approve")
"""Moments at which required tables are asked, beside pricing."""

ASKS_FOR_PENDING = ("save", "approve")
"""Moments that warnings of earlier edits stop until they are accepted."""

Clock = Callable[[], float]
"""Gives seconds; the core has no clock of its own."""


def check_orders(
    program: Program,
    orders: Orders,
    at: str,
    run: Run,
    rule: str | None = None,
    clock: Clock | None = None,
    was: Orders | None = None,
    workers: int = 1,
    context: Context | None = None,
) -> Findings:
    """Ask the rules of a moment, of many orders piece by piece.

    Args:
        program: The rulebook.
        orders: The orders.
        at: The moment; ``save`` asks ``enter`` of every line first, ``approve`` asks ``save`` first.
        run: What the caller says about the run.
        rule: Ask only this rule, whatever its moments.
        clock: Measures how long each rule takes.
        was: The same orders as they were before an edit; None for no such state.
        workers: Threads that share the pieces; the findings are the same for any number.
        context: The context in which all these orders will be priced, so that no table is searched twice.

    Raises:
        NotFound: There is no such moment or rule.
    """
    asked = rules_asked(program, at, rule)
    pieces = list(orders.pieces(PIECE))
    few = FEW if len(pieces) <= 1 else 0
    rules = [each for each, _ in asked]
    # Figures that rules read stand in a context of their own: in this one the steps are still to leave them.
    shared = context if was is None and len(pieces) <= 1 and not figures_read(program, rules) else None

    def ask(piece: tuple[int, int]) -> Findings:
        part, before = orders.part(*piece), None if was is None else was.part(*piece)
        columns = _columns(program, part, run, rules, before) if shared is None else shared
        found, summary = _asked(columns, asked, clock, few)
        if rule is None:
            found += _beside_rules(columns, at, few)
        findings = Findings.sorted(found, lambda: texts(columns.orders.header("number")))
        return Findings(findings.items, summary)

    return Findings.one_after_another(on_threads(ask, pieces or [(0, 0)], workers))


def _asked(
    context: Context, asked: Iterable[tuple[Rule, str]], clock: Clock | None, few: int
) -> tuple[list[Found], tuple[RuleSummary, ...]]:
    """What each rule finds, and how many it was asked about."""
    found: list[Found] = []
    summary: list[RuleSummary] = []
    for each, moment in asked:
        start = clock() if clock else 0.0
        asking = Asking.of(each, moment, context, context.orders)
        found += asking.found(few)
        counts = asking.verdicts.counts
        summary.append(RuleSummary(each.key, *counts, clock() - start if clock else None))
    return found, tuple(summary)


def _beside_rules(context: Context, at: str, few: int) -> list[Found]:
    """What stops orders at a moment beside the rules."""
    found: list[Found] = [*failed_defaults(context.program, context.orders)]
    if at in ASKS_FOR_ROWS:
        found += missing_rows(context, blank_keys=at != "enter", few=few)
    if at in ASKS_FOR_PENDING:
        found += pending_findings(context.program, context.orders, context.run)
    return found


def answers(
    program: Program, orders: Orders, at: str, run: Run, rule: str | None = None, was: Orders | None = None
) -> Iterable[RuleAnswer]:
    """For every rule and every order or line: whether it spoke, passed, did not apply or was undecided.

    Rules of other moments are named once, with the moments they speak at. Arguments are those of `check_orders`.
    """
    asked = rules_asked(program, at, rule)
    context = _columns(program, orders, run, [each for each, _ in asked], was)
    for each, moment in asked:
        yield from Asking.of(each, moment, context, context.orders).answers()
    known = {each.key for each, _ in asked}
    for other in program.rules if rule is None else ():
        if other.key not in known:
            moments = ", ".join(other.definition.at)
            reason = f"it speaks at {listed(other.definition.at)}, not at {at}"
            yield RuleAnswer(other.key, moments, "", "", "does not apply", {}, reason=reason)


def _columns(program: Program, orders: Orders, run: Run, rules: Sequence[Rule], was: Orders | None) -> Context:
    if was is None:
        return with_figures(prepared_context(program, orders, run), rules)  # no table is asked twice
    before = Before(prepare(program, was, run), np.arange(orders.count), np.arange(orders.line_count))
    return rule_context(program, prepare(program, orders, run), run, rules, before)


def ask_rules(context: Context, asked: Iterable[tuple[Rule, str]], only: Mask | None = None) -> list[Finding]:
    """The findings of some rules, limited to some lines; a header rule is always asked."""
    return [
        finding
        for rule, moment in asked
        for finding in Asking.of(rule, moment, context, context.orders, only).findings()
    ]


def rules_asked(program: Program, at: str, rule: str | None = None) -> Sequence[tuple[Rule, str]]:
    """The rules asked at a moment, or the one named.

    Raises:
        NotFound: There is no such moment or rule.
    """
    moments = program.definition.moments
    if at not in moments:
        raise NotFound(f"there is no moment '{at}'{nearest(at, moments)}; there are {listed(moments)}")
    if rule is None:
        return program.rules_at[at]
    found = [each for each in program.rules if rule in (each.id, each.key)]
    if not found:
        raise NotFound(f"there is no rule '{rule}'{nearest(rule, [each.id for each in program.rules])}")
    return [(each, each.definition.at[0]) for each in found]
