"""Options and help that ``change`` and ``ledger`` share: the folder they work on, and writing a report to files."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from dokima.cli.options import (
    open_book,
)
from dokima.errors import DokimaError, NotFound
from dokima.formats.jsondocs import json_text
from dokima.reports.paper import Paper
from dokima.store.folder import FolderStore

Store = Annotated[
    Path, typer.Option("--store", help="Folder with orders, changes, baselines.", show_default="this folder")
]
Report = Annotated[
    list[Path] | None,
    typer.Option("--report", help="Write the report: .html, .pdf, .xlsx, .md, .csv or .json. May repeat."),
]


def open_store(folder: Path, book: Path, tables: list[str] | None = None) -> FolderStore:
    return FolderStore(folder, open_book(book, tables))


def write_reports(paper: Paper, targets: list[Path] | None, data: Callable[[], dict[str, Any]]) -> None:
    """Write a report; as JSON, which is for programs, the same data as ``--format json``."""
    from dokima.reports.html import write_html
    from dokima.reports.pdf import write_pdf
    from dokima.reports.plain import write_csv, write_markdown
    from dokima.reports.sheets import write_xlsx

    def write_json(_: Paper, target: Path) -> None:
        target.write_text(json_text(data()) + "\n", encoding="utf-8")

    writers: dict[str, Callable[[Paper, Path], None]] = {
        ".html": write_html, ".pdf": write_pdf, ".xlsx": write_xlsx,
        ".md": write_markdown, ".csv": write_csv, ".json": write_json,
    }  # fmt: skip
    for target in targets or ():
        writer = writers.get(target.suffix.lower())
        if writer is None:
            raise NotFound(f"expected a report ending in {', '.join(writers)} (got '{target.name}')")
        try:
            writer(paper, target)
        except OSError as error:
            raise DokimaError(f"'{target}' cannot be written: {error.strerror}") from None
        sys.stderr.write(f"written: {target}\n")
