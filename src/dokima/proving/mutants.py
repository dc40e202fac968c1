"""Mutants: a rulebook changed at one spot, as a slip of the pen would change it."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from functools import partial
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.compiling.places import FormulaPlace, formula_places
from dokima.exact import decimals
from dokima.formulas.rewriting import Rewritten, next_number, parts_as_written, rewritings, with_part
from dokima.formulas.tree import LITERAL
from dokima.model.content import digest_of
from dokima.model.raw import RawColumn
from dokima.model.said import Said
from dokima.model.validity import Validity
from dokima.pricing.program import Program, ProgramDefinition
from dokima.pricing.steps.definition import RESERVED, RoutineDefinition, StepDefinition
from dokima.tables.candidates import row_terms
from dokima.tables.table import Table

ROUNDING: Mapping[str, str] = {
    "half-up": "down", "half-even": "half-up", "half-down": "half-up", "up": "down", "down": "up",
    "ceiling": "floor", "floor": "ceiling",
}  # fmt: skip
"""For each rounding mode the one it is replaced with."""
MOMENTS: Mapping[str, str] = {
    "edit": "enter", "enter": "save", "save": "approve", "approve": "save", "remove": "save", "close": "save",
    "cancel": "save",
}  # fmt: skip
"""For each moment another one at which a rule might have been asked by mistake."""
SEVERITIES: Mapping[str, Any] = {"error": "warning", "warning": "notice", "notice": "warning"}
CATEGORIES = ("S", "E")
"""Tax categories that stand in for others (UN/ECE 5305)."""

EVERY = "every"
"""What a mutant reaches that may touch any case."""


@dataclass(frozen=True)
class Mutant:
    """A rulebook changed at one spot.

    Attributes:
        id: Stable: the path, the operator, and a digest of what stood there.
        path: What was changed.
        operator: How.
        words: What would be different, in words.
        reach: What a case must reach to notice: ``rule:x``, ``routine:x``, ``table:x``.
        tables: Tables that are built anew.
        make: Makes the changed definition.
        row: Of a table's row its number in the file; None for all else.
        at: Of a table's row its position in the table; None for all else.
        terms: Of a table's row what it is for, in words; blank for all else.
    """

    id: str
    path: str
    operator: str
    words: Said
    reach: str
    make: Callable[[], ProgramDefinition]
    tables: frozenset[str] = frozenset()
    row: int | None = None
    at: int | None = None
    terms: str = ""

    @property
    def table(self) -> str:
        """Of a table's row the table, blank for all else."""
        return "" if self.row is None else next(iter(self.tables))


def mutants_of(program: Program) -> Iterator[Mutant]:
    """Every mutant of a rulebook, always in the same sequence. Rules in Python and labels are not mutated."""
    yield from _of_values(program)
    yield from _of_formulas(program)
    yield from _of_rules(program)
    yield from _of_routines(program)
    for table in program.tables.values():
        if table.assemblies is None:
            yield from _of_rows(program, table, f"table:{table.name}")


def _mutant(
    path: str, operator: str, original: str, words: Said, reach: str, make: Callable[[], ProgramDefinition], **more: Any
) -> Mutant:
    digest = digest_of(original)[:8]
    return Mutant(f"{path}:{operator}:{digest}", path, operator, words, reach, make, **more)


def _other_days(valid: Validity | None) -> Iterator[tuple[str, str, str, Validity]]:
    """Days of validity moved by one: which end, the day it was, the day it is, and what then counts."""
    if valid is None:
        return
    one = datetime.timedelta(days=1)
    if valid.start is not None:
        earlier = valid.start - one
        yield "from", str(valid.start), str(earlier), replace(valid, start=earlier)
    if valid.until is not None:
        later = valid.until + one
        yield "until", str(valid.until), str(later), replace(valid, until=later)


# -- formulas ---------------------------------------------------------------------------------------------------------


