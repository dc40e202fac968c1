"""From a definition to a `Program`: every problem of tables, rules, routines and defaults in one pass."""

from __future__ import annotations

import copyreg
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from decimal import Decimal
from graphlib import CycleError, TopologicalSorter
from itertools import combinations
from weakref import WeakValueDictionary

from dokima.compiling.paper_checks import paper_problems
from dokima.compiling.routine_builder import build_routine
from dokima.compiling.scope import Scope
from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed, nearest
from dokima.exact import stored, to_decimals
from dokima.formulas import NUMBERS, Formula, FormulaKind, Level, Name, compile_formula
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.expanding import dotted_names, expanded, in_one_line
from dokima.formulas.functions import FUNCTIONS, SPECIAL
from dokima.formulas.names import NOT_TABLES
from dokima.formulas.operators import numbers
from dokima.model.fields import DRAWN, Field
from dokima.model.validity import overlaps
from dokima.model.values import wrong_choice
from dokima.pricing.facts import FACTS
from dokima.pricing.kinds import kinds_by_name
from dokima.pricing.papers import PaperDefinition, PaperTerms
from dokima.pricing.program import Program, ProgramDefinition
from dokima.pricing.steps.definition import RESERVED, RUNNING
from dokima.pricing.steps.routine import Routine
from dokima.rules.messages import Message, read_message
from dokima.rules.rule import MOMENTS, Rule
from dokima.rules.verdicts import build_rule
from dokima.tables.assembly import check_roll_up, roll_up
from dokima.tables.definition import column_missing
from dokima.tables.table import Table, names_behind
from dokima.tables.table_builder import build_table


def build_program(definition: ProgramDefinition, known: Mapping[str, Table] | None = None) -> Program:
    """Check and compile a rulebook.

    Args:
        definition: What it says.
        known: Tables that are built already and stay as they are.

    Raises:
        RulebookError: With every problem.
    """
    return _Builder(definition, known or {}).build()


