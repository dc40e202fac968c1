"""``dokima prove``: the worked examples of a rulebook, run; recorded, confirmed, and what they reach."""

from __future__ import annotations

import datetime
import sys
from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from dokima import (
    CaseFolder,
    DokimaError,
    MutationScore,
    Proof,
    Suggestions,
    add_cases,
    coverage_page,
    junit,
    report,
    version_folder,
)
from dokima.cli.finding_books import book_folder
from dokima.cli.options import HERE, Book, By, Format, LocaleOption, Today, day, pairs, person
from dokima.cli.output import complain, note, write
from dokima.cli.trusting import loaded
from dokima.cli.writing import ReportFiles, write_reports

MUTATION = "mutation"
"""Under this name --fail-under asks for the score of mutation."""


class Written(StrEnum):
    """How a proof is written."""

    table = "table"
    json = "json"
    csv = "csv"
    junit = "junit"


WrittenOption = Annotated[Written, typer.Option("--format", "-f", help="For people, programs, or what runs tests.")]
SuggestedFile = Annotated[
    Path | None,
    typer.Option("--suggest", help="Put cases for what none reaches into this file; with --mutate also for that."),
]


def prove(
    names: Annotated[list[str] | None, typer.Argument(metavar="[CASES...]", help="Cases; all if none.")] = None,
    coverage: Annotated[
        bool, typer.Option("--coverage", help="Say what passing cases reach, and what none does.")
    ] = False,
    page: Annotated[
        Path | None, typer.Option("--page", help="Write the rulebook's text, each line with what cases reach: .html.")
    ] = None,
    fail_under: Annotated[
        list[str] | None, typer.Option("--fail-under", help="Least coverage in percent: rules=100. May repeat.")
    ] = None,
    record: Annotated[list[str] | None, typer.Option("--record", help="Write down what a case gives now.")] = None,
    confirm: Annotated[list[str] | None, typer.Option("--confirm", help="Say that a recorded case is right.")] = None,
    mutate: Annotated[
        bool, typer.Option("--mutate", help="Change the rulebook one spot at a time: does a case notice?")
    ] = False,
    sample: Annotated[
        int | None, typer.Option("--sample", min=1, help="With --mutate: only so many changes, always the same.")
    ] = None,
    rows: Annotated[bool, typer.Option("--rows", help="With --mutate: also rows that no case looks at.")] = False,
    since: Annotated[
        str, typer.Option("--changed-since", help="With --mutate: only what changed since a folder, or git:REV.")
    ] = "",
    propose: SuggestedFile = None,
    most: Annotated[int, typer.Option("--most", min=1, help="With --suggest: how many cases at most.")] = 50,
    watch: Annotated[bool, typer.Option("--watch", help="Run again whenever a file is saved.")] = False,
    by: By = "",
    today: Today = "",
    files: ReportFiles = None,
    locale: LocaleOption = "",
    book: Book = HERE,
    form: WrittenOption = Written.table,
) -> None:
    """Run the worked examples in cases/. Exit status 1 if one fails, or too little is covered."""
    folder = book_folder(book)
    if record or confirm:
        _decide(folder, record or (), confirm or (), person(by), day(today))
        return
    wanted = {name: _percent(name, value) for name, value in pairs(fail_under).items()}
    if watch:
        _watch(folder, names or [], locale)
        return
    cases = CaseFolder(folder, loaded(folder))
    if propose is not None:
        found = _suggested(cases, propose, most, today, _mutated(cases, [], sample, rows, since) if mutate else None)
        write_reports(shown := report(found, book=cases.rulebook, locale=locale), files)
        write(Format.table if form is Written.junit else Format(form), shown)
        if found.ended:
            complain(f"ended early: {found.ended}; what was found so far is in {propose}")
            raise typer.Exit(130 if found.was_stopped else 1)
        return
    proof = cases.prove(names or [], coverage=coverage or page is not None or bool(set(wanted) - {MUTATION}))
    if page is not None:
        _page(page, folder, proof)
    if mutate or MUTATION in wanted:
        proof = replace(proof, mutation=_mutated(cases, names or [], sample, rows, since))
    write_reports(shown := report(proof, book=cases.rulebook, locale=locale), files)
    if form is Written.junit:
        sys.stdout.write(junit(proof))
    else:
        write(Format(form), shown)
    if proof.mutation is not None and proof.mutation.untried:
        complain(
            f"stopped: {proof.mutation.untried} of {proof.mutation.untried + proof.mutation.made} changes not tried"
        )
        raise typer.Exit(130)
    raise typer.Exit(1 if _too_little(proof, wanted) or proof.failed else 0)


