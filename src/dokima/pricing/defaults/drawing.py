"""Drawn values: what defaults gave, marked as such in ``drawn``, and drawn again when what they follow from moves.

A field that was given is never drawn, though it holds what its default gives; nor is a blank that was given. Where no
marks came with an order, comparing decides: what holds just what its default gives counts as drawn.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dokima.columns.column import Column, column_of, value_at
from dokima.columns.positions import take_or_blank
from dokima.exact.integers import Integers, Mask
from dokima.formulas.operators import alike, compared, pick
from dokima.model.fields import DRAWN, RECORDS_OF
from dokima.model.orders import Orders, texts
from dokima.model.states import CLOSED
from dokima.model.values import joined_names, split_names
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Before
from dokima.pricing.program import Program, Run

Key = tuple[str, str]
"""Level ("header", "line") and name of a field."""


@dataclass(frozen=True)
class Redrawn:
    """What came of an edit for values that are drawn.

    Attributes:
        orders: The orders with them drawn again.
        fields: By field the headers or lines on which it was drawn.
        moves: Each value that nobody gave and that is another now: its field, the position of its header or line, and
            what it was and is. What is absent, or always worked out, moves too without being drawn.
    """

    orders: Orders
    fields: Mapping[Key, Mask]
    moves: Sequence[tuple[Key, int, Any, Any]] = ()


def drawn(orders: Orders, key: Key) -> Mask:
    """For each header or line whether a field of it holds what its default gave."""
    level, name = key
    marks = texts(_column(orders, (level, DRAWN)))
    holds = np.array([*(name in split_names(word) for word in marks.words.items), False], bool)
    found: Mask = holds[marks.codes]
    absent = orders.absent.get(key)
    return found if absent is None else found & ~absent


def absent(orders: Orders, key: Key) -> Mask:
    """For each header or line whether a field of it was not given, and so takes its default."""
    found = orders.absent.get(key)
    if found is not None:
        return found
    if key in orders.fields.computed:
        return np.ones(_size(orders, key[0]), bool)
    columns = orders.headers if key[0] == "header" else orders.lines
    return np.full(_size(orders, key[0]), key[1] not in columns)


def has_marks(orders: Orders) -> Mask:
    """For each order whether it says which of its values are drawn."""
    found: Mask = ~orders.header(DRAWN).is_missing()
    np.logical_or.at(found, orders.order_of, ~orders.line(DRAWN).is_missing())
    return found


def marked(program: Program, orders: Orders, run: Run) -> Orders:
    """The orders with marks: where none came with one, what holds just what its default gives counts as drawn."""
    bare = ~has_marks(orders)
    if not bare.any() or not program.drawable:
        return orders
    held: dict[Key, Mask] = {}
    for key in program.drawable:
        level = key[0]
        given = ~absent(orders, key) & ~_column(orders, key).is_missing()
        mine = given & (bare if level == "header" else bare[orders.order_of])
        if mine.any():
            asked = prepare(program, replace(orders, absent={**orders.absent, key: mine}), run)
            held[key] = mine & _same(_column(asked, key), _column(orders, key))
    return with_marks(orders, held, bare)


def with_marks(orders: Orders, added: Mapping[Key, Mask], bare: Mask | None = None) -> Orders:
    """The orders with more fields marked as drawn.

    Args:
        orders: The orders.
        added: By field the headers or lines on which it is drawn now.
        bare: Orders that get a list on their header in any case.
    """
    columns: dict[str, dict[str, Column]] = {"header": {}, "line": {}}
    for level, into in columns.items():
        mine = {name: mask for (at, name), mask in added.items() if at == level and mask.any()}
        old = texts(_column(orders, (level, DRAWN))).to_list()
        if level == "header" and bare is not None:
            old = [joined_names([]) if value is None and gone else value for value, gone in zip(old, bare, strict=True)]
        elif not mine:
            continue
        names = list(orders.fields.header if level == "header" else orders.fields.line)
        found: list[str | None] = list(old)
        for at in np.flatnonzero(np.any(list(mine.values()), axis=0)).tolist() if mine else ():
            every = {*split_names(old[at] or ""), *(name for name, mask in mine.items() if mask[at])}
            found[at] = joined_names([name for name in names if name in every])
        into[DRAWN] = column_of("text", found)
    return orders.with_columns(columns["header"], columns["line"])


def all_drawn(program: Program, orders: Orders, run: Run, only: Mask | None = None) -> Redrawn:
    """The orders with every absent field drawn that has a default, and marked; one that gives a blank stays absent.

    Args:
        program: The rulebook.
        orders: The orders.
        run: What the caller says about the run.
        only: The orders that are meant; all if None.
    """
    orders = marked(program, orders, run)
    wanted = {key: absent(orders, key) for key in program.drawable}
    if only is not None:
        wanted = {key: mask & (only if key[0] == "header" else only[orders.order_of]) for key, mask in wanted.items()}
    wanted = {key: mask for key, mask in wanted.items() if mask.any()}
    return Redrawn(_filled(orders, prepare(program, orders, run), wanted), wanted)


def drawn_afresh(program: Program, orders: Orders, run: Run) -> Redrawn:
    """The orders with everything drawn again that is drawn, but on closed lines and from the day or user of a run, and
    with what is absent."""
    orders = marked(program, orders, run)
    free = ~_closed(orders)
    again: dict[Key, Mask] = {}
    wanted: dict[Key, Mask] = {}
    for key in program.drawable:
        lacking, held = absent(orders, key), drawn(orders, key)
        if program.follows[key].of_the_run:
            held = np.zeros(len(held), bool)
        again[key] = held if key[0] == "header" else held & free
        wanted[key] = lacking | again[key]
    asked = prepare(program, replace(orders, absent={**orders.absent, **wanted}), run)
    filled = _filled(orders, asked, wanted)
    return Redrawn(filled, wanted, _differing(again, orders, filled))


def given_now(orders: Orders, level: str, names: Collection[str], where: Mask) -> Orders:
    """The orders without the marks of some fields, which somebody gives on some headers or lines."""
    marks = texts(_column(orders, (level, DRAWN)))
    gone = set(names)
    if not where.any() or not any(gone & set(split_names(word)) for word in marks.words.items):
        return orders
    kept = [
        joined_names([name for name in split_names(text) if name not in gone]) if mine and text else text
        for text, mine in zip(marks.to_list(), where.tolist(), strict=True)
    ]
    column = {DRAWN: column_of("text", kept)}
    return orders.with_columns(*((column, {}) if level == "header" else ({}, column)))


def _filled(orders: Orders, asked: Orders, wanted: Mapping[Key, Mask]) -> Orders:
    """The orders with some fields as another state of them has them, marked as drawn; where it has a blank, absent."""
    columns: dict[str, dict[str, Column]] = {"header": {}, "line": {}}
    gone: dict[Key, Mask] = dict(orders.absent)
    got: dict[Key, Mask] = {}
    for key, mask in wanted.items():
        if mask.any():
            level, name = key
            value = _column(asked, key)
            columns[level][name] = pick(mask, value, _column(orders, key))
            blank = mask & value.is_missing()
            gone[key] = (absent(orders, key) & ~mask) | blank
            got[key] = mask & ~blank
    filled = replace(orders.with_columns(columns["header"], columns["line"]), absent=gone)
    return with_marks(filled, got)


def redrawn(program: Program, before: Before, after: Orders, run: Run) -> Redrawn:
    """Draw again what follows from a field that an edit has changed, and draw what new lines lack.

    Closed lines keep what they have. A passing day and a changed table change no field, and so draw nothing.

    Args:
        program: The rulebook.
        before: The orders before the edit, and where headers and lines stood in it.
        after: The orders as they would be, marks included.
        run: What the caller says about the run.
    """
    moves = _Moves(program, before, after, run)
    again: dict[Key, Mask] = {}
    new: dict[Key, Mask] = {}
    shut = _closed(after)
    for key in program.drawable:
        level = key[0]
        was_there = moves.there(level)
        free = was_there if level == "header" else was_there & ~shut
        held = drawn(after, key) & free
        if held.any() and (found := held & moves.behind(key)).any():
            again[key] = found
        if level == "line" and (lacking := absent(after, key) & ~was_there).any():
            new[key] = lacking
    asked = {key: absent(after, key) | mask for key, mask in again.items()}
    now = prepare(program, replace(after, absent={**after.absent, **asked}), run) if again else moves.now
    wanted = {**again, **{key: mask | again[key] if key in again else mask for key, mask in new.items()}}
    loose = {key: mask for key in program.follows if (mask := absent(after, key) & moves.there(key[0])).any()}
    told = {key: again.get(key, False) | loose.get(key, False) for key in dict.fromkeys([*again, *loose])}
    places = {"header": before.order_at, "line": before.line_at}
    moved = _differing(told, moves.was, now, places)
    return Redrawn(_filled(after, now, wanted) if wanted else after, wanted, moved)


def _differing(
    fields: Mapping[Key, Any], was: Orders, now: Orders, places: Mapping[str, Integers] | None = None
) -> list[tuple[Key, int, Any, Any]]:
    """The values of some fields that differ between two states.

    Args:
        fields: By field the headers or lines that are looked at.
        was: The state before.
        now: The state after.
        places: Where headers and lines stood before; where they stand now if None.
    """
    found: list[tuple[Key, int, Any, Any]] = []
    for key, mask in fields.items():
        old, new = _column(was, key), _column(now, key)
        old = old if places is None else take_or_blank(old, places[key[0]])
        for at in np.flatnonzero(mask & ~_same(new, old)).tolist():
            found.append((key, at, value_at(old, at), value_at(new, at)))
    return found


class _Moves:
    """What an edit has changed: a field itself, or through a default what that follows from."""

    def __init__(self, program: Program, before: Before, after: Orders, run: Run) -> None:
        self.program = program
        self.before = before
        self.after = after
        self.was = prepare(program, before.orders, run)
        self.now = prepare(program, after, run)
        self._moved: dict[Key, Mask] = {}

    def there(self, level: str) -> Mask:
        """For each header or line whether there was one before."""
        at = self.before.order_at if level == "header" else self.before.line_at
        return at >= 0

    def moved(self, key: Key) -> Mask:
        """For each header or line whether a field of it is another, or may be drawn as another."""
        found = self._moved.get(key)
        if found is None:
            at = self.before.order_at if key[0] == "header" else self.before.line_at
            found = ~_same(_column(self.now, key), take_or_blank(_column(self.was, key), at))
            if key in self.program.follows:
                loose = drawn(self.after, key) | absent(self.after, key)
                if loose.any():
                    found = found | (loose & self.behind(key))
            self._moved[key] = found
        return found

    def behind(self, key: Key) -> Mask:
        """For each header or line whether something that its default reads has moved."""
        level = key[0]
        follows = self.program.follows[key]
        found: Mask = np.zeros(_size(self.after, level), bool)
        for name in follows.here:
            found = found | self._here(level, name)
        of_order: Mask = np.zeros(self.after.count, bool)
        for name in follows.anywhere:
            of_order = of_order | self._anywhere(name)
        if follows.counts or follows.here & {"line.position", "line.is_parent"}:
            of_order = of_order | self._lines_moved()
        return found | (of_order if level == "header" else of_order[self.after.order_of])

    def _here(self, level: str, dotted: str) -> Mask:
        """What a name read at the place itself makes move."""
        none: Mask = np.zeros(_size(self.after, level), bool)
        head, _, name = dotted.partition(".")
        if head == "header" and name in self.after.fields.header:
            found = self.moved(("header", name))
            return found if level == "header" else found[self.after.order_of]
        if name not in self.after.fields.line:
            return none
        if head == "line":
            return self.moved(("line", name))
        if head == "parent" and self.after.parent is not None:
            above = self.after.parent
            return np.where(above >= 0, self.moved(("line", name))[above], False)
        return none

    def _anywhere(self, dotted: str) -> Mask:
        """For each order whether a name has moved on any of its lines."""
        head = dotted.partition(".")[0]
        if head in RECORDS_OF:
            kept = RECORDS_OF[head]
            return np.array([self._records(self.before.orders, kept, int(place)) != self._records(self.after, kept, at)
                             for at, place in enumerate(self.before.order_at)], bool)  # fmt: skip
        if head == "header":
            return self._here("header", dotted)
        return self._of_orders(self._here("line", dotted))

    @staticmethod
    def _records(orders: Orders, name: str, at: int) -> object:
        kept = orders.records.get(name)
        return [] if kept is None or at < 0 else kept[at] or []

    def _lines_moved(self) -> Mask:
        """For each order whether lines have come or gone."""
        here = self.before.line_at
        were: Integers = np.append(np.bincount(self.before.orders.order_of, minlength=self.before.orders.count), 0)
        stayed = np.bincount(self.after.order_of[here >= 0], minlength=self.after.count)
        found: Mask = self._of_orders(here < 0) | (were[self.before.order_at] != stayed)
        return found

    def _of_orders(self, lines: Mask) -> Mask:
        found: Mask = np.zeros(self.after.count, bool)
        found[self.after.order_of[lines]] = True
        return found


def _closed(orders: Orders) -> Mask:
    """The lines that are closed, and so keep what they have."""
    return np.array([state == CLOSED for state in texts(orders.line("state")).to_list()], bool)


def _size(orders: Orders, level: str) -> int:
    return orders.count if level == "header" else orders.line_count


def _column(orders: Orders, key: Key) -> Column:
    return orders.header(key[1]) if key[0] == "header" else orders.line(key[1])


def _same(one: Column, other: Column) -> Mask:
    """Where two columns have the same value, or none."""
    same: Mask = compared(*alike(one, other), "==").is_true() | (one.is_missing() & other.is_missing())
    return same