def _of_formulas(program: Program) -> Iterator[Mutant]:
    """Every formula that a rulebook says itself, changed at one spot."""
    for place in [each for each in formula_places(program) if each.way]:
        tables = frozenset([place.table]) if place.table else frozenset[str]()
        reach = next((f"{kind}:{name}" for kind, name in _whose(place) if name), EVERY)
        for each in (*rewritings(place.formula), *_exchanged(program, place)):
            make = partial(place.put, program.definition, each.text)
            words, text = _words(each, place.formula.written.strip()), f"{each.operator} {each.text}"
            yield _mutant(place.path, each.operator, text, words, reach, make, tables=tables)


def _exchanged(program: Program, place: FormulaPlace) -> Iterator[Rewritten]:
    """A formula with another tax category, or a condition with the figure beside the one that it reads."""
    amounts = list(dict.fromkeys(name for routine in program.routines for name in routine.amounts))
    own = [name for name in amounts if name not in RESERVED]  # of two that are always there one is mostly the other
    for node in parts_as_written(place.formula):
        head, _, name = node.name.partition(".")
        if place.path.endswith(".category") and node.role == LITERAL and node.kind == "text" and node.value is not None:
            old = value_at(node.value, 0)
            new = repr(next(each for each in CATEGORIES if each != old))
            yield Rewritten("category", repr(old), new, with_part(place.formula, node, new))
        elif place.formula.kind == "flag" and head in ("header", "line") and name in amounts and set(own) - {name}:
            new = f"{head}.{own[(own.index(name) + 1) % len(own)] if name in own else own[0]}"
            yield Rewritten("figure", node.name, new, with_part(place.formula, node, new))


def _whose(place: FormulaPlace) -> Sequence[tuple[str, str]]:
    return (("rule", place.rule), ("routine", place.routine), ("table", place.table))


def _words(change: Rewritten, formula: str) -> Said:
    if not change.new:
        return Said("the `{old}` in `{formula}` were left out", old=change.old, formula=formula)
    return Said("`{old}` in `{formula}` were `{new}`", old=change.old, formula=formula, new=change.new)


def _of_values(program: Program) -> Iterator[Mutant]:
    """Named values that are numbers, each a unit of its last place higher."""
    definition = program.definition
    for name, column in definition.values.items():
        value = value_at(column, 0)
        if not isinstance(value, Decimal):
            continue
        new = next_number(value)
        changed = {**definition.values, name: decimals([new])}
        yield _mutant(
            f"value.{name}", "number", str(value), Said("{name} were {new}, not {old}", name=name, new=new, old=value),
            EVERY, lambda changed=changed: replace(definition, values=changed),  # type: ignore[misc]
        )  # fmt: skip


# -- rules ------------------------------------------------------------------------------------------------------------


def _of_rules(program: Program) -> Iterator[Mutant]:
    definition = program.definition
    for at, rule in enumerate(definition.rules):
        if rule.built_in or rule.python is not None:
            continue
        path, reach = f"rule.{rule.key}", f"rule:{rule.key}"

        def with_rule(place: int, **changes: Any) -> Callable[[], ProgramDefinition]:
            rules = list(definition.rules)
            rules[place] = replace(rules[place], **changes)
            return lambda: replace(definition, rules=rules)

        others = [each for place, each in enumerate(definition.rules) if place != at]
        yield _mutant(
            path, "dropped", rule.key, Said("rule {rule} were not there", rule=rule.key), reach,
            lambda others=others: replace(definition, rules=others),  # type: ignore[misc]
        )  # fmt: skip
        if rule.when is not None:
            words = Said("rule {rule} applied always", rule=rule.key)
            yield _mutant(f"{path}.when", "always", str(rule.when), words, reach, with_rule(at, when=None))
        for key, old, new, valid in _other_days(rule.valid):
            words = Said("rule {rule} counted from or until {new}, not {old}", rule=rule.key, new=new, old=old)
            yield _mutant(f"{path}.valid.{key}", "day", old, words, reach, with_rule(at, valid=valid))
        moments = tuple(MOMENTS.get(each, each) for each in rule.at)
        words = Said(
            "rule {rule} were asked at {new}, not at {old}",
            rule=rule.key,
            new=", ".join(moments),
            old=", ".join(rule.at),
        )
        yield _mutant(f"{path}.at", "moment", " ".join(rule.at), words, reach, with_rule(at, at=moments))
        milder = SEVERITIES[rule.severity]
        words = Said("rule {rule} gave {new}, not {old}", rule=rule.key, new=milder, old=rule.severity)
        make = with_rule(at, severity=milder, acknowledge=False)
        yield _mutant(f"{path}.severity", "severity", rule.severity, words, reach, make)
        if rule.acknowledge:
            words = Said("rule {rule} had not to be accepted by anybody", rule=rule.key)
            yield _mutant(f"{path}.acknowledge", "dropped", rule.key, words, reach, with_rule(at, acknowledge=False))
        if rule.message:
            words = Said("rule {rule} said nothing of its own", rule=rule.key)
            yield _mutant(f"{path}.message", "dropped", rule.message, words, reach, with_rule(at, message=""))


