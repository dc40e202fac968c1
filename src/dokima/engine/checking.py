"""Checking: asking the rules of a moment about many orders at once."""

from __future__ import annotations

from dokima.engine.preparing import prepare
from dokima.engine.pricing import missing_rows, price_orders
from dokima.engine.program import Program, Run
from dokima.engine.sheet import Sheet
from dokima.errors import NotFound, listed, nearest
from dokima.model.findings import Findings
from dokima.model.orders import Orders
from dokima.rules.rule import Rule
from dokima.rules.verdicts import asked_at, findings_of


def check_orders(program: Program, orders: Orders, at: str, run: Run, rule: str | None = None) -> Findings:
    """Ask the rules of a moment.

    Args:
        program: The rulebook.
        orders: The orders.
        at: The moment; ``save`` asks ``enter`` of every line first, ``approve`` asks ``save`` first.
        run: What the caller says about the run.
        rule: Ask only this rule, whatever its moments.

    Raises:
        NotFound: There is no such moment or rule.
    """
    asked = _asked(program, at, rule)
    orders = prepare(program, orders, run)
    sheet = Sheet(program, orders, run)
    if _reads_figures(program, [each for each, _ in asked]):
        calculation = price_orders(program, orders, run).calculation
        for name, column in calculation.figures.items():
            sheet.put(f"line.{name}", column)
        for name, column in calculation.order_figures.items():
            sheet.put(f"header.{name}", column)
    found = [finding for each, moment in asked for finding in findings_of(each, moment, sheet, orders)]
    return Findings.sorted([*found, *missing_rows(sheet)], lambda: orders.numbers)


def _asked(program: Program, at: str, rule: str | None) -> list[tuple[Rule, str]]:
    moments = program.definition.moments
    if at not in moments:
        raise NotFound(f"there is no moment '{at}'{nearest(at, moments)}; there are {listed(moments)}")
    if rule is None:
        return asked_at(program.rules, at)
    found = [each for each in program.rules if each.id == rule]
    if not found:
        raise NotFound(f"there is no rule '{rule}'{nearest(rule, [each.id for each in program.rules])}")
    return [(found[0], found[0].definition.at[0])]


def _reads_figures(program: Program, rules: list[Rule]) -> bool:
    figures = {name for routine in program.routines for name in routine.figures}
    for rule in rules:
        told = [name for formula in rule.message.formulas for name in formula.reads]
        for name in (*rule.reads, *told):
            table = program.tables.get(name.split(".")[0])
            if name in figures or (table is not None and table.reads & figures):
                return True
    return False
