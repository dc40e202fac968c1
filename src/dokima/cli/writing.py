"""Options and help that ``change`` and ``ledger`` share: the folder they work on, and writing a report to files."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dokima import FolderStore, Report
from dokima.cli.options import open_book
from dokima.cli.output import note

Store = Annotated[
    Path, typer.Option("--store", help="Folder with orders, changes, baselines.", show_default="this folder")
]
ReportFiles = Annotated[
    list[Path] | None,
    typer.Option("--report", help="Write the report: .html, .pdf, .xlsx, .md, .csv or .json. May repeat."),
]


def open_store(folder: Path, book: Path, tables: list[str] | None = None) -> FolderStore:
    """The folder of orders that a command works on."""
    return FolderStore(folder, open_book(book, tables))


def write_reports(report: Report, targets: list[Path] | None) -> None:
    """Write a report to files, each in the format of its ending; JSON is the same data as ``--format json``."""
    for target in targets or ():
        note(f"written: {report.write(target)}")
