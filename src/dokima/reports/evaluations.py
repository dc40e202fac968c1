"""What a formula gives, as people read it and put it into a specification."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from dokima.explaining.evaluation import Evaluation
from dokima.explaining.explanation import TableAnswer
from dokima.reports.formatting import BLANK, number
from dokima.reports.language import _, told
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def evaluation_paper(evaluation: Evaluation, words: Wording) -> Paper:
    """Formula, kind and value, the values it read, and every look-up behind it."""
    place = evaluation.order
    if evaluation.line:
        place = _("{order} line {line}").format(order=evaluation.order, line=evaluation.line)
    sections = []
    if evaluation.values:
        rows = [Row([line, _shown(value)]) for line, value in evaluation.values]
        sections.append(Section("", [Column(words["line"]), Column(_("value"), wide=True)], rows))
    if evaluation.read:
        rows = [Row([each.name, each.label, _shown(each.value)]) for each in evaluation.read]
        columns = [Column(_("reads")), Column(_("in words")), Column(_("value"), wide=True)]
        sections.append(Section(_("values"), columns, rows))
    if evaluation.path:
        columns = [Column(_("table")), Column(_("asked for"), wide=True), Column(_("finds"), wide=True)]
        columns.append(Column(_("row")))
        rows = [
            Row([answer.table, _named(answer.asked), _found(answer, evaluation), _place(answer)])
            for answer in evaluation.path
        ]
        sections.append(Section(_("look-ups, in this order"), columns, rows))
    return paper_in(
        words,
        title=evaluation.formula or ", ".join(answer.label for answer in evaluation.path[-1:]),
        subtitle=place,
        facts=_facts(evaluation) if evaluation.formula else {},
        sections=sections,
    )


def _facts(evaluation: Evaluation) -> Mapping[str, Any]:
    levels = {
        "constant": _("the same everywhere"),
        "header": _("one for each order"),
        "line": _("one for each line"),
    }
    facts = {_("kind"): f"{evaluation.kind}, {levels[evaluation.level]}"}
    if evaluation.values:
        return facts
    value = _shown(evaluation.value)
    counted = told(evaluation.counted)
    facts[_("value")] = value if counted in (value, evaluation.formula) else f"{counted} = {value}"
    if evaluation.failed:
        facts[_("failed")] = evaluation.failed
    return facts


def _shown(value: Any) -> str:
    return _("blank") if value is None else number(value)


def _named(values: Mapping[str, Any]) -> str:
    return ", ".join(f"{name.replace('_', ' ')} {_shown(value)}" for name, value in values.items())


def _found(answer: TableAnswer, evaluation: Evaluation) -> str:
    """What the row that answered says, as far as somebody reads it; what is near where none did."""
    if answer.agreed or answer.agreed_place:
        return _("agreed when the order left draft: {kept} ({place})").format(
            kept=_named(answer.agreed), place=told(answer.agreed_place) or _("no row")
        )
    if answer.row is None:
        lost = [f"{_('row')} {each.number}: {told(each.detail)}" for each in answer.candidates[:3]]
        hint = told(answer.near) if answer.near else "; ".join(lost)
        return _("no row") + (f": {hint}" if hint else "")
    read = {name: value for name, value in answer.cells.items() if f"{answer.table}.{name}" in evaluation.used}
    return _named({name: value for name, value in read.items() if value is not None and name not in answer.asked})


def _place(answer: TableAnswer) -> str:
    return BLANK if answer.row is None else told(answer.place)
