"""A rulebook as chapters, in the order in which an order is worked on."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from dokima.columns.column import value_at
from dokima.explaining import words
from dokima.explaining.phrases import Phrases
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field
from dokima.pricing.fingerprint import rows_digest
from dokima.pricing.program import Program
from dokima.pricing.steps.instalments import EarlyTerms
from dokima.pricing.steps.routine import Routine
from dokima.proving.target import Target
from dokima.proving.usage import all_formulas
from dokima.reports.language import N_, _, counted, told
from dokima.reports.specification.content import Block, Chapter, Examples, Grid, Item, Items, Sentence
from dokima.reports.specification.diagram import ORDER, diagram_of, lookups
from dokima.reports.specification.evidence import Evidence
from dokima.reports.specification.speech import amount_text, speech_of, value_text
from dokima.reports.specification.steps import ROUNDED, routine_figure, step_sentences, validity_sentence
from dokima.rules.rule import Rule
from dokima.tables.table import Table

MOST_ROWS = 10
"""Rows of a table that are shown; of more only their number and digest."""
FOLLOWS = {"error": N_("it stops"), "warning": N_("a warning is told"), "notice": N_("a notice is told")}
KINDS = {
    "text": N_("text"), "decimal": N_("decimal"), "integer": N_("integer"), "date": N_("date"),
    "flag": N_("flag"),
}  # fmt: skip
"""What fields hold."""


CHOICES = {
    "lowest": N_("the lowest {of}"), "highest": N_("the highest {of}"), "earliest": N_("the earliest {of}"),
    "latest": N_("the latest {of}"), "most": N_("the most {of}"),
}  # fmt: skip
"""Which of several rows wins; of the kinds of criteria "most" is only ever followed by "specific"."""


class Parts:
    """Makes the chapters of a rulebook.

    Args:
        program: The rulebook.
        evidence: Its cases, as they came out; of none if it was made without.
    """

    def __init__(self, program: Program, evidence: Evidence) -> None:
        self.program = program
        self.evidence = evidence
        self.speech = speech_of(program)
        self.phrases = Phrases(program, self.speech)
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
            said = _("For all orders.")
            if when is not None:
                said = _("Where {condition}.").format(condition=self.phrases.condition(when))
            items.append(Item(_title(routine.name), [Sentence(said, "" if when is None else when.written)]))
        beginning = [
            Sentence(_("It says how orders are checked, priced and totalled.")),
            Sentence(_("These routines price them:")),
        ]
        return Chapter(
            _("Purpose"),
            [*self._noted(definition.note, "rulebook"), *(beginning if items else beginning[:1]), Items(items)],
        )

    def _dictionary(self) -> Chapter:
        parts = []
        for level, title, fields, standard in (
            ("header", _("Fields of the order"), self.program.fields.header, HEADER_FIELDS),
            ("line", _("Fields of a line"), self.program.fields.line, LINE_FIELDS),
        ):
            usual = {field.name: field for field in standard}
            kept = [f for name, f in fields.items() if usual.get(name) != f or f"{level}.{name}" in self.reads]
            rows = [self._field(level, field) for field in kept]
            notes = [block for f in kept for block in self._noted(f.note, f"{level}.{f.name}")]
            columns = [_("field"), _("in formulas"), _("holds"), _("must be there"), _("if not given"), _("one of")]
            parts.append(Chapter(title, [_filled(columns, rows), *notes] if rows else []))
        values = [[name.replace("_", " "), f"value.{name}", value_text(value_at(column, 0))]
                  for name, column in self.program.definition.values.items()]  # fmt: skip
        grids = [Grid([_("value"), _("in formulas"), _("is")], values)] if values else []
        parts.append(Chapter(_("Named values"), grids))
        named = [[name.replace("_", " "), f"formula.{name}", self.phrases.condition(formula)]
                 for name, formula in self.program.named.items()]  # fmt: skip
        grids = [Grid([_("formula"), _("in formulas"), _("says")], named)] if named else []
        parts.append(Chapter(_("Named formulas"), grids))
        own = [[f"{name}()", first_line(each.own.body if each.own is not None else each.apply)]
               for name, each in self.program.definition.functions.items()]  # fmt: skip
        untold = _("This text does not verify what a function in Python does; the cases that call it do.")
        grids = [Grid([_("function"), _("what it says of itself")], own, untold)] if own else []
        parts.append(Chapter(_("Functions in Python"), grids))
        return Chapter(_("Data dictionary"), [], [part for part in parts if part.blocks])

    def _field(self, level: str, field: Field) -> list[str]:
        holds = _(KINDS[field.kind])
        if field.places is not None:
            holds += _(", {places} places").format(places=field.places)
        formula = self._defaults.get((level, field.name))
        default = "" if formula is None else self.phrases.of(formula)
        if field.value is not None:
            default = _("always {value}").format(value=default)
        if field.kind == "flag" and str(field.default) in ("True", "False"):
            default = _("yes") if str(field.default) == "True" else _("no")
        return [
            self.speech.label(field), f"{level}.{field.name}", holds, _("yes") if field.required else "", default,
            ", ".join(field.choices),
        ]  # fmt: skip

    def _linked(self) -> Chapter:
        if not self.program.tables:
            return Chapter(_("Linked records"))
        rows = []
        for name, heads in lookups(self.program).items():
            tables = [self.program.tables[head].definition.shown for head in heads if head not in ORDER]
            order = [_("the order") if head == "header" else _("the line") for head in heads if head in ORDER]
            rows.append([self.program.tables[name].definition.shown, name, ", ".join([*order, *tables])])
        return Chapter(
            _("Linked records"),
            [diagram_of(self.program), Grid([_("table"), _("in formulas"), _("looked up from")], rows)],
        )

    # -- tables -----------------------------------------------------------------------------------------------------

    def _tables(self) -> Chapter:
        return Chapter(_("Tables"), [], [self._table(table) for table in self.program.tables.values()])

    def _table(self, table: Table) -> Chapter:
        blocks: list[Block] = [
            *self._noted(table.definition.note, f"table.{table.name}"),
            *self._table_sentences(table),
        ]
        columns = list(table.cells)
        rows = [
            [value_text(value_at(table.cells[name], row)) for name in columns]
            for row in range(min(table.size, MOST_ROWS))
        ]
        rows += [["…", *[""] * (len(columns) - 1)]] if table.size > MOST_ROWS else []
        below = counted(table.size, "{count} row", "{count} rows")
        if table.source.file:
            below += _(" in {file}").format(file=table.source.file)
        below += _(", digest {digest}.").format(digest=rows_digest(table.source)[:12])
        headings = [table.fields[name].shown if name in table.fields else name.replace("_", " ") for name in columns]
        blocks.append(Grid(headings, rows, below, is_sample=True))
        title = f"{_title(table.definition.shown)} ({table.name})"
        return Chapter(title, [*blocks, *self._proved(self.evidence.of_table(table.name))])

    def _table_sentences(self, table: Table) -> Iterator[Sentence]:
        spec, say = table.definition, self.phrases.of
        pairs = [(name.replace("_", " "), formula) for name, formula in table.conditions.items()]
        compared = [told(words.COMPARED["=="][0]).format(name, say(formula)) for name, formula in pairs]
        equal = self.phrases.series(compared) if compared else ""
        formula_text = ", ".join(f"{name} = {formula.source}" for name, formula in pairs)
        if spec.is_key:
            yield Sentence(_("One row answers: that in which {conditions}.").format(conditions=equal), formula_text)
        elif not pairs:
            yield Sentence(_("A row asks for no value of a line or order."))
        else:
            said = _("A row fits where {conditions}; an empty cell fits any.")
            yield Sentence(said.format(conditions=equal), formula_text)
        if table.window is not None:
            first, last = (each.replace("_", " ") if each else "" for each in table.window.names)
            said = _("It is valid on {day}, from its ‘{first}’ until its ‘{last}’, both days included.")
            if not last:
                said = _("It is valid on {day}, from its ‘{first}’, that day included.")
            elif not first:
                said = _("It is valid on {day}, until its ‘{last}’, that day included.")
            day = table.window.on
            yield Sentence(said.format(day=say(day), first=first, last=last), day.source)
        for each in table.breaks:
            column = table.fields[each.column].shown if each.column in table.fields else each.column.replace("_", " ")
            said = _(
                "It counts once {value}, whatever its sign, reaches its ‘{column}’; "
                "an empty ‘{column}’ asks for nothing."
            )
            if each.above:
                said = _(
                    "It counts once {value}, whatever its sign, is above its ‘{column}’; "
                    "an empty ‘{column}’ asks for nothing."
                )
            yield Sentence(said.format(value=say(each.value), column=column), each.value.source)
        if spec.choose:
            said = _("Of several rows wins that with {choices}, then the first in the file.")
            yield Sentence(said.format(choices=_choices(spec.choose)))
        for column, what in spec.roll_up.items():
            said = _("{column} is summed from its components: {what} times quantity, scrap on top.")
            yield Sentence(said.format(column=_title(column), what=self.phrases.name(what)), what)
        for column, factor in table.factors.items():
            said = _("{column} is converted: times {factor}.")
            yield Sentence(said.format(column=_title(column), factor=say(factor)), factor.written)
        if spec.graduated:
            yield Sentence(_("Each band between two breaks has its own price; together they are the amount."))
        defaults = [f"{field.shown} {field.default}" for field in table.fields.values() if field.default is not None]
        if defaults:
            said = _("Without a row, or where its cell is empty: {defaults}.")
            yield Sentence(said.format(defaults=", ".join(defaults)))
        if spec.required is True:
            yield Sentence(_("There must be a row; else it is an error."))
        elif table.required is not None:
            said = _("There must be a row where {condition}.")
            yield Sentence(said.format(condition=self.phrases.condition(table.required)), f"{spec.required}")

    # -- rules --------------------------------------------------------------------------------------------------------

    def _rules(self) -> Chapter:
        parts = []
        for moment in self.program.definition.moments:
            rules = [rule for rule in self.program.rules if moment in rule.definition.at]
            own = [Item(rule.key, list(self._rule(rule)), self._below_rule(rule)) for rule in rules]
            if own:
                parts.append(Chapter(_("At {moment}").format(moment=moment), [Items(own)]))
        return Chapter(_("Rules by moment"), [], parts)

    def _rule(self, rule: Rule) -> Iterator[Sentence]:
        spec = rule.definition
        if spec.python is not None:
            doc = first_line(spec.python.work)
            yield Sentence(_("{says} (A rule in Python: this text does not verify what it does.)").format(says=doc))
        else:
            must = self.phrases.condition(rule.require) if rule.require is not None else ""
            formula = f"{spec.require}" if spec.when is None else f"when {spec.when} require {spec.require}"
            said = _("It must be so that {required}.")
            when = ""
            if rule.when is not None:
                said = _("Where {condition}: it must be so that {required}.")
                when = self.phrases.condition(rule.when)
            yield Sentence(said.format(condition=when, required=must), formula)
        if spec.valid is not None:
            yield validity_sentence(spec.valid)
        if spec.field and "edit" in spec.at:
            said = _("It is asked whenever {field} is edited.")
            yield Sentence(said.format(field=self.phrases.name(spec.field)), spec.field)
        follows = _("somebody must accept it by name") if spec.acknowledge else _(FOLLOWS[spec.severity])
        said = _("Else {follows}: “{message}”") if spec.message else _("Else {follows}.")
        yield Sentence(said.format(follows=follows, message=spec.message))
        if spec.help:
            yield Sentence(_("What to do: {help}").format(help=spec.help))

    def _below_rule(self, rule: Rule) -> list[Block]:
        spec = rule.definition
        if spec.built_in:
            return [Sentence(_("Every rulebook has this rule."))]
        return [*self._noted(spec.note, f"rule.{spec.key}"), *self._proved(self.evidence.of_rule(spec.key))]

    # -- money --------------------------------------------------------------------------------------------------------

    def _routines(self) -> Chapter:
        return Chapter(_("How an order is priced"), [], [self._routine(routine) for routine in self.program.routines])

    def _routine(self, routine: Routine) -> Chapter:
        spec = routine.definition
        said: list[Block] = [*self._noted(spec.note, f"routine.{spec.name}")]
        if routine.when is not None:
            where = _("For orders where {condition}.").format(condition=self.phrases.condition(routine.when))
            said.append(Sentence(where, f"{spec.when}"))
        if routine.includes_tax is not None:
            where = self.phrases.condition(routine.includes_tax)
            told_so = _("Prices are with tax where {condition}.").format(condition=where)
            said.append(Sentence(told_so, f"{spec.prices_include_tax}"))
        rounded = _("Amounts are {rounded} to the places of the currency, at each step.")
        said.append(Sentence(rounded.format(rounded=_(ROUNDED[spec.rounding]))))
        items = []
        for number, step in enumerate(routine.steps, start=1):
            name = f"{number}. {step.way.symbol} {step.definition.shown}".replace("  ", " ")
            below = self._noted(step.definition.note, f"routine.{spec.name}.{step.name}")
            if not step.way.is_level:  # it only names what other steps come to, and they have their cases
                below += self._proved(self.evidence.of_step(routine.name, step))
            items.append(Item(name, list(step_sentences(step, routine, self.phrases)), below))
        return Chapter(_title(routine.name), [*said, Items(items)])

    def _totals(self) -> Chapter:
        sums = _(
            "The amounts of the lines without tax and the tax make the total with tax; what is paid already and the "
            "rounding of the payable amount make what is payable."
        )
        blocks: list[Block] = [Sentence(sums)]
        for routine in self.program.routines:
            spec = routine.definition
            per = _("{routine}: tax is rounded line by line.")
            if spec.tax_per == "document":
                per = _("{routine}: tax is rounded for each category and rate, over the whole order.")
            blocks.append(Sentence(per.format(routine=_title(routine.name))))
            if spec.payable_step is not None:
                to = _("{routine}: payable is rounded to a multiple of {step}.")
                blocks.append(Sentence(to.format(routine=_title(routine.name), step=value_text(spec.payable_step))))
            rows = [
                [
                    each.label,
                    self.phrases.of(each.share),
                    self.phrases.of(each.due) if each.due is not None else "",
                    "" if each.early is None else self._early(each.early),
                ]
                for each in routine.instalments
            ]
            if rows:
                of = routine_figure(spec.instalments_of, routine)
                below = _("Together they are {of}, to the cent.").format(of=of)
                name = _("instalment ({routine})").format(routine=routine.name)
                made = _filled([name, _("its share"), _("due on"), _("if paid early")], rows)
                blocks.append(Grid(made.columns, made.rows, below))
        reporting = self.program.definition.reporting
        if reporting is not None and self.program.reporting_rate is not None:
            rate = self.phrases.of(self.program.reporting_rate)
            also = _("Totals are told in {currency} too, at {rate}.").format(currency=reporting.currency, rate=rate)
            blocks.append(Sentence(also, f"{reporting.rate}"))
        stated = self.program.definition.stated
        held = _("A figure that an order states may not differ at all from the one worked out; else {follows}.")
        if stated.tolerance:
            held = _(
                "A figure that an order states may not differ by more than {tolerance} from the one worked out; else "
                "{follows}."
            )
        follows = _(FOLLOWS[stated.severity])
        blocks.append(Sentence(held.format(tolerance=value_text(stated.tolerance), follows=follows)))
        return Chapter(_("Totals and tax"), blocks)

    def _early(self, early: EarlyTerms) -> str:
        said = _("{percent} % off until {day}")
        return said.format(percent=self.phrases.of(early.percent), day=self.phrases.of(early.by))

    # -- states and changes -------------------------------------------------------------------------------------------

    def _states(self) -> Chapter:
        states = self.program.definition.lifecycle.states
        rows = [[name, ", ".join(s.to) or _("nothing: it is the end"), ", ".join(s.permits) or _("nothing"), s.asks]
                for name, s in states.items()]  # fmt: skip
        moves = [Target("moves", f"{name} to {after}") for name, state in states.items() for after in state.to]
        columns = [_("state"), _("can become"), _("permits changes of"), _("asks the rules at")]
        return Chapter(
            _("States of an order"), [Grid(columns, rows), *self._proved(self.evidence.of(moves))] if rows else []
        )

    def _changes(self) -> Chapter:
        spec = self.program.definition
        moved = self.phrases.series(map(self.phrases.name, spec.reprice_on), "or")
        settle = spec.changes.settle
        ways = {"split": _("increases become an order of their own"), "amend": _("the change goes into the order")}
        kinds = [] if isinstance(settle, str) else [f"{kind}: {ways[way]}" for kind, way in settle.items()]
        usual = ways[spec.changes.mode(None)]
        settled = _("{kinds}; else {usual}").format(kinds="; ".join(kinds), usual=usual) if kinds else usual
        afresh = _(
            "An order that left its first state keeps the terms it was agreed at; a line looks up afresh when {field} "
            "changes."
        )
        approved = _("When a change is approved: {settled}.").format(settled=settled)
        if spec.policy is not None:
            approved = _("When a change is approved, a function in Python says line by line what becomes of it.")
        budget = _("A budget is compared with the total {of}.")
        reason = _("Who types a price by hand need give no reason.")
        if spec.overrides.reason:
            reason = _("Who types a price by hand must give a reason.")
        below = _("It may be negative.") if spec.overrides.negative else _("It may not be negative.")
        blocks: list[Block] = [
            Sentence(afresh.format(field=moved)),
            Sentence(approved),
            Sentence(budget.format(of=_(spec.changes.budget_of.replace("_", " ")))),
            Sentence(f"{reason} {below}"),
        ]
        return Chapter(_("Change orders and agreed terms"), [*blocks, *self._proved(self.evidence.of_changes())])

    # -- one order ----------------------------------------------------------------------------------------------------

    def _worked(self) -> Chapter:
        """One order, each line step by step with its figures: that of a verified case."""
        found = self.evidence.worked()
        if found is None:
            return Chapter(_("One order, worked out"))
        case, order = found
        assert order.routine is not None
        places, rows = order.places, list[list[str]]()
        lines = list(order.lines)
        for name, label in (("item", _("item")), ("quantity", _("quantity")), ("price", _("unit price"))):
            rows.append([label, *(value_text(getattr(line, name)) for line in lines), ""])
        for step in order.routine.steps:
            if step.way.is_amount and not step.way.is_price:
                label = f"{step.way.symbol} {step.definition.shown}".strip()
                figures = [amount_text(getattr(line, step.name), places) for line in lines]
                rows.append([label, *figures, amount_text(order.total(step.name), places)])
        for name in ("net", "without_tax"):
            figures = [amount_text(getattr(line, name), places) for line in lines]
            rows.append([_(name.replace("_", " ")), *figures, amount_text(order.total(name), places)])
        totals = {_("total without tax"): order.totals.without_tax, _("tax"): order.totals.tax,
                  _("total with tax"): order.totals.with_tax, _("payable"): order.totals.payable}  # fmt: skip
        said = _("The case ‘{case}’, by the routine {routine}.")
        said = said.format(case=case.name, routine=order.routine.name.replace("_", " "))
        columns = [_("step"), *(_("line {line}").format(line=line.number) for line in lines), _("order")]
        return Chapter(
            _("One order, worked out"),
            [
                Sentence(said),
                Grid(columns, rows),
                Grid([_("total"), _("comes to")], [[name, amount_text(each, places)] for name, each in totals.items()]),
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
    wanted = [choose] if isinstance(choose, str) else list(choose)
    return _(", then ").join(_choice(each) for each in wanted)


def _choice(wanted: str) -> str:
    """A criterion in words: ``the lowest price``."""
    word, _between, of = wanted.partition(" ")
    return _(CHOICES[word]).format(of=of.replace("_", " ")) if word in CHOICES else wanted


def first_line(body: Callable[..., Any]) -> str:
    """What a function says of itself in the first line of its docstring; its name if it says nothing."""
    return (body.__doc__ or "").strip().split("\n")[0] or body.__name__
