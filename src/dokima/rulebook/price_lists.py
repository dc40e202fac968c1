"""Price lists: a trial order for each party, item and quantity that matters, all priced at once, and read back."""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from itertools import groupby
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.compiling.program_builder import build_program
from dokima.errors import DokimaError, NotFound, nearest
from dokima.exact import Quotient, added, decimals, stored, to_decimals
from dokima.explaining.price_list import OnTop, OtherTerm, PriceList, PriceRow, Where
from dokima.explaining.written_formulas import with_labels
from dokima.formulas import Formula, Level
from dokima.formulas.operators import numbers
from dokima.model.listing import with_places
from dokima.model.order import Order
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import Part, Pricing, price_orders
from dokima.pricing.steps.routine import Option, Routine, Step
from dokima.tables.candidates import matching, row_values
from dokima.tables.table import Break, Table, names_behind

if TYPE_CHECKING:
    from dokima.rulebook.book import Rulebook

_KIND = re.compile(r"header\.(\w+)\s*==\s*'([^']*)'")
_NET_PLACES = 4
_ABOVE_PLACES = 6
"""Decimal places of a quantity just above a break, where quantities may have any number of them."""
LIST = "list"
"""Whoever has no terms of his own."""


@dataclass(frozen=True)
class _Party:
    """Somebody who buys or sells, or a group of them.

    Attributes:
        code: Its number, or what the group has in common.
        is_group: Whether it is a group.
        without: Steps that are left out, because they read what is a party's own and differs within the group.
    """

    code: str
    is_group: bool = False
    without: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Trial:
    """A line that is tried."""

    party: _Party
    item: str
    quantity: Decimal
    fields: Mapping[str, Any] = field(default_factory=dict)


def price_list(
    book: Rulebook,
    which: str,
    party: str,
    item: str,
    group: Mapping[str, str],
    date: datetime.date,
    quantity: Decimal | None,
    header: Mapping[str, Any],
    line: Mapping[str, Any],
) -> PriceList:
    """Every price and discount that applies; see `Rulebook.price_list`."""
    if not (party or item or group):
        raise DokimaError("expected a customer, a supplier, an item, or a group of customers")
    asked = _Asked(book.program, which, date, header, line)
    wanted = asked.items([item] if item else [])
    groups = [group] if group else []
    if item and not party and not group:
        groups = [{name: value} for name, values in asked.groups().items() for value in values]
        groups = [{}, *groups] if asked.by_party is not None else []
    parties, program = asked.parties(party, groups, everybody=not (party or group))
    asked = _Asked(program, which, date, header, line)
    rungs = asked.rungs([_Trial(each, name, quantity or Decimal(1)) for each in parties for name in wanted], quantity)
    found, pricing = asked.priced(rungs)
    rows = [row for _, same in groupby(found, _place) for row in _that_differ(list(same))]
    by_party = bool(item) and not party and not group
    if by_party:
        rows = _unlike_the_list(rows, {each.code for each in parties if each.is_group}, asked)
    title = " ".join(filter(None, [*([party] if party else [f"{n} {v}" for n, v in group.items()]), item]))
    return PriceList(
        title,
        date,
        pricing.calculation[pricing.calculation.orders.numbers[0]].header("currency") or "" if found else "",
        rows,
        [] if by_party else asked.other_terms(pricing),
        asked.components(item) if item else (),
        by_party,
    )


def _place(row: PriceRow) -> tuple[str, str, str]:
    return row.party, row.item, row.unit


def _that_differ(rows: Sequence[PriceRow]) -> Iterator[PriceRow]:
    """Of one item at rising quantities those at which something changes."""
    before: PriceRow | None = None
    for row in rows:
        if before is None or row.terms != before.terms:
            yield row
        before = row


