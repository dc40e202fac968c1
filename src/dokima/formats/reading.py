"""One way in for orders: files, folders, documents, DataFrames."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias, cast

from dokima.errors import DocumentError, DokimaError, Problem, listed, nearest
from dokima.formats.documents_in_layouts import in_our_words, rows_of_documents
from dokima.formats.frames import grid_of, is_arrow, is_frame
from dokima.formats.grid import Grid
from dokima.formats.headers_and_lines import apart, grid_apart
from dokima.formats.layouts import Layout, LayoutFiles, own_layout
from dokima.formats.orders_of_grids import flat_orders, linked_orders
from dokima.formats.parquet_folders import files_of_orders, flat_orders_of_files
from dokima.formats.registry import endings, module_of, offers, read_grid
from dokima.model.databases import LayoutQueries
from dokima.model.fields import Fields
from dokima.model.intake import RawOrders, read_documents, read_orders
from dokima.model.order import Order
from dokima.model.orders import Orders

if TYPE_CHECKING:
    import pandas as pd

Source: TypeAlias = (
    "Order | Mapping[str, Any] | Orders | Path | pd.DataFrame | tuple[pd.DataFrame, pd.DataFrame] "
    "| Sequence[Order | Mapping[str, Any] | Path]"
)
"""What holds orders: one document or several, columns, files, a flat frame, or frames of headers and lines."""


def orders_from(source: Source, fields: Fields, layout: Layout | None = None) -> Orders:
    """Orders out of whatever holds them.

    Args:
        source: An `Order`, a mapping, a list of these, `Orders`, a `pathlib.Path` of a JSON, CSV, XLSX or Parquet file
            or of a folder of JSON or Parquet files, a list of paths, a flat DataFrame, or a pair of them (headers,
            lines); where a DataFrame stands, whatever Arrow can read: a `pyarrow.Table`, a `RecordBatchReader`, a
            dataset, or anything with ``__arrow_c_stream__``. With a layout of queries, a mapping of their parameters. A
            text is never taken for a path, because it may come from outside.
        fields: The fields orders may have.
        layout: How files, DataFrames and documents of other people are laid out; Dokima's own layout if None.

    Raises:
        DocumentError: A file cannot be read at all. Problems of single orders do not raise; see ``Orders.problems``.
    """
    if isinstance(source, Orders):
        return source
    if layout is not None and layout.queries is not None:
        return _from_queries(source, fields, layout, layout.queries)
    if isinstance(source, Path):
        return _from_paths([source], fields, layout)
    parts = source if isinstance(source, tuple) and len(source) == 2 else (source,)
    if all(is_frame(part) or is_arrow(part) for part in parts):
        return _from_frames(source, fields, layout)
    if isinstance(source, Sequence) and source and all(isinstance(part, Path) for part in source):
        return _from_paths(cast("Sequence[Path]", source), fields, layout)
    documents, problems = Order.all_of(source)
    return _in_words_of(layout, documents, fields, (), problems)


def _in_words_of(
    layout: Layout | None, documents: Sequence[Order], fields: Fields, files: Sequence[str], problems: Sequence[Problem]
) -> Orders:
    """Documents read, in the words of a layout or in Dokima's own; or rows, where they are none."""
    if documents and len({*files}) <= 1 and not any(each.lines for each in documents):
        chosen = layout or own_layout(fields)
        rows = rows_of_documents(documents, chosen) if chosen.is_flat else None
        if rows is not None:
            flat = flat_orders(rows, chosen, files[0] if files else "")
            return _read_as_json(replace(flat, problems=[*problems, *flat.problems]), fields, chosen)
    if layout is None:
        return read_documents(documents, fields, files, problems)
    found, names, wrong = in_our_words(documents, layout, files)
    raw = RawOrders.from_documents(found, layout.fields(fields), names)
    return _read_as_json(replace(raw, problems=[*problems, *wrong]), fields, layout)


def _read_as_json(raw: RawOrders, fields: Fields, layout: Layout) -> Orders:
    return read_orders(raw, layout.fields(fields), replace(layout.reader, short_floats=True))


def _from_frames(source: Any, fields: Fields, given: Layout | None) -> Orders:
    layout = given or own_layout(fields)
    if not isinstance(source, tuple):
        raw = flat_orders(grid_of(source), layout, "")
    else:
        headers, lines = (grid_of(part) for part in source)
        if given is None:
            return _from_grids(headers, lines, layout, fields, ("headers", "lines"))
        raw = linked_orders(headers, lines, layout, ("headers", "lines"))
    return read_orders(raw, layout.fields(fields), layout.reader)


def _from_grids(headers: Grid, lines: Grid, layout: Layout, fields: Fields, files: tuple[str, str]) -> Orders:
    """Headers and lines in Dokima's own words; where each level stands by itself it may simply say "number"."""
    raw = linked_orders(_named(headers, "order"), _named(lines, "line"), layout, files)
    return read_orders(raw, layout.fields(fields), layout.reader)


def _named(grid: Grid, heading: str) -> Grid:
    """A grid whose column ``number`` is called as in a file that holds both levels."""
    if heading in grid.columns or "number" not in grid.columns:
        return grid
    return replace(grid, columns={heading if n == "number" else n: column for n, column in grid.columns.items()})


