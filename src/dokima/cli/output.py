"""Writing: data to standard output, everything else to standard error."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from rich.console import Console, RenderableType

from dokima.cli.options import Format
from dokima.formats.jsondocs import json_text
from dokima.formats.results import csv_text
from dokima.reports.inert import Inert, visible


def write(
    form: Format,
    *,
    table: Callable[[], RenderableType],
    data: Callable[[], Any],
    rows: Callable[[], Sequence[Mapping[str, Any]]],
    columns: Sequence[str] = (),
) -> None:
    """Write a result as asked: as a report, as JSON, or as CSV.

    Args:
        form: The form asked for.
        table: Makes the report.
        data: Makes plain data for JSON.
        rows: Makes rows for CSV.
        columns: Columns of the CSV, for when there are no rows.
    """
    match form:
        case Format.json:
            sys.stdout.write(json_text(data()) + "\n")
        case Format.csv:
            sys.stdout.write(csv_text(rows(), columns))
        case Format.raw_csv:
            sys.stdout.write(csv_text(rows(), columns, raw=True))
        case Format.table:
            show(table())


def show(report: RenderableType) -> None:
    """A report to standard output."""
    Console(highlight=False, markup=False, emoji=False).print(Inert(report))


def complain(message: str) -> None:
    """A message to standard error, in red where that can be shown."""
    console = Console(stderr=True, highlight=False, emoji=False)
    message = visible(message)
    first, _, rest = message.partition("\n")
    console.print("error: ", style="bold red", end="", markup=False)
    console.print(first, markup=False, soft_wrap=True)
    if rest:
        console.print(rest, markup=False, soft_wrap=True)
