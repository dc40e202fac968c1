"""A replay for the terminal: what is reproduced, what changes, where, and which findings come and go."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.changes.grouping import VarianceGroup
from dokima.reports.fitting import figure_table
from dokima.reports.words import number, plural, signed
from dokima.rulebook.replay import Moved, Replay

MOST = 10
"""Rows of each table."""


def replay_report(replay: Replay) -> RenderableType:
    """What a new version of a rulebook does to orders."""
    if replay.stated:
        stated = plural(replay.stated, "order")
        said = f"today's rulebook reproduces {replay.reproduced} of {stated} that say what they come to"
    else:
        said = "no order says what it comes to, so there is nothing to reproduce"
    changed = f"the new one changes {plural(replay.changed_lines, 'line')} in {plural(replay.changed_orders, 'order')}"
    parts: list[RenderableType] = [
        Text(f"{plural(replay.orders, 'order')}, {plural(replay.lines, 'line')}", style="bold"),
        Text(said),
        Text(changed),
    ]
    parts += _orders("not reproduced", ("order", "", "says", "today"), replay.off)
    totals = [[currency, *map(number, sums[:2]), signed(sums[2])] for currency, sums in replay.totals.items()]
    parts += _table("total without tax", ("currency", "today", "new", "variance"), totals, 1)
    steps = [[step, currency, signed(value)] for (currency, step), value in replay.by_step.items()]
    parts += _table("by step", ("step", "", "variance"), steps, 2)
    parts += _groups("by customer", replay.by_customer)
    parts += _groups("by item", replay.by_item)
    parts += _orders("largest", ("order", "", "today", "new", "variance"), replay.largest)
    rules = [[rule, f"+{appear}", f"−{gone}"] for rule, (appear, gone) in replay.by_rule.items()]
    parts += _table("findings", ("rule", "appear", "disappear"), rules, 1)
    return Group(*parts)


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
    return _table(title, ("", "", "lines", "today", "new", "variance"), rows, 2)