def _from_paths(paths: Sequence[Path], fields: Fields, layout: Layout | None) -> Orders:
    if layout is not None and not layout.is_flat:
        return _from_two_files(paths, fields, layout)
    both = apart(paths, own_layout(fields)) if layout is None else None
    if both is not None:
        grids = [grid_apart(each) for each in both]
        return _from_grids(grids[0], grids[1], own_layout(fields), fields, (both[0].name, both[1].name))
    files = [file for path in paths for file in _files(path)]
    tables = [file for file in files if offers(file, "read_grid")]
    if tables:
        chosen = layout or own_layout(fields)
        return read_orders(_flat_rows(files, tables[0], chosen), chosen.fields(fields), chosen.reader)
    documents: list[Order] = []
    names: list[str] = []
    problems: list[Problem] = []
    for file in files:
        try:
            found = module_of(file).read_documents(file)
        except DocumentError as error:
            if len(files) == 1:
                raise
            problems += error.problems
            continue
        documents += found
        names += [file.name] * len(found)
    return _in_words_of(layout, documents, fields, names, problems)


def _flat_rows(files: Sequence[Path], table: Path, layout: Layout) -> RawOrders:
    """The rows of a file, or of several of Parquet; ``table`` is the first that is no document."""
    if len(files) == 1:
        in_book = layout.sheet and table.suffix.lower() == ".xlsx"
        told = f"{table.name} [{layout.sheet}]" if in_book else table.name
        return flat_orders(read_grid(table, layout), layout, told)
    if any(file.suffix.lower() != ".parquet" for file in files):
        message = f"expected one {table.suffix[1:].upper()} file, or JSON or Parquet files only"
        raise DocumentError([Problem("", "", "", message, str(table))])
    return flat_orders_of_files(files, layout)


def _from_queries(source: object, fields: Fields, layout: Layout, queries: LayoutQueries) -> Orders:
    """Headers and lines of two queries, or flat rows of one; the parameters of both come in one mapping."""
    from dokima.formats.queries import parameters_of, rows_of_query

    if not isinstance(source, Mapping):
        message = f"expected the parameters of its queries as a mapping (got {type(source).__name__})"
        raise DocumentError([Problem("", "", "", message, f"layout {layout.name}")])
    assert queries.database is not None
    asked = {"headers": queries.headers, **({"lines": queries.lines} if queries.lines else {})}
    try:
        known = {level: parameters_of(query)[1] for level, query in asked.items()}
        unknown = next((name for name in source if not any(name in names for names in known.values())), None)
        if unknown is not None:
            every = [name for names in known.values() for name in names]
            raise DokimaError(f"layout {layout.name}: there is no :{unknown} in its queries{nearest(unknown, every)}")
        grids = [
            rows_of_query(
                queries.database,
                query,
                {name: source[name] for name in known[level] if name in source},
                f"{level} of layout {layout.name}",
            )
            for level, query in asked.items()
        ]
    except DokimaError as error:
        raise DocumentError([Problem("", "", "", str(error), f"source {queries.source}")]) from None
    if len(grids) == 1:
        raw = flat_orders(grids[0], layout, queries.source)
    else:
        raw = linked_orders(grids[0], grids[1], layout, (f"{queries.source} headers", f"{queries.source} lines"))
    return read_orders(raw, layout.fields(fields), layout.reader)


def _from_two_files(paths: Sequence[Path], fields: Fields, layout: Layout) -> Orders:
    """Headers and lines: the two paths given, two files of the folder given, or two sheets of the workbook given."""
    if layout.sheets is not None:
        return _from_two_sheets(paths, fields, layout, layout.sheets)
    assert layout.files is not None
    headers, lines = layout.files.headers, layout.files.lines
    if len(paths) == 1 and os.path.isdir(paths[0]):
        paths = [paths[0] / headers, paths[0] / lines]
    if len(paths) != 2:
        wanted = f"a folder with {headers} and {lines}, or both files"
        raise DocumentError([Problem("", "", "", f"expected {wanted} (layout {layout.name})", str(paths[0]))])
    grids = [read_grid(path, layout) for path in paths]
    raw = linked_orders(grids[0], grids[1], layout, (paths[0].name, paths[1].name))
    return read_orders(raw, layout.fields(fields), layout.reader)


def _from_two_sheets(paths: Sequence[Path], fields: Fields, layout: Layout, sheets: LayoutFiles) -> Orders:
    if len(paths) != 1 or paths[0].suffix.lower() != ".xlsx":
        message = f"expected one workbook with the sheets {sheets.headers} and {sheets.lines} (layout {layout.name})"
        raise DocumentError([Problem("", "", "", message, str(paths[0]))])
    path, names = paths[0], (sheets.headers, sheets.lines)
    grids = [read_grid(path, replace(layout, sheet=name)) for name in names]
    raw = linked_orders(grids[0], grids[1], layout, (f"{path.name} [{names[0]}]", f"{path.name} [{names[1]}]"))
    return read_orders(raw, layout.fields(fields), layout.reader)


def _files(path: Path) -> list[Path]:
    if os.path.isdir(path):
        return files_of_orders(path)
    known = endings("read_documents", "read_grid")
    if path.suffix.lower() not in known:
        message = f"expected a file that ends in {listed(known)}, or a folder of .json or .parquet files"
        raise DocumentError([Problem("", "", "", message, str(path))])
    return [path]
