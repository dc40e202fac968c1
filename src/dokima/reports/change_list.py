"""The list of change orders of a store."""

from __future__ import annotations

from collections.abc import Sequence

from dokima.changes.listing import ChangeEntry
from dokima.reports.formatting import number
from dokima.reports.language import told
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def changes_paper(entries: Sequence[ChangeEntry], words: Wording) -> Paper:
    """The list of change orders of a store."""
    columns = [
        Column(words["change_order"]),
        Column(words["party"]),
        Column(words["state"]),
        Column(words["opened"], spare=1),
        Column(words["submitted"], spare=1),
        Column(words["reason"], wide=True, spare=2),
        Column(words["currency"]),
        Column(words["without_tax"], "variance"),
        Column(words["waits"], "number"),
    ]
    rows = [
        Row([
            entry.number, entry.party, words[entry.state] if entry.state else "",
            f"{number(entry.opened)} {entry.opened_by}" if entry.opened else "",
            f"{number(entry.submitted)} {entry.submitted_by}" if entry.submitted else "",
            _reason(entry, words), entry.currency, entry.without_tax, entry.waits,
        ])
        for entry in entries
    ]  # fmt: skip
    return paper_in(
        words,
        title=words["change_orders"],
        sections=[Section(words["waiting_first"], columns, rows, words["no_changes"])],
    )


def _reason(entry: ChangeEntry, words: Wording) -> str:
    """Why the order changes, and why nobody knows what it comes to."""
    return " · ".join(filter(None, [entry.reason, entry.unknown and f"{words['unknown']}: {told(entry.unknown)}"]))