def _unlike_the_list(rows: Sequence[PriceRow], groups: set[str], asked: _Asked) -> list[PriceRow]:
    """The list's prices, groups that pay others, and parties that pay others than their group."""
    terms: dict[str, list[tuple[Any, ...]]] = {}
    for row in rows:
        terms.setdefault(row.party, []).append((row.unit, row.quantity, *row.terms))
    kept = {LIST}
    for code, mine in terms.items():
        like = [] if code in groups else [terms[name] for name in asked.groups_of(code) if name in terms]
        if mine not in (like or [terms.get(LIST, [])]):
            kept.add(code)
    return [row for row in rows if row.party in kept]


class _Asked:
    """What a rulebook's tables are for: who buys or sells, what, and where prices and discounts come from.

    Args:
        program: The rulebook.
        which: ``customer`` or ``supplier``.
        date: The day.
        header: Other header fields of a trial.
        line: Other fields of its line.
    """

    def __init__(
        self, program: Program, which: str, date: datetime.date, header: Mapping[str, Any], line: Mapping[str, Any]
    ) -> None:
        self.program = program
        self.which = which
        self.date = date
        self.line = line
        self.routine = self._routine()
        self.header = {**dict(_KIND.findall(self.routine.when.source if self.routine.when else "")), **header}
        self.by_party = self._found_by(f"header.{which}")
        self.by_item = self._found_by("line.item", required=True)
        self.above: dict[Decimal, Decimal] = {}  # quantities just above a break, and the breaks
        self.steps = [each for each in self.routine.steps if each.way.is_price or (each.sign < 0 and not each.joins)]
        self.tables = self._tables([f for step in self.steps for _, f in step.formulas()])

    def _routine(self) -> Routine:
        """The routine whose prices depend on the party."""
        for routine in self.program.routines:
            if any(self._of_party(option.value) for option in routine.steps[0].options):
                return routine
        if not self.program.routines:
            raise DokimaError("there is no routine, so nothing has a price")
        return self.program.routines[0]

    def _of_party(self, formula: Formula) -> bool:
        """Whether a formula, or a table behind it, reads who buys or sells."""
        behind = names_behind([*formula.reads, *(f"{table}." for table in formula.tables)], self.program.tables)
        return f"header.{self.which}" in behind

    def _found_by(self, source: str, *, required: bool = False) -> Table | None:
        found = [
            table
            for table in self.program.tables.values()
            if table.definition.is_master and [f.source.strip() for f in table.conditions.values()] == [source]
        ]
        return next((table for table in found if table.required and required), found[0] if found else None)

    def _tables(self, formulas: Sequence[Formula]) -> dict[str, Table]:
        """The tables of terms that some formulas read."""
        heads = dict.fromkeys(name.partition(".")[0] for formula in formulas for name in formula.reads)
        tables = {name: self.program.tables[name] for name in heads if name in self.program.tables}
        return {name: table for name, table in tables.items() if not table.definition.is_master}

    # -- who and what -----------------------------------------------------------------------------------------

    def items(self, wanted: Sequence[str]) -> list[str]:
        """The items: those wanted, else all that there are."""
        known = _keys(self.by_item) if self.by_item else sorted(self._named("line.item"))
        for item in wanted:
            if item not in known:
                raise NotFound(f"there is no item '{item}'{nearest(item, known)}")
        return list(wanted) or known

    def parties(
        self, party: str, groups: Sequence[Mapping[str, str]], *, everybody: bool
    ) -> tuple[list[_Party], Program]:
        """Who is asked for, and the rulebook with a party for each group."""
        known = _keys(self.by_party) if self.by_party else sorted(self._named(f"header.{self.which}"))
        if party and self.by_party and party not in known:
            raise NotFound(f"there is no {self.which} '{party}'{nearest(party, known)}")
        named = [party] if party else known if everybody else []
        if not groups:
            # Where nothing is known of parties, one without terms of its own stands for all that no table names.
            listed = [_Party(LIST, True)] if everybody and self.by_party is None else []
            return [*listed, *map(_Party, named)], self.program
        from dokima.rulebook.replacing import with_tables

        table = self.by_party
        if table is None:
            raise DokimaError(f"no table is found by header.{self.which}, so there are no groups")
        rows = [row_values(table, at) for at in range(table.size)]
        made = [self._member(table, rows, group) for group in groups]
        program = with_tables(self.program, {table.name: [*rows, *(row for row, _ in made)]})
        (key,) = table.conditions
        found = [_Party(str(row[key]), True, self._reading(table.name, own)) for row, own in made]
        return [*found, *map(_Party, named)], program

    def _member(
        self, table: Table, rows: Sequence[Mapping[str, Any]], group: Mapping[str, str]
    ) -> tuple[dict[str, Any], set[str]]:
        """A party that has nothing but its group in common with others, and the columns that are everybody's own."""
        for name, value in group.items():
            if name not in table.cells:
                raise NotFound(f"table {table.name} has no column '{name}'{nearest(name, table.cells)}")
            known = {str(row[name]) for row in rows if row[name] is not None}
            if value not in known:
                raise NotFound(f"there is no {name} '{value}'{nearest(value, known)}")
        members = [row for row in rows if all(str(row[name]) == value for name, value in group.items())]
        (key,) = table.conditions
        alone = {name for name in self.groups() if name not in group}
        # Of nobody in particular nothing is known; of a group what all of its members have.
        own = {name for name in table.cells if not group or len({shown(row[name]) for row in members}) > 1}
        own &= {name for step in self.steps for name in self._own_fields(step, table.name)}
        return {**members[0], **dict.fromkeys(alone | own), key: _code(group)}, own - set(group)

    def _own_fields(self, step: Step, table: str) -> set[str]:
        """The columns of the parties' table that a step reads itself, or through the formulas of fields."""
        formulas = {(level, name): formula for level, name, formula in self.program.defaults}
        seen, todo = set[str](), [name for _, formula in step.formulas() for name in formula.reads]
        while todo:
            name = todo.pop()
            head, _, tail = name.partition(".")
            if name not in seen:
                seen.add(name)
                default = formulas.get((head, tail))
                todo += [] if default is None else list(default.reads)
        return {name.partition(".")[2] for name in seen if name.startswith(f"{table}.")}

    def _reading(self, table: str, own: set[str]) -> tuple[str, ...]:
        """The steps that read a column of the parties' table which is everybody's own."""
        return tuple(step.name for step in self.steps if own & self._own_fields(step, table))

    def without(self, steps: Sequence[str]) -> Program:
        """The rulebook with some steps left out; an option of the price that is unknown is left out by itself."""
        if not steps:
            return self.program
        routine = self.routine.definition
        changed = [
            replace(step, when="False") if step.name in steps and step.kind != "price" else step
            for step in routine.steps
        ]
        definition = self.program.definition
        routines = [replace(each, steps=changed) if each.name == routine.name else each for each in definition.routines]
        return build_program(replace(definition, routines=routines), self.program.tables)

    def groups(self) -> dict[str, list[str]]:
        """By column of the party's table on which prices or discounts match, its values."""
        if self.by_party is None:
            return {}
        head = f"{self.by_party.name}."
        sources = [f.source.strip() for table in self.tables.values() for f in table.conditions.values()]
        names = dict.fromkeys(source.removeprefix(head) for source in sources if source.startswith(head))
        cells = self.by_party.cells
        return {name: sorted({str(v) for v in _values(cells[name])}) for name in names if name in cells}

    def groups_of(self, code: str) -> list[str]:
        """The codes of the groups that a party belongs to."""
        if self.by_party is None or code not in _keys(self.by_party):
            return []
        (key,) = self.by_party.conditions
        row = next(at for at in range(self.by_party.size) if value_at(self.by_party.cells[key], at) == code)
        mine = row_values(self.by_party, row)
        return [_code({name: str(mine[name])}) for name in self.groups() if mine[name] is not None]

    def _named(self, source: str) -> set[str]:
        """The values that tables of terms name where they ask for a field."""
        found: set[str] = set()
        for table in self.tables.values():
            for name, formula in table.conditions.items():
                if formula.source.strip() == source:
                    found |= {str(value) for value in _values(table.cells[name])}
        return found

    # -- trials -----------------------------------------------------------------------------------------------

    def _batches(self, trials: Sequence[_Trial]) -> list[list[_Trial]]:
        """The trials that leave out the same steps together."""
        found: dict[tuple[str, ...], list[_Trial]] = {}
        for each in trials:
            found.setdefault(each.party.without, []).append(each)
        return list(found.values())

    def _price(self, trials: Sequence[_Trial], program: Program) -> Pricing:
        orders = [
            Order(
                str(at),
                lines=[{"number": "10", "item": each.item, "quantity": each.quantity, **self.line, **each.fields}],
                **{"date": self.date, self.which: each.party.code, **self.header},
            )
            for at, each in enumerate(trials)
        ]
        from dokima.formats.reading import orders_from

        read = orders_from(orders, self.program.fields)
        if read.problems:
            # All trials lack the same field, which is asked for once.
            first = read.problems[0]
            level = "line" if first.line else "header"
            raise DokimaError(f"{level} field '{first.field}': {first.message}; --{level} {first.field}=... gives it")
        return price_orders(program, read, Run(self.date), traced=True)

    def rungs(self, trials: Sequence[_Trial], quantity: Decimal | None) -> list[_Trial]:
        """The same trials at every quantity at which a row that could apply begins, and in every unit it is for."""
        found: list[_Trial] = []
        for batch in self._batches(trials):
            for part in self._price(batch, self.without(batch[0].party.without)).parts:
                assert part.context is not None
                for position, line in enumerate(part.lines.tolist()):
                    found += self._rungs_of(batch[line], part.context, position, quantity)
        return found

    def _rungs_of(self, trial: _Trial, context: Context, position: int, quantity: Decimal | None) -> list[_Trial]:
        breaks: dict[tuple[tuple[str, Any], ...], set[Decimal]] = {(): {trial.quantity}}
        for table in self.tables.values():
            at = position if table.level is Level.LINE else int(context.order_of[position])
            own = {name: f.source.strip()[5:] for name, f in table.conditions.items() if self._is_variant(f)}
            for row in matching(table, context, at, own):
                cells = row_values(table, row)
                fields = tuple((key, cells[name]) for name, key in own.items() if cells[name] is not None)
                least = [self._first(each, row) for each in table.breaks if "line.quantity" in each.value.reads]
                mine = breaks.setdefault(fields, {trial.quantity})
                if quantity is None:
                    mine |= {value for value in least if isinstance(value, Decimal) and value > 0}
        # A unit that a row names may be the item's own; then it is told once, by what it comes to.
        everywhere = breaks[()]
        return [
            _Trial(trial.party, trial.item, each, dict(fields))
            for fields, mine in breaks.items()
            for each in sorted(mine | everywhere)
        ]

    def _first(self, each: Break, row: int) -> Decimal | None:
        """The quantity from which on a row is reached; of a break that counts from above it the next there can be."""
        least: Decimal | None = value_at(each.least, row)
        if least is None or not each.above:
            return least
        places = self.program.fields.line["quantity"].places
        found = least + Decimal(1).scaleb(-_ABOVE_PLACES if places is None else -places)
        self.above[found] = least
        return found

    def _is_variant(self, formula: Formula) -> bool:
        """Whether a condition asks for a field of the line that an order may name, such as its unit."""
        source = formula.source.strip()
        return source.startswith("line.") and source[5:] in self.program.fields.line and source != "line.item"

    def priced(self, trials: Sequence[_Trial]) -> tuple[list[PriceRow], Pricing]:
        """The trials priced, by party, item, unit and quantity, each told once."""
        pricing = price_orders(self.program, _no_orders(self.program), Run())
        found: dict[tuple[Any, ...], PriceRow] = {}
        for batch in self._batches(trials):
            program = self.without(batch[0].party.without)
            pricing, finer = self._price(batch, program), self._price(batch, program.in_finer_money())
            for part, fine in zip(pricing.parts, finer.parts, strict=True):
                for row, line in zip(self._rows(part, fine, batch), part.lines.tolist(), strict=True):
                    found.setdefault((batch[line].party.is_group, row.party, row.item, row.unit, row.quantity), row)
        keys = sorted(found, key=lambda key: (not key[0], *map(str, key[1:4]), key[4]))
        return [found[key] for key in keys], pricing

    def _rows(self, part: Part, fine: Part, trials: Sequence[_Trial]) -> Iterator[PriceRow]:
        """A row for each line of a part; ``fine`` is the same part in finer money."""
        context, result = part.context, part.result
        assert context is not None
        names = self._names(context)
        price = _decimals(result.lines["price"])
        listed = [_decimals(_each(option, context)) for option in self._of_all()]
        units, words = context.line_column("line.unit"), context.line_column("line.description")
        places = self.program.definition.minor_units.get(str(value_at(context.orders.header("currency"), 0)), 2)
        for at, line in enumerate(part.lines.tolist()):
            trial, chosen = trials[line], int(result.options[at])
            option = self.routine.steps[0].options[chosen - 1] if chosen > 0 else None
            off = {step.name: _amount(step, fine, at) for step in self.steps if step.sign < 0}
            steps = [step for step in self.steps if off.get(step.name)]
            left = to_decimals(fine.result.line_amount)[at] if price[at] is not None else None
            # A discount that is unknown leaves unknown what one costs.
            known = [each for each in off.values() if each is not None]
            net = None if left is None or len(known) < len(off) else added([left, *(-each for each in known)])
            yield PriceRow(
                trial.party.code,
                _name(names, int(context.order_of[at])) if not trial.party.is_group else "",
                trial.item,
                str(value_at(words, at) or ""),
                str(value_at(units, at) or ""),
                trial.quantity,
                _money(next((column[at] for column in listed if column[at] is not None), None), places),
                _money(price[at], places),
                with_labels(option.value, self.program.label).replace("*", "×") if option else "no price",
                self._where([option.value] if option else [], context, at),
                option is not None and self._of_party(option.value),
                [self._on_top(step, part, at) for step in steps],
                None if net is None else _of_one(net, trial.quantity),
                [step.definition.shown for step in self.steps if step.name in trial.party.without],
                self.above.get(trial.quantity),
            )

    def _of_all(self) -> list[Any]:
        """The options of the price that are the same for everybody."""
        return [each for each in self.routine.steps[0].options if not self._of_party(each.value) and not each.is_amount]

    def _names(self, context: Context) -> Any:
        formulas = self.program.parties.get(self.which, ())
        return formulas[0].evaluate(context, Level.HEADER) if formulas else None

    def _on_top(self, step: Step, part: Part, at: int) -> OnTop:
        """A discount that a line gets."""
        assert part.context is not None
        percent = None
        if "percent" in step.parts:
            percent = value_at(step.parts["percent"].evaluate(part.context, Level.LINE), at)
        where = self._where(list(step.parts.values()), part.context, at)
        return OnTop(step.name, step.definition.shown, percent, _amount(step, part, at) or Decimal(0), where)

    def _where(self, formulas: Sequence[Formula], context: Context, at: int) -> Where | None:
        """The row of the first table of terms that some formulas read, else of the first table."""
        terms = list(self._tables(formulas).values())
        heads = [name.partition(".")[0] for formula in formulas for name in formula.reads]
        for table in (*terms, *(self.program.tables[head] for head in heads if head in self.program.tables)):
            row = context.row_at(table.name, int(context.order_of[at]), at)
            if row >= 0:
                return _where_of(table, row)
        return None

    # -- what else is known -----------------------------------------------------------------------------------

    def other_terms(self, pricing: Pricing) -> list[OtherTerm]:
        """Terms of the party beside prices and discounts: what it pays in advance, and the like."""
        part = next((part for part in pricing.parts if part.context is not None), None)
        if part is None or part.context is None or not len(part.lines):
            return []
        found: list[OtherTerm] = []
        for step in self.routine.steps:
            if step in self.steps or step.way.is_tax:
                continue
            formulas = [formula for _, formula in step.formulas()]
            for name, table in self._tables(formulas).items():
                row = part.context.row_at(name, int(part.context.order_of[0]), 0)
                if row >= 0 and any(self._of_party(f) for f in formulas):
                    read = {n.partition(".")[2] for f in formulas for n in f.reads if n.startswith(f"{name}.")}
                    cells = {column: row_values(table, row).get(column) for column in sorted(read)}
                    found.append(OtherTerm(step.definition.shown, cells, _where_of(table, row)))
        return found

    def components(self, item: str) -> Sequence[Any]:
        """What an item is made of, with the values that its price reads."""
        for option in self.routine.steps[0].options:
            for name in option.value.reads:
                head, _, column = name.partition(".")
                table = self.program.tables.get(head)
                if table is not None and table.assemblies is not None and item in table.assemblies.parts:
                    return table.assemblies.tree(column, item)
        return ()


