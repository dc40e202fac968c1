"""Which orders of a pool come out otherwise when a rulebook is changed at one spot."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import replace

from dokima.columns.column import values_of
from dokima.compiling.program_builder import build_program
from dokima.errors import DokimaError
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import price_orders
from dokima.proving.mutants import EVERY, Mutant
from dokima.proving.reaching import rules_reached
from dokima.proving.running_cases import Batch
from dokima.proving.target import Target


def changed_program(program: Program, mutant: Mutant) -> Program | None:
    """A rulebook with the change of a mutant, its other tables as they are; None if it cannot be loaded so."""
    kept = {
        name: table for name, table in program.tables.items()
        if mutant.reach != EVERY and name not in mutant.tables and table.assemblies is None
        and not (mutant.tables and table.factors)
    }  # fmt: skip
    try:
        return build_program(mutant.make(), kept)
    except DokimaError:
        return None


def differing(program: Program, mutant: Mutant, batch: Batch) -> Set[int]:
    """The orders of a batch that come out otherwise with a mutant: in a figure, a finding, or a rule.

    All of them where they cannot be priced or asked at all with it.
    """
    changed = changed_program(program, mutant)
    if changed is None:
        return set()
    try:
        if mutant.reach.startswith("rule:"):
            return ruled_apart(batch, changed)
        priced = price_orders(changed, batch.orders, batch.run)
        apart = priced_apart(batch.pricing.calculation, priced.calculation)
        return apart | ruled_apart(batch, changed) if mutant.reach == EVERY else apart
    except Exception:
        return set(range(batch.orders.count))


def ruled_apart(batch: Batch, changed: Program) -> set[int]:
    """Orders about which a rule says something else."""
    before, after = _speaking(batch), _speaking(replace(batch, program=changed))
    nobody: set[int] = set()
    return set().union(*(before.get(each, nobody) ^ after.get(each, nobody) for each in before.keys() | after.keys()))


def _speaking(batch: Batch) -> dict[Target, set[int]]:
    """The orders that each rule refuses, and those that it cannot decide."""
    said = ("fired", "undecided")
    return {each: set(orders.tolist()) for each, orders in rules_reached(batch) if each.what in said}


def priced_apart(one: Calculation, two: Calculation) -> set[int]:
    """Orders with another figure, total or finding."""
    found: set[int] = set()
    order_of = one.orders.order_of
    for name in one.figures.keys() & two.figures.keys():
        found |= {int(order_of[at]) for at in _unlike(values_of(one.figures[name]), values_of(two.figures[name]))}
    for name in one.totals.keys() & two.totals.keys():
        found |= set(_unlike(values_of(one.totals[name]), values_of(two.totals[name])))
    places = {number: at for at, number in enumerate(one.orders.numbers)}
    said = [{(each.order, each.rule, each.line) for each in side.findings} for side in (one, two)]
    return found | {places[order] for order, _, _ in said[0] ^ said[1]}


def _unlike(one: list[object], two: list[object]) -> list[int]:
    return [at for at, (mine, theirs) in enumerate(zip(one, two, strict=True)) if mine != theirs]