class _Builder:
    def __init__(self, definition: ProgramDefinition, known: Mapping[str, Table]) -> None:
        self.definition = definition = _with_first_state(definition)
        self.problems: list[RulebookProblem] = []
        self.tables: dict[str, Table | None] = dict(known)
        self.known = known
        self.path: list[str] = []
        self.specs = {table.name: table for table in definition.tables}
        self.scope = Scope(definition, self._table)
        # What a step reads through such a field is agreed with it, as if the step asked the tables itself.
        self.step_scope = replace(self.scope, texts=self._values_of_tables())

    def _values_of_tables(self) -> dict[str, str]:
        """The texts of fields that are always worked out from tables, by dotted name."""
        fields = self.definition.fields
        found: dict[str, str] = {}
        for level, name in fields.computed:
            text = in_one_line((fields.header if level == "header" else fields.line)[name].value)
            with suppress(FormulaError):  # told where the field is compiled
                if any(dotted.split(".")[0] in self.specs for dotted in dotted_names(expanded(text, self.scope)[0])):
                    found[f"{level}.{name}"] = text
        return found

    def build(self) -> Program:
        self._check_names()
        for name in self.specs:
            self._table(name)
        self._factors()
        routines = [found for each in self.definition.routines if (found := self._routine(each.name))]
        self._check_currencies(routines)
        figures: dict[str, Name] = {}
        for routine in routines:
            figures.update(routine.figures)
        self._check_context()
        rules = self._rules(figures)
        defaults = self._defaults()
        named = self._named(figures)
        rate, parties = self._reporting(), self._parties()
        papers = {each.name: self._paper(each, figures) for each in self.definition.papers}
        if self.problems:
            raise RulebookError(self.problems)
        tables = {name: table for name, table in self.tables.items() if table is not None}
        readers = _readers(tables)
        made = Program(self.definition, tables, rules, routines, defaults, readers, rate, parties, named, papers)
        self.problems += paper_problems(made)
        if self.problems:
            raise RulebookError(self.problems)
        return made

    def _paper(self, definition: PaperDefinition, figures: Mapping[str, Name]) -> PaperTerms:
        """The texts of a paper, one by language, and until when it is offered."""
        path, names = f"paper.{definition.name}", self.scope.with_figures(figures)
        texts: dict[str, dict[str, Message]] = {}
        for key, by_language in definition.spoken.items():
            for language, text in by_language.items():
                try:
                    texts.setdefault(key, {})[language] = read_message(text, names, Level.HEADER)
                except FormulaError as error:
                    place = ".".join(filter(None, [path, key, language]))
                    self._problem(place, error.pointed())
        valid_until = None
        if definition.valid_until is not None:
            try:
                valid_until = compile_formula(definition.valid_until, names, ("date",), Level.HEADER, "'valid_until'")
            except FormulaError as error:
                self._problem(f"{path}.valid_until", error.pointed())
        return PaperTerms(definition, texts, valid_until)

    def _problem(self, path: str, message: str) -> None:
        self.problems.append(RulebookProblem("", path, message))

    # -- names ------------------------------------------------------------------------------------------------

    def _check_names(self) -> None:
        taken = {*NOT_TABLES, *AGGREGATES, *FUNCTIONS, *SPECIAL}
        for name in self.specs:
            if name in taken:
                self._problem(f"table.{name}", f"'{name}' has a meaning of its own in formulas; choose another name")
        fields = self.definition.fields
        for level, known in (("header", fields.header), ("line", fields.line)):
            for name, field in known.items():
                if name in RESERVED:
                    self._problem(f"{level}.{name}", f"'{name}' is a figure every routine leaves; choose another name")
                elif f"{level}.{name}" in FACTS:
                    said = f"formulas read {level}.{name} as something that is known of it; choose another name"
                    self._problem(f"{level}.{name}", said)
                elif (level, name) == ("header", "revision") and field.kind not in NUMBERS:
                    self._problem(
                        f"{level}.{name}", f"a store counts it up: expected a number (its kind is {field.kind})"
                    )
                elif said := field.wrong():
                    self._problem(f"{level}.{name}", said)
                elif said := wrong_choice(field):
                    self._problem(f"{level}.{name}.choices", said)
                elif name == DRAWN and field.words is False:
                    self._problem(f"{level}.{name}", f"'{name}' says which values are drawn; choose another name")
                elif field.value is not None and name in WRITTEN_BY_OTHERS:
                    self._problem(f"{level}.{name}.value", f"'{name}' is given or kept by others, and never worked out")
        others = {f"{name}.{each.name}": each for name, of in fields.records.items() for each in of.values()}
        for table in self.definition.tables:
            others |= {f"table.{table.name}.columns.{name}": each for name, each in table.columns.items()}
        for path, field in others.items():
            if field.value is not None:
                self._problem(f"{path}.value", "only a field of header or line has a 'value'")
            if said := wrong_choice(field):
                self._problem(f"{path}.choices", said)
        for routine in self.definition.routines:
            for step in routine.steps:
                for level, known in (("header", fields.header), ("line", fields.line)):
                    if step.name in known:
                        path = f"routine.{routine.name}.step.{step.name}"
                        self._problem(path, f"'{step.name}' is already a {level} field; choose another name")
        for name in self.definition.reprice_on:
            level, _, tail = name.partition(".")
            known = {"header": fields.header, "line": fields.line}.get(level, {})
            if tail not in known:
                self._problem("terms.reprice_on", f"expected a field such as item (got '{name}'{nearest(tail, known)})")
        self._check_versions()

    def _check_versions(self) -> None:
        """Rules of one id are versions of it, so on any day one of them counts."""
        rules = self.definition.rules
        for name in dict.fromkeys(rule.id for rule in rules if rule.version):
            mine = [rule for rule in rules if rule.id == name]
            wrong = [(a, b) for a, b in combinations(mine, 2) if overlaps(a.valid, b.valid)]
            if any(rule.valid is None for rule in mine):
                wanted = f"expected each id once (got '{name}' {len(mine)} times)"
                self._problem(f"rule.{name}", f"{wanted}; versions of a rule say 'valid'")
            elif wrong:
                days = listed(f"{each.valid}" for each in wrong[0])
                self._problem(f"rule.{wrong[0][1].key}.valid", f"expected versions that do not overlap (got {days})")

    # -- parts ------------------------------------------------------------------------------------------------

    def _table(self, name: str) -> Table | None:
        if name in self.tables:
            return self.tables[name]
        if name in self.path:
            circle = " -> ".join([*self.path[self.path.index(name) :], name])
            self._problem(f"table.{name}", f"tables read each other in a circle: {circle}")
            self.tables[name] = None
            return None
        self.path.append(name)
        names = replace(self.scope, figures=self._figures_for_tables(), of_table=True)
        try:
            # Of one whose source cannot be read every column is taken to be there, or ten messages hide the one.
            table = None if self.definition.sources[name].is_unread else self._built(name, names)
        except RulebookError as error:
            self.problems += error.problems
            table = None
        self.path.pop()
        return self.tables.setdefault(name, table)

    def _built(self, name: str, names: Scope) -> Table:
        spec, source = self.specs[name], self.definition.sources[name]
        if not spec.roll_up:
            return build_table(spec, source, names)
        check_roll_up(spec)
        own = {column: self._values_of(name, column, what) for column, what in spec.roll_up.items()}
        assemblies, rolled = roll_up(spec, source, own)
        declared = {name: spec.columns.get(name, Field(name)) for name in spec.roll_up}
        columns = {name: each.with_changes(kind="decimal", places=None) for name, each in declared.items()}
        return replace(build_table(replace(spec, columns=columns), rolled, names), assemblies=assemblies)

    def _values_of(self, name: str, column: str, what: str) -> dict[str, Decimal | None]:
        """The values of items that are no assemblies, out of a table found by item alone."""
        head, _, tail = what.partition(".")
        table = self._table(head) if head in self.specs else None
        path = f"table.{name}.roll_up.{column}"
        if table is None and head in self.specs:
            raise RulebookError([])  # that table's own problems say enough
        if table is None or tail not in table.fields or table.fields[tail].kind not in NUMBERS:
            raise RulebookError(
                [RulebookProblem("", path, f"expected a number of a table, such as item.unit_cost (got '{what}')")]
            )
        if not table.definition.is_key or len(table.conditions) != 1 or table.window or table.breaks:
            raise RulebookError([RulebookProblem("", path, f"expected a table found by item alone ('{head}' is not)")])
        (key,) = table.conditions
        values = to_decimals(stored(numbers(table.columns[tail])))
        return {str(item): value for item, value in zip(table.cells[key].to_list(), values, strict=True)}  # type: ignore[union-attr]

    def _factors(self) -> None:
        """Conversions may read the very row that is converted, so they are compiled once all tables are there."""
        names = self.scope.with_figures(self._figures_for_tables())
        for name, table in [each for each in self.tables.items() if each[0] not in self.known]:
            factors: dict[str, Formula] = {}
            for column, source in self.specs[name].convert.items() if table is not None else ():
                try:
                    most = table.level if table is not None else Level.LINE
                    factors[column] = compile_formula(source, names, tuple(sorted(NUMBERS)), most, "this conversion")
                except FormulaError as error:
                    self._problem(f"table.{name}.convert.{column}", error.pointed())
            if table is not None and factors:
                self.tables[name] = replace(table, factors=factors)

    def _check_currencies(self, routines: Sequence[Routine]) -> None:
        """Money of a table that names a currency is matched on it or converted: currencies never meet in one sum."""
        for routine in routines:
            for step in routine.steps:
                for key, formula in step.formulas():
                    if key.rpartition(".")[2] in ("value", "amount", "per_unit") and step.way.is_amount:
                        self._check_currency(f"routine.{routine.name}.step.{step.name}.{key}", formula)

    def _check_currency(self, path: str, formula: Formula) -> None:
        for name in formula.reads:
            head, _, column = name.partition(".")
            table = self.tables.get(head)
            money = table is not None and "currency" in table.fields and table.fields.get(column) is not None
            if not money or table is None or table.fields[column].kind not in NUMBERS or column == "base":
                continue
            if "currency" not in table.conditions and column not in table.factors:
                said = f"table '{head}' has a column 'currency': match on it, or say convert = {{ {column} = ... }}"
                self._problem(path, f"{said}, so that '{name}' is in the currency of the order")

    def _check_context(self) -> None:
        """Tables beside a line are tables, matched, with the columns that are to be shown."""
        for each in self.definition.context:
            path = f"context.{each.name}"
            if each.table not in self.specs:
                self._problem(f"{path}.table", f"there is no table '{each.table}'{nearest(each.table, self.specs)}")
                continue
            table = self.tables.get(each.table)
            for column in each.columns if table is not None else ():
                if table is not None and column not in table.fields:
                    hint = column_missing(column, table.fields, table.definition, table.source)
                    self._problem(f"{path}.columns", f"table '{each.table}' has no column '{column}'{hint}")

    def _figures_for_tables(self) -> dict[str, Name]:
        """Tables may read figures; whether those come early enough is checked where a step reads the table."""
        names = {step.name for routine in self.definition.routines for step in routine.steps if step.name != "price"}
        names |= {"amount", "net", "without_tax"}
        line = {f"line.{name}": Name("decimal", Level.LINE) for name in (*names, "price")}
        return {**line, **{f"header.{name}": Name("decimal", Level.HEADER) for name in names}}

    def _routine(self, name: str) -> Routine | None:
        definition = next(routine for routine in self.definition.routines if routine.name == name)
        try:
            return build_routine(definition, self.step_scope.with_figures, kinds_by_name(self.definition.kinds))
        except RulebookError as error:
            self.problems += error.problems
            return None

    def _reporting(self) -> Formula | None:
        """The rate of the reporting currency."""
        if self.definition.reporting is None:
            return None
        currency, rate = self.definition.reporting.currency, self.definition.reporting.rate
        known = self.definition.minor_units
        if currency not in known:
            message = f"expected a currency code of ISO 4217 (got '{currency}'{nearest(currency, known)})"
            self._problem("rulebook.reporting.currency", message)
        try:
            return compile_formula(rate, self.scope, tuple(sorted(NUMBERS)), Level.HEADER, "this rate")
        except FormulaError as error:
            self._problem("rulebook.reporting.rate", error.pointed())
            return None

    def _parties(self) -> dict[str, list[Formula]]:
        """What reports say of the parties of an order."""
        found: dict[str, list[Formula]] = {}
        for party, sources in self.definition.report.parties.items():
            for at, source in enumerate(sources):
                try:
                    # A postcode of digits is a number to a table that does not declare it.
                    kinds = ("text", *sorted(NUMBERS))
                    formula = compile_formula(source, self.scope, kinds, Level.HEADER, "a report")
                    found.setdefault(party, []).append(formula)
                except FormulaError as error:
                    self._problem(f"report.{party}.{at}", error.pointed())
        return found

    def _rules(self, figures: Mapping[str, Name]) -> list[Rule]:
        names = Scope(self.definition, self._table, figures, with_run=True, with_change=True, with_user=True)
        rules: list[Rule] = []
        for definition in self.definition.rules:
            try:
                rules.append(build_rule(definition, names, self.definition.moments or MOMENTS))
            except RulebookError as error:
                self.problems += error.problems
        return rules

    def _named(self, figures: Mapping[str, Name]) -> dict[str, Formula]:
        """Named formulas, also those that nobody reads: each must make sense where most may be read."""
        names = Scope(self.definition, self._table, figures, with_run=True, with_change=True, with_user=True)
        found: dict[str, Formula] = {}
        for name, source in self.definition.formulas.items():
            try:
                found[name] = compile_formula(source, names, what="this formula")
            except FormulaError as error:
                self._problem(f"formula.{name}", error.pointed())
        return found

    # -- defaults ---------------------------------------------------------------------------------------------

    def _defaults(self) -> list[tuple[str, str, Formula]]:
        of_default = Scope(self.definition, self._table, with_run=True, with_was=False)
        of_value = Scope(self.definition, self._table)
        fields = self.definition.fields
        formulas: dict[str, Formula] = {}
        for level, known in (("header", fields.header), ("line", fields.line)):
            most = Level.HEADER if level == "header" else Level.LINE
            for field in known.values():
                if field.formula is None:
                    continue
                what, names = ("default", of_default) if field.value is None else ("value", of_value)
                try:
                    formula = compile_formula(field.formula, names, _fitting(field), most, f"this {what}")
                    formulas[f"{level}.{field.name}"] = formula
                except FormulaError as error:
                    self._problem(f"{level}.{field.name}.{what}", error.pointed())
        return [(*name.split(".", 1), formulas[name]) for name in self._sorted(formulas)]  # type: ignore[misc]

    def _sorted(self, formulas: Mapping[str, Formula]) -> list[str]:
        """The defaults, each after those it reads."""
        graph: TopologicalSorter[str] = TopologicalSorter()
        for name, formula in formulas.items():
            reads = names_behind([*formula.reads, *(f"{table}." for table in formula.tables)], self.tables)
            graph.add(name, *sorted(reads & formulas.keys()))
        try:
            return list(graph.static_order())
        except CycleError as error:
            circle: list[str] = error.args[1][::-1]  # each reads the next
            level, _, name = circle[0].partition(".")
            field = (self.definition.fields.header if level == "header" else self.definition.fields.line)[name]
            what = "default" if field.value is None else "value"
            self._problem(f"{circle[0]}.{what}", f"defaults read each other in a circle: {' -> '.join(circle)}")
            return []


