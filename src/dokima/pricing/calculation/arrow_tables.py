"""A calculation as tables of Arrow: a row a line with its figures, or a row an order with its totals."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.texts import Texts
from dokima.errors import DokimaError, ExactError, Problem
from dokima.exact import Decimals, Quotient, stored, to_arrow
from dokima.exact.arrow_buffers import arrow_array, arrow_positions, arrow_texts
from dokima.exact.conversion import ARROW_DIGITS
from dokima.exact.integers import Integers
from dokima.exact.quotients import PLACES_KEPT
from dokima.formulas import NUMBERS
from dokima.formulas.names import FormulaKind
from dokima.pricing.calculation.amounts import as_needed
from dokima.pricing.calculation.calculation import Calculation, TableLevel
from dokima.pricing.calculation.result_tables import (
    AMOUNTS_OF_ORDERS,
    Place,
    TableColumns,
    given_sequence,
    result_columns,
)
from dokima.pricing.program import Program
from dokima.pricing.steps.totals import TOTALS


def arrow_schema(program: Program, level: TableLevel, columns: Sequence[str] = ()) -> Any:
    """The `pyarrow.Schema` of every table of a level, whatever its orders hold: pieces of a stream make one table.

    Money has the places of the currency with the most; other numbers have those that a quotient is kept with.

    Args:
        program: The rulebook.
        level: Of which tables.
        columns: Only these, any field, figure or name of a party; those of every table if empty.

    Raises:
        NotFound: There is no such column; names the nearest.
    """
    import pyarrow as pa

    money = max(program.definition.minor_units.values(), default=0)
    amounts = set(TOTALS) if level == "headers" else set()
    amounts |= {name for routine in program.routines for name in routine.amounts}
    holders = AMOUNTS_OF_ORDERS if level == "headers" else ("figure",)
    chosen = TableColumns(program, level).chosen(columns)
    return pa.schema(
        [
            (name, _type(place.kind, money if place.of in holders and place.name in amounts else PLACES_KEPT))
            for name, place in chosen.items()
        ]
    )


def line_table(calculation: Calculation, schema: Any = None, columns: Sequence[str] = ()) -> Any:
    """A `pyarrow.Table`, one row a line in the caller's sequence: order, line, item ... and all figures."""
    table, sequence = _table(calculation, "lines", schema, columns), given_sequence(calculation)
    return table if sequence is None else table.take(arrow_positions(sequence))


def header_table(calculation: Calculation, schema: Any = None, columns: Sequence[str] = ()) -> Any:
    """A `pyarrow.Table`, one row an order: number, kind, currency, totals and header figures."""
    return _table(calculation, "headers", schema, columns)


def misfits(calculation: Calculation, level: TableLevel, schema: Any) -> dict[int, Problem]:
    """What keeps orders, by their positions, out of a table in a schema: of each the first number with more digits than
    its column holds. Arguments are those of `Calculation.to_arrow`."""
    import pyarrow as pa

    found: dict[int, Problem] = {}
    columns = _columns(calculation, level, schema.names)
    for field in schema:
        column = columns.get(field.name, (None, 0))[0]
        if not isinstance(column, Decimals | Quotient) or not pa.types.is_decimal(field.type):
            continue
        for rows, said in _beyond(stored(column), field.type):
            for row in rows.tolist():
                order, line = _place(calculation, level, row)
                number = calculation.orders.numbers[order]
                found.setdefault(order, Problem(number, line, field.name, said))
    return found


def _columns(calculation: Calculation, level: TableLevel, wanted: Sequence[str] = ()) -> dict[str, tuple[Column, int]]:
    """The columns of a table, each with the least places of its numbers."""
    return {
        name: (column, _least(calculation, level, place))
        for name, (place, column) in result_columns(calculation, level, wanted).items()
    }


def _least(calculation: Calculation, level: TableLevel, place: Place) -> int:
    """The least decimal places of the numbers of a column: those of money, as few as they need for what is none."""
    if level == "headers":
        return calculation.most_places if place.of in AMOUNTS_OF_ORDERS else 0
    return calculation.places_of(place.name) if place.of == "figure" else 0


def _place(calculation: Calculation, level: TableLevel, row: int) -> tuple[int, str]:
    """The position of the order that a row is about, and the number of its line; blank for a row an order."""
    orders = calculation.orders
    if level == "headers":
        return row, ""
    return int(orders.order_of[row]), orders.line_numbers_at(np.array([row]))[0]


