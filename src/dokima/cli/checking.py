"""``dokima check``: ask the rules about orders."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima.cli.options import (
    HERE,
    Book,
    By,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Named,
    OrdersPath,
    Sets,
    Tables,
    Today,
    Values,
    day,
    open_book,
    person,
    read_orders,
    speak,
    what_if,
    what_was,
)
from dokima.cli.output import write
from dokima.errors import NotFound, listed, nearest
from dokima.formats.results import (
    answer_data,
    summary_data,
)
from dokima.model.findings import COLUMNS, SEVERITIES
from dokima.reports.findings import answers_report, findings_report


def check(
    orders_named: Named = None,
    at: Annotated[str, typer.Option("--at", help="The moment whose rules are asked.")] = "save",
    rule: Annotated[str | None, typer.Option("--rule", help="Ask only this rule.")] = None,
    severity: Annotated[str, typer.Option("--severity", help="Show only this severity and worse.")] = "notice",
    sets: Sets = None,
    why: Annotated[bool, typer.Option("--why", help="What came of every rule, and the values it saw.")] = False,
    by: By = "",
    today: Today = "",
    locale: LocaleOption = "",
    orders: OrdersPath = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Ask the rules about orders. Exit status 1 if a finding stops them: an error, or a warning nobody has accepted."""
    rulebook = open_book(book, tables, values)
    speak(locale, rulebook)
    if severity not in SEVERITIES:
        raise NotFound(f"expected a severity: {listed(SEVERITIES)} (got '{severity}'{nearest(severity, SEVERITIES)})")
    values_now, was = what_was(sets)
    found = what_if(read_orders(rulebook, orders_named or [], orders, layout), values_now)
    date, user = day(today), person(by)
    findings = rulebook.check(found, at=at, rule=rule, today=date, by=user, was=was)
    status = 1 if findings.stopping else 0
    if why:
        answers = rulebook.explain_rules(found, at=at, rule=rule, today=date, by=user, was=was)
        rows = [answer_data(each) for each in answers]
        write(form, table=lambda: answers_report(answers), data=lambda: rows, rows=lambda: rows)
        raise typer.Exit(status)
    worst = SEVERITIES[: SEVERITIES.index(severity) + 1]
    count = len(found) + len({problem.order for problem in found.problems})
    shown = findings.where(lambda finding: finding.severity in worst)
    write(
        form,
        table=lambda: findings_report(shown, count),
        data=lambda: {"orders": count, "findings": shown.to_dicts(), "rules": summary_data(findings)},
        rows=lambda: [{name: row[name] for name in COLUMNS} for row in shown.to_dicts()],
        columns=COLUMNS,
    )
    raise typer.Exit(status)
