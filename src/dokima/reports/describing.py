"""What a rulebook says, in words a colleague can read."""

from __future__ import annotations

from collections.abc import Iterator

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from dokima.engine.program import Program
from dokima.model.columns import shown, value_at
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field
from dokima.reports.formatting import plural
from dokima.routines.routine import Step
from dokima.rules.rule import Rule
from dokima.tables.table import Table


def rulebook_report(program: Program) -> RenderableType:
    """The whole rulebook: fields, named values, tables, rules by moment, routines step by step, states."""
    parts: list[RenderableType] = [Text(f"Rulebook {program.definition.name}", style="bold")]
    for title, lines in (
        ("Fields of our own", list(_fields(program))),
        ("Named values", [f"{n} is {shown(value_at(v, 0))}" for n, v in program.definition.values.items()]),
        ("Tables", [line for table in program.tables.values() for line in _table(table)]),
        ("Rules", list(_rules(program))),
        ("Routines", list(_routines(program))),
        ("States of an order", list(_states(program))),
        ("What holds for every order", list(_settings(program))),
    ):
        if lines:
            parts += [Text(""), Text(title, style="bold")]
            parts += [Padding(Text(line.lstrip()), (0, 0, 0, 2 + len(line) - len(line.lstrip()))) for line in lines]
    return Group(*parts)


def _fields(program: Program) -> Iterator[str]:
    for level, fields, standard in (
        ("header", program.fields.header, {f.name: f for f in HEADER_FIELDS}),
        ("line", program.fields.line, {f.name: f for f in LINE_FIELDS}),
    ):
        for name, field in fields.items():
            if standard.get(name) != field:
                yield f"{level}.{name}: {_field(field)}"


def _field(field: Field) -> str:
    words: list[str] = [field.kind]
    if field.label:
        words.append(f'called "{field.label}"')
    if field.places is not None:
        words.append(f"at most {field.places} decimal places")
    if field.choices:
        words.append(f"one of {', '.join(field.choices)}")
    if field.required:
        words.append("must be there")
    if field.default is not None:
        words.append(f"if not given: {field.default}")
    return ", ".join(words)


def _table(table: Table) -> Iterator[str]:
    spec = table.definition
    source = f" from {table.source.file}" if table.source.file else ""
    yield f"{spec.shown} ({table.name}): {plural(table.size, 'row')}{source}"
    equal = ", ".join(f"{name} = {formula.source}" for name, formula in table.conditions.items())
    yield f"  found by {equal}" if spec.is_key else f"  fits where {equal} (an empty cell fits any)"
    if table.window is not None:
        bounds = " ".join(
            f"{word} {name}" for word, name in zip(("from", "until"), table.window.names, strict=True) if name
        )
        yield f"  valid {bounds}, asked for {table.window.on.source}"
    for each in table.breaks:
        yield f"  from {each.column} on, counted by {each.value.source}"
    for column, what in spec.roll_up.items():
        rounded = None if table.assemblies is None else table.assemblies.places.get(column)
        said = "" if rounded is None else f", rounded to {rounded} places at each level"
        yield f"  rolls {column} up from {what} of its components, scrap on top{said}"
    for column, factor in spec.convert.items():
        yield f"  {column} is converted: times {factor}"
    if spec.graduated:
        yield "  graduated: each band at its own price; answers with amount"
    if spec.choose:
        yield f"  of several rows: {', then '.join(spec.choose)}"
    defaults = [f"{name} {field.default}" for name, field in table.fields.items() if field.default is not None]
    if defaults:
        yield f"  without a row or value: {', '.join(defaults)}"
    if spec.required is not False:
        yield "  must have a row" if spec.required is True else f"  must have a row if {spec.required}"


def _rules(program: Program) -> Iterator[str]:
    for moment in program.definition.moments:
        rules = [rule for rule in program.rules if moment in rule.definition.at]
        if rules:
            yield f"when an order or line comes to {moment}:"
            for rule in rules:
                yield from _rule(rule)


def _rule(rule: Rule) -> Iterator[str]:
    spec = rule.definition
    kind = "must be accepted by somebody" if spec.acknowledge else spec.severity
    field = f", about {spec.field}" if spec.field else ""
    yield f"  {spec.id} ({kind}{field})"
    if spec.python is not None:
        doc = (spec.python.work.__doc__ or "").strip().split("\n")[0]
        yield f"    in Python: {doc or spec.python.work.__name__}"
    else:
        yield f"    {f'if {spec.when}: ' if spec.when is not None else ''}{spec.require}"
    if spec.message:
        yield f'    else says: "{spec.message}"'
    if spec.help:
        yield f"    help: {spec.help}"


def _routines(program: Program) -> Iterator[str]:
    for routine in program.routines:
        spec = routine.definition
        when = f" for orders where {spec.when}" if spec.when is not None else ""
        yield f"{routine.name}{when}, rounded {spec.rounding}, tax per {spec.tax_per}"
        for number, step in enumerate(routine.steps, start=1):
            yield f"  {number}. {_step(step)}"
        for each in spec.instalments:
            due = f", due {each.due}" if each.due is not None else ""
            yield f"  instalment of {spec.instalments_of.replace('_', ' ')}: {each.label}, share {each.share}{due}"


def _step(step: Step) -> str:
    name = f"{step.way.symbol} {step.definition.shown}".strip()
    return f"{name}: {step.way.describe(step.definition)}"


def _settings(program: Program) -> Iterator[str]:
    """Terms, changes, stated figures, the reporting currency."""
    spec = program.definition
    moved = " or ".join(spec.reprice_on)
    yield f"an order that left draft keeps its terms; a line looks up afresh when {moved} changes"
    settle = spec.changes.settle
    kinds = {} if isinstance(settle, str) else settle
    ways = [*(f"{kind}: {way}" for kind, way in kinds.items()), f"else {spec.changes.mode(None)}"]
    way = "by a function in Python" if spec.policy is not None else ", ".join(ways)
    yield f"approved changes are settled {way}"
    yield f"a budget is compared with the total {spec.changes.budget_of.replace('_', ' ')}"
    yield f"stated figures may be off by {shown(spec.stated.tolerance)}, else: {spec.stated.severity}"
    if spec.reporting is not None:
        yield f"totals are reported in {spec.reporting.currency} too, at {spec.reporting.rate}"


def _states(program: Program) -> Iterator[str]:
    for name, state in program.definition.lifecycle.states.items():
        leads = f"can become {' or '.join(state.to)}" if state.to else "is final"
        permits = f"permits {', '.join(state.permits)}" if state.permits else "permits nothing"
        yield f"{name} {leads}; {permits}"