def _decide(folder: Path, record: Sequence[str], confirm: Sequence[str], by: str, on: datetime.date) -> None:
    """Write down what cases give now, and say that others are right; each change is read before the next one."""
    for name in record:
        _record(CaseFolder(folder, loaded(folder)), name)
    for name in confirm:
        CaseFolder(folder, loaded(folder)).confirm(name, by, on)
        note(f"{name}: confirmed by {by}")


def _record(cases: CaseFolder, name: str) -> None:
    changed = cases.record(name)
    for path, old, new in changed:
        note(f"{name}: {path} = {new}" + (f" (it was {old})" if old else ""))
    note(f"{name}: recorded, and unconfirmed until somebody says it is right (--confirm '{name}')")


def _percent(name: str, value: str) -> int:
    if not value.isdigit() or int(value) > 100:
        raise DokimaError(f"expected --fail-under {name} as a percentage such as {name}=90 (got '{value}')")
    return int(value)


def _too_little(proof: Proof, wanted: dict[str, int]) -> bool:
    """Whether less is covered than was asked for; says so."""
    known = proof.coverage.headline() if proof.coverage is not None else {}
    if proof.mutation is not None:
        known[MUTATION] = (proof.mutation.noticed, proof.mutation.counted)
    found = False
    for name, least in wanted.items():
        if name not in known:
            raise DokimaError(f"there is no coverage of '{name}'; there are {', '.join(known)}")
        reached = proof.mutation.percent if name == MUTATION else proof.coverage.percent(name)
        if reached < least:
            complain(f"{name}: {reached} % covered, expected {least} %")
            found = True
    return found


def _mutated(cases: CaseFolder, names: list[str], sample: int | None, rows: bool, since: str) -> MutationScore:
    older = None
    if since:
        with version_folder(since, cases.folder) as folder:
            older = loaded(folder)
    bar = Progress(
        TextColumn("changing"), BarColumn(), TimeElapsedColumn(), TimeRemainingColumn(),
        console=Console(stderr=True), disable=not sys.stderr.isatty(), transient=True,
    )  # fmt: skip
    with bar:
        task = bar.add_task("")
        return cases.mutate(
            names,
            sample=sample,
            rows=rows,
            since=older,
            progress=lambda done, all_: bar.update(task, completed=done, total=all_),
        )


def _page(target: Path, folder: Path, proof: Proof) -> None:
    if target.suffix.lower() != ".html":
        raise DokimaError(f"expected a page ending in .html (got '{target.name}')")
    coverage_page(folder, proof, target)
    note(f"written: {target}")


def _suggested(cases: CaseFolder, target: Path, most: int, today: str, mutation: MutationScore | None) -> Suggestions:
    """Cases for what none reaches, put into a file of cases."""
    with Console(stderr=True).status("looking for orders") as told:
        found = cases.suggest(
            day(today), mutation=mutation, most=most, progress=lambda what: told.update(f"looking for orders: {what}")
        )
    if found.items:
        add_cases(target, [each.case for each in found])
        note(f"{len(found)} cases put into {target}, unconfirmed until somebody says that they are right")
    return found


def _watch(folder: Path, names: list[str], locale: str) -> None:
    """Run all again whenever a file below the folder is saved."""
    try:
        from watchfiles import watch
    except ImportError:
        raise DokimaError("--watch needs watchfiles: pip install 'dokima[watch]'") from None
    _again(folder, names, locale)
    for _changes in watch(folder, raise_interrupt=False):
        _again(folder, names, locale)


def _again(folder: Path, names: list[str], locale: str) -> None:
    try:
        report(CaseFolder(folder, loaded(folder)).prove(names), locale=locale).show()
    except DokimaError as error:
        complain(str(error))
