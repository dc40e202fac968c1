"""`Scope`: the names that formulas of a rulebook may use, while it loads."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

from dokima.columns.column import kind_of
from dokima.errors import nearest
from dokima.formulas import Level, Name, UnknownName
from dokima.formulas.expanding import NAMED, in_one_line
from dokima.formulas.functions import Function
from dokima.model.fields import Field
from dokima.pricing.change_facts import CHANGE_FACTS
from dokima.pricing.facts import FACTS
from dokima.pricing.program import ProgramDefinition
from dokima.pricing.steps.definition import RESERVED
from dokima.tables.definition import USER, column_missing, is_price_column
from dokima.tables.reading import first_text
from dokima.tables.table import Table

TableGetter = Callable[[str], Table | None]
"""Gives a table by name, building it first if need be; None for a table with problems of its own."""

_RUN = {"run.today": Name("date", Level.CONSTANT, "today"), USER: Name("text", Level.CONSTANT, "user")}


@dataclass(frozen=True)
class Scope:
    """Names by what they begin with.

    Attributes:
        definition: The rulebook.
        table: Gives a table.
        figures: Figures that exist so far.
        texts: Texts that other names than those of named formulas stand for.
        with_was: Whether what was before an edit may be read, where the run may be.
        with_run: Whether ``run.today`` and ``run.user`` may be read (in rules and defaults only).
        with_change: Whether the change being approved may be read (in rules only).
        of_table: Whether these are the names of a table's own formulas, which may ask for ``run.user``.
        with_user: Whether tables found by ``run.user`` may be read (in rules only: no figure depends on who asks).
    """

    definition: ProgramDefinition
    table: TableGetter
    figures: Mapping[str, Name] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)
    with_was: bool = True
    with_run: bool = False
    with_change: bool = False
    of_table: bool = False
    with_user: bool = False

    def with_figures(self, figures: Mapping[str, Name]) -> Scope:
        """The same names with other figures."""
        return replace(self, figures=dict(figures))

    def describe(self, name: str) -> Name:
        head, dot, tail = name.partition(".")
        if not dot:
            raise UnknownName(f"a name has two parts, such as line.quantity (got '{name}')")
        if name in self.figures:
            return self.figures[name]
        match head:
            case "header" if name in FACTS and not self.with_run:
                raise UnknownName(f"'{name}' is not known here: only rules and defaults may read it")
            case "header" | "line" if name in FACTS:
                return FACTS[name]
            case "header":
                return self._field(name, self.definition.fields.header, Level.HEADER)
            case "line" | "parent":
                return self._field(name, self.definition.fields.line, Level.LINE)
            case "was" | "was_header" if not (self.with_run and self.with_was):
                raise UnknownName(f"'{name}' is not known here: only rules see what was before an edit")
            case "was":
                return self._field(name, self.definition.fields.line, Level.LINE)
            case "was_header":
                return self._field(name, self.definition.fields.header, Level.HEADER)
            case "change" | "variance" | "ledger":
                return self._of_change(name)
            case "leaving" if self.with_change:
                found = self._field(f"line.{tail}", self.definition.fields.line, Level.LINE)
                return replace(found, rows=head)
            case "leaving":
                raise UnknownName(f"'{name}' is not known here: only rules of 'remove' see the lines that leave")
            case "delivery" | "payment":
                return self._record(name, head, tail)
            case "value":
                return self._value(tail)
            case "run" if (self.with_run and name in _RUN) or (self.of_table and name == USER):
                return _RUN[name]
            case "run":
                raise UnknownName(f"'{name}' is not known here: rules and defaults may read run.today and run.user")
        return self._column(head, tail)

    def _field(self, name: str, fields: Mapping[str, Field], level: Level) -> Name:
        head, _, tail = name.partition(".")
        if tail in fields:
            return Name(fields[tail].kind, level, fields[tail].shown, money=fields[tail].money)
        steps = [step for routine in self.definition.routines for step in routine.steps if step.name == tail]
        if any(step.name != "price" or head == "line" for step in steps):
            raise UnknownName(f"'{name}' is the figure of a step and can be read only after that step")
        if tail in ("tax", "with_tax") and not any(s.kind == "tax" for r in self.definition.routines for s in r.steps):
            raise UnknownName(f"'{name}' is known after a step of kind 'tax', and there is none")
        if tail in RESERVED and name != "header.price":
            why = "cannot be read here" if self.definition.routines else "is left by a routine, and there is none"
            raise UnknownName(f"'{name}' is a figure, which {why}")
        known = [*fields, *(figure.split(".")[1] for figure in self.figures if figure.startswith(f"{head}."))]
        found = nearest(tail, known).replace("'", f"'{head}.", 1)
        raise UnknownName(f"there is no '{name}'{found}")

    def _of_change(self, name: str) -> Name:
        if not self.with_change:
            raise UnknownName(f"'{name}' is not known here: only rules of 'approve' see the change")
        if name not in CHANGE_FACTS:
            raise UnknownName(f"there is no '{name}'{nearest(name, CHANGE_FACTS)}")
        return CHANGE_FACTS[name]

    def _record(self, name: str, head: str, tail: str) -> Name:
        if not self.with_run:
            raise UnknownName(f"'{name}' is not known here: only rules see deliveries and payments")
        fields = self.definition.fields.records[head]
        if tail not in fields:
            hint = nearest(tail, fields).replace("'", f"'{head}.", 1)
            raise UnknownName(f"there is no '{name}'{hint}")
        return Name(fields[tail].kind, Level.LINE, fields[tail].shown, head, fields[tail].money)

    def _value(self, name: str) -> Name:
        values = self.definition.values
        if name not in values:
            raise UnknownName(f"there is no named value '{name}'{nearest(name, values)}")
        return Name(kind_of(values[name]), Level.CONSTANT, name.replace("_", " "))

    def _column(self, table: str, column: str) -> Name:
        level = self.describe_table(table)
        found = self.table(table)
        if found is None:
            return Name("blank", level)
        if column not in found.fields:
            hint = column_missing(column, found.fields, found.definition, found.source)
            hint = hint.replace("did you mean '", f"did you mean '{table}.", 1)
            raise UnknownName(f"table '{table}' has no column '{column}'{hint}")
        money = found.fields[column].kind == "decimal" and is_price_column(column)
        return Name(found.fields[column].kind, level, found.fields[column].shown, money=money)

    def describe_table(self, name: str) -> Level:
        tables = self.definition.tables
        if name not in {table.name for table in tables}:
            hint = nearest(name, [*(table.name for table in tables), "header", "line", "value"])
            raise UnknownName(f"there is no table or level '{name}'{hint}")
        found = self.table(name)
        if found is None:
            # All that is known of it is what it says itself; a wrong level would be told as a mistake of its readers.
            return next(Level.LINE if table.reads_lines else Level.HEADER for table in tables if table.name == name)
        for read in found.reads:
            if read == USER and self.with_user:
                continue
            if read == USER:
                why = "it is found by run.user, so only rules may read it: no figure depends on who asks"
                raise UnknownName(f"table '{name}' cannot be read here: {why}")
            try:
                self.describe(read)
            except UnknownName as error:
                raise UnknownName(f"table '{name}' cannot be read here: {error.args[0]}") from None
        return found.level

    def evidence(self, name: str) -> str:
        head, _, tail = name.partition(".")
        table = self.table(head) if head in self.definition.sources else None
        return "" if table is None or tail in table.definition.columns else first_text(table.source, tail)

    def function(self, name: str) -> Function | None:
        return self.definition.functions.get(name)

    @property
    def has_texts(self) -> bool:
        return bool(self.texts)

    def text_of(self, name: str) -> str | None:
        head, _, tail = name.partition(".")
        if head != NAMED:
            return self.texts.get(name)
        known = self.definition.formulas
        if tail not in known:
            raise UnknownName(f"there is no named formula '{tail}'{nearest(tail, known)}")
        return in_one_line(known[tail])

    def known(self) -> Iterable[str]:
        fields = self.definition.fields
        yield from (f"line.{name}" for name in fields.line)
        yield from (f"header.{name}" for name in fields.header)
        yield from self.figures
        yield from (f"value.{name}" for name in self.definition.values)
        for table in self.definition.tables:
            yield from (f"{table.name}.{name}" for name in self.definition.sources[table.name].columns)
