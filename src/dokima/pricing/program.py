"""`Program`: one rulebook, compiled."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Annotated, Any, Literal

from dokima.columns.column import Column
from dokima.errors import NotFound, listed, nearest
from dokima.formulas import Formula
from dokima.formulas.following import Follows
from dokima.formulas.functions import Function
from dokima.formulas.names import FormulaKind
from dokima.model.databases import Database
from dokima.model.fields import Fields
from dokima.model.numbering import NumberSeries
from dokima.model.questions import Question
from dokima.model.settings import FormulaText, Reads, Texts, setting
from dokima.model.states import ChangeTerms, Lifecycle, OverrideTerms, StatedTerms
from dokima.pricing.fingerprint import fingerprint_of
from dokima.pricing.kinds.kind import StepKind
from dokima.pricing.papers import PaperDefinition, PaperTerms, internal_names
from dokima.pricing.steps.definition import RoutineDefinition
from dokima.pricing.steps.routine import Routine
from dokima.rules.rule import Rule, RuleDefinition
from dokima.rules.verdicts import asked_at
from dokima.tables.definition import ContextTable, TableDefinition, TableSource
from dokima.tables.table import Table, names_behind


@dataclass(frozen=True)
class ReportTerms:
    """How reports speak by default, and what they say of the parties: formulas of text, one a line, the name first."""

    locale: Annotated[str, Reads("locale")] = setting(
        "The locale of reports for which none is asked, such as en_GB.", default=""
    )
    customer: Texts = setting("Formulas of text: the customer's name, then lines of the address.", default=())
    supplier: Texts = setting("The same of the supplier.", default=())
    ship_to: Texts = setting("The same of the place of delivery.", default=())
    valid_days: Annotated[int, Reads("days")] | None = setting(
        "For how many days after its submission a change order is offered.", default=None
    )

    @property
    def parties(self) -> Mapping[str, Sequence[str]]:
        """The formulas of those parties that there are any for."""
        given = {"customer": self.customer, "supplier": self.supplier, "ship_to": self.ship_to}
        return {name: formulas for name, formulas in given.items() if formulas}


@dataclass(frozen=True)
class ReportingCurrency:
    """A second currency that totals are reported in."""

    currency: str = setting("The currency, ISO 4217.")
    rate: FormulaText = setting("How many of it one of the order's currency is, a formula.")


@dataclass(frozen=True)
class ProgramDefinition:
    """Everything a rulebook says, formulas as text still.

    Attributes:
        name: Name of the rulebook.
        fields: Fields of headers and lines.
        formulas: Named formulas, as they were written.
        values: Named values, columns of length 1.
        tables: Tables in the order they were declared.
        sources: Their rows, by table.
        questions: Questions that nobody has answered yet.
        context: Tables whose rows are shown beside a line when it is explained.
        rules: Rules.
        routines: Routines.
        moments: Moments, those every rulebook knows and those it adds.
        minor_units: Decimal places by currency code (ISO 4217).
        functions: The rulebook's own functions, by name.
        lifecycle: States of orders, and what each permits.
        stated: How stated figures are compared with calculated ones.
        reporting: A second currency that totals are reported in; None without one.
        letterhead: Who sends reports: name first, then whatever belongs below it.
        texts: Words of reports in the place of ours.
        report: How reports speak by default, and what they say of the parties.
        kinds: Kinds of steps of its own, beside those that are built in.
        policy: Says of a line's variance whether its growth is ordered separately; None to go by ``changes``.
        changes: How change orders are settled.
        overrides: What a price typed by hand must be.
        databases: Databases that rows may be read from, by name.
        numbering: How orders are numbered when they are saved, by kind of order.
        reprice_on: Fields by dotted name; where one has changed, agreed terms are no longer used.
        note: What its author says it is for.
        papers: Papers about an order, such as a quotation.
        status: ``draft`` while it is not to be worked with; blank once it is.
        left_out: Rules and steps that were left out to try something; orders are not edited or saved with it.
    """

    name: str
    fields: Fields
    values: Mapping[str, Column] = field(default_factory=dict)
    formulas: Mapping[str, Any] = field(default_factory=dict)
    tables: Sequence[TableDefinition] = ()
    sources: Mapping[str, TableSource] = field(default_factory=dict)
    context: Sequence[ContextTable] = ()
    questions: Sequence[Question] = ()
    rules: Sequence[RuleDefinition] = ()
    routines: Sequence[RoutineDefinition] = ()
    moments: Sequence[str] = ()
    minor_units: Mapping[str, int] = field(default_factory=dict)
    functions: Mapping[str, Function] = field(default_factory=dict)
    lifecycle: Lifecycle = field(default_factory=Lifecycle)
    stated: StatedTerms = field(default_factory=StatedTerms)
    reporting: ReportingCurrency | None = None
    letterhead: Mapping[str, str] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)
    report: ReportTerms = field(default_factory=ReportTerms)
    policy: Callable[[Any], bool] | None = None
    kinds: Sequence[StepKind] = ()
    changes: ChangeTerms = field(default_factory=ChangeTerms)
    overrides: OverrideTerms = field(default_factory=OverrideTerms)
    reprice_on: Sequence[str] = ("line.item", "line.unit")
    note: str = ""
    papers: Sequence[PaperDefinition] = ()
    status: str = ""
    left_out: Sequence[str] = ()
    numbering: Mapping[str, NumberSeries] = field(default_factory=dict)
    databases: Mapping[str, Database] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Program:
    """A rulebook, checked and ready to run. Immutable.

    Attributes:
        definition: What it was made from.
        tables: Tables by name.
        rules: Rules in the order they were declared.
        routines: Routines in the order they were declared.
        defaults: Formulas of fields, (level, field) first, in the order of what they read.
        named: Named formulas by name, each with every name that some place may read.
        parties: Formulas of text that say who and where the parties are, by customer, supplier and ship_to.
        reporting_rate: How many of the reporting currency one of an order's is; None without such a currency.
        readers: For each figure that changes from step to step the tables that read it or its sum over the order,
            directly or through others.
        papers: Papers about an order by name.
    """

    definition: ProgramDefinition
    tables: Mapping[str, Table]
    rules: Sequence[Rule]
    routines: Sequence[Routine]
    defaults: Sequence[tuple[str, str, Formula]] = ()
    readers: Mapping[str, frozenset[str]] = field(default_factory=dict)
    reporting_rate: Formula | None = None
    parties: Mapping[str, Sequence[Formula]] = field(default_factory=dict)
    named: Mapping[str, Formula] = field(default_factory=dict)
    papers: Mapping[str, PaperTerms] = field(default_factory=dict)

    def paper(self, name: str) -> PaperTerms:
        """A paper by name.

        Raises:
            NotFound: There is none.
        """
        if name not in self.papers:
            there = f"; there are {listed(self.papers)}" if self.papers else "; the rulebook has none: [paper.NAME]"
            raise NotFound(f"there is no paper '{name}'{nearest(name, self.papers)}{there}")
        return self.papers[name]

    @cached_property
    def internal(self) -> frozenset[str]:
        """Dotted names that papers which leave the house do not show."""
        return internal_names(self)

    @cached_property
    def figures(self) -> frozenset[str]:
        """The figures that routines leave, by dotted name."""
        return frozenset(name for routine in self.routines for name in routine.figures)

    @cached_property
    def line_figures(self) -> Mapping[str, FormulaKind]:
        """The figures that a line has in one routine or another, in the sequence of their steps, and their kinds."""
        found: dict[str, FormulaKind] = {}
        for routine in self.routines:
            for dotted, known in routine.figures.items():
                level, _, name = dotted.partition(".")
                if level == "line":
                    found.setdefault(name, known.kind)
            for name in routine.amounts:  # tax is 0 where no step takes any
                found.setdefault(name, "decimal")
        return found

    @cached_property
    def header_figures(self) -> Mapping[str, FormulaKind]:
        """The figures of orders that steps of one routine or another leave, and their kinds."""
        found: dict[str, FormulaKind] = {}
        for routine in self.routines:
            for name, kind in routine.header_figures.items():
                found.setdefault(name, kind)
        return found

    @cached_property
    def rules_at(self) -> Mapping[str, Sequence[tuple[Rule, str]]]:
        """The rules asked at each moment, each once, with the moment it speaks at."""
        return {moment: asked_at(self.rules, moment) for moment in self.definition.moments}

    @cached_property
    def read_by_rules(self) -> Mapping[str, frozenset[str]]:
        """For each rule the names it and its message read, and those that the tables they ask read in turn."""
        dated = [([] if rule.valid is None else ["header.date"]) for rule in self.rules]
        return {
            rule.key: self._behind([*rule.reads, *rule.message.reads, *date])
            for rule, date in zip(self.rules, dated, strict=True)
        }

    @cached_property
    def read_by_required(self) -> Mapping[str, frozenset[str]]:
        """For each table whose rows are required the names that it and its condition read, themselves or in turn."""
        return {
            name: self._behind([*table.reads, *table.required.reads, *(f"{each}." for each in table.required.tables)])
            for name, table in self.tables.items()
            if table.required is not None
        }

    @cached_property
    def figures_of_required(self) -> Mapping[str, frozenset[str]]:
        """Of those names the figures, which can be read only once a routine has left them."""
        of_orders = {f"header.{name.removeprefix('line.')}" for name in self.figures if name.startswith("line.")}
        return {name: read & (self.figures | of_orders) for name, read in self.read_by_required.items()}

    @cached_property
    def follows(self) -> Mapping[tuple[str, str], Follows]:
        """For each field with a formula of its own, (level, field), the names that its value follows from: tables give
        way to what they are asked with."""
        return {(level, name): self._follows([formula]) for level, name, formula in self.defaults}

    @cached_property
    def drawable(self) -> Sequence[tuple[str, str]]:
        """The fields with a default, (level, field); those that are always worked out are never drawn."""
        return [(level, name) for level, name, _ in self.defaults if (level, name) not in self.fields.computed]

    def drawn_again(self, names: Iterable[str]) -> list[tuple[str, str]]:
        """The fields, (level, field), whose formulas read one of some fields, themselves or through each other."""
        moved, found = set(names), list[tuple[str, str]]()
        for (level, name), follows in self.follows.items():
            reads = {each.replace("parent.", "line.", 1) for each in follows.here | follows.anywhere}
            if reads & moved:
                moved.add(f"{level}.{name}")
                found.append((level, name))
        return found

    def _follows(self, formulas: Iterable[Formula]) -> Follows:
        first = Follows.of(formulas)
        todo = [(name, False) for name in first.here] + [(name, True) for name in first.anywhere]
        seen: dict[bool, set[str]] = {False: set(), True: set()}
        counts = first.counts
        while todo:
            name, anywhere = todo.pop()
            if name in seen[anywhere]:
                continue
            seen[anywhere].add(name)
            table = self.tables.get(name.split(".")[0])
            if table is not None:
                asked = Follows.of([*table.formulas(), *table.factors.values()])
                counts = counts or asked.counts
                todo += [(each, anywhere) for each in asked.here] + [(each, True) for each in asked.anywhere]
        plain = [frozenset(name for name in names if name.split(".")[0] not in self.tables) for names in seen.values()]
        return Follows(plain[0], plain[1], counts)

    @cached_property
    def may_fail(self) -> bool:
        """Whether anything that formulas read may be in error: own functions, and what defaults may not hold."""
        limited = any(
            field.places is not None or field.choices
            for level, name, _ in self.defaults
            for field in [(self.fields.header if level == "header" else self.fields.line)[name]]
        )
        return bool(self.definition.functions) or limited

    def in_finer_money(self) -> Program:
        """The same with six more decimal places in every currency: a discount on one clip stays a discount."""
        finer = {code: places + 6 for code, places in self.definition.minor_units.items()}
        return replace(self, definition=replace(self.definition, minor_units=finer))

    def _behind(self, names: Iterable[str]) -> frozenset[str]:
        return frozenset(names_behind(names, self.tables))

    @cached_property
    def fingerprint(self) -> str:
        """SHA-256 of everything the rulebook says, the rows of its tables included."""
        return fingerprint_of(self.definition)

    @property
    def fields(self) -> Fields:
        """Fields of headers and lines."""
        return self.definition.fields

    def label(self, name: str) -> str:
        """The word shown to people for a dotted name."""
        head, _, tail = name.partition(".")
        if head in ("header", "line", "parent"):
            fields = self.fields.header if head == "header" else self.fields.line
            if tail in fields:
                return fields[tail].shown
            for routine in self.routines:
                if (step := routine.step(tail)) is not None:
                    return step.definition.shown
        if head in self.tables and tail in self.tables[head].fields:
            return self.tables[head].fields[tail].shown
        return tail.replace("_", " ")


@dataclass(frozen=True)
class Run:
    """What the caller says about a run, because the core knows neither clock nor user.

    Attributes:
        today: Date for ``run.today``; blank if None.
        user: Name for ``run.user``; blank if None.
        change: What is known of the change being approved (``engine.approving``); None for none.
        terms: Whether orders keep what was agreed: once they have left draft (by state), whatever their state (keep, in
            a change), or not at all (ignore).
    """

    today: datetime.date | None = None
    user: str | None = None
    change: Mapping[str, Any] | None = None
    terms: Literal["by state", "keep", "ignore"] = "by state"
