"""`Calculation`: what pricing orders gave: figures, totals, tax breakdown, findings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal

import numpy as np

from dokima.columns.column import Column, value_at, values_of
from dokima.columns.shown import shown
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.exact import Decimals, Quotient, group_sums, stored, total
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import distinct
from dokima.formulas.operators import numbers
from dokima.model.findings import Findings
from dokima.model.orders import Orders
from dokima.model.said import SHOWN
from dokima.pricing.calculation.amounts import amount_at, amount_texts
from dokima.pricing.calculation.order_amounts import InstalmentRow, ReportingTotals, TaxRow, Totals, early_row
from dokima.pricing.program import Program
from dokima.pricing.steps.instalments import InstalmentPlan
from dokima.pricing.steps.routine import AMOUNTS_OF_ANY, Routine
from dokima.pricing.steps.taxing import TaxGroups
from dokima.pricing.steps.totals import TOTALS

LINE_FIELDS = ("number", "item", "description", "quantity", "unit")
"""Fields that stand before the figures of a line."""
TableLevel = Literal["lines", "headers"]
"""What a row of a table of a calculation is: a line with its figures, or an order with its totals."""


@dataclass(frozen=True, eq=False)
class Calculation:
    """Priced orders.

    Attributes:
        program: The rulebook.
        orders: The orders, defaults filled in.
        figures: Line figures, one value per line; parent lines hold the sums of their sub-lines.
        order_figures: Header figures of figure steps, one value per order.
        totals: The totals, one value per order.
        options: For each line where its price came from: 0 the manual price, 1 the first option, -1 none.
        routine_of: For each order its routine, -1 if none fits.
        minor_units: For each order the decimal places of its currency.
        inclusive: For each order whether its prices include tax.
        taxes: Tax breakdowns; their orders are positions here.
        reporting: Rate and totals in the reporting currency; empty without one.
        plans: Instalments; their orders are positions here.
        findings: What is wrong.
        context: The columns it worked with, kept so that defaults of the orders can still be read from them.
    """

    program: Program
    orders: Orders
    figures: Mapping[str, Column]
    order_figures: Mapping[str, Column]
    totals: Mapping[str, Decimals]
    options: Integers
    routine_of: Integers
    minor_units: Integers
    inclusive: Mask
    taxes: Sequence[TaxGroups] = ()
    plans: Sequence[InstalmentPlan] = ()
    reporting: Mapping[str, Decimals] = field(default_factory=dict)
    findings: Findings = field(default_factory=Findings)
    context: object = field(default=None, repr=False)

    def with_findings(self, findings: Findings) -> Calculation:
        """The same with other findings; all else is shared, what has been worked out of it too.

        Args:
            findings: What is wrong.
        """
        made = object.__new__(Calculation)
        made.__dict__.update(self.__dict__, findings=findings)
        return made

    def __getstate__(self) -> dict[str, Any]:
        """What goes to another process: everything that was worked out, and not what it was worked out with."""
        return {**{each.name: getattr(self, each.name) for each in fields(self)}, "context": None}

    def __repr__(self) -> str:
        errors = len(self.findings.errors)
        return f"<Calculation: {len(self)} orders, {self.orders.line_count} lines, {errors} errors; {SHOWN}>"

    @property
    def problems(self) -> tuple[Problem, ...]:
        """What was wrong with orders that were set aside."""
        return self.orders.problems

    def __len__(self) -> int:
        return self.orders.count

    def __iter__(self) -> Iterator[PricedOrder]:
        return (PricedOrder(self, at) for at in range(self.orders.count))

    def __getitem__(self, number: str) -> PricedOrder:
        """An order by number.

        Raises:
            DocumentError: It was set aside; says why.
            NotFound: There is none; names the nearest.
        """
        if self.problems and number not in self.orders.numbers:
            # What is no order at all has no number to be found by.
            aside = [problem for problem in self.problems if problem.order in ("", number)]
            if aside:
                raise DocumentError(aside, f"order {number} was set aside and is not priced")
        return PricedOrder(self, self.orders.position(number))

    def figure_texts(self, name: str) -> list[str | None]:
        """A figure of every line as text: numbers in full, amounts with the places of their currency, blanks None.

        Args:
            name: Name of the figure.

        Raises:
            NotFound: No routine leaves it; names the nearest.
        """
        column = self.figure(name)
        if not isinstance(column, Decimals | Quotient):
            return [None if value is None else shown(value) for value in values_of(column)]
        return amount_texts(column, self.least_places(name))

    def figure(self, name: str) -> Column:
        """A figure of every line.

        Args:
            name: Name of the figure.

        Raises:
            NotFound: No routine leaves it; names the nearest.
        """
        found = self.figures.get(name)
        if found is None:
            raise NotFound(f"there is no figure '{name}'{nearest(name, self.figures)}")
        return found

    def least_places(self, name: str) -> Integers | int:
        """The least decimal places that a figure of numbers is written with: one number a line, or one for all.

        Args:
            name: Name of the figure.
        """
        if name in self._always_money:
            return self._line_places
        used = self._routines_used
        routines = [self.program.routines[at] if at >= 0 else None for at in used]
        if len(used) == 1:
            step = routines[0].step(name) if routines[0] else None
            return 0 if step is None else step.definition.places or 0
        places = np.zeros(self.orders.line_count, np.int64)
        for at, routine in zip(used, routines, strict=True):
            mine = self.routine_of[self.orders.order_of] == at
            step = routine.step(name) if routine else None
            if name in amount_figures(routine):
                places[mine] = self.minor_units[self.orders.order_of[mine]]
            elif step is not None and step.definition.places is not None:
                places[mine] = step.definition.places
        return places

    @cached_property
    def _routines_used(self) -> list[int]:
        """Positions of the routines that price some order, -1 for none."""
        return [*map(int, distinct(self.routine_of))]

    @cached_property
    def _always_money(self) -> frozenset[str]:
        """Line figures that are money by every routine that prices some order; a price of one unit is written so."""
        routines = [self.program.routines[at] if at >= 0 else None for at in self._routines_used]
        of_each = [frozenset(amount_figures(routine)) for routine in routines]
        return frozenset({"price"}.union(frozenset.intersection(*of_each) if of_each else ()))

    @cached_property
    def money_places(self) -> Integers | int:
        """The decimal places of the currency of each order, or the one number that all have."""
        only = distinct(self.minor_units)
        return self.minor_units if len(only) > 1 else int(only.max(initial=0))

    @cached_property
    def _line_places(self) -> Integers | int:
        """The same for each line."""
        places = self.money_places
        found: Integers | int = places if isinstance(places, int) else places[self.orders.order_of]
        return found

    @cached_property
    def _taxes_of(self) -> Mapping[int, Sequence[tuple[TaxGroups, int]]]:
        """The rows of the breakdowns by order, so that each order finds its own at once."""
        found: dict[int, list[tuple[TaxGroups, int]]] = {}
        for groups in self.taxes:
            for at, order in enumerate(groups.order.tolist()):
                found.setdefault(order, []).append((groups, at))
        return found

    @property
    def most_places(self) -> int:
        """The most decimal places that a currency of these orders has."""
        return int(self.minor_units.max(initial=0))

    def places_of(self, name: str) -> int:
        """The least decimal places of a line figure in a table of all lines: those of money, 0 for other numbers."""
        return self.most_places if any(name in routine.amounts for routine in self.program.routines) else 0

    def sum_of(self, figure: str) -> Decimals:
        """The sum of a line figure over the lines of each order; missing if it is unknown on one."""
        column = self.figures.get(figure)
        if column is None:
            return Decimals.blanks(len(self))
        leaf = self.orders.leaf
        amounts, by_order = stored(numbers(column)).spread(self.orders.line_count), self.orders.by_order
        if leaf is not None:
            kept = np.flatnonzero(leaf)
            amounts, by_order = amounts.take(kept), by_order.at(kept)
        return group_sums(amounts, by_order)

    @cached_property
    def header_values(self) -> Mapping[str, Column]:
        """What formulas may read of each order beside its fields: totals, figures, and sums of the amounts of lines,
        which an order has where its routine has such a step."""
        names = dict.fromkeys(name for routine in self.program.routines for name in amount_figures(routine))
        known = {**self.totals, **self.order_figures}
        return {**known, **{name: self._own_sum(name) for name in names if name not in known and name != "amount"}}

    def _own_sum(self, name: str) -> Decimals:
        having = [at for at, routine in enumerate(self.program.routines) if name in amount_figures(routine)]
        return self.sum_of(name).without(~np.isin(self.routine_of, having))

    def to_arrow(self, level: TableLevel = "lines", schema: Any = None, columns: Sequence[str] = ()) -> Any:
        """A `pyarrow.Table`: decimals exact, texts by their dictionary.

        Without a schema it has the columns and the decimal places that these orders need.

        Args:
            level: ``lines`` for a row a line in the caller's sequence: order, date, party, currency, line, item,
                description, quantity, unit, the rulebook's own fields, every figure; ``headers`` for a row an order:
                number, kind, date, party, currency, the rulebook's own fields, totals, header figures.
            schema: That of `Rulebook.arrow_schema`: all pieces of a stream then have the same columns and kinds.
            columns: Only these: fields of lines and headers, figures, and names of parties such as ``customer_name``;
                ``header.x`` of a header field that a line has too.

        Raises:
            ExactError: A value has more digits than the schema.
            NotFound: There is no such column.
            DokimaError: It is the schema of another rulebook or level.
        """
        from dokima.pricing.calculation.arrow_tables import header_table, line_table

        return (line_table if level == "lines" else header_table)(self, schema, columns)

    def to_frame(self, level: TableLevel = "lines", columns: Sequence[str] = ()) -> Any:
        """`to_arrow` as a pandas DataFrame; its columns are Arrow's, numbers exact.

        Args:
            level: As for `to_arrow`.
            columns: As for `to_arrow`.

        Raises:
            NotFound: There is no such column.
        """
        import pandas as pd

        table = self.to_arrow(level, columns=columns)
        return pd.DataFrame(
            {name: _series(column) for name, column in zip(table.column_names, table.columns, strict=True)}
        )

    @property
    def lines(self) -> Any:
        """`to_frame` of the lines."""
        return self.to_frame("lines")

    @property
    def headers(self) -> Any:
        """`to_frame` of the headers."""
        return self.to_frame("headers")


def _series(column: Any) -> Any:
    """A column of pandas; texts by their dictionary become texts."""
    import pandas as pd
    import pyarrow as pa

    column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    if pa.types.is_dictionary(column.type):
        column = column.dictionary_decode()
    return pd.Series(pd.arrays.ArrowExtensionArray(column))


class PricedOrder:
    """One order of a calculation."""

    def __init__(self, calculation: Calculation, position: int) -> None:
        self.calculation = calculation
        self.position = position

    @property
    def number(self) -> str:
        """The order number."""
        return value_at(self.calculation.orders.header("number"), self.position) or ""

    def __repr__(self) -> str:
        return f"<PricedOrder {self.number}: {len(self.lines)} lines, payable {self.totals.payable}; {SHOWN}>"

    @property
    def places(self) -> int:
        """Decimal places of the order's currency."""
        return int(self.calculation.minor_units[self.position])

    @property
    def prices_include_tax(self) -> bool:
        """Whether its amounts are with tax: step figures, net, sum of line net, allowances and charges then are."""
        return bool(self.calculation.inclusive[self.position])

    @property
    def routine(self) -> Routine | None:
        """The routine it was priced with, None if none fits."""
        at = int(self.calculation.routine_of[self.position])
        return self.calculation.program.routines[at] if at >= 0 else None

    def header(self, name: str) -> Any:
        """A header field, its default included."""
        return value_at(self.calculation.orders.header(name), self.position)

    @cached_property
    def totals(self) -> Totals:
        """The totals, exact to the currency's places."""
        columns = self.calculation.totals
        return Totals(**{name: amount_at(columns[name], self.position, self.places) for name in TOTALS})

    @property
    def figures(self) -> dict[str, Any]:
        """Header figures of its routine's figure steps; those of other routines are not its own."""
        columns, routine = self.calculation.order_figures, self.routine
        if routine is None:
            return {}
        found: dict[str, Any] = dict.fromkeys(routine.header_figures)
        for name in found.keys() & columns.keys():
            step = routine.step(name)
            places = None if step is None else step.definition.places
            found[name] = amount_at(columns[name], self.position, places or 0)
        return found

    def total(self, figure: str) -> Decimal | None:
        """The sum of an amount figure over the lines; None if it is unknown on one of them.

        Raises:
            NotFound: The routine leaves no such amount.
        """
        amounts = amount_figures(self.routine)
        if figure not in amounts:
            raise NotFound(f"order {self.number} has no amount figure '{figure}'{nearest(figure, amounts)}")
        orders, where = self.calculation.orders, self.calculation.orders.lines_of(self.position)
        lines = np.arange(where.start, where.stop)
        lines = lines if orders.leaf is None else lines[orders.leaf[where]]
        whole = total(stored(numbers(self.calculation.figures[figure].take(lines))))
        found: Decimal | None = amount_at(whole, 0, self.places)
        return found

    @property
    def reporting(self) -> ReportingTotals | None:
        """The totals in the rulebook's reporting currency; None if it has none."""
        definition, columns = self.calculation.program.definition, self.calculation.reporting
        if definition.reporting is None or not columns:
            return None
        currency = definition.reporting.currency
        places = definition.minor_units[currency]
        names = ("without_tax", "tax", "with_tax")
        amounts = {name: amount_at(columns[name], self.position, places) for name in names}
        return ReportingTotals(currency, value_at(columns["rate"], self.position), **amounts)

    @property
    def instalments(self) -> list[InstalmentRow]:
        """How what is to be paid is split, in the order of the rulebook."""
        rows: list[InstalmentRow] = []
        for plan in self.calculation.plans:
            for at in np.flatnonzero(plan.orders == self.position).tolist():
                for label, due, amount, early in zip(plan.labels, plan.due, plan.amounts, plan.early, strict=True):
                    day = None if due is None else value_at(due, at)
                    row = None if early is None else early_row(early, at, self.places)
                    rows.append(InstalmentRow(label, day, amount_at(amount, at, self.places), row))
        return rows

    @property
    def tax_breakdown(self) -> list[TaxRow]:
        """Tax per step, category and rate."""
        return [
            TaxRow(
                groups.step,
                value_at(groups.category, at),
                value_at(groups.rate, at),
                amount_at(groups.taxable, at, self.places),
                amount_at(groups.tax, at, self.places),
                value_at(groups.reason, at),
            )
            for groups, at in self.calculation._taxes_of.get(self.position, ())
        ]

    @property
    def lines(self) -> list[PricedLine]:
        """The lines in the sequence of their numbers."""
        where = self.calculation.orders.lines_of(self.position)
        return [PricedLine(self, at) for at in range(where.start, where.stop)]

    def line(self, number: str | int) -> PricedLine:
        """The line with a number.

        Raises:
            NotFound: There is none; names the nearest.
        """
        where = self.calculation.orders.lines_of(self.position)
        known = self.calculation.orders.line_numbers[where]
        if str(number) not in known:
            raise NotFound(f"order {self.number} has no line {number}{nearest(str(number), known)}")
        return PricedLine(self, where.start + known.index(str(number)))

    @property
    def findings(self) -> Findings:
        """What is wrong with this order."""
        return self.calculation.findings.of(self.number)


