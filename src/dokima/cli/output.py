"""Writing: data to standard output, everything else to standard error."""

from __future__ import annotations

import re
import sys

from rich.console import Console

from dokima import Report, visible
from dokima.cli.options import Format


def write(form: Format, report: Report) -> None:
    """Write a result as asked: as a report, as JSON, or as CSV."""
    match form:
        case Format.json:
            sys.stdout.write(_for_whom_it_is(report.json + "\n"))
        case Format.csv:
            sys.stdout.write(_for_whom_it_is(report.csv()))
        case Format.raw_csv:
            sys.stdout.write(_for_whom_it_is(report.csv(raw=True)))
        case Format.table:
            report.show()


def _for_whom_it_is(text: str) -> str:
    """A text for programs as it is; on a terminal, with nothing in it that would act on one."""
    return visible(text) if sys.stdout.isatty() else text


def note(message: str) -> None:
    """A message to standard error."""
    sys.stderr.write(f"{visible(message)}\n")


_URL = re.compile(
    r"\b((?:sqlite|postgres|mysql|mariadb|oracle|mssql)[a-z+0-9]*:/{1,3})(\S*[:@?]\S*)|\b(password=)\S+", re.IGNORECASE
)
"""A URL of a database as it was typed, in the place of a file or a number: what it may hold is not told."""


def _masked(found: re.Match[str]) -> str:
    if found[3]:
        return f"{found[3]}***"
    return found[0] if "***" in found[2] else f"{found[1]}***'"


def complain(message: str) -> None:
    """A message to standard error, in red where that can be shown."""
    console = Console(stderr=True, highlight=False, emoji=False)
    message = _URL.sub(_masked, visible(message))
    first, _, rest = message.partition("\n")
    console.print("error: ", style="bold red", end="", markup=False)
    console.print(first, markup=False, soft_wrap=True)
    if rest:
        console.print(rest, markup=False, soft_wrap=True)
