"""The commands of the first hour: check, price, explain, variance."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LayoutName,
    OrdersPath,
    one_order,
    open_book,
    read_orders,
)
from dokima.cli.output import write
from dokima.formats.results import (
    calculation_data,
    calculation_rows,
    variance_data,
    variance_rows,
)
from dokima.reports.explanations import explanation_report
from dokima.reports.findings import findings_report
from dokima.reports.pricing import calculation_report
from dokima.reports.variances import variance_report

Named = Annotated[
    list[str] | None, typer.Argument(metavar="ORDERS...", help="Files or folders; numbers with --orders.")
]
Order = Annotated[str, typer.Argument(metavar="ORDER", help="A file with one order; a number with --orders.")]

FINDING_COLUMNS = ("order", "line", "severity", "rule", "message", "field", "moment", "undecided")


def check(
    orders_named: Named = None,
    at: Annotated[str, typer.Option("--at", help="The moment whose rules are asked.")] = "save",
    rule: Annotated[str | None, typer.Option("--rule", help="Ask only this rule.")] = None,
    orders: OrdersPath = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Ask the rules about orders. Exit status 1 if a finding is an error."""
    rulebook = open_book(book)
    found = read_orders(rulebook, orders_named or [], orders, layout)
    findings = rulebook.check(found, at=at, rule=rule)
    count = len(found) + len({problem.order for problem in found.problems})
    write(
        form,
        table=lambda: findings_report(findings, count),
        data=lambda: {"orders": count, "findings": findings.to_dicts()},
        rows=lambda: [{name: row[name] for name in FINDING_COLUMNS} for row in findings.to_dicts()],
        columns=FINDING_COLUMNS,
    )
    raise typer.Exit(1 if findings.errors else 0)


def price(
    orders_named: Named = None,
    orders: OrdersPath = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Price orders: every step of every line, tax, totals. Exit status 1 if a finding is an error."""
    rulebook = open_book(book)
    calculation = rulebook.price(read_orders(rulebook, orders_named or [], orders, layout))
    write(
        form,
        table=lambda: calculation_report(calculation),
        data=lambda: calculation_data(calculation),
        rows=lambda: calculation_rows(calculation),
        columns=("order", "line"),
    )
    raise typer.Exit(1 if calculation.findings.errors else 0)


def explain(
    order: Order,
    line: Annotated[str, typer.Argument(metavar="LINE", help="The line number.")],
    figure: Annotated[str | None, typer.Argument(metavar="[FIGURE]", help="One figure, such as price.")] = None,
    technical: Annotated[bool, typer.Option("--technical", help="Add formulas and names.")] = False,
    orders: OrdersPath = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Say where the figures of a line came from, and which table rows lost."""
    rulebook = open_book(book)
    found = read_orders(rulebook, [order], orders, layout)
    number = one_order(found, "explain")
    explanation = rulebook.explain(found, line, figure, order=number)
    write(
        form,
        table=lambda: explanation_report(explanation, technical=technical),
        data=explanation.to_dict,
        rows=lambda: [
            {key: step[key] for key in ("step", "kind", "value", "source")} for step in explanation.to_dict()["steps"]
        ],
    )
    raise typer.Exit(1 if any(finding.severity == "error" for finding in explanation.findings) else 0)


def variance(
    before: Annotated[str, typer.Argument(metavar="BEFORE", help="File or folder of orders as they were.")],
    after: Annotated[str, typer.Argument(metavar="AFTER", help="File or folder of orders as they are to be.")],
    every: Annotated[bool, typer.Option("--all", help="Unchanged lines too.")] = False,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Compare two states of orders, line by line and in total. Exit status 1 if one of them cannot be priced."""
    rulebook = open_book(book)
    sides = [rulebook.price(read_orders(rulebook, [side], None, layout)) for side in (before, after)]
    found = rulebook.variance(sides[0], sides[1])
    write(
        form,
        table=lambda: variance_report(found, every=every),
        data=lambda: variance_data(found, every=every),
        rows=lambda: variance_rows(found, every=every),
        columns=("order", "line", "status"),
    )
    raise typer.Exit(1 if any(side.findings.errors for side in sides) else 0)