class PricedLine:
    """One line of a priced order. Figures are attributes: ``line.net``, ``line.price``, ``line.freight``."""

    def __init__(self, order: PricedOrder, position: int) -> None:
        self.order = order
        self.position = position

    @property
    def number(self) -> str:
        """The line number."""
        return str(self.field("number"))

    def __repr__(self) -> str:
        return f"<PricedLine {self.order.number} {self.number}; {SHOWN}>"

    @property
    def is_parent(self) -> bool:
        """Whether it has sub-lines, and so no money of its own."""
        leaf = self.order.calculation.orders.leaf
        return leaf is not None and not bool(leaf[self.position])

    def field(self, name: str) -> Any:
        """A field, its default included; None if it is blank."""
        return value_at(self.order.calculation.orders.line(name), self.position)

    @property
    def amount_by_price(self) -> Decimal | None:
        """What the line comes to by its price, before any discount or charge; None if it is unknown."""
        routine, amount = self.order.routine, self.figure("amount")
        if routine is None or amount is None:
            return None
        for step in routine.steps:
            if step.sign:
                moved = self.figure(step.name)
                amount = None if moved is None else amount - step.sign * moved
            if amount is None:
                return None
        return Decimal(amount)

    def figure(self, name: str) -> Any:
        """A figure: amounts with the currency's places, others with the places they need; None if it is blank.

        Raises:
            NotFound: The routine leaves no such figure; names the nearest.
        """
        figures = self.order.calculation.figures
        if name not in figures:
            raise NotFound(f"there is no figure '{name}'{nearest(name, figures)}")
        routine, places = self.order.routine, self.order.places
        if name == "price" or name in amount_figures(routine):
            return amount_at(figures[name], self.position, places)
        step = routine.step(name) if routine else None
        if step is not None and step.definition.places is not None:
            return amount_at(figures[name], self.position, step.definition.places)
        return value_at(figures[name], self.position)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        calculation = self.order.calculation
        if name in calculation.figures:
            return self.figure(name)
        if name in calculation.orders.fields.line:
            return self.field(name)
        hint = nearest(name, [*calculation.figures, *calculation.orders.fields.line])
        raise AttributeError(f"a line has no figure or field '{name}'{hint}")


def amount_figures(routine: Routine | None) -> Sequence[str]:
    """Names of the amounts of money on a line, in the order of the steps of its routine."""
    return AMOUNTS_OF_ANY if routine is None else routine.amounts
