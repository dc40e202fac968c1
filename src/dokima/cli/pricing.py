"""``dokima price``: every step of every line, tax, totals."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated

import typer

from dokima import DokimaError, Findings, report
from dokima.cli import completing
from dokima.cli.options import (
    HERE,
    Book,
    Chart,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Named,
    OrdersPlace,
    Sets,
    Tables,
    Today,
    Values,
    Without,
    names_of,
    one_order,
    open_book,
    read_orders,
    refuse_given,
    run_source,
)
from dokima.cli.output import complain, note, write
from dokima.errors import listed

MOST_SAID = 10
"""So many errors are told beside a table of lines."""


def price(
    orders_named: Named = None,
    totals: Annotated[bool, typer.Option("--totals", help="One row an order, and a sum for each currency.")] = False,
    orders: OrdersPlace = None,
    steps: Annotated[
        str | None,
        typer.Option("--steps", help="One line, its steps down the page.", autocompletion=completing.line_numbers),
    ] = None,
    figures: Annotated[str, typer.Option("--figures", help="Line figures to show: price,net,margin.")] = "",
    columns: Annotated[
        str, typer.Option("--columns", help="A table of these fields and figures: order,customer_name,item,net.")
    ] = "",
    chart: Chart = None,
    locale: LocaleOption = "",
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    without: Without = None,
    today: Today = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
    out: Annotated[
        Path | None, typer.Option("--out", help="Many orders, piece by piece, to a folder X.parquet or X.csv.")
    ] = None,
    workers: Annotated[int, typer.Option("--workers", min=1, help="With --out: threads that share the pieces.")] = 1,
    processes: Annotated[int, typer.Option("--processes", min=0, help="With --out: processes instead.")] = 0,
    scheduler: Annotated[str, typer.Option("--scheduler", help="With --out: a Dask scheduler, tcp://HOST:PORT.")] = "",
    resume: Annotated[bool, typer.Option("--resume", help="With --out: go on with a run that was stopped.")] = False,
    check: Annotated[str, typer.Option("--check", help="With --out: also ask the rules of this moment.")] = "",
) -> None:
    """Price orders: every step of every line, tax, totals. Exit status 1 if a finding is an error."""
    _refuse_what_would_be_passed_over(
        {
            "--totals": totals, "--steps": steps, "--figures": figures, "--columns": columns, "--chart": chart,
            "--locale": locale, "--format": form is not Format.table, "--out": out, "--workers": workers > 1,
            "--processes": processes, "--scheduler": scheduler, "--resume": resume, "--check": check,
        }
    )  # fmt: skip
    plain = open_book(book, tables, values, sets, today)
    rulebook = plain.what_if(without=without or ())
    if out is not None:
        from dokima.cli.streaming import price_to_files

        how = (layout, totals, workers, processes, scheduler, resume, check, names_of(columns))
        raise typer.Exit(price_to_files(rulebook, run_source(orders_named or [], orders), out, *how))
    found = read_orders(rulebook, orders_named or [], orders, layout, plain)
    calculation = rulebook.price(found)
    shown = report(calculation, locale=locale, figures=names_of(figures), columns=names_of(columns), totals=totals)
    if chart is not None or steps is not None:
        order = calculation[one_order(found, "draw" if steps is None else "show")]
        one = order if steps is None else order.line(steps)
        if chart is not None:
            from dokima import draw

            note(f"written: {draw(one, chart, locale=shown.locale)}")
        if steps is not None:
            shown = report(one, locale=locale)
    write(form, shown)
    if not totals and (form in (Format.csv, Format.raw_csv) or (columns and form is Format.table)):
        _say_errors(calculation.findings.errors)
    raise typer.Exit(1 if calculation.findings.errors else 0)


def _refuse_what_would_be_passed_over(given: Mapping[str, object]) -> None:
    """Refuse options that say nothing beside another.

    Args:
        given: What was given for each, false for nothing.

    Raises:
        DokimaError: Names the first.
    """

    def refuse(why: str, *names: str) -> None:
        refuse_given({name: given[name] for name in names}, why)

    if given["--steps"]:
        one = "not for --steps, which shows one line down the page"
        refuse(one, "--totals", "--figures", "--columns", "--format")
    if given["--totals"] or given["--columns"]:
        refuse("about lines with their steps: --columns names the columns of a table", "--figures")
    if given["--out"]:
        ways = [name for name in ("--workers", "--processes", "--scheduler") if given[name]]
        if len(ways) > 1:
            raise DokimaError(f"expected one of --workers, --processes and --scheduler (got {listed(ways)})")
        every = "about what is shown: --out writes every figure, or with --totals the totals, or --columns"
        refuse(every, "--steps", "--figures", "--chart", "--locale", "--format")
    else:
        many = "of a run over many orders: it needs --out"
        refuse(many, "--workers", "--processes", "--scheduler", "--resume", "--check")


def _say_errors(errors: Findings) -> None:
    """What a table of lines has no place for: orders that could not be read, and figures that are blank in it."""
    for each in errors[:MOST_SAID]:
        place = f"{each.order} line {each.line}" if each.line else each.order
        complain(f"{place}: {each.message}")
    if len(errors) > MOST_SAID:
        note(f"and {len(errors) - MOST_SAID:,} more errors: --format json holds all of them")
