"""A replay for the terminal: what is reproduced, what changes, where, and which findings come and go."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.changes.grouping import VarianceGroup
from dokima.proving.replay import Moved, Replay
from dokima.reports.findings import left_out_rows
from dokima.reports.formatting import lines_counted, number, orders_counted, signed
from dokima.reports.language import _
from dokima.reports.table_layout import figure_table

MOST = 10
"""Rows of each table."""


def replay_report(replay: Replay) -> RenderableType:
    """What a new version of a rulebook does to orders."""
    if replay.stated:
        said = _("today's rulebook reproduces {reproduced} of {stated} that say what they come to")
        said = said.format(reproduced=replay.reproduced, stated=orders_counted(replay.stated))
    else:
        said = _("no order says what it comes to, so there is nothing to reproduce")
    moved = {"lines": lines_counted(replay.changed_lines), "orders": orders_counted(replay.changed_orders)}
    changed = _("the new one changes {lines} in {orders}").format(**moved)
    parts: list[RenderableType] = [
        Text(f"{orders_counted(replay.orders)}, {lines_counted(replay.lines)}", style="bold"),
        Text(said),
        Text(changed),
    ]
    parts += _orders(_("not reproduced"), (_("order"), "", _("says"), _("today")), replay.off)
    totals = [[currency, *map(number, sums[:2]), signed(sums[2])] for currency, sums in replay.totals.items()]
    parts += _table(_("total without tax"), (_("currency"), *_moves()), totals, 1)
    steps = [[step, currency, signed(value)] for (currency, step), value in replay.by_step.items()]
    parts += _table(_("by step"), (_("step"), "", _("variance")), steps, 2)
    parts += _groups(_("by customer"), replay.by_customer)
    parts += _groups(_("by item"), replay.by_item)
    parts += _orders(_("largest"), (_("order"), "", *_moves()), replay.largest)
    rules = [[rule, f"+{appear}", f"−{gone}"] for rule, (appear, gone) in replay.by_rule.items()]
    parts += _table(_("findings"), (_("rule"), _("appear"), _("disappear")), rules, 1)
    return Group(*parts, *([Text("")] if replay.left_out else []), *left_out_rows(replay.left_out))


def _moves() -> tuple[str, str, str]:
    return _("today"), _("new"), _("variance")


def _table(title: str, headings: Sequence[str], rows: Sequence[Sequence[str]], texts: int) -> list[RenderableType]:
    if not rows:
        return []
    return [Text(""), Text(title, style="bold"), figure_table(headings, rows[:MOST], texts, [""] * len(rows[:MOST]))]


def _orders(title: str, headings: Sequence[str], moved: Sequence[Moved]) -> list[RenderableType]:
    rows = [
        [each.order, each.currency, number(each.before), number(each.after), signed(each.variance)][: len(headings)]
        for each in moved
    ]
    return _table(title, headings, rows, 2)


def _groups(title: str, groups: Sequence[VarianceGroup]) -> list[RenderableType]:
    rows = [
        [number(group.value), group.currency, str(group.lines), *map(number, sums[:2]), signed(sums[2])]
        for group in groups
        for sums in [group.figures["without_tax"]]
    ]
    return _table(title, ("", "", _("lines"), *_moves()), rows, 2)
