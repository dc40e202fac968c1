"""A variance for the terminal: the lines that changed, and the totals before, after and between."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from dokima.changes.deltas import Delta
from dokima.changes.grouping import GroupedVariance, VarianceGroup
from dokima.changes.step_moves import ALL, lines_with_steps, step_moves
from dokima.changes.together import together
from dokima.changes.variance import PROFIT, LineVariance, Variance
from dokima.reports.ends import FIRST_LINES, LAST_LINES, MOST_LINES, ends_of, ends_of_orders
from dokima.reports.findings import left_out_rows, more_orders
from dokima.reports.formatting import (
    BLANK,
    TOTAL_WORDS,
    figure_word,
    lines_counted,
    number,
    orders_counted,
    signed,
    step_word,
    total_word,
)
from dokima.reports.language import N_, _, counted
from dokima.reports.table_layout import FigureTable, FirstThatFits, figure_table, stacked

STATUS_WORDS = {"added": N_("added"), "removed": N_("removed"), "changed": N_("changed"), "unchanged": N_("unchanged")}
STATUS_STYLES = {"added": "green", "removed": "red", "changed": "", "unchanged": "dim"}


def variance_report(variance: Variance, *, every: bool = False, steps: str = "") -> RenderableType:
    """The orders of a variance, one below the other, and what they come to together; of more than one only those that
    changed, and only changed lines, unless ``every``.

    Args:
        variance: The variance.
        every: Unchanged orders and lines too.
        steps: The line below which the variance of every step stands, or ``all``; blank for none.

    Raises:
        NotFound: There is no such line.
    """
    stepped = lines_with_steps(variance, steps)
    told = orders_told(variance, every=every)
    first, more, last = ends_of_orders(told)
    shown = [*first, *last]
    lines: dict[str, list[LineVariance]] = {}
    for line in variance.lines(every=every, orders=shown if more else None):
        lines.setdefault(line.order, []).append(line)
    amounts = _amounts(variance)
    parts: list[RenderableType] = []
    headers, totals = variance.headers(), variance.totals()
    for number_ in shown:
        if more and number_ == last[0]:
            parts += [more_orders(more), Text("")]
        mine = lines.get(number_, [])
        parts.append(_heading(number_, mine))
        parts += [_header_row(name, change) for name, change in headers[number_].items()]
        if mine:
            parts += _lines(variance, mine, amounts)
        wanted = [line for line in mine if line.line in stepped] if every or steps == ALL else []
        if steps and not wanted:
            wanted = [line for line in variance.lines(every=True, orders=[number_]) if line.line in stepped]
        parts += [Padding(_steps(variance, line), (0, 0, 1, 2)) for line in wanted]
        parts += [Padding(_totals(variance, totals[number_]), (0, 0, 0, 2)), Text("")]
    if len(variance.pairs) > 1:
        parts += _together(variance, len(variance.pairs) - len(told))
    return Group(*parts)


def orders_told(variance: Variance, *, every: bool = False) -> list[str]:
    """The numbers of the orders that are told: those that changed; all if ``every``, and one by itself always."""
    if every or len(variance.pairs) == 1:
        return [order for order, *_ in variance.pairs]
    return variance.changed_orders


def _together(variance: Variance, unchanged: int) -> list[RenderableType]:
    parts: list[RenderableType] = []
    for each in together(variance):
        counts = [orders_counted(each.orders)]
        counts += [counted(each.left_out, "{count} left out", "{count} left out")] if each.left_out else []
        parts.append(Text("   ".join([_("together"), ", ".join(counts), each.currency]), style="bold"))
        parts.append(Padding(_totals(variance, each.totals), (0, 0, 0, 2)))
    if unchanged:
        said = counted(unchanged, "{count} order did not change", "{count} orders did not change")
        parts.append(Text(said, style="dim"))
    return parts


EFFECTS = ("quantity_effect", "price_effect", "mix_effect")


def grouped_report(grouped: GroupedVariance) -> RenderableType:
    """The changed lines of a variance taken together by a field, each currency by itself with its total."""
    parts: list[RenderableType] = []
    for block in grouped.blocks:
        effects = [name for name in EFFECTS if grouped.mix and name in block.total.figures]
        rows = [_group_row(group, effects) for group in (*block.groups, block.total)]
        words = [figure_word(None, name) for name in effects]
        headings = [grouped.by.replace("_", " "), "", _("lines"), _("before"), _("after"), _("variance"), *words]
        parts.append(figure_table(headings, rows, 2, [*([""] * len(block.groups)), "bold"]))
    if parts:
        said = _("before and after: the lines that changed, without tax, not their whole orders")
        parts.append(Text(said, style="dim"))
    else:
        parts.append(Text(_("no line changed")))
    return Group(*parts, *left_out_rows(grouped.left_out))


def _group_row(group: VarianceGroup, effects: Sequence[str]) -> list[str]:
    before, after, moved = group.figures["without_tax"]
    cells = [number(before), number(after), signed(moved), *(signed(group.figures[name][2]) for name in effects)]
    return [number(group.value), group.currency, str(group.lines), *cells]


def _heading(order: str, lines: list[LineVariance]) -> Text:
    changed, added, removed = (sum(line.status == each for line in lines) for each in ("changed", "added", "removed"))
    counts = [
        counted(changed, "{count} changed", "{count} changed") if changed else "",
        counted(added, "{count} added", "{count} added") if added else "",
        counted(removed, "{count} removed", "{count} removed") if removed else "",
    ]
    said = ", ".join(filter(None, counts))
    heading = Text("   ".join([order, _("variance")]), style="bold")
    count = lines_counted(changed + added + removed)
    heading.append("   " + (f"{count}: {said}" if said else _("no line changed")), style="not bold")
    return heading


def _header_row(name: str, change: Delta) -> Text:
    return Text(f"  {name.replace('_', ' ')}: {_from_to(change)}")


def _lines(variance: Variance, every: list[LineVariance], amounts: Sequence[str]) -> list[RenderableType]:
    """Changed lines; what does not fit the terminal goes first: effects, then steps, then prices."""
    program = variance.after.program
    moved = [name for name in amounts if any(line.figures[name].variance for line in every)]
    first, more, rest = ends_of(every, MOST_LINES, FIRST_LINES, LAST_LINES)
    lines: list[LineVariance | None] = [*first, *([None] if more else []), *rest]  # None where some are left out
    effects = [name for name in moved if name.endswith("_effect")] if "price_effect" in moved else []
    figures = [name for name in moved if not name.endswith("_effect")]
    texts = [_texts(line) for line in lines]
    prices = [_price(line.figures["price"]) if line else "" for line in lines]
    styles = [STATUS_STYLES[line.status] if line else "dim" for line in lines]

    def moves(line: LineVariance | None, names: Sequence[str]) -> list[str]:
        return [signed(line.figures[name].variance) if line else "" for name in names]

    def layout(names: list[str]) -> FigureTable:
        fixed = [_("line"), "", _("item"), _("quantity"), _("unit price")]
        headings = [*fixed, *(figure_word(program, name) for name in names)]
        rows = [[*text, price, *moves(line, names)] for text, price, line in zip(texts, prices, lines, strict=True)]
        return figure_table(headings, rows, 3, styles)

    ends = [name for name in figures if name in ("net", "without_tax", *_taxes(variance))]
    layouts = [layout(names) for names in (figures + effects, figures, ends)]
    titles = ["   ".join(part for part in text if part) for text in texts]
    values = [moves(line, figures + effects) for line in lines]
    last = stacked(titles, [figure_word(program, name) for name in figures + effects], values, styles)
    return [FirstThatFits(layouts, last), *([_more_lines(more)] if more else [])]


def _steps(variance: Variance, line: LineVariance) -> Table:
    """What each step adds to the variance of a line; the last row is all of them together."""
    table = Table.grid(padding=(0, 3))
    table.add_column()
    for _column in range(3):
        table.add_column(justify="right")
    title = " ".join(filter(None, [_("line"), line.line, line.item]))
    table.add_row(*(Text(word, style="dim") for word in (title, _("before"), _("after"), _("variance"))))
    for each in step_moves(variance, line):
        if each.moved.before or each.moved.after or None in each.moved:
            table.add_row(step_word(each, variance), *_cells(each.moved))
    cells = (figure_word(variance.after.program, "without_tax"), *_cells(line.figures["without_tax"]))
    table.add_row(*(Text(cell, style="bold") for cell in cells))
    return table


def _cells(moved: Delta) -> list[str]:
    return [number(moved.before), number(moved.after), signed(moved.variance) if moved.variance else BLANK]


def _texts(line: LineVariance | None) -> list[str]:
    """What stands before the figures of a line."""
    if line is None:
        return ["\u2026", "", "", ""]
    return [line.line, _(STATUS_WORDS[line.status]), line.item or "", _moved(line)]


def _more_lines(count: int) -> Text:
    """That lines between the first and the last are not shown, and where all of them are."""
    return Text("\u2026 " + _("{count} lines; all of them as CSV").format(count=number(Decimal(count))), style="dim")


def _taxes(variance: Variance) -> list[str]:
    steps = [step for routine in variance.after.program.routines for step in routine.steps]
    return list(dict.fromkeys(step.name for step in steps if step.way.is_tax))


def _amounts(variance: Variance) -> list[str]:
    """Amounts worth a column: no total that only repeats another."""
    names = [name for name, columns in variance.figures.items() if columns.is_amount]
    advances = [step.name for r in variance.after.program.routines for step in r.steps if step.way.of_order]
    repeated = {"with_tax", *PROFIT, *advances, *(["tax"] if len(_taxes(variance)) == 1 else [])}
    if not any(value != 0 for value in _difference(variance, "net", "without_tax")):
        repeated.add("without_tax")
    last = [name for name in names if name in (*_taxes(variance), "tax")]
    return [name for name in names if name not in (*repeated, *last)] + [name for name in last if name not in repeated]


def _difference(variance: Variance, one: str, other: str) -> list[int]:
    if one not in variance.figures or other not in variance.figures:
        return [1]
    return [int(unit) for unit in (variance.figures[one].after - variance.figures[other].after).units.tolist()]


def _moved(line: LineVariance) -> str:
    """``36 to 40 (+4)``."""
    change = line.figures["quantity"]
    return f"{_from_to(change)} ({signed(change.variance)})" if change.variance else number(change.after)


def _price(change: Delta) -> str:
    if change.before is None or change.after is None:
        return number(change.after if change.before is None else change.before)
    return number(change.after) if change.before == change.after else _from_to(change)


def _from_to(change: Delta) -> str:
    return _("{before} to {after}").format(before=number(change.before), after=number(change.after))


def _totals(variance: Variance, totals: Mapping[str, Delta]) -> Table:
    table = Table.grid(padding=(0, 3))
    table.add_column()
    for _column in range(3):
        table.add_column(justify="right")
    table.add_row("", *(Text(word, style="dim") for word in (_("before"), _("after"), _("variance"))))
    program = variance.after.program
    always = ("without_tax", "tax", "with_tax")
    steps = [name for name in totals if name not in TOTAL_WORDS and name != "net" and name not in _taxes(variance)]
    for name in (*steps, *TOTAL_WORDS):
        change = totals[name]
        if name not in always and not change.variance:
            continue
        if _repeats(totals, name, "line_net", "without_tax") or _repeats(totals, name, "payable", "with_tax"):
            continue
        word = total_word(name) if name in TOTAL_WORDS else figure_word(program, name)
        strong = "bold" if name in ("without_tax", "with_tax") else ""
        table.add_row(*(Text(cell, style=strong) for cell in (word, *_cells(change))))
    return table


def _repeats(totals: Mapping[str, Delta], name: str, one: str, other: str) -> bool:
    """Whether this total only repeats another."""
    return name == one and totals[one] == totals[other]
