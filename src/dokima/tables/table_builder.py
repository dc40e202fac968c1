"""From a definition and rows to a `Table`, with every problem on the way."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from dokima.columns.column import Column, Kind, column_of
from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed
from dokima.exact import Decimals
from dokima.exact.integers import Integers
from dokima.formulas import NUMBERS, Formula, FormulaKind, Level, Names, compile_formula
from dokima.formulas.operators import pick
from dokima.model.fields import Field
from dokima.model.values import BadValue, ValueReader
from dokima.tables.definition import USER, TableDefinition, TableSource, column_missing
from dokima.tables.graduated import Bands
from dokima.tables.index import build_patterns
from dokima.tables.preference import (
    MOST_SPECIFIC,
    Criterion,
    RowFrame,
    compile_criterion,
    preference,
    rank_criterion,
    rank_specific,
)
from dokima.tables.reading import read_columns
from dokima.tables.table import AMOUNT, Break, Table, Window


def build_table(definition: TableDefinition, source: TableSource, names: Names) -> Table:
    """Check and index a table.

    Raises:
        RulebookError: With every problem of its formulas and rows.
    """
    return _Builder(definition, source, names).build()


class _Builder:
    def __init__(self, definition: TableDefinition, source: TableSource, names: Names) -> None:
        self.definition = definition
        self.source = source
        self.names = names
        self.problems: list[RulebookProblem] = []
        self.path = f"table.{definition.name}"

    def build(self) -> Table:
        spec = self.definition
        conditions = self._formulas("key" if spec.is_key else "match", spec.conditions)
        on = self._formula("window.on", spec.window.on, ["date"]) if spec.window else None
        breaks = self._formulas("breaks", spec.breaks, sorted(NUMBERS))
        # Without its formulas the kinds of its columns are unknown: what follows would only confuse.
        self._raise_problems()
        if self.source.size and not self.source.columns:
            self._problem("", "expected rows with columns (there are rows, and none of them says anything)")
        self._raise_problems()
        kinds = self._kinds(conditions)
        fields, cells, problems = read_columns(spec, self.source, kinds)
        self.problems += problems
        self._check_kinds(fields)
        self._raise_problems()
        defaults = self._defaults(fields)
        columns = {name: _filled(column, defaults.get(name)) for name, column in cells.items()}
        criteria = self._criteria(fields, columns, [cells[name] for name in conditions])
        place = preference(criteria, self.source.size)
        coders, patterns = build_patterns([cells[name] for name in conditions], place)
        starts, ends = (spec.window.start, spec.window.until) if spec.window else ("", "")
        # A window without a first or last day names no column; a file may have one under a blank heading.
        start, end = (cells.get(name) if name else None for name in (starts, ends))
        window = Window.of(on, start, end, (starts, ends), self.source.size) if on else None
        used = [*conditions.values(), *([on] if on else []), *breaks.values()]
        level = max([Level.HEADER, *(formula.level for formula in used)])
        table = Table(
            definition=spec,
            source=self.source,
            fields=fields,
            columns=columns,
            cells=cells,
            conditions=conditions,
            window=window,
            breaks=[
                Break(name, _decimals(cells[name]), formula, name in spec.above) for name, formula in breaks.items()
            ],
            criteria=criteria,
            preference=place,
            coders=coders,
            patterns=patterns,
            level=level,
            defaults=defaults,
            reads=frozenset(name for formula in used for name in formula.reads),
            required=self._required(level),
        )
        if table.required is not None and USER in table.reads | table.required.reads.keys():
            self._problem("required", f"prices ask for required rows, and none may depend on {USER}: a rule can ask")
        for name in [name for name in spec.convert if name not in fields or fields[name].kind not in NUMBERS]:
            self._problem(
                f"convert.{name}", f"expected a number column of the table (got '{name}'{self._missing(name, fields)})"
            )
        self._check_keys(table)
        self._raise_problems()
        return self._graduated(table) if spec.graduated else table

    def _graduated(self, table: Table) -> Table:
        """The table with its bands, and ``amount`` among its fields."""
        if len(table.breaks) != 1:
            self._problem("graduated", f"expected exactly one break to grade by (got {len(table.breaks)})")
        price = table.fields.get("price")
        if price is None or price.kind not in NUMBERS:
            self._problem("graduated", "expected a number column 'price', the price of one unit in each band")
        if AMOUNT in table.fields:
            self._problem("graduated", f"'{AMOUNT}' is what a graduated table answers with; name this column otherwise")
        self._raise_problems()
        alike: list[Column | Integers] = [table.cells[name] for name in table.conditions]
        if table.window is not None:
            alike += [table.window.start, table.window.end]
        bands = Bands.of(alike, table.breaks[0].least, table.columns["price"], table.columns.get("base"))
        fields = {**table.fields, AMOUNT: Field(AMOUNT, "decimal")}
        return replace(table, bands=bands, fields=fields)

    def _raise_problems(self) -> None:
        if self.problems:
            raise RulebookError(self.problems)

    def _problem(self, path: str, message: str) -> None:
        self.problems.append(RulebookProblem("", f"{self.path}.{path}" if path else self.path, message))

    def _formula(self, path: str, source: object, expect: Sequence[FormulaKind] = ()) -> Formula | None:
        try:
            return compile_formula(source, self.names, expect)
        except FormulaError as error:
            self._problem(path, error.pointed())
            return None

    def _required(self, level: Level) -> Formula | None:
        """Where a row is required: a condition that is no deeper than the table itself."""
        if self.definition.required is False:
            return None
        try:
            return compile_formula(self.definition.required, self.names, ("flag",), level, "'required'")
        except FormulaError as error:
            self._problem("required", error.pointed())
            return None

    def _formulas(
        self, path: str, sources: Mapping[str, object], expect: Sequence[FormulaKind] = ()
    ) -> dict[str, Formula]:
        found = {name: self._formula(f"{path}.{name}", source, expect) for name, source in sources.items()}
        return {name: formula for name, formula in found.items() if formula is not None}

    def _kinds(self, conditions: Mapping[str, Formula]) -> dict[str, Kind]:
        kinds: dict[str, Kind] = {}
        for name, formula in conditions.items():
            kinds[name] = "text" if formula.kind == "blank" else formula.kind
        if self.definition.window is not None:
            window = self.definition.window
            kinds |= {column: "date" for column in (window.start, window.until) if column}
        return {**kinds, **dict.fromkeys(self.definition.breaks, "decimal")}

    def _check_kinds(self, fields: Mapping[str, Field]) -> None:
        """A break is counted and a window has days, whatever the columns are said to be."""
        window = self.definition.window
        for key, wanted, names in (
            ("breaks", NUMBERS, tuple(self.definition.breaks)),
            ("window", {"date"}, tuple(filter(None, (window.start, window.until))) if window is not None else ()),
        ):
            for name in names:
                if name in fields and fields[name].kind not in wanted:
                    what = "numbers" if key == "breaks" else "dates"
                    self._problem(f"{key}.{name}", f"expected a column of {what} (its kind is {fields[name].kind})")

    def _defaults(self, fields: Mapping[str, Field]) -> dict[str, Column]:
        defaults: dict[str, Column] = {}
        for name, spec in fields.items():
            if spec.default is not None:
                try:
                    defaults[name] = column_of(spec.kind, [ValueReader().read(spec, spec.default)])
                except BadValue as error:
                    self._problem(f"columns.{name}.default", str(error))
        return defaults

    def _criteria(
        self, fields: Mapping[str, Field], columns: Mapping[str, Column], conditions: Sequence[Column]
    ) -> list[Criterion]:
        frame = RowFrame(columns, self.source.size)
        criteria: list[Criterion] = []
        for at, text in enumerate(self.definition.choose):
            if text.strip() == MOST_SPECIFIC:
                criteria.append(rank_specific(column for column in conditions))
                criteria[-1] = Criterion(MOST_SPECIFIC, np.broadcast_to(criteria[-1].rank, (self.source.size,)))
                continue
            try:
                direction, formula = compile_criterion(text, fields, self._missing)
                for name in [name for name in formula.reads if name in self.definition.convert]:
                    self._problem(f"choose.{at}", f"'{name}' is converted, and rows in other currencies do not compare")
                criteria.append(rank_criterion(text, direction, formula, frame))
            except FormulaError as error:
                self._problem(f"choose.{at}", error.pointed())
        return criteria

    def _missing(self, column: str, known: Iterable[str]) -> str:
        return column_missing(column, known, self.definition, self.source)

    def _check_keys(self, table: Table) -> None:
        """Rows with one key are a mistake unless a window or breaks and ``choose`` tell them apart."""
        if not table.definition.is_key:
            self._check_choose(table)
            return
        for name in table.conditions:
            for row in np.flatnonzero(table.cells[name].is_missing()).tolist():
                self._cell_problem(row, name, "expected a key (the cell is empty)")
        if table.definition.graduated or (table.definition.choose and (table.window or table.breaks)):
            return
        for pattern in table.patterns:
            for at in np.flatnonzero(pattern.stops - pattern.starts > 1).tolist():
                self._same_key(table, sorted(pattern.rows[pattern.starts[at] : pattern.stops[at]].tolist()))

    def _check_choose(self, table: Table) -> None:
        if table.definition.choose or table.definition.graduated:
            return
        twins = [pattern.rows[:2] for pattern in table.patterns if (pattern.stops - pattern.starts > 1).any()]
        several = [pattern.rows[0] for pattern in table.patterns if len(pattern.rows)]
        if twins or len(several) > 1:
            self._problem(
                "choose", "expected criteria such as 'lowest price', because more than one row can fit a line"
            )

    def _same_key(self, table: Table, rows: Sequence[int]) -> None:
        places = listed(str(self.source.row_number(row)) for row in rows[:-1])
        columns = listed(table.conditions)
        window, breaks = table.definition.window, list(table.definition.breaks)
        told_apart = ([f"latest {window.start}"] if window and window.start else []) + [
            f"highest {each}" for each in breaks
        ]
        # With a window or breaks a key may have several rows, once it is said which of those that fit answers.
        hint = f"; choose = {told_apart} would say which of them answers" if told_apart else ""
        self._cell_problem(rows[-1], columns, f"expected each key once (row {places} has the same{hint})")

    def _cell_problem(self, row: int, column: str, message: str) -> None:
        number: Integers | int = self.source.row_number(row)
        self.problems.append(RulebookProblem(self.source.file, self.path, message, int(number), column))


def _filled(column: Column, default: Column | None) -> Column:
    return column if default is None else pick(~column.is_missing(), column, default)


def _decimals(column: Column) -> Decimals:
    assert isinstance(column, Decimals)
    return column
