"""Every place of a rulebook where a formula stands: its path, the formula, and the rulebook with another one there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dokima.formulas import Formula
from dokima.pricing.program import Program, ProgramDefinition
from dokima.pricing.steps.routine import Routine
from dokima.rules.rule import Rule
from dokima.tables.table import Table

Way = tuple[str | int, ...]
"""Fields, keys and places that lead from the definition of a rulebook to one of its settings."""


@dataclass(frozen=True)
class FormulaPlace:
    """A place where a formula stands.

    Attributes:
        path: The path of its setting.
        formula: The formula.
        way: How the definition leads to it; empty where it is a part of a text, as within a message.
        rule: The rule that it is in, blank for none.
        routine: The routine that it is in, blank for none.
        table: The table that it is in, blank for none.
    """

    path: str
    formula: Formula
    way: Way = ()
    rule: str = ""
    routine: str = ""
    table: str = ""

    def given(self, definition: ProgramDefinition) -> Any:
        """What stands there in a definition: a text, a number, a flag; None without a way."""
        part: Any = definition if self.way else None
        for each in self.way:
            part = part[each] if isinstance(each, int) or isinstance(part, Mapping) else getattr(part, each)
        return part

    def put(self, definition: ProgramDefinition, new: Any) -> ProgramDefinition:
        """A definition with another formula there."""
        changed: ProgramDefinition = _changed(definition, self.way, new)
        return changed


def _changed(part: Any, way: Sequence[str | int], new: Any) -> Any:
    """A part of a definition with another value at the end of a way."""
    if not way:
        return new
    first, *others = way
    if isinstance(part, Mapping):
        return {**part, first: _changed(part[str(first)], others, new)}
    if isinstance(first, int):
        return [*part[:first], _changed(part[first], others, new), *part[first + 1 :]]
    return replace(part, **{first: _changed(getattr(part, first), others, new)})


def formula_places(program: Program) -> Iterator[FormulaPlace]:
    """Every place of a rulebook where a formula stands, in the sequence of its parts."""
    for name, formula in program.named.items():
        yield FormulaPlace(f"formula.{name}", formula, ("formulas", name))
    for level, name, formula in program.defaults:
        computed = (level, name) in program.fields.computed
        key = "value" if computed else "default"
        yield FormulaPlace(f"{level}.{name}.{key}", formula, ("fields", level, name, key))
    numbers = {each.name: at for at, each in enumerate(program.definition.tables)}
    for table in program.tables.values():
        yield from _of_table(table, ("tables", numbers[table.name]))
    places = {rule.key: at for at, rule in enumerate(program.definition.rules)}
    for rule in program.rules:
        yield from _of_rule(rule, ("rules", places[rule.key]))
    for at, routine in enumerate(program.routines):
        yield from _of_routine(routine, ("routines", at))
    if program.reporting_rate is not None:
        yield FormulaPlace("rulebook.reporting.rate", program.reporting_rate, ("reporting", "rate"))


def _of_table(table: Table, way: Way) -> Iterator[FormulaPlace]:
    asked = "key" if table.definition.is_key else "match"
    found: list[tuple[Way, Formula | None]] = [((asked, name), each) for name, each in table.conditions.items()]
    if table.window is not None:
        found.append((("window", "on"), table.window.on))
    found += [(("breaks", each.column), each.value) for each in table.breaks]
    found += [(("convert", column), formula) for column, formula in table.factors.items()]
    found.append((("required",), table.required))
    for rest, formula in found:
        if formula is not None:
            path = ".".join(["table", table.name, *map(str, rest)])
            yield FormulaPlace(path, formula, (*way, *rest), table=table.name)


def _of_rule(rule: Rule, way: Way) -> Iterator[FormulaPlace]:
    for key, formula in (("when", rule.when), ("require", rule.require)):
        if formula is not None:
            own = () if rule.definition.built_in else (*way, key)
            yield FormulaPlace(f"rule.{rule.key}.{key}", formula, own, rule=rule.key)
    for part in rule.message.parts:
        yield FormulaPlace(f"rule.{rule.key}.message", part.formula, rule=rule.key)


def _of_routine(routine: Routine, way: Way) -> Iterator[FormulaPlace]:
    whole: list[tuple[str, Formula | None, Way]] = [
        ("when", routine.when, ("when",)),
        ("prices_include_tax", routine.includes_tax, ("prices_include_tax",)),
    ]
    for at, step in enumerate(routine.steps):
        own = step.definition.own
        for key, formula in step.parts.items():
            if key == "valid":
                continue  # days, and no formula that somebody wrote
            rest: Way = ("own", key) if key in own else tuple(key.split("."))
            whole.append((f"step.{step.name}.{key}", formula, ("steps", at, *rest)))
        for number, option in enumerate(step.options):
            for key, formula in option.formulas():
                path = f"step.{step.name}.options.{number}.{key}"
                whole.append((path, formula, ("steps", at, "options", number, key)))
    for number, each in enumerate(routine.instalments):
        for key, part in (("share", each.share), ("due", each.due)):
            whole.append((f"instalments.{number}.{key}", part, ("instalments", number, key)))
        for key, part in () if each.early is None else (("percent", each.early.percent), ("by", each.early.by)):
            whole.append((f"instalments.{number}.early.{key}", part, ("instalments", number, "early", key)))
    for path, found, rest in whole:
        if found is not None:
            yield FormulaPlace(f"routine.{routine.name}.{path}", found, (*way, *rest), routine=routine.name)
