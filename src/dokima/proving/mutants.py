"""Mutants: a rulebook changed at one spot, as a slip of the pen would change it."""

from __future__ import annotations

import ast
import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from decimal import Decimal, InvalidOperation
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.exact import decimals
from dokima.model.content import digest_of
from dokima.model.raw import RawColumn
from dokima.model.said import Said
from dokima.pricing.program import Program, ProgramDefinition
from dokima.pricing.steps.definition import OptionDefinition, RoutineDefinition, StepDefinition
from dokima.tables.candidates import row_terms
from dokima.tables.definition import TableDefinition
from dokima.tables.table import Table

ROUNDING: Mapping[str, str] = {
    "half-up": "down", "half-even": "half-up", "half-down": "half-up", "up": "down", "down": "up",
    "ceiling": "floor", "floor": "ceiling",
}  # fmt: skip
"""For each rounding mode the one it is replaced with."""
COMPARISONS: Mapping[type[ast.cmpop], tuple[str, str]] = {
    ast.Lt: ("<", "<="), ast.LtE: ("<=", "<"), ast.Gt: (">", ">="), ast.GtE: (">=", ">"),
    ast.Eq: ("==", "!="), ast.NotEq: ("!=", "=="),
}  # fmt: skip
ARITHMETIC: Mapping[type[ast.operator], tuple[str, str]] = {
    ast.Add: ("+", "-"), ast.Sub: ("-", "+"), ast.Mult: ("*", "/"), ast.Div: ("/", "*"),
}  # fmt: skip
SWAPPED: Mapping[str, str] = {
    "min": "max",
    "max": "min",
    "any": "all",
    "all": "any",
    "lowest": "highest",
    "highest": "lowest",
}

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
    terms: str = ""

    @property
    def table(self) -> str:
        """Of a table's row the table, blank for all else."""
        return "" if self.row is None else next(iter(self.tables))


def mutants_of(program: Program) -> Iterator[Mutant]:
    """Every mutant of a rulebook, always in the same sequence. Rules in Python and labels are not mutated."""
    yield from _of_values(program)
    yield from _of_rules(program)
    yield from _of_routines(program)
    yield from _of_fields(program)
    yield from _of_tables(program)


def _mutant(
    path: str, operator: str, original: str, words: Said, reach: str, make: Callable[[], ProgramDefinition], **more: Any
) -> Mutant:
    digest = digest_of(original)[:8]
    return Mutant(f"{path}:{operator}:{digest}", path, operator, words, reach, make, **more)


# -- formulas ---------------------------------------------------------------------------------------------------------


def changed_formulas(source: str) -> Iterator[tuple[str, Said, str]]:
    """A formula changed at one spot: operator, what is changed in words, and the new text."""
    try:
        tree = ast.parse(source.strip(), mode="eval")
    except (SyntaxError, ValueError):
        return
    text = source.strip()
    for node in ast.walk(tree):
        for operator, words, start, stop, new in _spots(node, text):
            yield operator, words, text[:start] + new + text[stop:]


def _spots(node: ast.AST, text: str) -> Iterator[tuple[str, Said, int, int, str]]:
    """Where a part of a formula can be changed: operator, words, first and last character, what stands there then."""
    if isinstance(node, ast.Compare):
        left = node.left
        for kind, right in zip(node.ops, node.comparators, strict=True):
            swap = COMPARISONS.get(type(kind))
            if swap is not None:
                at = _between(text, left, right, swap[0])
                yield "comparison", _were(swap[0], text, swap[1]), at, at + len(swap[0]), swap[1]
            left = right
    elif isinstance(node, ast.BinOp) and type(node.op) in ARITHMETIC:
        old, new = ARITHMETIC[type(node.op)]
        at = _between(text, node.left, node.right, old)
        yield "arithmetic", _were(old, text, new), at, at + len(old), new
    elif isinstance(node, ast.BoolOp):
        old, new = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
        for left, right in zip(node.values, node.values[1:], strict=False):
            at = _between(text, left, right, old)
            yield "logic", _were(old, text, new), at, at + len(old), new
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield (
            "negation",
            Said("the `not` in `{formula}` were left out", formula=text),
            node.col_offset,
            _start(node.operand, text),
            "",
        )
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in SWAPPED:
        old, new = node.func.id, SWAPPED[node.func.id]
        yield "function", _were(old, text, new), node.col_offset, node.col_offset + len(old), new
    elif isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        written = text[node.col_offset : node.end_col_offset]
        new = str(_next(Decimal(written)))
        yield "number", _were(written, text, new), node.col_offset, node.end_col_offset or 0, new


def _were(old: str, formula: str, new: str) -> Said:
    return Said("`{old}` in `{formula}` were `{new}`", old=old, formula=formula, new=new)


def _start(node: ast.AST, text: str) -> int:
    """Where a part begins, an opening bracket before it included."""
    at = getattr(node, "col_offset", 0)
    while at > 0 and text[at - 1] == "(" and text[:at].rstrip("( ").endswith("not"):
        at -= 1
    return int(at)


def _between(text: str, left: ast.AST, right: ast.AST, sign: str) -> int:
    """Where an operator stands between two parts."""
    start, stop = getattr(left, "end_col_offset", 0), getattr(right, "col_offset", 0)
    return int(text.index(sign, start, stop + len(sign)))


def _next(value: Decimal) -> Decimal:
    """A number one unit of its last place higher."""
    exponent = value.as_tuple().exponent
    return value + Decimal(1).scaleb(int(exponent))


