"""`Table`: a table of a rulebook, checked and indexed, and how it answers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property
from typing import Any, TypeAlias
from weakref import WeakKeyDictionary

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.columns.dates import Dates
from dokima.columns.positions import Positions
from dokima.columns.texts import Texts
from dokima.columns.words import HANDFUL, Words
from dokima.exact import Decimals, compare, magnitude
from dokima.exact.integers import Integers, Mask, everywhere
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import numbers, pick
from dokima.model.fields import Field
from dokima.tables.assembly import Assemblies
from dokima.tables.definition import TableDefinition, TableSource
from dokima.tables.graduated import Bands
from dokima.tables.index import EVERYWHERE, Absence, Coder, Pattern, absence
from dokima.tables.preference import Criterion

AMOUNT = "amount"
"""What a graduated table answers with, beside its columns."""

_OPEN_START, _OPEN_END = -(2**60), 2**60

Test: TypeAlias = "Callable[[Any, Any], Mask]"
"""Whether rows fit: places of lines or orders, and the row beside each of them; or one place and one row."""


@dataclass(frozen=True)
class Window:
    """From when until when each row is valid, both days included.

    Attributes:
        on: Formula of the date asked for.
        start: First day of each row, very early if open.
        end: Last day of each row, very late if open.
        names: Columns of first and last day, blank where there is none.
    """

    on: Formula
    start: Integers
    end: Integers
    names: tuple[str, str]

    @classmethod
    def of(cls, on: Formula, start: Column | None, end: Column | None, names: tuple[str, str], size: int) -> Window:
        """A window out of date columns, each None where the table has none."""
        first = np.full(size, _OPEN_START) if start is None else _days(start, _OPEN_START)
        last = np.full(size, _OPEN_END) if end is None else _days(end, _OPEN_END)
        return cls(on, first, last, names)

    def test(self, date: Column) -> Test:
        """How to tell whether the rows beside some places are valid on the dates there.

        A blank date fits only rows without bounds.
        """
        if not isinstance(date, Dates):
            date = Dates(np.zeros(len(date), np.int64), everywhere(len(date)))  # the blank literal
        days, missing, start, end = date.days, date.missing, self.start, self.end
        if missing is None:
            return lambda places, rows: (start[rows] <= days[places]) & (days[places] <= end[rows])
        inside, always = self.test(Dates(days)), (start == _OPEN_START) & (end == _OPEN_END)
        return lambda places, rows: np.where(missing[places], always[rows], inside(places, rows))

    def fits(self, date: Dates, rows: Integers) -> Mask:
        """For each date whether the row beside it is valid."""
        return self.test(date)(np.arange(len(rows)), rows)


def _range(column: Column) -> tuple[int, int] | None:
    """The first and the last of some dates; None if there is none, or one of them is blank."""
    if not isinstance(column, Dates) or column.missing is not None or not len(column):
        return None
    days = column.days
    return (int(days[0]),) * 2 if len(days) == 1 else (int(days.min()), int(days.max()))


def _days(column: Column, open_day: int) -> Integers:
    assert isinstance(column, Dates)
    return np.where(column.is_missing(), open_day, column.days)


@dataclass(frozen=True)
class Break:
    """From which value on each row is eligible; the absolute value counts, an empty cell has no minimum.

    Attributes:
        column: The column.
        least: Its values.
        value: What is counted.
        above: Whether the value itself does not reach it yet.
    """

    column: str
    least: Decimals
    value: Formula
    above: bool = False

    def test(self, value: Column) -> Test:
        """How to tell whether the values at some places reach the rows beside them."""
        if not isinstance(value, Decimals):
            return lambda places, rows: self.fits(value.take(np.atleast_1d(places)), np.atleast_1d(rows))
        # Once at the same places, whole numbers are all there is to compare. Below every value stands -1: a row
        # without a minimum, which a blank reaches, and a blank, which reaches nothing else.
        if value.places <= self.least.places:
            # The breaks as they are kept: nothing is worked out for every row because of a few lines.
            values, wanted = value.__abs__().at(self.least.places), self._units
        else:
            values, least = Decimals.align((value.__abs__(), self.least))
            wanted = np.where(self.least.is_missing(), -1, least.units)
        reached = np.where(value.is_missing(), -1, values.units)
        if self.above:
            return lambda places, rows: (reached[places] > wanted[rows]) | (wanted[rows] < 0)
        return lambda places, rows: reached[places] >= wanted[rows]

    @cached_property
    def _units(self) -> Integers:
        """The breaks as whole numbers, -1 for none."""
        return np.where(self.least.is_missing(), -1, self.least.units)

    def reached_at(self, row: int) -> Decimal | None:
        """A value with which a row is reached; None if it asks for none."""
        least: Decimal | None = value_at(self.least, row)
        if least is None or not self.above:
            return least
        return least + Decimal(1).scaleb(-self.least.places)

    def fits(self, value: Column, rows: Integers) -> Mask:
        """For each value whether it reaches the row beside it; a blank fits only rows without a minimum."""
        least = self.least.take(rows)
        reached = compare(magnitude(numbers(value)), least) >= (1 if self.above else 0)
        open_ended = least.is_missing()
        return (reached & ~value.is_missing()) | open_ended


@dataclass(frozen=True, eq=False)
class Table:
    """A table, ready to answer.

    Attributes:
        definition: What the rulebook says.
        source: Where the rows came from.
        fields: Its columns by name.
        columns: Their values, defaults filled in.
        cells: Their values as they stand in the source.
        conditions: Formula of each key or match column.
        window: From when until when each row is valid; None for always.
        breaks: From which values on each row is eligible.
        criteria: How each row does by each criterion of ``choose``.
        preference: For each row its place by all of them, 0 for the most preferred.
        coders: Of the key or match columns, several values in a cell taken apart.
        patterns: The rows by the columns they fill.
        defaults: What stands in for an empty cell or a missing row, by column.
        level: How often it answers.
        reads: Names its formulas read, those of other tables included.
        bands: Of a graduated table.
        assemblies: Of an assembly table.
        factors: What the values of a column are multiplied by, such as an exchange rate.
        required: Where a line or order without a row is an error; None for nowhere.
    """

    definition: TableDefinition
    source: TableSource
    fields: Mapping[str, Field]
    columns: Mapping[str, Column]
    cells: Mapping[str, Column]
    conditions: Mapping[str, Formula]
    window: Window | None
    breaks: Sequence[Break]
    criteria: Sequence[Criterion]
    preference: Integers
    coders: Sequence[Coder]
    patterns: Sequence[Pattern]
    level: Level
    defaults: Mapping[str, Column] = field(default_factory=dict)
    reads: frozenset[str] = frozenset()
    bands: Bands | None = None
    assemblies: Assemblies | None = None
    factors: Mapping[str, Formula] = field(default_factory=dict)
    required: Formula | None = None

    @property
    def name(self) -> str:
        """Its name in formulas."""
        return self.definition.name

    @property
    def behind(self) -> frozenset[str]:
        """Names that its answers follow from: those its formulas read, and those of conversions."""
        return self.reads.union(*(formula.reads for formula in self.factors.values()))

    @property
    def size(self) -> int:
        """Number of rows."""
        return self.source.size

    def formulas(self) -> Iterator[Formula]:
        """All formulas that decide which row answers."""
        yield from self.conditions.values()
        if self.window is not None:
            yield self.window.on
        for each in self.breaks:
            yield each.value

    def asked_with(self) -> Iterator[Formula]:
        """The formulas that must have a value for any row to fit: every key, and what is compared with filled cells."""
        for name, formula in self.conditions.items():
            if self.definition.is_key or not self.cells[name].is_missing().any():
                yield formula
        if self.window is not None and not self._is_always(self.window).any():
            yield self.window.on
        for each in self.breaks:
            if not each.least.is_missing().any():
                yield each.value

    @staticmethod
    def _is_always(window: Window) -> Mask:
        """Rows without bounds, which a blank date fits too."""
        always: Mask = (window.start == _OPEN_START) & (window.end == _OPEN_END)
        return always

    def find(self, frame: Frame) -> Integers:
        """For each order or line (the table's level) the row that answers, -1 where none fits."""
        length = frame.order_count if self.level is Level.HEADER else len(frame.order_of)
        if self._by_word is not None:
            return self._rows_by_word(frame)
        codes: list[Integers] = []
        absent: list[Absence] = []
        for at, (coder, formula) in enumerate(zip(self.coders, self.conditions.values(), strict=True)):
            codes.append(coder.codes(formula.evaluate(frame, self.level)))
            absent.append(absence(codes[-1]))
            # A function in Python is called, and may fail, whatever comes of it.
            if absent[-1] is EVERYWHERE and at in self._always_filled and not frame.has_own_functions:
                return np.full(length, -1, np.int64)  # no row fits, whatever else is asked with
        found = self._eligible_rows(codes, absent, length, frame)
        if self.bands is None:
            return found
        # Any row of the preferred scale will do; which of its bands answers, the value decides.
        return self.bands.find(found, self.breaks[0].value.evaluate(frame, self.level))

    @cached_property
    def _always_filled(self) -> frozenset[int]:
        """The conditions that every row fills: all of a key."""
        filled = [frozenset(pattern.filled) for pattern in self.patterns]
        return frozenset.intersection(*filled) if filled else frozenset()

    @cached_property
    def _by_word(self) -> Pattern | None:
        """The pattern of a table that is found by one text alone: its rows are looked up per word, not per line."""
        alone = len(self.patterns) == len(self.coders) == 1 and self.window is None and not self.breaks
        return self.patterns[0] if alone and self.coders[0].words is not None and self.patterns[0].filled else None

    def _rows_by_word(self, frame: Frame) -> Integers:
        assert self._by_word is not None
        (formula,) = self.conditions.values()
        column = formula.evaluate(frame, self.level)
        assert isinstance(column, Texts)
        found = self._rows_of_words.get(column.words) if len(column.words) > HANDFUL else self._look_up(column.words)
        if found is None:
            found = self._rows_of_words[column.words] = self._look_up(column.words)
        answer: Integers = found[column.codes]
        return answer

    def _look_up(self, words: Words) -> Integers:
        """The row of each word, and at the end -1."""
        rows: Integers = self._rows_of_codes[self.coders[0].word_codes(words)]
        return rows

    @cached_property
    def _rows_of_codes(self) -> Integers:
        """The row of each text of the table by its number, and at the end -1 for a text it does not have, or none."""
        assert self._by_word is not None
        codes = np.arange(self.coders[0].size)
        slots = self._by_word.find([codes], [None], len(codes))
        assert slots is not None
        return np.concatenate([self._by_word.first_rows[slots], [-1, -1]])

    @cached_property
    def _rows_of_words(self) -> WeakKeyDictionary[Words, Integers]:
        """For each dictionary of texts that was asked with the row of each text; every piece of many orders asks it."""
        return WeakKeyDictionary()

    def _eligible_rows(
        self, codes: Sequence[Integers], absent: Sequence[Absence], length: int, frame: Frame
    ) -> Integers:
        """The most preferred row that is valid and whose breaks are reached.

        The rows of a key stand in order of preference, so each line goes down its own list until a row fits.
        """
        found = np.full(length, -1, np.int64)
        tests = self._break_tests(frame) if frame.has_own_functions else None
        days = None if self.window is None else _range(self.window.on.evaluate(frame))
        for number, pattern in enumerate(self.patterns):
            slots = pattern.find(codes, absent, length)
            if slots is None:
                continue
            tests = asked = self._break_tests(frame) if tests is None else tests
            if self.window is not None and not self._all_valid(number, days):
                asked = [self.window.test(self.window.on.evaluate(frame, self.level)), *tests]
            if not (number or asked):
                found = pattern.first_rows[slots]  # the first of each list fits, and nothing was found before
                continue
            lines = (slots >= 0).nonzero()[0]
            if len(lines) <= HANDFUL:
                self._walk_singly(found, pattern, lines, slots[lines], asked)
            else:
                self._walk_together(found, pattern, lines, slots[lines], asked)
        return found

    def _break_tests(self, frame: Frame) -> list[Test]:
        """Whether rows are reached, by each break; a graduated table looks for its band later."""
        if self.bands is not None:
            return []
        return [each.test(each.value.evaluate(frame, self.level)) for each in self.breaks]

    def _walk_singly(
        self, found: Integers, pattern: Pattern, lines: Integers, slots: Integers, asked: Sequence[Test]
    ) -> None:
        """One line after the other down its list: of a handful that is quicker."""
        starts, stops = pattern.starts[slots].tolist(), pattern.stops[slots].tolist()
        for line, start, stop in zip(lines.tolist(), starts, stops, strict=True):
            best = found.item(line)
            for row in pattern.rows[start:stop].tolist():
                if best >= 0 and self.preference[row] > self.preference[best]:
                    break
                if all(test(line, row) for test in asked):
                    found[line] = row
                    break

    def _walk_together(
        self, found: Integers, pattern: Pattern, lines: Integers, slots: Integers, asked: Sequence[Test]
    ) -> None:
        """All lines a step at a time; those that are done drop out."""
        at, stop = pattern.starts[slots], pattern.stops[slots]
        while len(lines):
            rows, best = pattern.rows[at], found[lines]
            worth = (best < 0) | (self.preference[rows] < self.preference[best])
            fits = worth
            for test in asked:
                fits = fits & test(lines, rows)
            found[lines[fits]] = rows[fits]
            on = worth & ~fits & (at + 1 < stop)
            lines, at, stop = lines[on], at[on] + 1, stop[on]

    def _all_valid(self, pattern: int, days: tuple[int, int] | None) -> bool:
        """Whether every row of a pattern is valid on every date asked for: then nobody needs to look."""
        if days is None:
            return False
        start, end = self._common_days[pattern]
        return start <= days[0] and days[1] <= end

    @cached_property
    def _common_days(self) -> list[tuple[int, int]]:
        """For each pattern the first and last day on which all of its rows are valid."""
        assert self.window is not None
        start, end = self.window.start, self.window.end
        return [(int(start[each.rows].max()), int(end[each.rows].min())) for each in self.patterns]

    def answer(self, column: str, rows: Positions, frame: Frame) -> Column:
        """The values of a column in the rows found; its default, else blank, where none was."""
        if column == AMOUNT and self.bands is not None:
            return self.bands.amount(rows.at, self.breaks[0].value.evaluate(frame, self.level))
        found = rows.of(self.columns[column])
        default = self.defaults.get(column)
        if default is not None and rows.gone is not None:
            found = pick(~rows.gone, found, default)
        if column not in self.factors:
            return found
        return numbers(found) * numbers(self.factors[column].evaluate(frame, self.level))


def names_behind(names: Iterable[str], tables: Mapping[str, Table | None]) -> set[str]:
    """Some dotted names, and those that the tables they ask read in turn.

    Args:
        names: Dotted names; ``table.`` stands for a table as a whole.
        tables: Tables by name; one with problems of its own may be None.
    """
    seen: set[str] = set()
    todo = list(names)
    while todo:
        name = todo.pop()
        if name not in seen:
            seen.add(name)
            table = tables.get(name.split(".")[0])
            todo += [] if table is None else table.behind
    return seen
