"""A paper about one order that leaves the house, such as a quotation, as the rulebook says it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.errors import DokimaError, Refused
from dokima.formats.file_names import file_name
from dokima.formulas import Level
from dokima.model.fields import Field
from dokima.model.findings import Findings
from dokima.pricing.calculation.calculation import Calculation, PricedLine, PricedOrder
from dokima.pricing.calculation.parties import party
from dokima.pricing.names.context import Context
from dokima.pricing.papers import PaperTerms
from dokima.pricing.program import Run
from dokima.pricing.running.pricing import figures_of
from dokima.pricing.steps.totals import TOTALS
from dokima.reports.formatting import TOTAL_FACTS, number
from dokima.reports.language import told
from dokima.reports.paper import Column, Paper, Row, Section, Side, paper_in
from dokima.reports.pricing import instalment_rows, reporting_rows, rows_of_total, total_rows
from dokima.reports.translations import Wording
from dokima.rules.messages import Message

_SIGNED = ("name", "date", "signature")


@dataclass(frozen=True)
class OrderPaper:
    """A paper about one order, before it is a page.

    Attributes:
        order: The order.
        terms: What the rulebook says of the paper.
        is_draft: Whether that stands on each page.
    """

    order: PricedOrder
    terms: PaperTerms
    is_draft: bool = False

    @property
    def file_stem(self) -> str:
        """What its file is called, without an ending.

        Raises:
            NotFound: The number of the order cannot name a file.
        """
        return file_name(self.order.number).removesuffix(".json")


def order_paper_of(
    priced: Calculation | PricedOrder, name: str, *, draft: bool = False, findings: Findings | None = None
) -> OrderPaper:
    """A paper about an order, if the order is fit for one.

    Args:
        priced: The order, or a calculation of one alone.
        name: Name of the paper.
        draft: Make one all the same, with that on each page.
        findings: What rules say of the order, beside what pricing found.

    Raises:
        NotFound: The rulebook has no such paper.
        DokimaError: There is not exactly one order.
        Refused: The order has errors, and nobody asked for a draft.
    """
    if isinstance(priced, Calculation):
        if len(priced) != 1:
            raise DokimaError(f"expected one order for a paper (got {len(priced)}): take them one by one")
        priced = next(iter(priced))
    terms = priced.calculation.program.paper(name)
    errors = [*priced.findings.errors, *(findings.of(priced.number).errors if findings is not None else ())]
    if errors and not draft:
        said = "; ".join(
            dict.fromkeys(f"line {e.line}: {told(e.message)}" if e.line else told(e.message) for e in errors)
        )
        raise Refused(f"no {name} of {priced.number} but as a draft (draft=True, --draft): {said}")
    return OrderPaper(priced, terms, draft)


def paper_of(made: OrderPaper, words: Wording) -> Paper:
    """The paper in the language that is spoken."""
    order, terms = made.order, made.terms
    spec, program = terms.definition, order.calculation.program
    hidden = frozenset[str]() if spec.internal else program.internal
    say = _Speaker(order, terms, words)
    return paper_in(
        words,
        title=say("title"),
        subtitle=order.number,
        facts=_facts(order, terms, words, say),
        sections=[_lines(order, terms, words), _totals(order, terms, words, hidden)],
        currency=order.header("currency") or "",
        places=order.places,
        decision=[Side(say(f"sign.{at}"), (), [words[each] for each in _SIGNED]) for at in range(len(spec.sign))],
        mark=words["draft"] if made.is_draft else "",
        watermark=words["draft"] if made.is_draft else "",
        opening=[say("text")],
        notes=[say(f"notes.{at}") for at in range(len(spec.notes))],
    )


class _Speaker:
    """Says the texts of a paper about an order, in the language of reports or the first that there is."""

    def __init__(self, order: PricedOrder, terms: PaperTerms, words: Wording) -> None:
        self.terms, self.words = terms, words
        calculation = order.calculation
        mine = calculation.orders.select(np.array([order.position], np.int64))
        self.context = Context(calculation.program, mine, Run())
        wanted = set(calculation.program.figures) & terms.reads()
        for name, column in figures_of(calculation.program, mine, Run(), wanted).items() if wanted else ():
            self.context.put(name, column)

    def __call__(self, key: str) -> str:
        by_language: Mapping[str, Message] = self.terms.texts.get(key, {})
        if not by_language:
            return ""
        chosen = by_language.get(self.words.language) or by_language.get("") or next(iter(by_language.values()))
        first = np.zeros(1, np.int64)
        money_places = np.array([self.context.money_places(0)], np.int64)
        said = []
        for part, column in zip(chosen.parts, chosen.values(self.context, first, None), strict=True):
            value = value_at(column, 0)
            # A number keeps the places that the text asks for, and is written as the language has it.
            said.append(number(Decimal(part.written(column, money_places)[0]) if isinstance(value, Decimal) else value))
        return "".join(text + value for text, value in zip(chosen.texts, [*said, ""], strict=True))

    def valid_until(self) -> Any:
        """The last day on which the paper is an offer."""
        formula = self.terms.valid_until
        return None if formula is None else value_at(formula.evaluate(self.context, Level.HEADER), 0)


def _facts(order: PricedOrder, terms: PaperTerms, words: Wording, say: _Speaker) -> dict[str, Any]:
    """What stands at the top: the parties with their addresses, fields of the order, and until when it is offered."""
    spec, fields = terms.definition, order.calculation.program.definition.fields.header
    facts = {words[which]: "\n".join(party(order, which)) for which in spec.parties}
    for name in spec.fields:
        if name in fields:
            label = words["order_date"] if name == "date" and not fields[name].label else words.label(fields[name])
            facts[label] = order.header(name)
        else:
            facts[words.figure(name)] = _of_order(order, name)
    return {**facts, words["valid_until"]: say.valid_until()}


def _of_order(order: PricedOrder, name: str) -> Any:
    """A total, a figure of the order, or the sum of an amount of its lines."""
    if name in TOTALS:
        return getattr(order.totals, name)
    if name in order.figures:
        return order.figures[name]
    known = order.routine.amounts if order.routine is not None else ()
    return order.total(name) if name in known else None


def _lines(order: PricedOrder, terms: PaperTerms, words: Wording) -> Section:
    """The lines, with the columns that the paper names; a line with sub-lines is a sum of theirs."""
    fields = order.calculation.program.definition.fields.line
    names = terms.definition.columns
    columns = [_column(fields.get(name), name, words) for name in names]
    rows = [
        Row([_cell(line, name, fields) for name in names], "total" if line.is_parent else "") for line in order.lines
    ]
    return Section("", columns, rows, words["no_changes"])


def _column(field: Field | None, name: str, words: Wording) -> Column:
    if field is None:
        return Column(words.figure(name), "money")
    heading = words["line"] if name == "number" and not field.label else words.label(field)
    return Column(heading, "number" if field.kind in ("decimal", "integer") else "text", wide=name == "description")


def _cell(line: PricedLine, name: str, fields: Mapping[str, Field]) -> Any:
    if line.is_parent and name in ("quantity", "price"):
        return None
    if name in fields:
        value = line.field(name)
        return value if value is None or isinstance(value, Decimal) else number(value)
    return line.figure(name) if name in line.order.calculation.program.line_figures else None


def _totals(order: PricedOrder, terms: PaperTerms, words: Wording, hidden: Collection[str]) -> Section:
    """The totals that the paper names; all that the order has and that are not internal, if it names none."""
    rows = [
        Row([word, value], mark if mark == "total" else "") for word, value, mark in _rows(order, terms, words, hidden)
    ]
    return Section("", [Column("", wide=True), Column(order.header("currency") or "", "money")], rows, at_right=True)


def _rows(
    order: PricedOrder, terms: PaperTerms, words: Wording, hidden: Collection[str]
) -> Iterator[tuple[str, Any, str]]:
    named = terms.definition.totals
    if not named:
        yield from total_rows(order, hidden)
    beside = {"instalments": instalment_rows, "reporting": reporting_rows}
    for name in named:
        if name in beside:
            yield from ((word, value, "") for word, value in beside[name](order))
        elif name in TOTALS:
            if not (name in TOTAL_FACTS and getattr(order.totals, name) == 0):
                yield from rows_of_total(order, name)
        else:
            yield words.figure(name), _of_order(order, name), ""
