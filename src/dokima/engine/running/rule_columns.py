"""The columns that rules see: fields, tables, and the figures that one of them reads."""

from __future__ import annotations

from collections.abc import Sequence

from dokima.engine.program import Program, Run
from dokima.engine.running.context import Before, Context
from dokima.engine.running.pricing import figures_of
from dokima.engine.running.required import figures_of_required
from dokima.model.orders import Orders
from dokima.rules.rule import Rule
from dokima.tables.table import names_behind


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
    figures = {name for routine in program.routines for name in routine.figures}
    if any(rule.definition.python is not None for rule in rules):
        return figures
    read = figures_of_required(program).union(*(names_of(program, rule) for rule in rules))
    return {name for name in read if name in figures}


def names_of(program: Program, rule: Rule) -> set[str]:
    """The names a rule and its message read, and those that the tables they ask read in turn."""
    return names_behind([*rule.reads, *rule.message.reads], program.tables)
