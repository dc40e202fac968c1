"""Defaults: filling the fields that were not given, before orders are checked or priced."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from weakref import ref

import numpy as np

from dokima.columns.column import Column, blanks, value_at
from dokima.columns.lazy import LazyColumns
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.errors import listed
from dokima.exact import Decimals, Quotient, stored
from dokima.exact.integers import Mask, everywhere
from dokima.formulas import Formula, Level
from dokima.formulas.failures import first_of, only
from dokima.formulas.operators import alike, pick
from dokima.model.fields import Field
from dokima.model.orders import Orders
from dokima.pricing.defaults.delivering import with_delivered
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run


def prepare(program: Program, orders: Orders, run: Run) -> Orders:
    """The orders with the defaults of absent fields filled in; each is worked out when it is first read.

    ``line.delivered`` of a line that does not state it is the sum of what deliveries have brought.
    """
    return prepared_context(program, orders, run, held=True).orders


def prepared_context(program: Program, orders: Orders, run: Run, *, held: bool = False) -> Context:
    """Where a run begins: the orders as `prepare` gives them, and the one context that its formulas share.

    Whatever follows reads this context, so that no table is searched twice: defaults, the choice of a routine, and its
    steps where they price all of these orders together.

    The context holds the orders, and they do not hold it: with all it has worked out it is gone as soon as the run is
    done, not only when the collector looks for cycles. A default that is first read after that has a context made anew.

    Args:
        program: The rulebook.
        orders: The orders.
        run: What the caller says about the run.
        held: The orders hold their context too, because the caller keeps nothing but them.
    """
    orders = _without_given(with_delivered(program, orders))
    formulas = {
        (level, name): formula
        for level, name, formula in program.defaults
        if (level, name) in orders.absent and orders.absent[level, name].any()
    }
    if not formulas:
        return Context(program, orders, run)

    def make(level: str) -> LazyColumns[Column]:
        return LazyColumns([name for at, name in formulas if at == level], lambda name: fill(level, name))

    def fill(level: str, name: str) -> Column:
        context = of_run()
        if context is None:
            context = prepared_context(program, orders, run)
            column = context.orders.header(name) if level == "header" else context.orders.line(name)
            failed.update(context.orders.failed)
            return column
        return _filled(formulas[level, name], orders, context, level, name)

    prepared = orders.with_columns(make("header"), make("line"), unfilled=orders.unfilled or orders)
    failed = prepared.failed
    # Defaults read each other through the context; the rulebook was refused if they did so in a circle.
    context = Context(program, prepared, run)
    of_run: Callable[[], Context | None] = (lambda: context) if held else ref(context)
    return context


def _without_given(orders: Orders) -> Orders:
    """The orders with every field that is always worked out as absent as if nobody had given it."""
    if not orders.fields.computed:
        return orders
    sizes = {"header": orders.count, "line": orders.line_count}
    worked_out = {key: everywhere(sizes[key[0]]) for key in orders.fields.computed}
    return replace(orders, absent={**orders.absent, **worked_out})


def _filled(formula: Formula, orders: Orders, context: Context, level: str, name: str) -> Column:
    at = Level.HEADER if level == "header" else Level.LINE
    value = formula.evaluate(context, at)
    absent = orders.absent[level, name]
    field = (orders.fields.header if level == "header" else orders.fields.line)[name]
    if isinstance(value, Quotient):
        value = stored(value)
    failed = first_of(only(formula.failures(context, at), absent), only(_beyond(field, formula, value), absent))
    if failed is not None:
        value = value.without(failed.codes >= 0)
        context.orders.failed[level, name] = failed
    value = alike(blanks(field.kind, len(value)), value)[1]
    if absent.all():
        return value
    return pick(absent, value, orders.header(name) if level == "header" else orders.line(name))


def _beyond(field: Field, formula: Formula, value: Column) -> Texts | None:
    """What a formula gives that its field does not hold, in words; None if there is nothing such."""
    bad: Mask | None = None
    wanted = ""
    if isinstance(value, Decimals) and field.places is not None and value.places > field.places:
        step = 10 ** (value.places - field.places)
        bad = np.array([units % step != 0 for units in value.units.tolist()], bool) & ~value.is_missing()
        wanted = f"expected at most {field.places} decimal place{'' if field.places == 1 else 's'}"
    elif isinstance(value, Texts) and field.choices and not set(value.words.items) <= set(field.choices):
        known = np.array([word in field.choices for word in value.words.items] + [True], bool)
        bad = ~known[value.codes]
        wanted = f"expected one of {listed(field.choices)}"
    if bad is None or not bad.any():
        return None
    return Texts.of(
        [f"'{formula.source}' gives {shown(value_at(value, at))}; {wanted}" if wrong else None
         for at, wrong in enumerate(bad.tolist())]
    )  # fmt: skip