def _no_orders(program: Program) -> Any:
    from dokima.formats.reading import orders_from

    return orders_from([], program.fields)


def _code(group: Mapping[str, str]) -> str:
    return ", ".join(f"{name} {value}" for name, value in group.items()) or LIST


def _keys(table: Table | None) -> list[str]:
    if table is None:
        return []
    (key,) = table.conditions
    return [str(value) for value in _values(table.cells[key])]


def _values(column: Any) -> list[Any]:
    """The distinct values of a column in the order of its rows, without blanks."""
    found = column.to_list() if isinstance(column, Texts) else [value_at(column, at) for at in range(len(column))]
    return list(dict.fromkeys(value for value in found if value is not None))


def _each(option: Option, context: Context) -> Any:
    """What an option says one unit of the line costs."""
    price = option.value.evaluate(context, Level.LINE)
    if option.factor is not None:
        price = numbers(price) * numbers(option.factor.evaluate(context, Level.LINE))
    return (
        price
        if option.base is None
        else Quotient.of(numbers(price)) / numbers(option.base.evaluate(context, Level.LINE))
    )


def _decimals(column: Any) -> list[Decimal | None]:
    return to_decimals(stored(numbers(column)))


def _name(names: Any, order: int) -> str:
    """What a party is called; blank where nobody says it."""
    found = None if names is None else value_at(names, 0 if len(names) == 1 else order)
    return "" if found is None else shown(found)


def _amount(step: Step, part: Part, at: int) -> Decimal | None:
    """What a step moved on a line; None where that is unknown."""
    return to_decimals(stored(numbers(part.result.lines[step.name])).take(np.array([at])))[0]


def _money(value: Decimal | None, places: int) -> Decimal | None:
    """A price with the places of its currency, and more only where it has them."""
    return None if value is None else with_places(Decimal(shown(value)), places)


def _of_one(net: Decimal, quantity: Decimal) -> Decimal:
    """What one costs, rounded half-up to four places."""
    return to_decimals((Quotient.of(decimals([net])) / decimals([quantity])).round(_NET_PLACES).at(_NET_PLACES))[
        0
    ] or Decimal(0)


def _where_of(table: Table, row: int) -> Where:
    cells = row_values(table, row)
    start, until = table.window.names if table.window is not None else ("", "")
    return Where(
        table.name,
        table.definition.shown,
        table.source.file,
        table.source.row_number(row),
        cells.get(start) if start else None,  # type: ignore[arg-type]
        cells.get(until) if until else None,  # type: ignore[arg-type]
    )
