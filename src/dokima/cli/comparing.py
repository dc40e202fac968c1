"""``dokima compare``: what changed between two versions of a rulebook, and what that does."""

from __future__ import annotations

import os
from contextlib import nullcontext
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from dokima import CaseFolder, DokimaError, Order, case_changes, is_store_url, report, version_folder
from dokima.cli.finding_books import NEAREST, book_folder
from dokima.cli.options import (
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    OrdersPlace,
    Tables,
    Values,
    day,
    open_book,
    read_orders,
)
from dokima.cli.output import write
from dokima.cli.trusting import loaded
from dokima.cli.writing import ReportFiles, write_reports


def compare(
    old: Annotated[
        str | None,
        typer.Argument(metavar="[OLD]", help="Folder of the old version, or git:REV; none with --table or --value."),
    ] = None,
    new: Annotated[
        Path, typer.Argument(metavar="[NEW]", envvar="DOKIMA_BOOK", help="Folder of the new version.")
    ] = NEAREST,
    orders: OrdersPlace = None,
    tables: Tables = None,
    values: Values = None,
    as_of: Annotated[str, typer.Option("--as-of", help="With --orders: price all as if ordered on this day.")] = "",
    cases: Annotated[bool, typer.Option("--cases", help="Prove the cases of NEW with both.")] = False,
    layout: LayoutName = None,
    files: ReportFiles = None,
    locale: LocaleOption = "",
    form: FormatOption = Format.table,
) -> None:
    """Say what changed between two versions of a rulebook, and with --orders what that moves.

    Exit status 1 if errors appear on an order, or a case fails that passed before.
    """
    if old is None and not (tables or values):
        raise DokimaError("expected OLD, or another table or value: --table volume=new.csv, --value NAME=..")
    if as_of and orders is None:
        raise DokimaError("--as-of prices orders: expected --orders too")
    new = book_folder(new)
    with version_folder(old, new) if old is not None else nullcontext(new) as folder:
        before, after = loaded(folder), open_book(new, tables, values)
        found = before.compare(after)
        if cases:
            # The cases of the new version, asked of both: it is they that say what is meant today.
            sides = [CaseFolder(new, book) for book in (before, after)]
            found = replace(found, cases=case_changes(sides[0].prove(), sides[1].prove()))
        if orders is not None:
            source = _source(orders, new)
            found = replace(
                found, replay=before.replay(source, after, layout=layout, as_of=day(as_of) if as_of else None)
            )
    shown = report(found, book=after, locale=locale)
    write_reports(shown, files)
    write(form, shown)
    failed = any(each.after == "failed" for each in found.cases or ())
    appeared = found.replay is not None and any(each.severity == "error" for each in found.replay.appeared)
    raise typer.Exit(1 if failed or appeared else 0)


def _source(place: str, folder: Path) -> Any:
    """The orders to price: a file or folder that both versions read, or those of the store of the new one."""
    if is_store_url(place):
        return [Order.from_dict(each) for each in read_orders(loaded(folder), [], place, None).documents()]
    if not os.path.exists(place):
        raise DokimaError(f"there is no file or folder '{place}'")
    return Path(place)
