"""``dokima compare``: what changed between two versions of a rulebook, and what that does."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from dokima import CaseFolder, DokimaError, case_changes, report, version_folder
from dokima.cli.options import Format, FormatOption, LayoutName, LocaleOption
from dokima.cli.output import write
from dokima.cli.trusting import loaded
from dokima.cli.writing import ReportFiles, write_reports


def compare(
    old: Annotated[str, typer.Argument(metavar="OLD", help="Folder of the old version, or git:REV.")],
    new: Annotated[Path, typer.Argument(metavar="[NEW]", help="Folder of the new version.")] = Path(),
    orders: Annotated[
        Path | None, typer.Option("--orders", help="Price these with both: the money that moves.")
    ] = None,
    cases: Annotated[bool, typer.Option("--cases", help="Prove the cases of NEW with both.")] = False,
    layout: LayoutName = None,
    files: ReportFiles = None,
    locale: LocaleOption = "",
    form: FormatOption = Format.table,
) -> None:
    """Say what changed between two versions of a rulebook. Exit status 1 if a case fails that passed before."""
    if orders is not None and not os.path.exists(orders):
        raise DokimaError(f"there is no file or folder '{orders}'")
    with version_folder(old, new) as folder:
        before, after = loaded(folder), loaded(new)
        found = before.compare(after)
        if cases:
            # The cases of the new version, asked of both: it is they that say what is meant today.
            sides = [CaseFolder(new, book) for book in (before, after)]
            found = replace(found, cases=case_changes(sides[0].prove(), sides[1].prove()))
        if orders is not None:
            found = replace(found, replay=before.replay(orders, after, layout=layout))
    shown = report(found, book=after, locale=locale)
    write_reports(shown, files)
    write(form, shown)
    raise typer.Exit(1 if any(each.after == "failed" for each in found.cases or ()) else 0)
