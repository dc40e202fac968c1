"""Any result as a paper: what the terminal shows, ready for a page, Markdown, PDF or a workbook."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from dokima.changes.together import together
from dokima.changes.variance import Variance
from dokima.explaining.explanation import Explanation
from dokima.model.findings import Findings
from dokima.pricing.calculation.calculation import Calculation, PricedOrder
from dokima.pricing.steps.totals import SUMS
from dokima.proving.remark import CHECKS, AuditRemark
from dokima.proving.replay import Replay
from dokima.reports.explanations import step_lines
from dokima.reports.findings import SEVERITY_WORDS
from dokima.reports.formatting import figure_heading, number, orders_counted, total_word
from dokima.reports.language import _, told
from dokima.reports.paper import Column, Kind, Paper, Row, Section, paper_in
from dokima.reports.pricing import line_columns, total_rows
from dokima.reports.translations import Wording
from dokima.reports.variances import STATUS_WORDS, orders_told

_MOVES = ("before", "after", "variance")


def calculation_paper(calculation: Calculation, words: Wording) -> Paper:
    """Priced orders: the lines of each with their steps, then its totals; findings at the end."""
    orders = list(calculation)
    sections = [section for order in orders for section in _order_sections(order, alone=len(orders) == 1)]
    found = _finding_rows(calculation.findings)
    sections += [Section(_("findings"), _finding_columns(), found)] if found else []
    return _paper(_title(orders), sections, words, orders)


def order_paper(order: PricedOrder, words: Wording) -> Paper:
    """One order: its lines with their steps, its totals, its findings."""
    found = _finding_rows(order.findings)
    sections = [
        *_order_sections(order, alone=True),
        *([Section(_("findings"), _finding_columns(), found)] if found else []),
    ]
    return _paper(order.number, sections, words, [order])


def _title(orders: Sequence[PricedOrder]) -> str:
    return orders[0].number if len(orders) == 1 else orders_counted(len(orders))


def _order_sections(order: PricedOrder, *, alone: bool) -> Iterator[Section]:
    figures = line_columns(order)
    columns = [Column(_("line")), Column(_("item")), Column(_("description"), wide=True, spare=1), Column(_("unit"))]
    columns.append(Column(_("quantity"), "number"))
    columns += [Column(figure_heading(order.routine, order.calculation.program, name), "money") for name in figures]
    rows = []
    for line in order.lines:
        texts = [line.number, *(line.field(name) or "" for name in ("item", "description", "unit"))]
        numbers = [None if line.is_parent and name == "price" else line.figure(name) for name in figures]
        quantity = None if line.is_parent else line.field("quantity")
        rows.append(Row([*texts, quantity, *numbers], "total" if line.is_parent else ""))
    yield Section(_("lines") if alone else order.number, columns, rows, _("no lines"))
    totals = [Row([word, value], mark if mark == "total" else "") for word, value, mark in total_rows(order)]
    yield Section(_("totals"), [Column(""), Column(order.header("currency") or "", "money")], totals)


def findings_paper(findings: Findings, words: Wording) -> Paper:
    """Findings, one a row."""
    section = Section(_("findings"), _finding_columns(), _finding_rows(findings), _("nothing found"))
    return _paper(_("findings"), [section], words)


def _finding_columns() -> list[Column]:
    return [Column(_("order")), Column(_("line")), Column(""), Column(_("rule")), Column("", wide=True)]


def _finding_rows(findings: Findings) -> list[Row]:
    return [
        Row([each.order, each.line, _(SEVERITY_WORDS[each.severity]), each.rule, told(each.message)], each.severity)
        for each in findings
    ]


def variance_paper(variance: Variance, words: Wording) -> Paper:
    """The lines that changed, and the totals before, after and between, of any number of orders."""
    names = ("quantity", "without_tax")
    columns = [Column(_("order")), Column(_("line")), Column(_("item")), Column(_("status"))]
    columns += _moves("number", words, words["quantity"]) + _moves("money", words, words["net"])
    rows = []
    for line in variance.lines():
        values = [getattr(line.figures[name], part) for name in names for part in _MOVES]
        rows.append(Row([line.order, line.line, line.item or "", _(STATUS_WORDS[line.status]), *values], line.status))
    found = variance.totals()
    blocks = [(order, found[order]) for order in orders_told(variance)]
    if len(found) > 1:
        blocks += [(f"{_('together')} {each.currency}", dict(each.totals)) for each in together(variance)]
    totals = [
        Row([of, total_word(name), *(getattr(moved[name], part) for part in _MOVES)])
        for of, moved in blocks
        for name in SUMS
    ]
    heads = [Column(_("order")), Column("", wide=True), *_moves("money", words)]
    sections = [
        Section(words["lines_changed"], columns, rows, words["nothing"]),
        Section(words["summary"], heads, totals),
    ]
    return _paper(_("variance"), sections, words, list(variance.after))


def _moves(kind: Kind, words: Wording, group: str = "") -> list[Column]:
    """Columns for before, after and what is between."""
    return [Column(words[part], "variance" if part == "variance" else kind, group=group) for part in _MOVES]


def explanation_paper(explanation: Explanation, words: Wording) -> Paper:
    """Each step of a line, its figure, and how it came about."""
    columns = [Column(_("step")), Column(explanation.currency, "money"), Column("", wide=True)]
    rows = [Row([step.label, step.value, "\n".join(step_lines(step, explanation))]) for step in explanation.steps]
    place = _("{order} line {line}").format(order=explanation.order, line=explanation.line)
    return _paper(place, [Section(explanation.title, columns, rows, _("no routine fits"))], words)


def replay_paper(replay: Replay, words: Wording) -> Paper:
    """What another version of a rulebook does to orders: the totals by currency, and the orders that move most."""
    moves = [Column(_("today"), "money"), Column(_("new"), "money"), Column(_("variance"), "variance")]
    totals = [Row([currency, *sums]) for currency, sums in replay.totals.items()]
    largest = [Row([each.order, each.currency, each.before, each.after, each.variance]) for each in replay.largest]
    sections = [
        Section(_("total without tax"), [Column(_("currency")), *moves], totals),
        Section(_("largest"), [Column(_("order")), Column(_("currency")), *moves], largest, words["nothing"]),
    ]
    if replay.left_out:
        rows = [Row([each.order, told(each.reason)]) for each in replay.left_out]
        sections.append(Section(_("left out"), [Column(_("order")), Column("", wide=True)], rows))
    return _paper(orders_counted(replay.orders), sections, words)


def remarks_paper(remarks: Sequence[AuditRemark], words: Wording) -> Paper:
    """What an audit found, one remark a row."""
    columns = [Column("check"), Column("severity"), Column("where"), Column("", wide=True)]
    rows = [Row([each.check, each.severity, _place(each), f"{CHECKS[each.check]}: {each.message}"]) for each in remarks]
    return _paper("audit", [Section("remarks", columns, rows, "nothing is doubtful")], words)


def _place(remark: AuditRemark) -> str:
    rows = f" row {', '.join(map(str, remark.rows))}" if remark.rows else ""
    return f"{remark.file or remark.table}{rows}".strip() or remark.path


def _paper(title: str, sections: Sequence[Section], words: Wording, orders: Sequence[PricedOrder] = ()) -> Paper:
    currencies = dict.fromkeys(order.header("currency") or "" for order in orders)
    facts: dict[str, Any] = {}
    if len(orders) == 1:
        (order,) = orders
        party = order.header("customer") or order.header("supplier")
        facts = {_("kind"): order.header("kind"), _("date"): order.header("date"), _("party"): party}
    return paper_in(
        words,
        title=title,
        facts={label: number(value) for label, value in facts.items() if value is not None},
        sections=sections,
        currency=next(iter(currencies)) if len(currencies) == 1 else "",
        places=max((order.places for order in orders), default=0),
    )
