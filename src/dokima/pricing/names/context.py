"""`Context`: the columns behind the names, for one set of orders. Every column and table answer is worked out once."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.column import Column, blanks, value_at
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.positions import Positions, take_or_blank
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Quotient, compare, group_sums, stored
from dokima.exact.integers import Integers, Mask, either, mask_of
from dokima.formulas import Formula, Level, UnknownName
from dokima.formulas.failures import first_of
from dokima.formulas.operators import alike, compared, numbers
from dokima.model.orders import Orders, texts
from dokima.pricing.change_facts import change_column
from dokima.pricing.facts import FACTS
from dokima.pricing.names.agreed_columns import AgreedColumns, shared_asks
from dokima.pricing.names.by_line import ByLine
from dokima.pricing.names.parent_lines import Under, parents_above
from dokima.pricing.names.records import LeavingLines, RecordFrame
from dokima.pricing.program import Program, Run
from dokima.pricing.steps.groups import Groups
from dokima.pricing.steps.results import LINE_AMOUNT, KeptTax
from dokima.rules.rule import OF_A_CHANGE
from dokima.tables.table import Table, names_behind


@dataclass(frozen=True)
class Before:
    """The orders before an edit, and where each order and line of today stands in them, -1 where it does not."""

    orders: Orders
    order_at: Integers
    line_at: Integers

    @classmethod
    def of_one(cls, before: Orders, line_numbers: Sequence[str]) -> Before:
        """The state of one order before an edit; its lines of today are found there by their numbers."""
        places = {number: at for at, number in enumerate(before.line_numbers)}
        line_at = np.array([places.get(number, -1) for number in line_numbers], np.int64)
        return cls(before, np.zeros(1, np.int64), line_at)


class Context:
    """Supplies names to formulas (a `formulas.Frame`), and takes figures from routines.

    Args:
        program: The rulebook.
        orders: The orders.
        run: What the caller says about the run.
        whole: The orders with their parent lines, where ``orders`` has only lines without sub-lines.
        places: Where the lines of ``orders`` stand in ``whole``.
        before: The orders before this edit, None if there is no such state.
        terms: What orders keep from when they were agreed, None if none keeps anything.
    """

    def __init__(
        self,
        program: Program,
        orders: Orders,
        run: Run,
        whole: Orders | None = None,
        places: Integers | None = None,
        before: Before | None = None,
        terms: AgreedColumns | None = None,
    ) -> None:
        self.program = program
        self.orders = orders
        self.run = run
        self.whole = whole or orders
        self.places = places
        self.before = before
        self.terms = terms
        self.order_of = orders.order_of
        self.order_count = orders.count
        self.by_order = orders.by_order
        self.leaf: Mask | None = orders.leaf
        self.leaving: Integers = np.zeros(0, np.int64)
        self._columns: dict[str, Column] = {}
        self._by_line: dict[str, Column] = {}
        self._quotients: dict[str, Quotient] = {}
        self._rows: dict[str, Positions] = {}
        self._records: dict[str, RecordFrame] = {}
        self._failures: dict[str, Texts] = {}
        self.failed: dict[tuple[Formula, Level], Texts | None] = {}
        self.has_own_functions = program.may_fail

    # -- failures ---------------------------------------------------------------------------------------------

    @property
    def has_failures(self) -> bool:
        """Whether a name may stand for something in error."""
        return bool(self._failures) or self.whole.has_failures

    def failures(self, name: str) -> Texts | None:
        """The failures a name inherits, at its own level: of a figure, of a field's default, of finding a table's
        row."""
        head, _, tail = name.partition(".")
        if head in self.program.tables:
            return self._failures.get(f"{head}.")
        known = self._failures.get(name)
        if known is not None or head not in ("header", "line", "parent"):
            return known
        if head == "header":
            figure = self._failures.get(f"line.{tail}")
            return self.orders.failures("header", tail) if figure is None else self._of_orders(figure)
        if head == "line":
            return self.orders.failures("line", tail)
        found, parent = self.whole.failures("line", tail), self.whole.parent
        if found is None or parent is None:
            return None
        return take_or_blank(found, parent if self.places is None else parent[self.places])

    def _of_orders(self, failures: Texts) -> Texts:
        """The first failure on a line of each order."""
        failed = np.flatnonzero(failures.codes >= 0)
        return Texts(self.by_order.at(failed).first(failures.codes[failed], -1), failures.words)

    def fail(self, name: str, failures: Texts) -> None:
        """Note that a figure is in error at some places: what reads it there is in error too."""
        found = first_of(self._failures.get(name), failures)
        if found is not None:
            self._failures[name] = found

    def was_given(self, name: str) -> Mask | None:
        """For each order or line whether a field that has a default was given; None for any other name."""
        level, _, field = name.partition(".")
        known = {"header": self.orders.fields.header, "line": self.orders.fields.line}.get(level, {})
        if field not in known or known[field].default is None:
            return None
        absent = self.orders.was_absent(level, field)
        return ~mask_of(absent, self.order_count if level == "header" else len(self.order_of))

    def money_places(self, order: int) -> int:
        """Decimal places of the currency of an order, 0 if it is unknown."""
        return int(self._money_places[order])

    @cached_property
    def _money_places(self) -> Integers:
        units = self.program.definition.minor_units
        return texts(self.orders.header("currency")).mapped(lambda currency: units.get(currency, 0))

    def records(self, name: str) -> RecordFrame:
        """The deliveries or payments of the orders, or the lines that leave them, as rows."""
        if name not in self._records:
            is_lines = name == "leaving"
            self._records[name] = (
                LeavingLines(self, self.orders, self.leaving) if is_lines else RecordFrame(self, self.orders, name)
            )
        return self._records[name]

    # -- names ------------------------------------------------------------------------------------------------

    def column(self, name: str) -> Column:
        """The column of a dotted name, at its own level."""
        found = self._columns.get(name)
        if found is None:
            found = self._columns[name] = self._work_out(name)
        return found

    def line_column(self, name: str) -> Column:
        """The column of a dotted name of header level, one value per line."""
        found = self._by_line.get(name)
        if found is None:
            found = self.column(name)
            if self._is_header(name):
                found = found.take(self.order_of)
                found = found if self.terms is None else self.terms.by_line(name, found)
            self._by_line[name] = found
        return found

    def by_line(self, names: Collection[str]) -> Any:
        """The frame whose orders are lines, where lines keep answers of a header other than their order's."""
        own = () if self.terms is None else self.terms.own
        return ByLine(self) if any(name in own for name in names) else None

    def _is_header(self, name: str) -> bool:
        head = name.split(".", maxsplit=1)[0]
        table = self.program.tables.get(head)
        return name.startswith(("header.", "was_header.", *OF_A_CHANGE)) or (
            table is not None and table.level is Level.HEADER
        )

    def _work_out(self, name: str) -> Column:
        if name in self._quotients:
            return stored(self._quotients[name])
        head, _, tail = name.partition(".")
        table = self.program.tables.get(head)
        if table is not None:
            today = table.answer(tail, self.rows_found(head), self)
            return today if self.terms is None else self._kept(table, name, today)
        match head:
            case "line":
                return self._fact(tail) if name in FACTS else self.orders.line(tail)
            case "header":
                return self._never_saved() if name in FACTS else self._header(tail)
            case "was":
                if self.before is None:
                    return blanks(self.orders.fields.line[tail].kind, len(self.order_of))
                return take_or_blank(self.before.orders.line(tail), self.before.line_at)
            case "was_header":
                if self.before is None:
                    return blanks(self.orders.fields.header[tail].kind, self.order_count)
                return take_or_blank(self.before.orders.header(tail), self.before.order_at)
            case "parent":
                return self._parent(tail)
            case "change" | "variance" | "ledger":
                return change_column(name, self.run.change, self.order_count)
            case "value":
                return self.program.definition.values[tail]
            case "run":
                return Dates.of([self.run.today]) if tail == "today" else Texts.of([self.run.user])
        raise UnknownName(name)

    def _kept(self, table: Table, name: str, today: Column) -> Column:
        """The answers of today, and in their places those that orders keep."""
        assert self.terms is not None
        graded = None if table.bands is None else table.breaks[0].value.evaluate(self, table.level)
        return self.terms.over(name, today, graded, self._moved(table))

    def _moved(self, table: Table) -> Mask | None:
        """Places where a table is asked something else than when its answers were agreed, because other lines moved."""
        assert self.terms is not None
        kept = self.terms.asks.get(table.name)
        if not kept:
            return None
        moved: Mask | None = None
        formulas = shared_asks(table, self.program.definition.reprice_on)
        for formula, (there, column) in zip(formulas, kept, strict=False):
            value = formula.evaluate(self, table.level).spread(len(there))
            same = compared(*alike(value, column), "==").is_true() | (value.is_missing() & column.is_missing())
            moved = either(moved, there & ~same)
        return moved

    def kept_figure(self, name: str) -> tuple[Mask, Decimals] | None:
        """Lines whose figure stands as it was agreed, and those figures; None if there are none."""
        return None if self.terms is None else self.terms.figures.get(name)

    def kept_tax(self, step: str) -> KeptTax | None:
        """What lines are taxed with by agreement; None if none of them keeps it."""
        return None if self.terms is None else self.terms.taxes.get(step)

    def frozen(self) -> Mask | None:
        """Lines whose tax and advance stand as they were too; None if there are none."""
        return self.terms.frozen if self.terms is not None and self.terms.frozen.any() else None

    def emptied(self) -> Mask | None:
        """Orders from which a settlement took every line; None if there are none."""
        return self.terms.emptied if self.terms is not None and self.terms.emptied.any() else None

    def agreed(self) -> Mask | None:
        """Lines whose figures stand as they were agreed; None if there are none."""
        price = self.kept_figure(LINE_AMOUNT)
        return None if price is None else price[0]

    def _fact(self, name: str) -> Column:
        """What is true of a line without being a field of it."""
        length = len(self.order_of)
        if name == "is_parent":
            leaf = self.whole.leaf
            return Flags(np.zeros(length, bool) if leaf is None or self.places is not None else ~leaf)
        if name == "is_new":
            had = self.had(Level.LINE)
            return Flags(np.ones(length, bool) if had is None else ~had)
        return Decimals(np.arange(length) - self.by_order.ranges[self.order_of] + 1, 0, None, length)

    def _never_saved(self) -> Flags:
        """For each order whether it has no revision yet."""
        revision = numbers(self.orders.header("revision")).spread(self.order_count)
        return Flags(revision.is_missing() | (compare(revision, Decimals.zeros(1)) == 0))

    def had(self, level: Level) -> Mask | None:
        """For each order or line whether there is a state before this edit; None if there is for none of them."""
        if self.before is None:
            return None
        return (self.before.line_at if level is Level.LINE else self.before.order_at) >= 0

    def _header(self, name: str) -> Column:
        """A field, or the sum of a line figure over the lines that carry money."""
        figure = self._columns.get(f"line.{name}")
        if figure is None or name in self.orders.fields.header:
            return self.orders.header(name)
        amounts = stored(numbers(figure))
        if self.leaf is None:
            return group_sums(amounts, self.by_order)
        at = np.flatnonzero(self.leaf)
        return group_sums(amounts.take(at), self.by_order.at(at))

    def _parent(self, name: str) -> Column:
        parent = self.whole.parent
        if parent is None:
            return self.orders.line(name).without(np.ones(len(self.order_of), bool))
        above = parent if self.places is None else parent[self.places]
        return take_or_blank(self.whole.line(name), above)

    def put(self, name: str, column: Column) -> None:
        """Leave a figure or a field for what follows; forget what was worked out from the one before it."""
        if isinstance(column, Quotient):
            # It is kept with 12 places, but only once somebody reads it.
            self._columns.pop(name, None)
            self._quotients[name] = column
        else:
            self._columns[name] = column
            if self._quotients:
                self._quotients.pop(name, None)
        self._by_line.pop(name, None)
        level, _, figure = name.partition(".")
        if level == "line" and figure not in self.orders.fields.line:
            summed = f"header.{figure}"
            if summed in self._columns:
                del self._columns[summed]
                self._by_line.pop(summed, None)
            for table in self.program.readers.get(name, ()):
                self._forget(table)

    def _forget(self, table: str) -> None:
        if self._rows.pop(table, None) is not None:
            for name in [name for name in self._columns if name.startswith(f"{table}.")]:
                del self._columns[name]
                self._by_line.pop(name, None)

    def knows(self, names: Iterable[str]) -> bool:
        """Whether all names can be read here: figures may be read once a routine has left them."""
        fields = self.orders.fields
        for name in names:
            head, _, tail = name.partition(".")
            if head in ("line", "header") and name not in self._columns and name not in self._quotients:
                known = fields.line if head == "line" else fields.header
                summed = head == "header" and f"line.{tail}" in self._columns
                if tail not in known and name not in FACTS and not summed:
                    return False
        return True

    # -- tables -----------------------------------------------------------------------------------------------

    def rows(self, table: str) -> Integers:
        """For each order or line the row of the table that answers, -1 for none."""
        return self.rows_found(table).at

    def rows_found(self, table: str) -> Positions:
        """The same, and where there is none."""
        found = self._rows.get(table)
        if found is None:
            known = self.program.tables[table]
            found = self._rows[table] = Positions(known.find(self))
            if self.has_own_functions:
                failed = first_of(*(formula.failures(self, known.level) for formula in known.formulas()))
                if failed is not None:
                    self.fail(f"{table}.", failed)
        return found

    def asked_with(self, table: str) -> Iterator[Formula]:
        """The formulas of a table that must have a value for any of its rows to fit."""
        return self.program.tables[table].asked_with()

    def converts_default(self, name: str) -> bool:
        """Whether a column of a table has a default that is converted: without a row its currency may be unknown."""
        head, _, column = name.partition(".")
        table = self.program.tables[head]
        return column in table.defaults and column in table.factors

    @property
    def has_terms(self) -> bool:
        """Whether any answer of a table stands as it was agreed."""
        return self.terms is not None

    def agreed_as_blank(self, name: str, order: int, line: int) -> str | None:
        """When a blank answer of a table was agreed, blank if nobody noted the day; None if it was not."""
        if self.terms is None or name not in self.terms.answers:
            return None
        level = self.program.tables[name.split(".", maxsplit=1)[0]].level
        at = order if level is Level.HEADER else line
        kept, values = self.terms.answers[name]
        if not kept[at] or value_at(values, at) is not None:
            return None
        return self.terms.agreed_on.get((level, at), "")

    def checked(self) -> Mask:
        """Of the lines whose figures stand as they were agreed, those whose figures formulas must reproduce."""
        return np.zeros(len(self.order_of), bool) if self.terms is None else self.terms.checked

    def found(self, table: str) -> Mask:
        """For each order or line whether the table has an answer, or had one when it was agreed."""
        today: Mask = self.rows(table) >= 0
        if self.terms is None or table not in self.terms.found:
            return today
        kept, had = self.terms.found[table]
        return np.where(kept, had, today)

    def parents(self) -> Iterator[Groups]:
        """The lines below each parent line, one level of parent lines after the other."""
        places = np.arange(len(self.order_of)) if self.places is None else self.places
        for parent in parents_above(self.whole, places):
            yield Groups.below(Under(self, self.whole, parent), parent)

    def behind(self, tables: Iterable[str]) -> list[str]:
        """Some tables, and those that they ask in turn, by name."""
        names = names_behind((f"{table}." for table in tables), self.program.tables)
        return sorted({name.split(".")[0] for name in names} & set(self.program.tables))

    def has_row(self, table: str) -> Mask:
        """For each line whether the table has a row for it, or for its order."""
        found: Mask = self.rows(table) >= 0
        return found if self.program.tables[table].level is Level.LINE else found[self.order_of]

    def row_at(self, table: str, order: int, line: int) -> int:
        """The row of the table that answers for a line, or for its order; -1 for none."""
        level = self.program.tables[table].level
        return int(self.rows(table)[order if level is Level.HEADER else line])

    @property
    def tables_read(self) -> Mapping[str, Integers]:
        """The tables asked so far and their answers."""
        return {table: found.at for table, found in self._rows.items()}
