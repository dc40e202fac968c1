"""A rulebook that was begun, as people read it: guesses with their evidence, what it reproduces, what stays open."""

from __future__ import annotations

from dokima.inference.beginning import Beginning
from dokima.reports.language import _
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def beginning_paper(begun: Beginning, words: Wording) -> Paper:
    """What each column was taken for and why, the amounts reproduced, the questions."""
    sections = []
    if begun.guesses:
        columns = [Column(_("column")), Column(_("taken for"), wide=True), Column(_("because"), wide=True)]
        sections.append(Section(_("guesses"), columns, [Row([g.about, g.means, g.why]) for g in begun.guesses]))
    if begun.different:
        columns = [
            Column(words["order"]), Column(words["line"]), Column(_("stated"), "number"), Column(_("priced"), "number"),
            Column("", wide=True),
        ]  # fmt: skip
        rows = [Row(list(each)) for each in begun.different]
        sections.append(Section(_("not reproduced"), columns, rows))
    if begun.questions:
        columns = [
            Column(_("question")),
            Column("", wide=True),
            Column(_("answers"), wide=True),
            Column(_("meanwhile")),
        ]
        rows = [Row([q.id, q.asks, ", ".join(q.choices), q.guess]) for q in begun.questions]
        sections.append(Section(_("open questions"), columns, rows))
    said = _("{count} of {lines} stated amounts are reproduced").format(count=begun.reproduced, lines=begun.lines)
    return paper_in(
        words,
        title=_("A rulebook in {folder}").format(folder=begun.folder),
        facts={_("written"): ", ".join(begun.files)},
        sections=sections,
        headline=said if begun.lines else "",
    )