def _table(calculation: Calculation, level: TableLevel, schema: Any, wanted: Sequence[str] = ()) -> Any:
    """Columns with the least places of their numbers, in their own kinds or in those of a schema.

    Raises:
        ExactError: A value does not fit the schema; says whose it is.
        NotFound: A column that is wanted is none.
    """
    import pyarrow as pa

    columns = _columns(calculation, level, wanted)
    length = len(calculation) if level == "headers" else calculation.orders.line_count
    if schema is None:
        return pa.Table.from_arrays(
            [_array(column, name, least) for name, (column, least) in columns.items()], list(columns)
        )
    known = set(schema.names)
    unknown = next((name for name in columns if name not in known), None)
    if unknown is not None:
        raise DokimaError(f"expected the schema of this rulebook (it has no '{unknown}')")
    try:
        arrays = [
            _fitted(columns[field.name][0], field) if field.name in columns else pa.nulls(length, field.type)
            for field in schema
        ]
    except ExactError:
        raise ExactError(str(next(iter(misfits(calculation, level, schema).values())))) from None
    return pa.Table.from_arrays(arrays, schema=schema)


def _fitted(column: Column, field: Any) -> Any:
    """A column in the type of a field.

    Raises:
        ExactError: A value does not fit.
    """
    import pyarrow as pa

    if not pa.types.is_decimal(field.type) or not isinstance(column, Decimals | Quotient):
        found = _array(column, field.name)
        return found if found.type == field.type else _blank(found, field)
    exact, places = stored(column), field.type.scale
    if exact.places > places and (exact := exact.compact()).places > places:
        raise ExactError(f"{field.name} has more than {places} decimal places")
    # A number that leaves 64 bits with so many places is left to Arrow, which has 128.
    room = 2**63 // 10 ** (places - exact.places)
    units = exact.units
    fits = units.dtype != object and (not len(units) or max(-int(units.min()), int(units.max())) < room)
    found = to_arrow(exact, places if fits else None, field.name)
    try:
        return found.cast(field.type)
    except pa.ArrowInvalid:
        raise ExactError(f"{field.name} has more digits before the point than its column") from None


def _beyond(exact: Decimals, kind: Any) -> Iterator[tuple[Integers, str]]:
    """The rows whose numbers have more digits than a decimal type of Arrow, and what was expected of them."""
    units, places, most = exact.filled().units.astype(object), kind.scale, kind.precision - kind.scale
    if exact.places > places:
        said = f"expected at most {places} decimal places in a table of Arrow (it has more)"
        yield np.flatnonzero(units % 10 ** (exact.places - places)), said
    large = np.abs(units) >= 10 ** (most + exact.places)
    yield np.flatnonzero(large), f"expected at most {most} digits before the point in a table of Arrow (it has more)"


def _blank(found: Any, field: Any) -> Any:
    """A column of another kind than its field has, which may only be blank."""
    import pyarrow as pa

    if found.null_count < len(found):
        raise DokimaError(f"expected the schema of this rulebook ('{field.name}' is {found.type}, not {field.type})")
    return pa.nulls(len(found), field.type)


def _type(kind: FormulaKind, places: int) -> Any:
    import pyarrow as pa

    if kind in NUMBERS:
        return pa.decimal128(ARROW_DIGITS, places)
    return {"date": pa.date32(), "flag": pa.bool_()}.get(kind, pa.dictionary(pa.int32(), pa.string()))


def _array(column: Column, name: str, places: int = 0) -> Any:
    """An Arrow array; numbers as decimals with at least the given places, texts by their dictionary."""
    import pyarrow as pa

    if isinstance(column, Decimals | Quotient):
        return to_arrow(as_needed(column, places), places, name)
    if isinstance(column, Texts):
        return _text(column)
    if isinstance(column, Dates):
        return arrow_array(pa.date32(), column.days.astype(np.int32), column.missing)
    return arrow_array(pa.bool_(), column.values, column.missing)


def _text(column: Texts) -> Any:
    """Only the words that are used go along: a piece of many orders shares the dictionary of all of them."""
    import pyarrow as pa

    used = np.zeros(len(column.words) + 1, bool)
    used[column.codes] = True
    kept = np.flatnonzero(used[:-1])
    place = np.full(len(column.words) + 1, -1, np.int32)
    place[kept] = np.arange(len(kept), dtype=np.int32)
    codes = place[column.codes]
    gone = codes < 0
    indices = arrow_array(pa.int32(), np.where(gone, 0, codes), gone if gone.any() else None)
    if column.words.arrow is not None:
        # They came from Arrow, and need not become texts of Python on their way back.
        words = column.words.arrow()
        words = words if words.type == pa.string() else words.cast(pa.string())
        words = words if len(kept) == len(words) else words.take(arrow_positions(kept))
        return pa.DictionaryArray.from_arrays(indices, words)
    items = column.words.items
    return pa.DictionaryArray.from_arrays(indices, arrow_texts([items[at] for at in kept.tolist()]))
