"""What changed between two versions of a rulebook, as people read it."""

from __future__ import annotations

from dataclasses import replace

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.proving.versions import VersionChange, VersionChanges
from dokima.reports.language import N_, _, counted
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.papers import replay_paper
from dokima.reports.replays import replay_report
from dokima.reports.translations import Wording

WORDS = {
    "added": N_("added"), "removed": N_("removed"), "changed": N_("changed"), "moved": N_("in another order"),
    "passed": N_("passed"), "failed": N_("failed"), "": N_("not there"),
}  # fmt: skip
"""What changes and results are called."""


def versions_report(changes: VersionChanges) -> RenderableType:
    """What differs, which cases come out otherwise, and the money that it moves."""
    parts: list[RenderableType] = [versions_paper(replace(changes, replay=None), Wording()).to_rich()]
    if changes.replay is not None:
        parts += [Text(""), replay_report(changes.replay)]
    return Group(*parts)


def versions_paper(changes: VersionChanges, words: Wording) -> Paper:
    """Settings by their paths, rows of tables by their terms, then cases."""
    settings = [each for each in changes.changes if not each.row]
    columns = [Column(_("what"), wide=True), Column(""), Column(_("where"), wide=True)]
    sections = [
        Section(
            _("fields, rules and steps"), columns, [_row(each, each.path) for each in settings], _("nothing changed")
        )
    ]
    for table in dict.fromkeys(each.path for each in changes.changes if each.row):
        rows = [_row(each, each.row) for each in changes.changes if each.row and each.path == table]
        sections.append(Section(table, [*columns[:2], Column(_("row"), wide=True)], rows))
    if changes.cases is not None:
        heads = [Column(_("case"), wide=True), Column(_("before")), Column(_("after"))]
        cases = [
            Row(
                [each.case, _(WORDS[each.before]), _(WORDS[each.after])],
                "removed" if each.after == "failed" else "changed",
            )
            for each in changes.cases
        ]
        sections.append(Section(_("cases that come out otherwise"), heads, cases, _("every case comes out as before")))
    if changes.replay is not None:
        # Between two rulebooks the sums may be of several currencies, so that they carry theirs in a column.
        sections += replay_paper(changes.replay, words).sections
    return paper_in(
        words,
        title=_("What changed"),
        subtitle=f"{changes.old} → {changes.new}",
        sections=sections,
        headline=_summary(changes, len(settings)),
    )


def _summary(changes: VersionChanges, settings: int) -> str:
    return ", ".join(
        [
            counted(settings, "{count} setting differs", "{count} settings differ"),
            counted(len(changes) - settings, "{count} row differs", "{count} rows differ"),
        ]
    )


def _row(change: VersionChange, where: str) -> Row:
    """What changed in words; without any what stood there and what stands there now."""
    parts = [each for each in (change.before, change.after) if each]
    said = change.said or (change.after if change.change == "moved" else " → ".join(parts))
    mark = "changed" if change.change == "moved" else change.change
    return Row([said, _(WORDS[change.change]), where], mark)
