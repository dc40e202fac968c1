"""Which module reads and writes a file: one module a format, found by the ending of the file's name."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from pathlib import Path
from typing import Any, Literal

from dokima.errors import DocumentError, Problem
from dokima.formats.grid import Grid
from dokima.model.values import PLAIN_MARKS, Marks

Ability = Literal["read_documents", "read_grid", "read_batches", "read_headings"]
"""What a module may offer: ``read_documents(path)`` gives whole orders, ``read_grid(path, marks)`` rows under headings,
of which tables and flat orders are made, ``read_batches(path, marks, rows)`` the same rows, some at a time, and
``read_headings(path, marks)`` the headings alone."""

MODULES: Mapping[str, tuple[str, tuple[Ability, ...]]] = {
    ".json": ("json_files", ("read_documents",)),
    ".jsonl": ("json_lines_files", ("read_documents",)),
    ".csv": ("csv_files", ("read_grid", "read_batches", "read_headings")),
    ".tsv": ("csv_files", ("read_grid", "read_batches", "read_headings")),
    ".txt": ("csv_files", ("read_grid", "read_batches", "read_headings")),
    ".xlsx": ("xlsx_files", ("read_grid",)),
    ".parquet": ("parquet_files", ("read_grid", "read_batches", "read_headings")),
}
"""The module of each ending, and what it offers; it is imported when a file of that kind is met."""


def offers(path: Path, ability: Ability) -> bool:
    """Whether files with this ending can be read so."""
    return ability in MODULES.get(path.suffix.lower(), ("", ()))[1]


def endings(*abilities: Ability) -> list[str]:
    """The endings of files that can be read in one of these ways."""
    return [ending for ending, (_, offered) in MODULES.items() if set(offered) & set(abilities)]


def module_of(path: Path) -> Any:
    """The module of a file's format; its ending is known."""
    return import_module(f"dokima.formats.{MODULES[path.suffix.lower()][0]}")


def read_grid(path: Path, marks: Marks = PLAIN_MARKS) -> Grid:
    """Read a file of rows by its ending; rows of sums are left out.

    Args:
        path: The file.
        marks: How it is written: separator and encoding of CSV, the sheet of a workbook, the row of the headings.

    Raises:
        DocumentError: It cannot be read, or has another ending.
    """
    if not offers(path, "read_grid"):
        message = f"expected a file that ends in {', '.join(endings('read_grid'))} (got '{path.name}')"
        raise DocumentError([Problem("", "", "", message, path.name)])
    grid: Grid = module_of(path).read_grid(path, marks)
    return grid.without_sums(marks.sums)
