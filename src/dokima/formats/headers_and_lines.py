"""Two files or folders, one of headers and one of lines, in Dokima's own words: known by their headings."""

from __future__ import annotations

import os
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Grid
from dokima.formats.layouts import Layout
from dokima.formats.parquet_files import read_table
from dokima.formats.parquet_folders import as_one_table, parquet_files_in
from dokima.formats.registry import module_of, offers, read_grid

NUMBER = "number"
"""What order numbers may be called in headers, and line numbers in lines, where each level has a file of its own."""


def apart(source: Any, layout: Layout) -> tuple[Path, Path] | None:
    """Headers and lines, if a source is two files or folders of them, in either sequence; None if it is none.

    Args:
        source: Whatever holds orders.
        layout: Dokima's own layout.

    Raises:
        DocumentError: A file cannot be read.
    """
    if not isinstance(source, Sequence) or len(source) != 2 or not all(isinstance(each, Path) for each in source):
        return None
    one, other = source
    headings = _headings(one), _headings(other)
    if _are_apart(headings[0], headings[1], layout):
        return one, other
    return (other, one) if _are_apart(headings[1], headings[0], layout) else None


def why_not_apart(source: Any, layout: Layout) -> str:
    """Why two files are no headers and lines, in words."""
    names = [each.name for each in source]
    of_lines = _level(layout, "line") - _level(layout, "header")
    for name, headings in zip(names, map(_headings, source), strict=True):
        if found := next((heading for heading in headings if heading in of_lines), None):
            return f"{name} has the column '{found}' of lines beside headers"
    return f"{names[0]} and {names[1]} have no columns of headers and of lines"


def grid_apart(path: Path) -> Grid:
    """The rows of a file, or of all Parquet files of a folder, one after the other.

    Raises:
        DocumentError: One of them cannot be read, or their columns do not go together.
    """
    if not os.path.isdir(path):
        return read_grid(path)
    return grid_of_table(as_one_table([read_table(file) for file in parquet_files_in(path)], path))


def _are_apart(headers: Collection[str], lines: Collection[str], layout: Layout) -> bool:
    of_header, of_line = _level(layout, "header"), _level(layout, "line")
    number = layout.header["number"].heading or NUMBER
    return (
        bool({number, NUMBER} & {*headers})
        and layout.link in lines
        and not {*headers} & (of_line - of_header)
        and not {*lines} & (of_header - of_line - {layout.link})
        and bool({*lines} & (of_line | {NUMBER}))
    )


def _level(layout: Layout, level: str) -> set[str]:
    specs = layout.header if level == "header" else layout.line
    return {spec.heading or name for name, spec in specs.items()}


def _headings(path: Path) -> list[str]:
    """The headings of a file of rows, of the first of a folder; none of anything else."""
    if os.path.isdir(path):
        files = parquet_files_in(path)
        return _headings(files[0]) if files else []
    return list(module_of(path).read_headings(path)) if offers(path, "read_headings") else []
