"""What if: orders with some values replaced, to see what rules and prices would say."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.exact.integers import Mask
from dokima.formulas.operators import pick
from dokima.model.fields import Field
from dokima.model.orders import Orders
from dokima.model.values import BadValue, ValueReader


def with_values(orders: Orders, values: Mapping[str, str]) -> Orders:
    """Orders with some values replaced.

    Args:
        orders: The orders.
        values: By target: ``header.x`` of every order, ``line.x`` of every line, ``20.x`` of every line 20. An empty
            text makes the field blank.

    Raises:
        NotFound: There is no such field or line.
        DocumentError: A field cannot hold its value.
    """
    headers: dict[str, Column] = {}
    lines: dict[str, Column] = {}
    left: dict[tuple[str, str], Mask] = {}
    for target, text in values.items():
        where, _, name = target.rpartition(".")
        level, fields = ("header", orders.fields.header) if where == "header" else ("line", orders.fields.line)
        if name not in fields:
            raise NotFound(f"there is no {level} field '{name}'{nearest(name, fields)}")
        value = _read(fields[name], target, text)
        if level == "header":
            headers[name] = value.spread(orders.count)
            continue
        chosen = _chosen(orders, where)
        absent = left.get(("line", name), orders.absent.get(("line", name)))
        if absent is not None:  # on the other lines it is as absent as it was
            left["line", name] = absent & ~chosen
        lines[name] = pick(chosen, value.spread(orders.line_count), lines.get(name, orders.line(name)))
    changed = orders.with_columns(headers, lines)
    return replace(changed, absent={**changed.absent, **left}) if left else changed


def _read(field: Field, target: str, text: str) -> Column:
    try:
        return column_of(field.kind, [ValueReader().read(field, text)])
    except BadValue as error:
        raise DocumentError([Problem("", "", target, str(error))]) from None


def _chosen(orders: Orders, where: str) -> Mask:
    if where == "line":
        return np.ones(orders.line_count, bool)
    chosen = np.fromiter((number == where for number in orders.line_numbers), bool, orders.line_count)
    if not chosen.any():
        raise NotFound(f"there is no line {where}{nearest(where, set(orders.line_numbers))}")
    return chosen
