"""A rulebook as chapters, in the order in which an order is worked on."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.explaining.phrases import Phrases
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field
from dokima.pricing.fingerprint import rows_digest
from dokima.pricing.program import Program
from dokima.pricing.steps.routine import Routine
from dokima.proving.target import Target
from dokima.proving.usage import all_formulas
from dokima.reports.formatting import plural
from dokima.reports.specification.content import Block, Chapter, Examples, Grid, Item, Items, Sentence
from dokima.reports.specification.diagram import ORDER, diagram_of, lookups
from dokima.reports.specification.evidence import Evidence, amount_text
from dokima.reports.specification.steps import routine_figure, step_sentences
from dokima.rules.rule import Rule
from dokima.tables.table import Table

MOST_ROWS = 10
"""Rows of a table that are shown; of more only their number and digest."""
FOLLOWS = {"error": "it stops", "warning": "a warning is told", "notice": "a notice is told"}


class Parts:
    """Makes the chapters of a rulebook.

    Args:
        program: The rulebook.
        evidence: Its cases, as they came out; of none if it was made without.
    """

    def __init__(self, program: Program, evidence: Evidence) -> None:
        self.program = program
        self.evidence = evidence
        self.phrases = Phrases(program)
        self._defaults = {(level, name): formula for level, name, formula in program.defaults}
        self.reads = {name for formula in all_formulas(program) for name in formula.reads}

    def chapters(self) -> list[Chapter]:
        """All that the rulebook says; what it does not have is left out."""
        made = [
            self._purpose(), self._dictionary(), self._linked(), self._tables(), self._rules(), self._routines(),
            self._totals(), self._states(), self._changes(), self._worked(),
        ]  # fmt: skip
        return [chapter for chapter in made if chapter.blocks or chapter.parts]

    def _noted(self, text: str, where: str) -> list[Block]:
        note = self.evidence.note(text, where)
        return [note] if note is not None else []

    def _proved(self, examples: Examples) -> list[Block]:
        return [examples] if self.evidence.is_there else []

    # -- what an order is -------------------------------------------------------------------------------------------

    def _purpose(self) -> Chapter:
        definition = self.program.definition
        items = []
        for routine in self.program.routines:
            when = routine.when
            where = f"Where {self.phrases.condition(when)}" if when is not None else "For all orders"
            items.append(Item(_title(routine.name), [Sentence(f"{where}.", "" if when is None else when.written)]))
        said = [
            Sentence("It says how orders are checked, priced and totalled."),
            Sentence("These routines price them:"),
        ]
        return Chapter(
            "Purpose", [*self._noted(definition.note, "rulebook"), *(said if items else said[:1]), Items(items)]
        )

    def _dictionary(self) -> Chapter:
        parts = []
        for level, title, fields, standard in (
            ("header", "Fields of the order", self.program.fields.header, HEADER_FIELDS),
            ("line", "Fields of a line", self.program.fields.line, LINE_FIELDS),
        ):
            usual = {field.name: field for field in standard}
            kept = [f for name, f in fields.items() if usual.get(name) != f or f"{level}.{name}" in self.reads]
            rows = [self._field(level, field) for field in kept]
            notes = [block for f in kept for block in self._noted(f.note, f"{level}.{f.name}")]
            columns = ("field", "in formulas", "holds", "must be there", "if not given", "one of")
            parts.append(Chapter(title, [_filled(columns, rows), *notes] if rows else []))
        values = [[name.replace("_", " "), f"value.{name}", shown(value_at(column, 0))]
                  for name, column in self.program.definition.values.items()]  # fmt: skip
        parts.append(Chapter("Named values", [Grid(("value", "in formulas", "is"), values)] if values else []))
        named = [[name.replace("_", " "), f"formula.{name}", self.phrases.condition(formula)]
                 for name, formula in self.program.named.items()]  # fmt: skip
        parts.append(Chapter("Named formulas", [Grid(("formula", "in formulas", "says"), named)] if named else []))
        own = [[f"{name}()", first_line(each.own.body if each.own is not None else each.apply)]
               for name, each in self.program.definition.functions.items()]  # fmt: skip
        untold = "This text does not verify what a function in Python does; the cases that call it do."
        grids = [Grid(("function", "what it says of itself"), own, untold)] if own else []
        parts.append(Chapter("Functions in Python", grids))
        return Chapter("Data dictionary", [], [part for part in parts if part.blocks])

    def _field(self, level: str, field: Field) -> list[str]:
        places = f", {field.places} places" if field.places is not None else ""
        formula = self._defaults.get((level, field.name))
        default = "" if formula is None else self.phrases.of(formula)
        if field.value is not None:
            default = f"always {default}"
        if field.kind == "flag" and str(field.default) in ("True", "False"):
            default = "yes" if str(field.default) == "True" else "no"
        return [
            field.shown, f"{level}.{field.name}", f"{field.kind}{places}", "yes" if field.required else "", default,
            ", ".join(field.choices),
        ]  # fmt: skip

    def _linked(self) -> Chapter:
        if not self.program.tables:
            return Chapter("Linked records")
        rows = []
        for name, heads in lookups(self.program).items():
            tables = [self.program.tables[head].definition.shown for head in heads if head not in ORDER]
            order = [f"the {'order' if head == 'header' else head}" for head in heads if head in ORDER]
            rows.append([self.program.tables[name].definition.shown, name, ", ".join([*order, *tables])])
        return Chapter(
            "Linked records", [diagram_of(self.program), Grid(("table", "in formulas", "looked up from"), rows)]
        )

    # -- tables -----------------------------------------------------------------------------------------------------

    def _tables(self) -> Chapter:
        return Chapter("Tables", [], [self._table(table) for table in self.program.tables.values()])

    def _table(self, table: Table) -> Chapter:
        blocks: list[Block] = [
            *self._noted(table.definition.note, f"table.{table.name}"),
            *self._table_sentences(table),
        ]
        columns = list(table.cells)
        rows = [
            [shown(value_at(table.cells[name], row)) for name in columns] for row in range(min(table.size, MOST_ROWS))
        ]
        rows += [["…", *[""] * (len(columns) - 1)]] if table.size > MOST_ROWS else []
        where = f" in {table.source.file}" if table.source.file else ""
        below = f"{plural(table.size, 'row')}{where}, digest {rows_digest(table.source)[:12]}."
        headings = [table.fields[name].shown if name in table.fields else name.replace("_", " ") for name in columns]
        blocks.append(Grid(headings, rows, below, is_sample=True))
        title = f"{_title(table.definition.shown)} ({table.name})"
        return Chapter(title, [*blocks, *self._proved(self.evidence.of_table(table.name))])

    def _table_sentences(self, table: Table) -> Iterator[Sentence]:
        spec, say = table.definition, self.phrases.of
        pairs = [(name.replace("_", " "), formula) for name, formula in table.conditions.items()]
        equal = " and ".join(f"{name} is {say(formula)}" for name, formula in pairs)
        told = ", ".join(f"{name} = {formula.source}" for name, formula in pairs)
        if spec.is_key:
            yield Sentence(f"One row answers: that in which {equal}.", told)
        else:
            yield Sentence(f"A row fits where {equal}; an empty cell fits any.", told)
        if table.window is not None:
            words = zip(("from", "until"), table.window.names, strict=True)
            bounds = " ".join(f"{word} its ‘{name.replace('_', ' ')}’" for word, name in words if name)
            day = table.window.on
            days = "both days" if all(table.window.names) else "that day"
            yield Sentence(f"It is valid on {say(day)}, {bounds}, {days} included.", day.source)
        for each in table.breaks:
            column = table.fields[each.column].shown if each.column in table.fields else each.column.replace("_", " ")
            said = f"It counts once {say(each.value)}, whatever its sign, reaches its ‘{column}’"
            yield Sentence(f"{said}; an empty ‘{column}’ asks for nothing.", each.value.source)
        if spec.choose:
            yield Sentence(f"Of several rows wins that with {_choices(spec.choose)}, then the first in the file.")
        for column, what in spec.roll_up.items():
            said = f"{self.phrases.name(what)} times quantity, scrap on top"
            yield Sentence(f"{_title(column)} is summed from its components: {said}.", what)
        for column, factor in table.factors.items():
            yield Sentence(f"{_title(column)} is converted: times {say(factor)}.", factor.written)
        if spec.graduated:
            yield Sentence("Each band between two breaks has its own price; together they are the amount.")
        defaults = [f"{field.shown} {field.default}" for field in table.fields.values() if field.default is not None]
        if defaults:
            yield Sentence(f"Without a row, or where its cell is empty: {', '.join(defaults)}.")
        if spec.required is True:
            yield Sentence("There must be a row; else it is an error.")
        elif table.required is not None:
            where = self.phrases.condition(table.required)
            yield Sentence(f"There must be a row where {where}.", f"{spec.required}")

    # -- rules --------------------------------------------------------------------------------------------------------

    def _rules(self) -> Chapter:
        parts = []
        for moment in self.program.definition.moments:
            rules = [rule for rule in self.program.rules if moment in rule.definition.at]
            own = [Item(rule.id, list(self._rule(rule)), self._below_rule(rule)) for rule in rules]
            if own:
                parts.append(Chapter(f"At {moment}", [Items(own)]))
        return Chapter("Rules by moment", [], parts)

    def _rule(self, rule: Rule) -> Iterator[Sentence]:
        spec = rule.definition
        if spec.python is not None:
            doc = first_line(spec.python.work)
            yield Sentence(f"{doc} (A rule in Python: this text does not verify what it does.)")
        else:
            when = f"Where {self.phrases.condition(rule.when)}: " if rule.when is not None else ""
            must = self.phrases.condition(rule.require) if rule.require is not None else ""
            formula = f"{spec.require}" if spec.when is None else f"when {spec.when} require {spec.require}"
            yield Sentence(f"{when}it must be so that {must}." if when else f"It must be so that {must}.", formula)
        if spec.field and "edit" in spec.at:
            yield Sentence(f"It is asked whenever {self.phrases.name(spec.field)} is edited.", spec.field)
        follows = "somebody must accept it by name" if spec.acknowledge else FOLLOWS[spec.severity]
        yield Sentence(f"Else {follows}" + (f": “{spec.message}”" if spec.message else "."))
        if spec.help:
            yield Sentence(f"What to do: {spec.help}")

    def _below_rule(self, rule: Rule) -> list[Block]:
        spec = rule.definition
        if spec.built_in:
            return [Sentence("Every rulebook has this rule.")]
        return [*self._noted(spec.note, f"rule.{spec.id}"), *self._proved(self.evidence.of_rule(spec.id))]

    # -- money --------------------------------------------------------------------------------------------------------

    def _routines(self) -> Chapter:
        return Chapter("How an order is priced", [], [self._routine(routine) for routine in self.program.routines])

    def _routine(self, routine: Routine) -> Chapter:
        spec = routine.definition
        said: list[Block] = [*self._noted(spec.note, f"routine.{spec.name}")]
        if routine.when is not None:
            said.append(Sentence(f"For orders where {self.phrases.condition(routine.when)}.", f"{spec.when}"))
        if routine.includes_tax is not None:
            where = f"where {self.phrases.condition(routine.includes_tax)}"
            said.append(Sentence(f"Prices are with tax {where}.", f"{spec.prices_include_tax}"))
        said.append(Sentence(f"Amounts are rounded {spec.rounding} to the places of the currency, at each step."))
        items = []
        for number, step in enumerate(routine.steps, start=1):
            name = f"{number}. {step.way.symbol} {step.definition.shown}".replace("  ", " ")
            below = self._noted(step.definition.note, f"routine.{spec.name}.{step.name}")
            if not step.way.is_level:  # it only names what other steps come to, and they have their cases
                below += self._proved(self.evidence.of_step(routine.name, step))
            items.append(Item(name, list(step_sentences(step, routine, self.phrases)), below))
        return Chapter(_title(routine.name), [*said, Items(items)])

    def _totals(self) -> Chapter:
        sums = "The amounts of the lines without tax and the tax make the total with tax"
        due = "what is paid already and the rounding of the payable amount make what is payable"
        blocks: list[Block] = [Sentence(f"{sums}; {due}.")]
        for routine in self.program.routines:
            spec = routine.definition
            per = "for each category and rate, over the whole order" if spec.tax_per == "document" else "line by line"
            blocks.append(Sentence(f"{_title(routine.name)}: tax is rounded {per}."))
            if spec.payable_step is not None:
                blocks.append(
                    Sentence(f"{_title(routine.name)}: payable is rounded to a multiple of {spec.payable_step}.")
                )
            rows = [[each.label, self.phrases.of(each.share), self.phrases.of(each.due) if each.due is not None else ""]
                    for each in routine.instalments]  # fmt: skip
            if rows:
                of = routine_figure(spec.instalments_of, routine)
                below = f"Together they are {of}, to the cent."
                blocks.append(Grid((f"instalment ({routine.name})", "its share", "due on"), rows, below))
        reporting = self.program.definition.reporting
        if reporting is not None and self.program.reporting_rate is not None:
            rate = self.phrases.of(self.program.reporting_rate)
            said = f"Totals are told in {reporting.currency} too, at {rate}."
            blocks.append(Sentence(said, f"{reporting.rate}"))
        stated = self.program.definition.stated
        off = f"by more than {shown(stated.tolerance)}" if stated.tolerance else "at all"
        told = f"A figure that an order states may not differ {off} from the one worked out"
        blocks.append(Sentence(f"{told}; else {FOLLOWS[stated.severity]}."))
        return Chapter("Totals and tax", blocks)

    # -- states and changes -------------------------------------------------------------------------------------------

    def _states(self) -> Chapter:
        states = self.program.definition.lifecycle.states
        rows = [[name, ", ".join(s.to) or "nothing: it is the end", ", ".join(s.permits) or "nothing", s.asks]
                for name, s in states.items()]  # fmt: skip
        moves = [Target("moves", f"{name} to {after}") for name, state in states.items() for after in state.to]
        columns = ("state", "can become", "permits changes of", "asks the rules at")
        return Chapter(
            "States of an order", [Grid(columns, rows), *self._proved(self.evidence.of(moves))] if rows else []
        )

    def _changes(self) -> Chapter:
        spec = self.program.definition
        moved = " or ".join(self.phrases.name(name) for name in spec.reprice_on)
        settle = spec.changes.settle
        ways = {"split": "increases become an order of their own", "amend": "the change goes into the order"}
        kinds = [] if isinstance(settle, str) else [f"{kind}: {ways[way]}" for kind, way in settle.items()]
        usual = ways[spec.changes.mode(None)]
        settled = f"{'; '.join(kinds)}; else {usual}" if kinds else usual
        afresh = f"a line looks up afresh when {moved} changes"
        told = f"When a change is approved: {settled}."
        if spec.policy is not None:
            told = "When a change is approved, a function in Python says line by line what becomes of it."
        manual = "must give a reason" if spec.overrides.reason else "need give no reason"
        below = "may be" if spec.overrides.negative else "may not be"
        blocks: list[Block] = [
            Sentence(f"An order that left its first state keeps the terms it was agreed at; {afresh}."),
            Sentence(told),
            Sentence(f"A budget is compared with the total {spec.changes.budget_of.replace('_', ' ')}."),
            Sentence(f"Who types a price by hand {manual}; it {below} negative."),
        ]
        return Chapter("Change orders and agreed terms", [*blocks, *self._proved(self.evidence.of_changes())])

    # -- one order ----------------------------------------------------------------------------------------------------

    def _worked(self) -> Chapter:
        """One order, each line step by step with its figures: that of a verified case."""
        found = self.evidence.worked()
        if found is None:
            return Chapter("One order, worked out")
        case, order = found
        assert order.routine is not None
        places, rows = order.places, list[list[str]]()
        lines = list(order.lines)
        for name, label in (("item", "item"), ("quantity", "quantity"), ("price", "unit price")):
            rows.append([label, *(shown(getattr(line, name)) for line in lines), ""])
        for step in order.routine.steps:
            if step.way.is_amount and not step.way.is_price:
                label = f"{step.way.symbol} {step.definition.shown}".strip()
                figures = [amount_text(getattr(line, step.name), places) for line in lines]
                rows.append([label, *figures, amount_text(order.total(step.name), places)])
        for name in ("net", "without_tax"):
            figures = [amount_text(getattr(line, name), places) for line in lines]
            rows.append([name.replace("_", " "), *figures, amount_text(order.total(name), places)])
        totals = {"total without tax": order.totals.without_tax, "tax": order.totals.tax,
                  "total with tax": order.totals.with_tax, "payable": order.totals.payable}  # fmt: skip
        said = f"The case ‘{case.name}’, by the routine {order.routine.name.replace('_', ' ')}."
        columns = ["step", *(f"line {line.number}" for line in lines), "order"]
        return Chapter(
            "One order, worked out",
            [
                Sentence(said),
                Grid(columns, rows),
                Grid(("total", "comes to"), [[name, amount_text(each, places)] for name, each in totals.items()]),
            ],
        )


def _filled(columns: Sequence[str], rows: Sequence[Sequence[str]]) -> Grid:
    """A table without the columns in which nothing stands."""
    kept = [at for at in range(len(columns)) if any(row[at] for row in rows)]
    return Grid([columns[at] for at in kept], [[row[at] for at in kept] for row in rows])


def _title(name: str) -> str:
    return _first(name.replace("_", " "))


def _first(text: str) -> str:
    return text[:1].upper() + text[1:]


def _choices(choose: Sequence[str] | str) -> str:
    words = [choose] if isinstance(choose, str) else list(choose)
    return ", then ".join(f"the {word.replace('_', ' ')}" for word in words)


def first_line(body: Callable[..., Any]) -> str:
    """What a function says of itself in the first line of its docstring; its name if it says nothing."""
    return (body.__doc__ or "").strip().split("\n")[0] or body.__name__
