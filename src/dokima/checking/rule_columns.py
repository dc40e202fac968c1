"""The columns that rules see: fields, tables, and the figures that one of them reads."""

from __future__ import annotations

from collections.abc import Sequence

from dokima.model.orders import Orders
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import figures_of
from dokima.rules.rule import Rule


def rule_context(
    program: Program, orders: Orders, run: Run, rules: Sequence[Rule], before: Before | None = None
) -> Context:
    """The columns that rules see: fields, tables, and figures if one of them reads a figure."""
    return with_figures(Context(program, orders, run, before=before), rules)


def with_figures(context: Context, rules: Sequence[Rule]) -> Context:
    """A context of fields and tables, with the figures that some rules read."""
    program = context.program
    wanted = figures_read(program, rules)
    if wanted:
        for name, column in figures_of(program, context.orders, context.run, wanted).items():
            context.put(name, column)
    return context


def figures_read(program: Program, rules: Sequence[Rule]) -> set[str]:
    """The figures that rules read, themselves, in their messages or through tables; all of them for rules in Python."""
    if any(rule.definition.python is not None for rule in rules):
        return set(program.figures)
    read = [program.read_by_rules[rule.key] for rule in rules]
    return set(program.figures.intersection(frozenset().union(*program.read_by_required.values(), *read)))
