"""Priced orders for the terminal: lines with their steps as columns, tax, totals."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from decimal import Decimal
from typing import Any

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from dokima.errors import NotFound, listed, nearest
from dokima.pricing.calculation.calculation import Calculation, PricedLine, PricedOrder
from dokima.pricing.calculation.summing import TotalsSum, left_out, sums_of
from dokima.reports.ends import FIRST_LINES, LAST_LINES, MOST_LINES, ends_of, shown_ends
from dokima.reports.findings import finding_lines, left_out_rows, more_orders
from dokima.reports.formatting import (
    BLANK,
    TOTAL_FACTS,
    TOTAL_WORDS,
    figure_heading,
    number,
    orders_counted,
    tax_key,
    tax_words,
    total_word,
)
from dokima.reports.language import _
from dokima.reports.table_layout import FirstThatFits, figure_table, stacked

SUMMED = ("without_tax", "tax", "with_tax", "payable")
"""Totals that make sense for several orders together."""
LONGEST = 32
"""Characters of a description that a table shows."""


def calculation_report(calculation: Calculation, figures: Sequence[str] = ()) -> RenderableType:
    """All orders, one below the other, and problems of those that were set aside; several with a sum per currency.

    Args:
        calculation: The priced orders.
        figures: Line figures to show, by name; those that make up the amount if empty.
    """
    parts: list[RenderableType] = [] if len(calculation) or calculation.problems else [Text(_("no orders"))]
    parts += shown_ends(
        list(calculation),
        lambda order: [order_report(order, figures), Text("")],
        lambda count: [more_orders(count), Text("")],
    )
    if len(calculation) > 1:
        together = ": ".join([_("together"), orders_counted(len(calculation))])
        parts += [Text(together, style="bold"), _together(calculation)]
        parts += left_out_rows([each for each in left_out(calculation) if not each.reason.startswith("set aside")])
    parts += shown_ends(
        calculation.problems,
        lambda problem: [Text.assemble((_("set aside"), "bold red"), f"  {problem}")],
        lambda count: [Text("\u2026 " + _("and {count} more").format(count=count), style="dim")],
    )
    return Group(*parts)


def totals_report(calculation: Calculation) -> RenderableType:
    """One row an order, what they come to together, each kind and currency by itself, and what is in no sum."""
    headings = [_("order"), _("kind"), _("date"), _("party"), _("lines"), _("currency"), *map(total_word, SUMMED)]
    first, more, last = ends_of(list(calculation), MOST_LINES, FIRST_LINES, LAST_LINES)
    rows = [_totals_row(order) for order in (*first, *last)]
    styles = ["bold red" if order.findings.errors else "" for order in (*first, *last)]
    if more:
        rows.insert(len(first), ["\u2026", *[""] * (len(headings) - 1)])
        styles.insert(len(first), "dim")
    for each in sums_of(calculation):
        values = (number(each.totals[name]) for name in SUMMED)
        rows.append([_("together"), each.kind, "", _counted(each), "", each.currency, *values])
        styles.append("bold")
    short = (0, 5, *range(6, len(headings)))
    table = FirstThatFits(
        [
            figure_table(headings, rows, 4, styles),
            figure_table([headings[at] for at in short], [[row[at] for at in short] for row in rows], 2, styles),
        ],
        stacked([f"{row[0]}   {row[5]}" for row in rows], headings[6:], [row[6:] for row in rows], styles),
    )
    return Group(table, *([more_orders(more)] if more else []), *left_out_rows(left_out(calculation)))


def _totals_row(order: PricedOrder) -> list[str]:
    """What an order comes to, in one row."""
    currency = order.header("currency") or BLANK
    party = order.header("customer") or order.header("supplier") or BLANK
    count = str(sum(1 for line in order.lines if not line.is_parent))
    values = (number(getattr(order.totals, name)) for name in SUMMED)
    date = number(order.header("date"))
    return [order.number, order.header("kind") or BLANK, date, party, count, currency, *values]


def _counted(sums: TotalsSum) -> str:
    """How many orders are in a sum, and how many are not."""
    without = _(", without {count}").format(count=sums.left_out) if sums.left_out else ""
    return orders_counted(sums.orders) + without


def _together(calculation: Calculation) -> RenderableType:
    """What orders come to together, each kind and currency by itself."""
    rows = [
        [each.kind, _counted(each), each.currency, *(number(each.totals[n]) for n in SUMMED)]
        for each in sums_of(calculation)
    ]
    headings = [_("kind"), _("orders"), _("currency"), *map(total_word, SUMMED)]
    table = figure_table(headings, rows, 3, [""] * len(rows))
    titles = [" ".join(row[:3]).strip() for row in rows]
    return FirstThatFits([table], stacked(titles, headings[3:], [r[3:] for r in rows], [""] * len(rows)))


def order_report(order: PricedOrder, figures: Sequence[str] = ()) -> RenderableType:
    """One order: heading, lines, totals, findings."""
    parts: list[RenderableType] = [_heading(order), _lines(order, figures), Padding(_totals(order), (0, 0, 0, 2))]
    if order.findings:
        parts.append(finding_lines(order.findings))
    return Group(*parts)


def _heading(order: PricedOrder) -> Text:
    heading = Text(order.number or _("(no order number)"), style="bold")
    party = order.header("customer") or order.header("supplier")
    facts = [
        order.header("kind"),
        order.header("date") and number(order.header("date")),
        party,
        order.header("currency"),
    ]
    facts.append(_("prices include tax") if order.prices_include_tax else None)
    heading.append("   " + "   ".join(str(fact) for fact in facts if fact is not None), style="not bold")
    return heading


def line_columns(order: PricedOrder) -> list[str]:
    """The figures shown of a line: unit price, steps, net after the last of them that moves the amount, taxes."""
    routine = order.routine
    if routine is None:
        return []
    names = ["price"]
    moving = [step for step in routine.steps if step.sign or step.way.is_level]
    names += [step.name for step in moving]
    if not moving or not moving[-1].way.is_level:
        names.append("net")
    names += [step.name for step in routine.steps if step.way.is_tax]
    return names + [
        step.name for step in routine.steps if not step.way.is_amount and f"line.{step.name}" in routine.figures
    ]


def known_figures(calculation: Calculation, asked: Sequence[str]) -> None:
    """Refuse figures that no line has.

    Raises:
        NotFound: Names the nearest.
    """
    known = list(calculation.figures)
    for name in asked:
        if name not in known:
            raise NotFound(f"there is no figure '{name}'{nearest(name, known)}; there are {listed(known, 30)}")


def _lines(order: PricedOrder, asked: Sequence[str]) -> RenderableType:
    """Lines with their steps as columns; in a narrow terminal without the description, then without the figures that
    move no amount, at last with the steps one below the other.
    """
    figures = list(asked) or line_columns(order)
    headings = [figure_heading(order.routine, order.calculation.program, name) for name in figures]
    first, left_out, last = ends_of(order.lines, MOST_LINES, FIRST_LINES, LAST_LINES)
    lines = [*first, *last]
    texts = [_texts(line) for line in lines]
    numbers = [[_figure(line, name) for name in figures] for line in lines]
    styles = [_style(line) for line in lines]
    if left_out:
        told = _("{count} lines; all of them as CSV").format(count=number(Decimal(left_out)))
        texts.insert(FIRST_LINES, ("\u2026", told, "", ""))
        numbers.insert(FIRST_LINES, [""] * len(figures))
        styles.insert(FIRST_LINES, "dim")
    beside = (
        {step.name for step in order.routine.steps if not step.way.is_amount} if order.routine and not asked else {""}
    )
    money = [at for at, name in enumerate(figures) if name not in beside]
    wide = [[*text, *cells] for text, cells in zip(texts, numbers, strict=True)]
    short = [[text[0], text[1] or text[2], text[3], *cells] for text, cells in zip(texts, numbers, strict=True)]
    return FirstThatFits(
        [
            figure_table([_("line"), _("item"), _("description"), _("quantity"), *headings], wide, 3, styles),
            figure_table([_("line"), _("item"), _("quantity"), *headings], short, 2, styles),
            figure_table(
                [_("line"), _("item"), _("quantity"), *(headings[at] for at in money)],
                [[*row[:3], *(row[3 + at] for at in money)] for row in short],
                2,
                styles,
            ),
        ],
        stacked([_one_line(text) for text in texts], headings, numbers, styles),
    )


def _texts(line: PricedLine) -> tuple[str, str, str, str]:
    quantity, unit = line.field("quantity"), line.field("unit")
    amount = "" if line.is_parent else number(quantity) + (f" {unit}" if unit else "")
    description = line.field("description") or ""
    short = description if len(description) <= LONGEST else description[: LONGEST - 1] + "\u2026"
    return "  " * line.number.count("/") + line.number, line.field("item") or "", short, amount


def _one_line(texts: Sequence[str]) -> str:
    number_, item, description, quantity = texts
    return f"{number_}   {item} {description}   {quantity}".rstrip()


def _figure(line: PricedLine, name: str) -> str:
    return "" if line.is_parent and name == "price" else number(line.figure(name))


def _style(line: PricedLine) -> str:
    if line.is_parent:
        return "bold"
    return "bold red" if line.order.findings.of(line.order.number, line.number).errors else ""


def _totals(order: PricedOrder) -> Table:
    table = Table.grid(padding=(0, 3))
    table.add_column()
    table.add_column(justify="right")
    for word, value, mark in total_rows(order):
        style = {"total": "bold", "beside": "dim"}.get(mark, "")
        table.add_row(Text(word, style=style), Text(number(value), style=style))
    return table


def total_rows(order: PricedOrder, hidden: Collection[str] = ()) -> Iterator[tuple[str, Any, str]]:
    """The totals of an order: word, value, and what it is (total for what is to be paid, beside for what is no sum).

    Args:
        order: The order.
        hidden: Figures of the order, by dotted name, that are left out.
    """
    for name in TOTAL_WORDS:
        if not (name in TOTAL_FACTS and getattr(order.totals, name) == 0):
            yield from rows_of_total(order, name)
    for word, value in _beside(order, hidden):
        yield word, value, "beside"


def rows_of_total(order: PricedOrder, name: str) -> Iterator[tuple[str, Any, str]]:
    """A total of an order as `total_rows` has it: the tax is a row for each rate."""
    if name == "tax":
        yield from _tax_rows(order)
        return
    gross = order.prices_include_tax and name in ("line_net", "allowances", "charges")
    word = total_word(name) + (_(", with tax") if gross else "")
    yield word, getattr(order.totals, name), "total" if name == "payable" else ""


def _beside(order: PricedOrder, hidden: Collection[str]) -> Iterator[tuple[str, Any]]:
    """What stands beside the totals: advance, instalments, figures of the order, the reporting currency."""
    for step in order.routine.steps if order.routine else ():
        if f"header.{step.name}" in hidden:
            continue
        if step.way.of_order:
            yield step.definition.shown, order.total(step.name)
        elif step.name in order.figures:
            yield step.definition.shown, order.figures[step.name]
    yield from instalment_rows(order)
    yield from reporting_rows(order)


def instalment_rows(order: PricedOrder) -> Iterator[tuple[str, Any]]:
    """How what is to be paid is split, and what is paid early."""
    for row in order.instalments:
        due = _(", due {day}").format(day=number(row.due)) if row.due else ""
        yield row.label + due, row.amount
        if row.early is not None:
            early = _("{label}, if paid by {day} ({percent} % off)")
            facts = {"day": number(row.early.by), "percent": number(row.early.percent)}
            yield early.format(label=row.label, **facts), row.early.amount


def reporting_rows(order: PricedOrder) -> Iterator[tuple[str, Any]]:
    """The totals in the reporting currency, if there is one."""
    if (second := order.reporting) is not None:
        facts = {"currency": second.currency, "rate": number(second.rate)}
        yield _("total without tax in {currency} at {rate}").format(**facts), second.without_tax
        yield _("tax in {currency}").format(**facts), second.tax
        yield _("total with tax in {currency}").format(**facts), second.with_tax


def _tax_rows(order: PricedOrder) -> Iterator[tuple[str, Any, str]]:
    rows = order.tax_breakdown
    called = tax_words(rows, program=order.calculation.program)
    for row in rows:
        reason = f" ({row.reason})" if row.reason else ""
        said = _("{tax} of {taxable}").format(tax=called[tax_key(row)], taxable=number(row.taxable))
        yield said + reason, row.tax, ""
    if len(rows) != 1:
        yield _("tax together"), order.totals.tax, ""
