"""Variance of two priced orders: line by line by number, header fields, and totals."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import TYPE_CHECKING, Literal

import numpy as np

from dokima.changes.deltas import Columns, Delta
from dokima.columns.column import Column, blanks, kind_of, value_at
from dokima.columns.positions import take_or_blank
from dokima.errors import DocumentError, Problem
from dokima.exact import Decimals, Grouping, Quotient, choose, compare, group_sums, stored
from dokima.exact.integers import Integers, Mask
from dokima.exact.ranking import distinct
from dokima.formulas.operators import alike, compared, numbers
from dokima.model.addresses import read_address
from dokima.model.fields import DRAWN
from dokima.model.orders import texts
from dokima.model.said import SHOWN
from dokima.pricing.calculation.calculation import Calculation, amount_figures
from dokima.pricing.steps.totals import TOTALS

if TYPE_CHECKING:
    from dokima.changes.grouping import GroupedVariance
    from dokima.pricing.program import Program

Status = Literal["unchanged", "changed", "added", "removed"]
PROFIT = ("cost", "margin")
"""Figures that, where a routine has steps of these names, are compared like amounts."""
COSTS = ("unit_cost", *PROFIT)
"""Figures that are for our own eyes: what a line costs us, and what it earns."""


def for_own_eyes(program: Program) -> frozenset[str]:
    """What a report for the other party leaves out, by dotted name: what is internal, and what lines cost and earn."""
    return program.internal | {f"{level}.{name}" for level in ("line", "header") for name in COSTS}


_STATUSES: tuple[Status, ...] = ("unchanged", "changed", "added", "removed")


@dataclass(frozen=True)
class LineVariance:
    """What changed on one line.

    Attributes:
        order: Order number.
        line: Line number.
        status: unchanged, changed, added or removed.
        item: Item after the change, before it for a removed line.
        description: Description, likewise.
        figures: Every figure by name: before, after, variance.
        fields: Other fields of the line that differ; of an added or removed line all that are not blank.
    """

    order: str
    line: str
    status: Status
    item: str | None
    description: str | None
    figures: Mapping[str, Delta]
    fields: Mapping[str, Delta]

    @property
    def is_consequence(self) -> bool:
        """Whether nobody touched the line: another line, the header or the rulebook moved its figures."""
        return self.status == "changed" and not self.fields and not self.figures["quantity"].variance


class Variance:
    """The variance between two calculations of the same orders.

    Lines are those without sub-lines, by number. An absent line counts 0 in amounts and quantities; its prices are
    blank.

    Args:
        before: Priced orders.
        after: The same orders, priced as they are to be.
        mix: Split the variance three ways: price effect = quantity before x change of the average price, and what is
            left beside the quantity effect is the mix.

    Raises:
        DocumentError: The currency of an order differs.
    """

    def __init__(self, before: Calculation, after: Calculation, *, mix: bool = False) -> None:
        self.before = before
        self.after = after
        self.mix = mix
        self.pairs = _pair_orders(before, after)
        _refuse_other_currency(self.pairs, before, after)
        self._join()
        self.figures = self._figure_columns()
        self.fields = self._field_columns()
        self.status = self._statuses()

    # -- lines ------------------------------------------------------------------------------------------------

    def _join(self) -> None:
        """Lines of both sides by order and number, in the sequence of numbers."""
        ranks = _address_ranks(self.before, self.after)
        self._sides = np.array([(at, to) for _, at, to in self.pairs], np.int64).reshape(-1, 2)
        keys = [_keys(side, ranks, self._sides[:, at]) for at, side in enumerate((self.before, self.after))]
        every = distinct(np.concatenate([keys[0][0], keys[1][0]]))
        self.at_before, self.at_after = (_positions(every, *side) for side in keys)
        self.pair_of: Integers = every // max(len(ranks), 1)

    def __len__(self) -> int:
        return len(self.at_before)

    def _side(self, column: Column, positions: Integers) -> Column:
        result: Column = take_or_blank(column, positions)
        return result

    def _figure_columns(self) -> dict[str, Columns]:
        names = [
            name for side in (self.before, self.after) for r in side.program.routines for name in amount_figures(r)
        ]
        amounts = [name for name in dict.fromkeys([*names, *PROFIT]) if name != "amount" and self._has(name)]
        sides = (self.before.orders, self.after.orders)
        quantity, cost = ([side.line(name) for side in sides] for name in ("quantity", "unit_cost"))
        result = {
            "quantity": replace(self._columns(*quantity, absent_is_zero=True), is_money=False),
            "price": self._columns(*self._figure("price"), absent_is_zero=False),
            "unit_cost": self._columns(*cost, absent_is_zero=False),
        }
        for name in amounts:
            result[name] = replace(self._columns(*self._figure(name), absent_is_zero=True), is_amount=True)
        result |= self._profit(result)
        effects = self._effects(result["quantity"], result.get("without_tax"))
        return {**result, **effects}

    def _profit(self, known: Mapping[str, Columns]) -> dict[str, Columns]:
        """Cost and margin where no step of the rulebook works them out: unit cost x quantity, and what net leaves."""
        each, net = known["unit_cost"], known.get("without_tax")
        costed = [not side.is_missing().all() for side in (each.before, each.after)]
        if net is None or any(name in known for name in PROFIT) or not any(costed):
            return {}
        absent = (self.at_before < 0, self.at_after < 0)
        quantity = known["quantity"]
        sides = []
        for gone, count, price in zip(
            absent, (quantity.before, quantity.after), (each.before, each.after), strict=True
        ):
            whole = self._rounded(Quotient.of(count) * price)
            sides.append(stored(choose(gone, Decimals.zeros(1), whole)))
        before, after = sides
        cost = Columns(before, after, after - before, is_amount=True)
        left = (net.before - before, net.after - after)
        return {"cost": cost, "margin": Columns(*left, left[1] - left[0], is_amount=True)}

    def _has(self, name: str) -> bool:
        return name in self.before.figures or name in self.after.figures

    def _figure(self, name: str) -> tuple[Column, Column]:
        sides = (self.before, self.after)
        found = [side.figures.get(name) for side in sides]
        return tuple(  # type: ignore[return-value]
            blanks("decimal", side.orders.line_count) if column is None else column
            for side, column in zip(sides, found, strict=True)
        )

    def _columns(self, before: Column, after: Column, *, absent_is_zero: bool) -> Columns:
        sides = []
        for column, positions in ((before, self.at_before), (after, self.at_after)):
            taken = stored(numbers(self._side(column, positions)))
            if absent_is_zero:
                taken = Decimals.choose(positions < 0, Decimals.zeros(1), taken)
            sides.append(taken)
        return Columns(sides[0], sides[1], sides[1] - sides[0])

    def _effects(self, quantity: Columns, net: Columns | None) -> dict[str, Columns]:
        """The variance without tax split: what the change of quantity did, and the rest, which prices did."""
        if net is None:
            return {}
        item_before = self._side(self.before.orders.line("item"), self.at_before)
        item_after = self._side(self.after.orders.line("item"), self.at_after)
        same = compared(item_before, item_after, "==").is_true() | (item_before.is_missing() & item_after.is_missing())
        zero = Decimals.zeros(1)
        priced = same & (self.at_before >= 0) & (self.at_after >= 0)
        for side in (quantity.before, quantity.after):
            priced = priced & ~side.is_missing() & (compare(side, zero) != 0)
        share = Quotient.of(quantity.variance) * net.before / quantity.before
        first = stored(choose(priced, self._rounded(share), net.variance))
        parts = {"quantity_effect": first, "price_effect": net.variance - first}
        if self.mix:
            # Quantity before x change of the average price: what the new average makes of it, less what it made.
            moved = self._rounded(Quotient.of(net.after) * quantity.before / quantity.after - net.before)
            by_price = stored(choose(priced, moved, zero))
            parts = {"quantity_effect": first, "price_effect": by_price, "mix_effect": net.variance - first - by_price}
        nothing = Decimals.zeros(len(self))
        return {name: Columns(nothing, nothing, part, is_amount=True) for name, part in parts.items()}

    def _rounded(self, share: Quotient) -> Decimals:
        """Rounded to each order's currency, in the mode of its routine."""
        modes, mode_of, units = self._roundings
        kinds = (mode_of * 100 + units)[self.pair_of]
        result = Decimals.blanks(len(self))
        for key in distinct(kinds).tolist():
            mine = np.flatnonzero(kinds == key)
            part = share.take(mine).round(key % 100, modes[key // 100])
            place = np.full(len(self), -1, np.int64)
            place[mine] = np.arange(len(mine))
            result = stored(choose(place >= 0, take_or_blank(part, place), result))
        return result

    @cached_property
    def _roundings(self) -> tuple[Sequence[str], Integers, Integers]:
        """Rounding modes, and for each pair of orders which of them is its routine's, and the places of its currency.

        They are those of the later order; of one that was removed, those it had.
        """
        modes: list[str] = ["half-up"]  # of an order that no routine fits
        found = []
        for side, at in self.both:
            first = len(modes)
            modes += [routine.definition.rounding for routine in side.program.routines]
            mode_of = _picked(np.arange(first, len(modes)), side.routine_of, 0)
            found.append((_picked(mode_of, at, 0), _picked(side.minor_units, at, 0)))
        (modes_before, places_before), (modes_after, places_after) = found
        stays = self._sides[:, 1] >= 0
        return modes, np.where(stays, modes_after, modes_before), np.where(stays, places_after, places_before)

    def _field_columns(self) -> dict[str, tuple[Column, Column]]:
        """Fields of the document that are no figures, both sides."""
        names = dict.fromkeys([*self.before.orders.lines, *self.after.orders.lines])
        skip = ("number", "quantity", "unit_cost", DRAWN)
        fields: dict[str, tuple[Column, Column]] = {}
        for name in names:
            if name not in skip and name in self.before.orders.fields.line and name in self.after.orders.fields.line:
                pair = (self.before.orders.line(name), self.after.orders.line(name))
                fields[name] = (self._side(pair[0], self.at_before), self._side(pair[1], self.at_after))
        return fields

    def _statuses(self) -> Integers:
        changed = np.zeros(len(self), bool)
        for columns in self.figures.values():
            changed |= _differ(columns.before, columns.after)
        for before, after in self.fields.values():
            changed |= _differ(before, after)
        return np.where(self.at_before < 0, 2, np.where(self.at_after < 0, 3, changed.astype(np.int64)))

    def lines(self, *, every: bool = False, orders: Collection[str] | None = None) -> Iterator[LineVariance]:
        """The lines that changed.

        Args:
            every: Also those that did not.
            orders: Only those of these orders; None for all.
        """
        numbers_of = [self.before.orders.line_numbers, self.after.orders.line_numbers]
        wanted = np.ones(len(self), bool) if every else self.status != 0
        if orders is not None:
            chosen = set(orders)
            wanted = wanted & np.array([number in chosen for number, *_ in self.pairs], bool)[self.pair_of]
        rows = np.flatnonzero(wanted)
        places = self._roundings[2][self.pair_of[rows]]
        figures = {name: columns.at(rows, places) for name, columns in self.figures.items()}
        for place_of, at in enumerate(rows.tolist()):
            before, after = int(self.at_before[at]), int(self.at_after[at])
            side, place = (self.after, after) if after >= 0 else (self.before, before)
            number, *_ = self.pairs[int(self.pair_of[at])]
            differing = {
                name: Delta(value_at(x, at), value_at(y, at))
                for name, (x, y) in self.fields.items()
                if value_at(x, at) != value_at(y, at)
            }
            yield LineVariance(
                order=number,
                line=numbers_of[1][after] if after >= 0 else numbers_of[0][before],
                status=_STATUSES[int(self.status[at])],
                item=value_at(side.orders.line("item"), place),
                description=value_at(side.orders.line("description"), place),
                figures={name: changes[place_of] for name, changes in figures.items()},
                fields=differing,
            )

    def by(self, field: str) -> GroupedVariance:
        """The changed lines taken together by a field: ``item``, ``customer``, ``item.family``.

        Raises:
            NotFound: There is no such field or column; names the nearest.
        """
        from dokima.changes.grouping import grouped

        return grouped(self, field)

    def __repr__(self) -> str:
        changed = int((self.status != 0).sum())
        return f"<Variance: {len(self.pairs)} orders, {changed} of {len(self)} lines changed; {SHOWN}>"

    # -- orders -----------------------------------------------------------------------------------------------

    def totals(self) -> dict[str, dict[str, Delta]]:
        """For each order its totals and sums of amounts: before, after, variance."""
        places = [_picked(side.minor_units, at, 0) for side, at in self.both]
        changes = {name: Columns(old, new, new - old).between(*places) for name, (old, new) in self.sums.items()}
        names_of: dict[tuple[int, int], list[str]] = {}
        routines = [_picked(side.routine_of, at, -2) for side, at in self.both]
        found: dict[str, dict[str, Delta]] = {}
        for place, (number, *key) in enumerate(
            zip((number for number, *_ in self.pairs), *(each.tolist() for each in routines), strict=True)
        ):
            names = names_of.get((key[0], key[1]))
            if names is None:
                names = names_of[key[0], key[1]] = [*self._amounts_of(*key), *self._profits, *TOTALS]
            found[number] = {name: changes[name][place] for name in names}
        return found

    @property
    def both(self) -> Sequence[tuple[Calculation, Integers]]:
        """Both sides, and for each pair the position of its order there, -1 for none."""
        return ((self.before, self._sides[:, 0]), (self.after, self._sides[:, 1]))

    def _amounts_of(self, *routines: int) -> list[str]:
        """The amounts that orders of these routines have on either side; -1 is no routine, -2 no order."""
        names: dict[str, None] = {}
        for side, at in zip((self.before, self.after), routines, strict=True):
            if at != -2:
                names.update(dict.fromkeys(amount_figures(side.program.routines[at] if at >= 0 else None)))
        return [name for name in names if name != "amount"]

    @property
    def _profits(self) -> list[str]:
        return [name for name in PROFIT if self._has(name) or name in self.figures]

    @cached_property
    def sums(self) -> Mapping[str, tuple[Decimals, Decimals]]:
        """Totals and sums of amounts of each pair of orders before and after: 0 where there is no order, else missing
        where it is unknown, or where the order has no such amount."""
        sides = (self.before, self.after)
        names = dict.fromkeys(
            name for side in sides for routine in (None, *side.program.routines) for name in amount_figures(routine)
        )
        found: dict[str, tuple[Decimals, Decimals]] = {}
        for name in [each for each in names if each != "amount"]:
            found[name] = self._pairwise(partial(_sums_where_there, figure=name))
        for name in self._profits:
            if self._has(name):
                found[name] = self._pairwise(partial(Calculation.sum_of, figure=name))
            else:
                columns = self.figures[name]
                pairs = Grouping(self.pair_of, len(self.pairs))
                before, after = (group_sums(each, pairs) for each in (columns.before, columns.after))
                found[name] = before, after
        for name in TOTALS:
            found[name] = self._pairwise(partial(_totals, name=name))
        return found

    def _pairwise(self, sums: Callable[[Calculation], Decimals]) -> tuple[Decimals, Decimals]:
        before, after = (
            Decimals.choose(at < 0, Decimals.zeros(1), take_or_blank(sums(side), at)) for side, at in self.both
        )
        return before, after

    def headers(self) -> dict[str, dict[str, Delta]]:
        """For each order that both sides have, the header fields that differ."""
        found: dict[str, dict[str, Delta]] = {number: {} for number, *_ in self.pairs}
        for name, (before, after, differs) in self._header_columns.items():
            for place in np.flatnonzero(differs).tolist():
                number, at, to = self.pairs[place]
                found[number][name] = Delta(value_at(before, at), value_at(after, to))
        return found

    @cached_property
    def _header_columns(self) -> dict[str, tuple[Column, Column, Mask]]:
        """Header fields by name, and for each pair of orders whether they differ."""
        names = dict.fromkeys([*self.before.orders.headers, *self.after.orders.headers])
        paired = (self._sides >= 0).all(axis=1)
        found = {}
        for name in [each for each in names if each not in ("number", DRAWN)]:
            before, after = self.before.orders.header(name), self.after.orders.header(name)
            at, to = self._sides[:, 0], self._sides[:, 1]
            differs = paired & _differ(take_or_blank(before, at), take_or_blank(after, to))
            found[name] = (before, after, differs)
        return found

    @property
    def is_empty(self) -> bool:
        """True if nothing changed: no line, no header field, no total."""
        return not self.changed.any()

    @property
    def changed_orders(self) -> list[str]:
        """The numbers of orders in which anything changed."""
        return [number for (number, *_), moved in zip(self.pairs, self.changed.tolist(), strict=True) if moved]

    @cached_property
    def changed(self) -> Mask:
        """For each pair of orders whether anything changed: a line, a header field, a total, or whether it is there."""
        found = np.array((self._sides < 0).any(axis=1), bool)
        found[self.pair_of[self.status != 0]] = True
        for *_, differs in self._header_columns.values():
            found |= differs
        zero = Decimals.zeros(1)
        for before, after in self.sums.values():
            moved = after - before
            found |= (compare(moved, zero) != 0) & ~moved.is_missing()
            found |= before.is_missing() != after.is_missing()
        return found


def _picked(values: Integers, at: Integers, default: int) -> Integers:
    """The values at some positions; a default where there is none, at position -1."""
    found: Integers = np.append(values, default)[at]
    return found


def _having(side: Calculation, figure: str) -> Mask:
    """Which orders of a calculation have an amount, by their routines."""
    has = [figure in amount_figures(routine) for routine in (*side.program.routines, None)]
    return np.array(has, bool)[side.routine_of]


def _totals(side: Calculation, name: str) -> Decimals:
    return side.totals[name].spread(len(side))


def _sums_where_there(side: Calculation, figure: str) -> Decimals:
    """The sum of an amount over the lines of each order; missing where the order's routine leaves none."""
    return side.sum_of(figure).without(~_having(side, figure))


def _pair_orders(before: Calculation, after: Calculation) -> list[tuple[str, int, int]]:
    """Orders of both sides by number; two single orders are a pair whatever their numbers."""
    numbers = before.orders.numbers, after.orders.numbers
    if len(numbers[0]) == len(numbers[1]) == 1:
        return [(numbers[1][0] or numbers[0][0], 0, 0)]
    places = [{number: at for at, number in enumerate(side)} for side in numbers]
    return [(n, places[0].get(n, -1), places[1].get(n, -1)) for n in dict.fromkeys([*numbers[0], *numbers[1]])]


def _refuse_other_currency(pairs: Sequence[tuple[str, int, int]], before: Calculation, after: Calculation) -> None:
    both = np.array([(at, to) for _, at, to in pairs if at >= 0 and to >= 0], np.int64).reshape(-1, 2)
    old, new = (side.orders.header("currency").take(at) for side, at in ((before, both[:, 0]), (after, both[:, 1])))
    problems = []
    for place in np.flatnonzero(_differ(old, new)).tolist():
        message = f"expected one currency before and after (got {value_at(old, place)} and {value_at(new, place)})"
        number = value_at(after.orders.header("number"), int(both[place, 1])) or ""
        problems.append(Problem(number, "", "currency", message))
    if problems:
        raise DocumentError(problems)


def _address_ranks(*sides: Calculation) -> dict[str, int]:
    columns = [texts(side.orders.line("number")) for side in sides]
    words = dict.fromkeys(word for column in columns for word in column.distinct().values() if word)
    return {word: at for at, word in enumerate(sorted(words, key=read_address))}


def _keys(side: Calculation, ranks: Mapping[str, int], places: Integers) -> tuple[Integers, Integers]:
    """Key (order, number) and position of each line without sub-lines; ``places`` are the orders of the pairs."""
    orders = side.orders
    numbers_ = texts(orders.line("number"))
    rank = np.array([ranks.get(word, -1) for word in numbers_.words.items] + [-1], np.int64)[numbers_.codes]
    pair = np.full(orders.count, -1, np.int64)
    pair[places[places >= 0]] = np.flatnonzero(places >= 0)
    keys = pair[orders.order_of] * max(len(ranks), 1) + rank
    leaf = orders.leaf
    kept: Integers = np.arange(len(keys)) if leaf is None else np.flatnonzero(leaf)
    return keys[kept], kept


def _positions(every: Integers, keys: Integers, places: Integers) -> Integers:
    found = np.full(len(every), -1, np.int64)
    found[np.searchsorted(every, keys)] = places
    return found


def _differ(a: Column, b: Column) -> Mask:
    """Where two columns differ; two blanks are the same."""
    a, b = alike(a, b) if kind_of(a) != kind_of(b) else (a, b)
    same = compared(a, b, "==")
    both_blank = a.is_missing() & b.is_missing()
    return ~(same.is_true() | both_blank)
