"""``dokima spec``: what a rulebook says in words; as a document with its cases as they come out now."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dokima import CaseFolder, DokimaError, report, specify, verify_specification, version_folder, visible
from dokima.cli.finding_books import book_folder
from dokima.cli.options import HERE, Book, LocaleOption, Today, day
from dokima.cli.output import note
from dokima.cli.trusting import loaded


def spec(
    out: Annotated[
        list[Path] | None, typer.Option("--out", help="Write it: .html, .md, .docx, .pdf or .json. May repeat.")
    ] = None,
    version: Annotated[str, typer.Option("--version", help="Which version of the rulebook this is.")] = "",
    since: Annotated[str, typer.Option("--since", help="Also say what changed since a folder, or git:REV.")] = "",
    with_cases: Annotated[
        bool, typer.Option("--cases", help="Run the cases, and say which parts they verify; always with --out.")
    ] = False,
    verify: Annotated[
        Path | None, typer.Option("--verify", help="Say whether a specification that was written is still true.")
    ] = None,
    locale: LocaleOption = "",
    today: Today = "",
    book: Book = HERE,
) -> None:
    """Say what a rulebook says, in plain words; with --out as a document, in which its cases verify each part.

    Exit status 1 if a case fails, or if what --verify names is no longer true; 2 if that is no specification, or was
    edited since it was made.
    """
    if verify is not None and (out or since or version or with_cases or locale):
        raise DokimaError("expected --verify by itself: it writes nothing, and asks nothing but whether a file is true")
    cases = CaseFolder(book_folder(book), loaded(book_folder(book)))
    if verify is not None:
        found = verify_specification(verify, cases)
        typer.echo(visible(found.text))
        raise typer.Exit(0 if found.is_true else 1)
    facts = {"version": version, "date": day(today).isoformat()}
    changes = None
    if since:
        with version_folder(since, cases.folder) as folder:
            changes = loaded(folder).compare(cases.rulebook)
    given = {name: value for name, value in facts.items() if value}
    made = specify(cases, facts=given, since=changes, run=with_cases or bool(out), locale=locale)
    shown = report(made, book=cases.rulebook)
    for target in out or ():
        note(f"written: {shown.write(target)}")
    if not out:
        shown.show()
    raise typer.Exit(1 if made.verdict.get("failed") else 0)
