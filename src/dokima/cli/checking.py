"""``dokima check``: ask the rules about orders."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import report
from dokima.cli import completing
from dokima.cli.options import (
    HERE,
    Book,
    By,
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
    day,
    open_book,
    person,
    read_orders,
    refuse_given,
    what_was,
)
from dokima.cli.output import write


def check(
    orders_named: Named = None,
    at: Annotated[
        str, typer.Option("--at", help="The moment whose rules are asked.", autocompletion=completing.moments)
    ] = "save",
    rule: Annotated[
        str | None, typer.Option("--rule", help="Ask only this rule.", autocompletion=completing.rules)
    ] = None,
    severity: Annotated[str, typer.Option("--severity", help="Show only this severity and worse.")] = "notice",
    sets: Sets = None,
    why: Annotated[bool, typer.Option("--why", help="What came of every rule, and the values it saw.")] = False,
    by: By = "",
    today: Today = "",
    locale: LocaleOption = "",
    orders: OrdersPlace = None,
    tables: Tables = None,
    values: Values = None,
    without: Without = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Ask the rules about orders. Exit status 1 if a finding stops them: an error, or a warning nobody has accepted."""
    if why:
        refuse_given({"--severity": severity != "notice"}, "about findings: --why shows what came of every rule")
    values_now, was = what_was(sets)
    plain = open_book(book, tables, values, values_now)
    rulebook = plain.what_if(without=without or ())
    found = read_orders(rulebook, orders_named or [], orders, layout, plain)
    date, user = day(today), person(by)
    findings = rulebook.check(found, at=at, rule=rule, today=date, by=user, was=was)
    worst = findings.at_least(severity)
    shown = rulebook.explain_rules(found, at=at, rule=rule, today=date, by=user, was=was) if why else worst
    write(form, report(shown, book=rulebook, locale=locale))
    raise typer.Exit(1 if findings.stopping else 0)
