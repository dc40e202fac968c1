"""Orders out of tables: a flat one whose header columns repeat on each line, or one of headers and one of lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal

import numpy as np

from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.errors import HeadingsError, Problem, nearest
from dokima.exact.integers import Integers
from dokima.formats.grid import Grid
from dokima.formats.layouts import Layout, LayoutColumn
from dokima.model.intake import RawOrders
from dokima.model.orders import Origin
from dokima.model.raw import ColumnValues, RawColumn
from dokima.model.values import no_column, number_shown


def flat_orders(grid: Grid, layout: Layout, file: str) -> RawOrders:
    """Orders out of a flat table. Rows of an order need not stand together.

    Raises:
        HeadingsError: A heading of the layout is not there.
    """
    _require(
        grid,
        layout,
        file,
        {**layout.header, **{f"line.{n}": f for n, f in layout.line.items()}},
        ("number", "line.number"),
    )
    heading = layout.header["number"].heading or "number"
    if layout.header_once:
        grid = grid.continued(heading, [spec.heading or name for name, spec in layout.header.items()])
    key = grid.columns[heading]
    order_of, first, numbers = _orders_of(key, grid.size)
    header = _taken(grid, layout.header, first)
    if numbers is not None:
        header["number"] = numbers
    raw = RawOrders(
        header,
        _numbered(_taken(grid, layout.line, None), layout, order_of),
        order_of,
        len(first),
        origin=Origin(
            [file],
            grid.rows[first],
            grid.rows,
            letters={**_letters(grid, layout, "header"), **_letters(grid, layout, "line")},
        ),
        problems=_with_numbers(grid, key),
    )
    raw.set_aside |= {int(order_of[row]) for row in _wrong_rows(grid)}
    for name, spec in layout.header.items():
        if name != "number" and spec.heading in grid.columns:
            _check_repeats(raw, grid.columns[spec.heading], spec, grid.rows, first, key)
    return raw


def _orders_of(key: RawColumn, size: int) -> tuple[Integers, Integers, RawColumn | None]:
    """For each row the number of its order, the first row of each, and the order numbers if each is there once."""
    if size:
        # Rows of an order usually stand together: then only the first of them need be looked at.
        moved = key.changes()
        first = np.append(0, np.flatnonzero(moved) + 1)
        numbers = key.taken(first).distinct()
        if numbers is not None:
            return np.append(0, np.cumsum(moved)), first, numbers
    return (*_by_appearance(_codes(key.coded(), size)), None)


def linked_orders(headers: Grid, lines: Grid, layout: Layout, files: tuple[str, str]) -> RawOrders:
    """Orders out of a table of headers and one of lines, joined by order number.

    Raises:
        HeadingsError: A heading of the layout is not there.
    """
    _require(headers, layout, files[0], layout.header, ("number",))
    _require(lines, layout, files[1], layout.line, ("number",))
    if layout.link not in lines.columns:
        _missing(files[1], layout.link, lines, layout)
    headers_key = headers.columns[layout.header["number"].heading or "number"]
    link = lines.columns[layout.link]
    order_of = _headers_of(headers_key, link, headers.size, lines.size)
    lost = np.flatnonzero(order_of < 0)
    problems = [*_with_numbers(headers, headers_key), *_with_numbers(lines, lines.columns[layout.link])]
    for row in lost.tolist():
        place = link.place(row)
        value = link.values[place] if place >= 0 else None
        message = f"expected the number of an order in {files[0]} (got {value!r})"
        at = int(lines.rows[row])
        cell = f"{lines.letters[layout.link]}{at}" if lines.letters else ""
        problems.append(Problem(number_shown(value), "", layout.link, message, files[1], at, cell))
    kept = np.flatnonzero(order_of >= 0)
    wrong = {int(order_of[row]) for row in _wrong_rows(lines)} | set(_wrong_rows(headers))
    return RawOrders(
        _taken(headers, layout.header, None),
        _numbered(_taken(lines, layout.line, kept), layout, order_of[kept]),
        order_of[kept],
        headers.size,
        origin=Origin(
            [files[0]],
            headers.rows,
            lines.rows[kept],
            files[1],
            {**_letters(headers, layout, "header"), **_letters(lines, layout, "line")},
        ),
        problems=problems,
        given=kept,
        set_aside=wrong - {-1},
    )


def _headers_of(key: RawColumn, link: RawColumn, headers: int, lines: int) -> Integers:
    """For each line the place of the header of its number, the first of several; -1 for none."""
    if not lines:
        return np.zeros(0, np.int64)
    # Lines of an order usually stand together: then only the first of them need be looked at.
    moved = link.changes()
    begins = np.append(0, np.flatnonzero(moved) + 1)
    runs = link.taken(begins)
    known, asked = key.coded(), runs.coded()
    # A second header of a number is a problem of its own.
    first = np.full(len(known.values) + 1, -1, np.int64)
    first[_codes(known, headers)[::-1]] = np.arange(headers - 1, -1, -1)
    places = _places_in(asked.values, known.values)
    found = np.append(np.where(places < 0, -1, first[places]), first[-1])[_codes(asked, len(begins))]
    order_of: Integers = found[np.append(0, np.cumsum(moved))]
    return order_of


def _places_in(asked: Sequence[Any], known: Sequence[Any]) -> Integers:
    """For each distinct value its place among others, negative for none."""
    columns = [each.column for each in (asked, known) if isinstance(each, ColumnValues)]
    texts = [each for each in columns if isinstance(each, Texts)]
    if len(texts) == 2:
        places: Integers = texts[0].words.numbers_in(texts[1].words)[texts[0].codes]
        return places
    place = {value: at for at, value in enumerate(known)}
    return np.array([place.get(value, -1) for value in asked], np.int64)


def _numbered(lines: dict[str, RawColumn], layout: Layout, order_of: Integers) -> dict[str, RawColumn]:
    """Lines with numbers in steps of ten, in the sequence of their rows, where a layout has no column for them."""
    if "number" in layout.line:
        return lines
    count = len(order_of)
    by_order = np.argsort(order_of, kind="stable")
    starts = np.flatnonzero(np.append(True, np.diff(order_of[by_order]) != 0)) if count else np.zeros(0, np.int64)
    sizes = np.diff(np.append(starts, count))
    place = np.empty(count, np.int64)
    place[by_order] = np.arange(count) - np.repeat(starts, sizes)
    most = int(np.max(place, initial=-1)) + 1
    return {"number": RawColumn([str((at + 1) * 10) for at in range(most)], place), **lines}


def _wrong_rows(grid: Grid) -> list[int]:
    """The rows of a grid in which a cell could not be read."""
    wrong = [problem.row for problem in grid.problems if problem.row is not None]
    return np.flatnonzero(np.isin(grid.rows, wrong)).tolist() if wrong else []


def _with_numbers(grid: Grid, key: RawColumn) -> list[Problem]:
    """The problems of a grid, each with the number of the order that its row belongs to, as far as it has one."""
    place = {int(grid.rows[row]): key.place(row) for row in _wrong_rows(grid)}
    known = {row: number_shown(key.values[at]) for row, at in place.items() if at >= 0}
    return [replace(problem, order=known.get(problem.row or 0, "")) for problem in grid.problems]


def _letters(grid: Grid, layout: Layout, level: Literal["header", "line"]) -> dict[tuple[str, str], str]:
    """The column of a workbook in which each field of a level stands."""
    specs = layout.header if level == "header" else layout.line
    named = {name: spec.heading or name for name, spec in specs.items()}
    return {(level, name): grid.letters[heading] for name, heading in named.items() if heading in grid.letters}


def _codes(column: RawColumn, size: int) -> Integers:
    return np.arange(size) if column.codes is None else column.codes


def _by_appearance(codes: Integers) -> tuple[Integers, Integers]:
    """For each row the number of its order, orders counted as they appear; and the first row of each."""
    if not len(codes):
        return codes, codes
    lowest = int(codes.min())
    shifted = codes - lowest
    first = np.full(int(shifted.max()) + 1, len(codes), np.int64)
    # Of several rows of one order the last that is written stays: backwards that is its first.
    first[shifted[::-1]] = np.arange(len(codes) - 1, -1, -1)
    sequence = np.argsort(first, kind="stable")[: int((first < len(codes)).sum())]
    place = np.empty(len(first), np.int64)
    place[sequence] = np.arange(len(sequence))
    return place[shifted], first[sequence]


def _taken(grid: Grid, specs: Mapping[str, LayoutColumn], rows: Integers | None) -> dict[str, RawColumn]:
    columns: dict[str, RawColumn] = {}
    for name, spec in specs.items():
        column = grid.columns.get(spec.heading or name)
        if column is not None:
            columns[name] = column if rows is None else column.taken(rows)
    return columns


def _require(grid: Grid, layout: Layout, file: str, specs: Mapping[str, LayoutColumn], always: tuple[str, ...]) -> None:
    """Every heading a layout names must be there; of Dokima's own layout only the numbers must."""
    needed = {name: spec.heading or spec.name for name, spec in specs.items()}
    absent = [
        head for name, head in needed.items() if head not in grid.columns and (layout.name != "own" or name in always)
    ]
    if absent:
        _missing(file, absent[0], grid, layout)
    if layout.name == "own":
        unknown = [heading for heading in grid.columns if heading not in needed.values() and heading != layout.link]
        if unknown:
            hint = nearest(unknown[0], needed.values())
            message = f"expected headings that are fields (got '{unknown[0]}'{hint})"
            raise HeadingsError([Problem("", "", "", message, file, layout.heading_row)])


