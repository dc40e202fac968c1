"""Suggested cases as people read them: what each would reach and notice, and what is left."""

from __future__ import annotations

from dokima.proving.comparing import rules_named
from dokima.proving.suggested_cases import Suggestion, Suggestions
from dokima.reports.language import _, counted
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def suggestions_paper(suggestions: Suggestions, words: Wording) -> Paper:
    """The cases, what no order reached, and survivors that no order told apart."""
    columns = [
        Column(_("case"), wide=True), Column(_("reaches"), "number"), Column(_("notices"), "number"),
        Column(_("payable"), "money"), Column(_("findings"), wide=True),
    ]  # fmt: skip
    sections = [Section(_("suggested cases"), columns, [_row(each) for each in suggestions], _("nothing is missing"))]
    for heading, items in (
        (_("not reached by any order that was tried"), suggestions.left),
        (_("not told apart by any order that was tried: perhaps equivalent"), suggestions.alike),
    ):
        if items:
            sections.append(Section(heading, [Column("", wide=True)], [Row([each]) for each in items]))
    said = [
        counted(len(suggestions), "{count} case suggested", "{count} cases suggested"),
        counted(suggestions.tried, "{count} order tried", "{count} orders tried"),
    ]
    if suggestions.waiting:
        many = counted(suggestions.waiting, "{count} case", "{count} cases")
        said.append(_("{cases} from before wait for somebody to confirm them").format(cases=many))
    if suggestions.ended:
        said.append(_("ended early: {why}").format(why=suggestions.ended))
    return paper_in(words, title=_("Suggested cases"), sections=sections, headline=", ".join(said))


def _row(each: Suggestion) -> Row:
    expect = {expected.path: expected.value for expected in each.case.expect}
    said = expect.get("findings") or expect.get("refused") or ()
    findings = rules_named(said)
    return Row(
        [each.case.name, str(len(each.reaches)), str(len(each.kills)), expect.get("payable"), ", ".join(findings)]
    )
