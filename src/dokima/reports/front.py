"""`report`: any result as people read it, whether in a terminal, a notebook, a page, a mail or on paper."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from rich.console import Console, Group, RenderableType

from dokima.changes.change import ChangeOrder
from dokima.changes.grouping import GroupedVariance
from dokima.changes.ledger import Ledger
from dokima.changes.variance import Variance
from dokima.engine.calculation import Calculation, PricedOrder
from dokima.engine.explaining import Explanation
from dokima.errors import DokimaError
from dokima.model.findings import Findings
from dokima.proving.remark import AuditRemark
from dokima.proving.replay import Replay
from dokima.reports import papers
from dokima.reports.audits import audit_report
from dokima.reports.changes import change_paper
from dokima.reports.describing import rulebook_report
from dokima.reports.explanations import explanation_report
from dokima.reports.findings import findings_report
from dokima.reports.inert import Inert
from dokima.reports.language import speaking
from dokima.reports.ledgers import ledger_paper
from dokima.reports.paper import Paper
from dokima.reports.pricing import calculation_report, order_report
from dokima.reports.replays import replay_report
from dokima.reports.translations import Wording
from dokima.reports.variances import grouped_report, variance_report
from dokima.rulebook.book import Rulebook

WIDTH = 120
"""Characters of a line of text, unless another width is asked for."""


class Report:
    """A result as people read it. Printed, it is what the terminal shows; in a notebook it is a page.

    Args:
        view: Makes what a terminal shows.
        paper: Makes the paper; None for a result that is no paper.
        locale: Locale of words, numbers and dates; blank for English words and plain numbers.
    """

    def __init__(self, view: Callable[[], RenderableType], paper: Callable[[], Paper] | None, locale: str = "") -> None:
        self._view = view
        self._paper = paper
        self.locale = locale

    def to_text(self, width: int = WIDTH) -> str:
        """The report as plain text.

        Args:
            width: Characters of a line.
        """
        out = io.StringIO()
        with speaking(self.locale):
            console = Console(file=out, width=width, highlight=False, color_system=None, markup=False, emoji=False)
            console.print(Inert(self._view()))
        return "\n".join(line.rstrip() for line in out.getvalue().splitlines()).rstrip("\n") + "\n"

    @property
    def text(self) -> str:
        """The report as plain text, 120 characters wide."""
        return self.to_text()

    @property
    def html(self) -> str:
        """The report as one HTML page."""
        from dokima.reports.html import html_text

        return self._written(html_text)

    @property
    def markdown(self) -> str:
        """The report as Markdown, for a mail."""
        from dokima.reports.plain import markdown_text

        return self._written(markdown_text)

    def to_html(self, path: str | Path) -> None:
        """Write the report as one HTML file.

        Raises:
            DokimaError: The file cannot be written.
        """
        from dokima.reports.html import write_html

        self._write(write_html, path)

    def to_markdown(self, path: str | Path) -> None:
        """Write the report as Markdown.

        Raises:
            DokimaError: The file cannot be written.
        """
        from dokima.reports.plain import write_markdown

        self._write(write_markdown, path)

    def to_csv(self, path: str | Path) -> None:
        """Write the report as one CSV table.

        Raises:
            DokimaError: The file cannot be written.
        """
        from dokima.reports.plain import write_csv

        self._write(write_csv, path)

    def to_xlsx(self, path: str | Path) -> None:
        """Write the report as a workbook.

        Raises:
            DokimaError: The file cannot be written.
        """
        from dokima.reports.sheets import write_xlsx

        self._write(write_xlsx, path)

    def to_pdf(self, path: str | Path) -> None:
        """Write the report as PDF.

        Raises:
            DokimaError: The file cannot be written, or ReportLab is not installed.
        """
        from dokima.reports.pdf import write_pdf

        self._write(write_pdf, path)

    def _written(self, work: Callable[[Paper], str]) -> str:
        with speaking(self.locale):
            return work(self._made())

    def _write(self, work: Callable[[Paper, Path], None], path: str | Path) -> None:
        try:
            with speaking(self.locale):
                work(self._made(), Path(path))
        except OSError as error:
            raise DokimaError(f"'{path}' cannot be written: {error.strerror}") from None

    def _made(self) -> Paper:
        if self._paper is None:
            raise DokimaError("this result is text only: print it, or take its text")
        return self._paper()

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        first = self.text.strip().partition("\n")[0]
        return f"<Report: {first[:60]}>"

    def _repr_html_(self) -> str:
        return self.html if self._paper is not None else f"<pre>{self.text}</pre>"


def report(
    result: Any, *, book: Rulebook | None = None, locale: str = "", every: bool = False, with_costs: bool = False
) -> Report:
    """Any result as people read it.

    Args:
        result: A `Calculation`, `PricedOrder`, `Findings`, `Variance`, a variance by a field, `Explanation`,
            `ChangeOrder`, `Ledger`, `Replay`, a list of `AuditRemark`, or a `Rulebook`, which is described.
        book: The rulebook whose letterhead, words and default locale are used; that of the result if it knows it.
        locale: Locale such as ``de_DE``; that of the rulebook if blank.
        every: Of a variance or change order, unchanged lines too.
        with_costs: Of a change order, what lines cost us and what they earn, too.

    Raises:
        DokimaError: There is no report of such a thing, or no such locale.
    """
    program = book.program if book is not None else _program_of(result)
    words = Wording() if program is None else Wording.of(program)
    locale = locale or ("" if program is None else program.definition.report.locale)
    with speaking(locale):
        pass
    view, paper = _forms(result, words, every=every, with_costs=with_costs)
    return Report(view or (lambda: paper().to_rich() if paper else Group()), paper, locale)


def _program_of(result: Any) -> Any:
    """The rulebook of a result, as far as the result knows it."""
    match result:
        case Calculation() | ChangeOrder() | Rulebook():
            return result.program
        case PricedOrder():
            return result.calculation.program
        case Variance():
            return result.after.program
    return None


_Forms = tuple[Callable[[], RenderableType] | None, Callable[[], Paper] | None]


def _forms(result: Any, words: Wording, *, every: bool, with_costs: bool) -> _Forms:
    """How a result is shown in a terminal (None: as its paper is), and its paper (None: it is none)."""
    match result:
        case Calculation():
            return (lambda: calculation_report(result)), (lambda: papers.calculation_paper(result, words))
        case PricedOrder():
            return (lambda: order_report(result)), (lambda: papers.order_paper(result, words))
        case Findings():
            count = len({finding.order for finding in result})
            return (lambda: findings_report(result, count)), (lambda: papers.findings_paper(result, words))
        case Variance():
            return (lambda: variance_report(result, every=every)), (lambda: papers.variance_paper(result, words))
        case GroupedVariance():
            return (lambda: grouped_report(result)), None
        case Explanation():
            return (lambda: explanation_report(result)), (lambda: papers.explanation_paper(result, words))
        case ChangeOrder():
            return None, (lambda: change_paper(result, words, every=every, with_costs=with_costs))
        case Ledger():
            return None, (lambda: ledger_paper(result, words))
        case Replay():
            return (lambda: replay_report(result)), (lambda: papers.replay_paper(result, words))
        case Rulebook():
            return (lambda: rulebook_report(result.program)), None
    if isinstance(result, Sequence) and all(isinstance(each, AuditRemark) for each in result):
        return (lambda: audit_report(result)), (lambda: papers.remarks_paper(result, words))
    raise DokimaError(f"there is no report of a {type(result).__name__}; expected a result of a rulebook")
