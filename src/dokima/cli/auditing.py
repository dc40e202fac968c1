"""``dokima audit``: what is doubtful in a rulebook, found without any order."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from dokima.cli.options import HERE, Book, Format, FormatOption, Tables, Today, Values, day, open_book
from dokima.cli.output import write
from dokima.errors import NotFound, listed, nearest
from dokima.model.findings import SEVERITIES
from dokima.proving.remark import CHECKS
from dokima.reports.audits import audit_report


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
    if severity not in SEVERITIES:
        raise NotFound(f"expected a severity: {listed(SEVERITIES)} (got '{severity}'{nearest(severity, SEVERITIES)})")
    for name in check or ():
        if name not in CHECKS:
            raise NotFound(f"there is no check '{name}'{nearest(name, CHECKS)}; there are {listed(CHECKS, 20)}")
    found = open_book(book, tables, values).audit(day(today))
    worst = SEVERITIES[: SEVERITIES.index(severity) + 1]
    remarks = [each for each in found if each.severity in worst and (not check or each.check in check)]
    data = [each.to_dict() for each in remarks]
    write(
        form,
        table=lambda: audit_report(remarks),
        data=lambda: data,
        rows=lambda: [_flat(row) for row in data],
        columns=("check", "severity", "table", "file", "rows", "path", "message", "example"),
    )
    raise typer.Exit(1 if any(each.severity == "error" for each in remarks) else 0)


def _flat(row: dict[str, Any]) -> dict[str, Any]:
    example = " ".join(f"{name}={value}" for name, value in row["example"].items())
    return {**row, "rows": " ".join(map(str, row["rows"])), "example": example}
