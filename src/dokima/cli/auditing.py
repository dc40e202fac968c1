"""``dokima audit``: what is doubtful in a rulebook, found without any order."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import report
from dokima.cli.options import HERE, Book, Format, FormatOption, Tables, Today, Values, day, open_book
from dokima.cli.output import write


def audit(
    severity: Annotated[str, typer.Option("--severity", help="Show only this severity and worse.")] = "notice",
    check: Annotated[list[str] | None, typer.Option("--check", help="Only this check.")] = None,
    today: Today = "",
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Read tables and rules without any order, and say what is doubtful. Exit status 1 if a remark is an error."""
    rulebook = open_book(book, tables, values)
    remarks = rulebook.audit(day(today)).of(severity, check or ())
    write(form, report(remarks, book=rulebook))
    raise typer.Exit(1 if any(each.severity == "error" for each in remarks) else 0)