# -- routines ---------------------------------------------------------------------------------------------------------


def _of_routines(program: Program) -> Iterator[Mutant]:
    for routine in program.definition.routines:
        reach = f"routine:{routine.name}"
        path = f"routine.{routine.name}"
        other = ROUNDING[routine.rounding]
        words = Said(
            "routine {routine} rounded {new}, not {old}", routine=routine.name, new=other, old=routine.rounding
        )
        yield _mutant(
            f"{path}.rounding",
            "rounding",
            routine.rounding,
            words,
            reach,
            _with_routine(program, routine, rounding=other),
        )
        for at, step in enumerate(routine.steps):
            yield from _of_step(program, routine, at, step, reach)


def _of_step(
    program: Program, routine: RoutineDefinition, at: int, step: StepDefinition, reach: str
) -> Iterator[Mutant]:
    path = f"routine.{routine.name}.step.{step.name}"
    for place, option in enumerate(step.options):
        if place:
            options = [*step.options]
            options[place - 1], options[place] = options[place], options[place - 1]
            words = Said("`{one}` came before `{other}`", one=option.value, other=step.options[place - 1].value)
            make = _with_step(program, routine, at, options=options)
            yield _mutant(f"{path}.options.{place}", "order", f"{place}", words, reach, make)
    if step.when is not None:
        make = _with_step(program, routine, at, when=None)
        yield _mutant(
            f"{path}.when", "always", str(step.when), Said("step {step} applied always", step=step.name), reach, make
        )
    for key, old, new, valid in _other_days(step.valid):
        words = Said("step {step} counted from or until {new}, not {old}", step=step.name, new=new, old=old)
        make = _with_step(program, routine, at, valid=valid)
        yield _mutant(f"{path}.valid.{key}", "day", old, words, reach, make)
    for key in ("cap", "keep_above"):
        if getattr(step, key) is not None:
            make = _with_step(program, routine, at, **{key: None})
            yield _mutant(
                f"{path}.{key}",
                "dropped",
                str(getattr(step, key)),
                Said("step {step} had no {key}", step=step.name, key=key),
                reach,
                make,
            )
    if step.rounding is not None:
        other = ROUNDING[step.rounding]
        make = _with_step(program, routine, at, rounding=other)
        yield _mutant(
            f"{path}.rounding",
            "rounding",
            step.rounding,
            Said("step {step} rounded {new}, not {old}", step=step.name, new=other, old=step.rounding),
            reach,
            make,
        )
    if step.kind in ("discount", "charge"):
        make = _with_step(
            program, routine, at, kind="charge" if step.kind == "discount" else "discount", cap=None, keep_above=None
        )
        yield _mutant(
            f"{path}.kind", "sign", step.kind, Said("step {step} had the other sign", step=step.name), reach, make
        )


