"""``dokima init``: a rulebook to begin with, small or proposed for one's own files; and answers to its questions."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from dokima import DokimaError, answer, begin, report
from dokima.cli.options import HERE, Format, FormatOption, pairs
from dokima.cli.output import note, write


def init(
    folder: Annotated[Path, typer.Argument(metavar="[DIR]", help="The folder of the rulebook.")] = HERE,
    sources: Annotated[
        list[Path] | None,
        typer.Option(
            "--from", help="An export of orders, .csv, .xlsx, .parquet or .json; twice for headers and lines."
        ),
    ] = None,
    prices: Annotated[Path | None, typer.Option("--prices", help="A price list, .csv, .xlsx or .parquet.")] = None,
    answers: Annotated[
        list[str] | None, typer.Option("--answer", help="Answer a question of the rulebook: currency=EUR.")
    ] = None,
    form: FormatOption = Format.table,
) -> None:
    """Begin a rulebook: a small one that works, or one proposed for an export of your own. Nothing is overwritten."""
    if answers:
        if sources or prices:
            raise DokimaError("expected either --from or --answer")
        book = answer(folder, pairs(answers))
        left = [each.id for each in book.program.definition.questions]
        note(f"answered; still open: {', '.join(left)}" if left else "answered; nothing is open")
        return
    begun = begin(folder, sources or (), prices)
    write(form, report(begun))
    if form is Format.table:
        what = "--layout export" if sources else ""
        at = "" if folder == HERE else f" -b {folder}"
        named = " ".join(str(each) for each in sources or [folder / "orders"])
        sys.stdout.write(f"\nnext: dokima check {named} {what}{at}".replace("  ", " ") + "\n")