def _formula(value: Any) -> str | None:
    """The text of a formula; numbers and flags of TOML are formulas too."""
    if value is None or isinstance(value, bool):
        return None
    return value if isinstance(value, str) else str(value)


def _of_values(program: Program) -> Iterator[Mutant]:
    """Named values that are numbers, each a unit of its last place higher."""
    definition = program.definition
    for name, column in definition.values.items():
        value = value_at(column, 0)
        if not isinstance(value, Decimal):
            continue
        new = _next(value)
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
        path, reach = f"rule.{rule.id}", f"rule:{rule.id}"

        def with_rule(at: int, **changes: Any) -> Callable[[], ProgramDefinition]:
            rules = list(definition.rules)
            return lambda: replace(definition, rules=[*rules[:at], replace(rules[at], **changes), *rules[at + 1 :]])

        others = [each for place, each in enumerate(definition.rules) if place != at]
        yield _mutant(
            path, "dropped", rule.id, Said("rule {rule} were not there", rule=rule.id), reach,
            lambda others=others: replace(definition, rules=others),  # type: ignore[misc]
        )  # fmt: skip
        if rule.when is not None:
            words = Said("rule {rule} applied always", rule=rule.id)
            yield _mutant(f"{path}.when", "always", str(rule.when), words, reach, with_rule(at, when=None))
        for key in ("when", "require"):
            source = _formula(getattr(rule, key))
            for operator, words, new in changed_formulas(source or ""):
                spot = f"{operator} {new}"
                yield _mutant(
                    f"{path}.{key}",
                    operator,
                    spot,
                    words,
                    reach,
                    with_rule(at, **{key: new}),
                )


# -- routines ---------------------------------------------------------------------------------------------------------


def _of_routines(program: Program) -> Iterator[Mutant]:
    for routine in program.definition.routines:
        reach = f"routine:{routine.name}"
        path = f"routine.{routine.name}"
        for operator, words, new in changed_formulas(_formula(routine.when) or ""):
            make = _with_routine(program, routine, when=new)
            yield _mutant(f"{path}.when", operator, f"{operator} {new}", words, reach, make)
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
        for key in [each.name for each in fields(OptionDefinition)]:
            for operator, words, new in changed_formulas(_formula(getattr(option, key)) or ""):
                options = [*step.options]
                options[place] = replace(option, **{key: new})
                make = _with_step(program, routine, at, options=options)
                yield _mutant(f"{path}.options.{place}.{key}", operator, f"{operator} {new}", words, reach, make)
        if place:
            options = [*step.options]
            options[place - 1], options[place] = options[place], options[place - 1]
            words = Said("`{one}` came before `{other}`", one=option.value, other=step.options[place - 1].value)
            make = _with_step(program, routine, at, options=options)
            yield _mutant(f"{path}.options.{place}", "order", f"{place}", words, reach, make)
    for key in ("percent", "amount", "per_unit", "value", "when", "cap", "keep_above", "where", "share"):
        source = _formula(getattr(step, key))
        for operator, words, new in changed_formulas(source or ""):
            make = _with_step(program, routine, at, **{key: new})
            yield _mutant(f"{path}.{key}", operator, f"{operator} {new}", words, reach, make)
    if step.when is not None:
        make = _with_step(program, routine, at, when=None)
        yield _mutant(
            f"{path}.when", "always", str(step.when), Said("step {step} applied always", step=step.name), reach, make
        )
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


# -- fields and tables ------------------------------------------------------------------------------------------------


def _of_fields(program: Program) -> Iterator[Mutant]:
    """Defaults that are formulas."""
    definition = program.definition
    for level in ("header", "line"):
        known = getattr(definition.fields, level)
        for name, spec in known.items():
            source = _formula(spec.default)
            for operator, words, new in changed_formulas(source or ""):

                def make(level: str = level, name: str = name, spec: Any = spec, new: str = new) -> ProgramDefinition:
                    changed = {**getattr(definition.fields, level), name: replace(spec, default=new)}
                    return replace(definition, fields=replace(definition.fields, **{level: changed}))

                path = f"{level}.{name}.default"
                yield _mutant(path, operator, f"{operator} {new}", words, EVERY, make)


def _of_tables(program: Program) -> Iterator[Mutant]:
    for table in program.tables.values():
        spec = table.definition
        reach = f"table:{table.name}"
        for key, asked in (("key", spec.key), ("match", spec.match), ("breaks", spec.breaks)):
            for column, source in (asked or {}).items():
                for operator, words, new in changed_formulas(_formula(source) or ""):
                    make = _with_table(program, spec, **{key: {**(asked or {}), column: new}})
                    yield _mutant(
                        f"table.{table.name}.{key}.{column}", operator, f"{operator} {new}", words, reach, make,
                        tables=frozenset([table.name]),
                    )  # fmt: skip
        if table.assemblies is None:
            yield from _of_rows(program, table, reach)


def _with_table(program: Program, spec: TableDefinition, **changes: Any) -> Callable[[], ProgramDefinition]:
    definition = program.definition
    return lambda: replace(
        definition, tables=[replace(each, **changes) if each is spec else each for each in definition.tables]
    )


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
                new, operator = _next(value), "break" if column in breaks else "value"
            words = Said(
                "{column} of row {row} of {table} were {new}, not {old}",
                column=column.replace("_", " "), row=number, table=table.name, new=new, old=value,
            )  # fmt: skip
            make = _with_cell(program, table, column, row, new)
            yield _mutant(
                f"table.{table.name}.{column}", operator, f"{terms} {value}", words, reach, make,
                tables=frozenset([table.name]), row=number, terms=told,
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