def _with_routine(program: Program, routine: RoutineDefinition, **changes: Any) -> Callable[[], ProgramDefinition]:
    definition = program.definition
    return lambda: replace(
        definition,
        routines=[replace(each, **changes) if each is routine else each for each in definition.routines],
    )


def _with_step(
    program: Program, routine: RoutineDefinition, at: int, **changes: Any
) -> Callable[[], ProgramDefinition]:
    steps = [replace(step, **changes) if place == at else step for place, step in enumerate(routine.steps)]
    return _with_routine(program, routine, steps=steps)


# -- rows of tables ------------------------------------------------------------------------------------------------


def _of_rows(program: Program, table: Table, reach: str) -> Iterator[Mutant]:
    """Each row with one number a unit of its last place higher, or one end of its window a day narrower."""
    breaks = {each.column for each in table.breaks}
    window = set(table.window.names) - {""} if table.window is not None else set()
    asked = set(table.conditions)
    for row in range(table.size):
        number = table.source.row_number(row)
        told = str(row_terms(table, row))
        # Named by what stands in it: a new row above changes no id.
        terms = " ".join(str(value_at(values, row)) for values in table.columns.values())
        for column in table.columns:
            value = value_at(table.columns[column], row)
            new: Any
            is_there = _heading(table, column) in table.source.columns
            if column in asked or value is None or isinstance(value, bool | str) or not is_there:
                continue
            if isinstance(value, datetime.date):
                if column not in window:
                    continue
                first = table.window is not None and column == table.window.names[0]
                new = value + datetime.timedelta(days=1 if first else -1)
                operator = "window"
            else:
                value = _as_written(table, column, row, Decimal(value))
                new, operator = next_number(value), "break" if column in breaks else "value"
            words = Said(
                "{column} of row {row} of {table} were {new}, not {old}",
                column=column.replace("_", " "), row=number, table=table.name, new=new, old=value,
            )  # fmt: skip
            make = _with_cell(program, table, column, row, new)
            more = {"tables": frozenset([table.name]), "row": number, "at": row, "terms": told}
            yield _mutant(f"table.{table.name}.{column}", operator, f"{terms} {value}", words, reach, make, **more)
            if operator == "value" and value:
                tenfold = value * 10
                facts = {**words.facts, "new": tenfold}
                yield _mutant(
                    f"table.{table.name}.{column}", "tenfold", f"{terms} {value}", Said(words.template, **facts), reach,
                    _with_cell(program, table, column, row, tenfold), **more,
                )  # fmt: skip


def _as_written(table: Table, column: str, row: int, value: Decimal) -> Decimal:
    """A number with the places it was written with: 44.20, where its column keeps 44.2."""
    source = table.source.columns[_heading(table, column)]
    place = source.place(row)
    try:
        written = Decimal(str(source.values[place])) if place >= 0 else value
    except InvalidOperation:
        return value
    return written if written == value else value


def _heading(table: Table, column: str) -> str:
    spec = table.definition.columns.get(column)
    return spec.heading if spec is not None and spec.heading else column


def _with_cell(program: Program, table: Table, column: str, row: int, new: Any) -> Callable[[], ProgramDefinition]:
    definition = program.definition

    def make() -> ProgramDefinition:
        source = definition.sources[table.name]
        heading = _heading(table, column)
        old = source.columns[heading]
        values = [old.values[place] if place >= 0 else None for place in old.places()]
        values[row] = new if not isinstance(new, Decimal) else format(new, "f")
        columns = {**source.columns, heading: _raw(values)}
        return replace(definition, sources={**definition.sources, table.name: replace(source, columns=columns)})

    return make


def _raw(values: Sequence[Any]) -> RawColumn:
    kept = [value for value in values if value is not None]
    codes = np.full(len(values), -1, np.int64)
    codes[[at for at, value in enumerate(values) if value is not None]] = np.arange(len(kept))
    return RawColumn(kept, codes)
