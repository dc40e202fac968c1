"""Options that the commands on a store share, and writing a report to files."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dokima import Report, Rulebook, Store, open_store
from dokima.cli.closing import AT_END
from dokima.cli.options import open_book
from dokima.cli.output import note

Place = Annotated[
    str,
    typer.Option("--store", help="Folder with orders and changes, or URL of a database.", show_default="this folder"),
]
AllowDraft = Annotated[bool, typer.Option("--allow-draft", help="Also with a rulebook that says it is a draft.")]
Schema = Annotated[str, typer.Option("--schema", help="Schema of the database.")]
Prefix = Annotated[str, typer.Option("--prefix", help="What the names of its tables begin with.")]
ReportFiles = Annotated[
    list[Path] | None,
    typer.Option("--report", help="Write the report: .html, .pdf, .xlsx, .md, .csv or .json. May repeat."),
]

ListFiles = Annotated[
    list[Path] | None,
    typer.Option(
        "--report", help="Write the list: .html, .pdf, .xlsx, .md, .csv, .json, .parquet or .arrow. May repeat."
    ),
]


def store_of(
    place: str,
    book: Path,
    tables: list[str] | None = None,
    schema: str = "",
    prefix: str = "",
    *,
    allow_draft: bool = False,
) -> Store:
    """The store that a command works on."""
    return store_at(place, open_book(book, tables), schema, prefix, allow_draft=allow_draft)


def store_at(place: str, book: Rulebook, schema: str = "", prefix: str = "", *, allow_draft: bool = False) -> Store:
    """The store of a place; it is closed when the command ends, however it does."""
    opened = open_store(place, book, schema=schema, prefix=prefix, allow_draft=allow_draft)
    return AT_END.enter_context(opened)


def write_reports(report: Report, targets: list[Path] | None) -> None:
    """Write a report to files, each in the format of its ending; JSON is the same data as ``--format json``."""
    for target in targets or ():
        note(f"written: {report.write(target)}")
