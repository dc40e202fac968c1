"""The commands of the first hour: check, price, explain, variance."""

from __future__ import annotations

import sys
from dataclasses import asdict
from typing import Annotated

import typer

from dokima.changes.grouping import grouped
from dokima.cli.options import (
    HERE,
    Book,
    By,
    Chart,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    OrdersPath,
    Sets,
    Tables,
    Today,
    Values,
    day,
    one_order,
    open_book,
    pairs,
    person,
    read_orders,
    speak,
    what_if,
    what_was,
)
from dokima.cli.output import show, write
from dokima.engine.explaining import Rung
from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.formats.results import (
    answer_data,
    calculation_data,
    calculation_rows,
    cell,
    grouped_data,
    grouped_rows,
    summary_data,
    total_rows,
    totals_data,
    variance_data,
    variance_rows,
)
from dokima.model.findings import COLUMNS, SEVERITIES
from dokima.reports.bars import line_bars, order_bars
from dokima.reports.charts import draw_price_steps, draw_waterfall
from dokima.reports.describing import rulebook_report
from dokima.reports.explanations import explanation_report
from dokima.reports.findings import answers_report, findings_report
from dokima.reports.pricing import calculation_report, known_figures, totals_report
from dokima.reports.steps import steps_report
from dokima.reports.variances import grouped_report, variance_report

Named = Annotated[
    list[str] | None, typer.Argument(metavar="ORDERS...", help="Files or folders; numbers with --orders.")
]


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
        answers = rulebook.why(found, at=at, rule=rule, today=date, by=user, was=was)
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


def price(
    orders_named: Named = None,
    totals: Annotated[bool, typer.Option("--totals", help="One row an order, and a sum for each currency.")] = False,
    orders: OrdersPath = None,
    steps: Annotated[str | None, typer.Option("--steps", help="One line, its steps down the page.")] = None,
    figures: Annotated[str, typer.Option("--figures", help="Line figures to show: price,net,margin.")] = "",
    chart: Chart = None,
    locale: LocaleOption = "",
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Price orders: every step of every line, tax, totals. Exit status 1 if a finding is an error."""
    rulebook = open_book(book, tables, values)
    speak(locale, rulebook)
    found = what_if(read_orders(rulebook, orders_named or [], orders, layout), sets)
    calculation = rulebook.price(found)
    chosen = [name.strip() for name in figures.split(",") if name.strip()]
    known_figures(calculation, chosen)
    line = None
    if chart is not None or steps is not None:
        order = calculation[one_order(found, "draw" if steps is None else "show")]
        line = None if steps is None else order.line(steps)
        if chart is not None:
            bars = order_bars(order) if line is None else line_bars(line)
            title = order.number if line is None else f"{order.number} line {line.number}"
            draw_waterfall(bars, title, order.header("currency") or "", chart)
            sys.stderr.write(f"written: {chart}\n")
    if line is not None and form is Format.table:
        show(steps_report(line))
        raise typer.Exit(1 if calculation.findings.errors else 0)
    write(
        form,
        table=lambda: totals_report(calculation) if totals else calculation_report(calculation, chosen),
        data=lambda: totals_data(calculation) if totals else calculation_data(calculation, chosen),
        rows=lambda: total_rows(calculation) if totals else calculation_rows(calculation, chosen),
        columns=("order",) if totals else ("order", "line"),
    )
    raise typer.Exit(1 if calculation.findings.errors else 0)


def explain(
    order: Annotated[str | None, typer.Argument(metavar="[ORDER]", help="A file, or a number with --orders.")] = None,
    line: Annotated[str | None, typer.Argument(metavar="[LINE]", help="The line number.")] = None,
    figure: Annotated[str | None, typer.Argument(metavar="[FIGURE]", help="One figure, such as price.")] = None,
    header: Annotated[list[str] | None, typer.Option("--header", help="Without an order: customer=X.")] = None,
    fields: Annotated[list[str] | None, typer.Option("--line", help="Without an order: item=X, quantity=4.")] = None,
    technical: Annotated[bool, typer.Option("--technical", help="Add formulas and names.")] = False,
    chart: Chart = None,
    locale: LocaleOption = "",
    orders: OrdersPath = None,
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Say where the figures of a line came from, and which table rows lost; or what a line would cost."""
    rulebook = open_book(book, tables, values)
    speak(locale, rulebook)
    rungs: list[Rung] = []
    found = None
    if order is None and fields:
        explanation, rungs = rulebook.try_line(pairs(header), pairs(fields))
    elif order is None or line is None:
        raise DokimaError("expected ORDER and LINE, or --header and --line fields of a line that stands in no order")
    else:
        found = what_if(read_orders(rulebook, [order], orders, layout), sets)
        explanation = rulebook.explain(found, line, figure, order=one_order(found, "explain"))
    if chart is not None:
        if rungs or found is None:
            draw_price_steps(rungs, explanation, chart)
        else:
            priced = rulebook.price(found)[explanation.order]
            title = f"{explanation.order} line {explanation.line}   {explanation.title}"
            draw_waterfall(line_bars(priced.line(explanation.line)), title, explanation.currency, chart)
        sys.stderr.write(f"written: {chart}\n")
    data = explanation.to_dict()
    ladder = [{key: cell(value, 0) for key, value in asdict(rung).items()} for rung in rungs]
    write(
        form,
        table=lambda: explanation_report(explanation, rungs, technical=technical),
        data=lambda: {**data, "quantities": ladder} if rungs else data,
        rows=lambda: ladder or [{k: step[k] for k in ("step", "kind", "value", "source")} for step in data["steps"]],
    )
    raise typer.Exit(1 if any(finding.severity == "error" for finding in explanation.findings) else 0)


def variance(
    before: Annotated[str, typer.Argument(metavar="BEFORE", help="File or folder of orders as they were.")],
    after: Annotated[str, typer.Argument(metavar="AFTER", help="File or folder of orders as they are to be.")],
    every: Annotated[bool, typer.Option("--all", help="Unchanged lines too.")] = False,
    by: Annotated[str, typer.Option("--by", help="Sum it by a field: item, customer, item.family.")] = "",
    mix: Annotated[bool, typer.Option("--mix", help="Split effects in quantity, price and mix.")] = False,
    locale: LocaleOption = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Compare two states of orders, line by line and in total. Exit status 1 if one of them cannot be priced."""
    rulebook = open_book(book)
    speak(locale, rulebook)
    sides = [rulebook.price(read_orders(rulebook, [side], None, layout)) for side in (before, after)]
    found = rulebook.variance(sides[0], sides[1], mix=mix)
    status = 1 if any(side.findings.errors for side in sides) else 0
    if by:
        groups = grouped(found, by)
        write(
            form,
            table=lambda: grouped_report(groups),
            data=lambda: grouped_data(groups),
            rows=lambda: grouped_rows(groups),
            columns=("row", "value"),
        )
        raise typer.Exit(status)
    write(
        form,
        table=lambda: variance_report(found, every=every),
        data=lambda: variance_data(found, every=every),
        rows=lambda: variance_rows(found, every=every),
        columns=("order", "line", "status"),
    )
    raise typer.Exit(status)


def describe(book: Book = HERE) -> None:
    """Say what a rulebook says, in words: fields, tables, rules by moment, routines step by step, states."""
    rulebook = open_book(book)
    show(rulebook_report(rulebook.program))