def _missing(file: str, heading: str, grid: Grid, layout: Layout) -> None:
    raise HeadingsError([Problem("", "", "", no_column(heading, grid.columns), file, layout.heading_row)])


def _check_repeats(
    raw: RawOrders, column: RawColumn, spec: LayoutColumn, rows: Integers, first: Integers, key: RawColumn
) -> None:
    """A header value must be the same on every row of its order."""
    order_of = raw.order_of
    if not (column.changes() & (order_of[1:] == order_of[:-1])).any() and bool((order_of[1:] >= order_of[:-1]).all()):
        return  # rows of an order stand together, and no value moves within one
    codes = column.keys()
    differs = np.flatnonzero(codes != codes[first[order_of]])
    for row in differs.tolist():
        order = int(order_of[row])
        at = first[order]
        values = [column.values[place] if place >= 0 else None for place in map(column.place, (int(at), row))]
        expected, got = (repr(value) if isinstance(value, str) else shown(value) for value in values)
        message = f"expected {expected} as in row {rows[at]} (got {got})"
        number = key.values[key.place(int(at))] if key.place(int(at)) >= 0 else None
        file, place = raw.origin.file_of("header", order), int(rows[row])
        cell = raw.origin.cell("header", spec.name, place)
        raw.problems.append(Problem(number_shown(number), "", spec.name, message, file, place, cell))
        raw.set_aside.add(order)