def _with_first_state(definition: ProgramDefinition) -> ProgramDefinition:
    """An order that says no state is in the first one: a draft, for rules and lists as for the editor."""
    state = definition.fields.header.get("state")
    if state is None or state.default is not None or state.required:
        return definition
    header = {**definition.fields.header, "state": state.with_changes(default=repr(definition.lifecycle.first))}
    return replace(definition, fields=replace(definition.fields, header=header))


WRITTEN_BY_OTHERS = (
    "number", "item", "quantity", "delivered", "state", "revision", "currency", "price_override", DRAWN,
)  # fmt: skip
"""Fields that editors, deliveries and stores write."""


def _fitting(field: Field) -> Sequence[FormulaKind]:
    if field.kind == "decimal":
        return tuple(sorted(NUMBERS))
    return (field.kind,)


def _readers(tables: Mapping[str, Table]) -> dict[str, frozenset[str]]:
    closures = {name: names_behind(table.behind, tables) for name, table in tables.items()}
    return {
        f"line.{figure}": frozenset(
            name for name, closure in closures.items() if not closure.isdisjoint((f"line.{figure}", f"header.{figure}"))
        )
        for figure in RUNNING
    }


# -- to other processes ---------------------------------------------------------------------------------------

_built_here: WeakValueDictionary[str, Program] = WeakValueDictionary()
"""Programs that came from other processes, by fingerprint: each of many results names the same."""


def _built(fingerprint: str, definition: ProgramDefinition) -> Program:
    found = _built_here.get(fingerprint)
    if found is None:
        found = _built_here[fingerprint] = build_program(definition)
    return found


# A program goes as what its rulebook says, and is built anew, once: formulas are code, which stays where it is.
copyreg.pickle(Program, lambda program: (_built, (program.fingerprint, program.definition)))
