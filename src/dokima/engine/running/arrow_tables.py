"""A calculation as tables of Arrow: a row a line with its figures, or a row an order with its totals."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from typing import Any

import numpy as np

from dokima.engine.program import Program
from dokima.engine.running.amounts import as_needed
from dokima.engine.running.calculation import HEADER_FIELDS, LINE_FIELDS, Calculation, TableLevel
from dokima.engine.running.field_columns import header_columns
from dokima.engine.running.parties import PARTIES
from dokima.errors import DokimaError, ExactError, NotFound, Problem, listed, nearest
from dokima.exact import Decimals, Quotient, stored, to_arrow
from dokima.exact.arrow_buffers import arrow_array, arrow_positions, arrow_texts
from dokima.exact.conversion import ARROW_DIGITS
from dokima.exact.integers import Integers
from dokima.exact.quotients import PLACES_KEPT
from dokima.formulas import NUMBERS
from dokima.formulas.names import FormulaKind
from dokima.model.columns import Column, Dates, Texts, blanks
from dokima.model.fields import DRAWN
from dokima.model.orders import texts
from dokima.routines.totals import TOTALS


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
    usual, beside = _kinds(program, level)
    known = {**usual, **beside} if columns else usual
    for name in columns:
        if name not in known:
            raise NotFound(f"there is no column '{name}'{nearest(name, known)}; there are {listed(known, 60)}")
    amounts = set(TOTALS) if level == "headers" else set()
    amounts |= {name for routine in program.routines for name in routine.amounts}
    places = {name: money if name in amounts else PLACES_KEPT for name in known}
    return pa.schema([(name, _type(known[name], places[name])) for name in columns or known])


def _kinds(program: Program, level: TableLevel) -> tuple[dict[str, FormulaKind], dict[str, FormulaKind]]:
    """The columns of every table of a level, and all others that it may have, with their kinds."""
    fields = program.fields
    usual: dict[str, FormulaKind]
    beside: dict[str, FormulaKind] = {}
    if level == "lines":
        given = {"line" if name == "number" else name: fields.line[name].kind for name in LINE_FIELDS}
        usual = {"order": "text", **given, **program.line_figures}
        beside |= {name: each.kind for name, each in fields.line.items() if name not in ("number", DRAWN, *usual)}
    else:
        given = {name: fields.header[name].kind for name in HEADER_FIELDS}
        usual = {**given, **dict.fromkeys(TOTALS, "decimal"), **program.header_figures}
        sums = (name for routine in program.routines for name in routine.amounts)
        beside |= {name: "decimal" for name in sums if name not in usual}
    taken = {*usual, *beside}
    headers = {name: each.kind for name, each in fields.header.items() if name not in ("number", DRAWN)}
    headers |= {f"{party}_name": "text" for party in PARTIES if program.parties.get(party)}
    if level == "headers":
        return usual, {**beside, **{name: kind for name, kind in headers.items() if name not in usual}}
    return usual, {**beside, **{f"header.{n}" if n in taken else n: kind for n, kind in headers.items()}}


def line_table(calculation: Calculation, schema: Any = None, columns: Sequence[str] = ()) -> Any:
    """A `pyarrow.Table`, one row a line in the caller's sequence: order, line, item ... and all figures."""
    table = _table(calculation, "lines", schema, columns)
    given = calculation.orders.given
    if len(given) < 2 or bool((given[1:] > given[:-1]).all()):
        return table
    return table.take(arrow_positions(np.argsort(given, kind="stable")))


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


def _columns(
    calculation: Calculation, level: TableLevel, wanted: Collection[str] = ()
) -> dict[str, tuple[Column, int]]:
    """The columns of a table, each with the least places of its numbers; with those that are wanted."""
    orders = calculation.orders
    columns: dict[str, tuple[Column, int]]
    if level == "headers":
        columns = {name: (orders.header(name), 0) for name in HEADER_FIELDS}
        figures = {**calculation.totals, **calculation.order_figures}
        columns |= {name: (column, calculation.most_places) for name, column in figures.items()}
    else:
        numbers = texts(orders.header("number"))
        columns = {"order": (Texts(numbers.codes[orders.order_of], numbers.words), 0)}
        for name in LINE_FIELDS:
            columns["line" if name == "number" else name] = orders.line(name), 0
        columns |= {name: (column, calculation.places_of(name)) for name, column in calculation.figures.items()}
    beside = [name for name in wanted if name not in columns]
    if beside:
        columns |= {name: _beside(calculation, level, name) for name in beside}
    return columns


def _beside(calculation: Calculation, level: TableLevel, name: str) -> tuple[Column, int]:
    """A column that stands in a table only if it is asked for."""
    orders, program = calculation.orders, calculation.program
    if level == "lines" and name in orders.fields.line:
        return orders.line(name), 0
    if level == "headers" and name in calculation.header_values:
        return calculation.header_values[name], calculation.most_places
    field = name.removeprefix("header.")
    known = header_columns(calculation)
    if field in known:
        column = known[field]
    elif field in orders.fields.header:
        column = orders.header(field)
    else:
        kinds = {**program.line_figures, **program.header_figures}
        column = blanks(kinds.get(name, "decimal"), len(orders))
    return (column if level == "headers" else column.take(orders.order_of)), 0


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

    if wanted:
        arrow_schema(calculation.program, level, wanted)  # refuses what is no column
    columns = _columns(calculation, level, wanted)
    columns = {name: columns[name] for name in wanted} if wanted else columns
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
