"""`report`: any result as people read it, whether in a terminal, a notebook, a page, a mail or on paper."""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

from rich.console import Console, RenderableType

from dokima.errors import DokimaError, NotFound
from dokima.formats.results.detail import Detail
from dokima.formats.results.registry import data_of, to_csv, to_json
from dokima.reports.inert import Inert
from dokima.reports.language import speaking
from dokima.reports.translations import Wording

if TYPE_CHECKING:  # a result brings its own report along, so that pricing does not wait for variances
    from dokima.changes.ledger import Ledger
    from dokima.engine.explaining.explanation import QuantityPrice
    from dokima.reports.paper import Paper
    from dokima.rulebook.book import Rulebook

WIDTH = 120
"""Characters of a line of text, unless another width is asked for."""


class Report:
    """A result as people read it. Printed, it is what the terminal shows; in a notebook it is a page.

    Args:
        result: The result.
        detail: How much of it is wanted.
        forms: Makes what a terminal shows, and the paper.
        locale: Locale of words, numbers and dates; blank for English words and plain numbers.
    """

    def __init__(self, result: Any, detail: Detail, forms: Forms, locale: str = "") -> None:
        self.result = result
        self.detail = detail
        self.locale = locale
        self._view, self._paper = forms

    def show(self, file: TextIO | None = None) -> None:
        """Print the report as wide as the terminal is, in colours where it has them.

        Args:
            file: Where to; standard output if None.
        """
        with speaking(self.locale):
            shown = Inert(self._shown())
            Console(file=file, highlight=False, markup=False, emoji=False).print(shown)

    def _shown(self) -> RenderableType:
        return self._made().to_rich() if self._view is None else self._view()

    def to_text(self, width: int = WIDTH) -> str:
        """The report as plain text.

        Args:
            width: Characters of a line.
        """
        out = io.StringIO()
        with speaking(self.locale):
            console = Console(file=out, width=width, highlight=False, color_system=None, markup=False, emoji=False)
            console.print(Inert(self._shown()))
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

    @property
    def data(self) -> Any:
        """The result as plain data for programs, the same in every locale; exact numbers as text."""
        return data_of(self.result, self.detail)

    @property
    def json(self) -> str:
        """The result as JSON for programs."""
        return to_json(self.result, self.detail)

    def csv(self, *, raw: bool = False) -> str:
        """The result as CSV for programs, with a heading.

        Args:
            raw: Leave texts that a spreadsheet would take for a formula as they are.
        """
        return to_csv(self.result, raw=raw, detail=self.detail)

    def write(self, path: str | Path) -> Path:
        """Write the report in the format that the ending of the file names; JSON is `data`.

        Returns:
            The file.

        Raises:
            NotFound: There is no such format; names those that are there.
            DokimaError: The file cannot be written, or a library it needs is not installed.
        """
        target = Path(path)
        writers: Mapping[str, Callable[[Path], None]] = {
            ".html": self.to_html, ".pdf": self.to_pdf, ".xlsx": self.to_xlsx,
            ".md": self.to_markdown, ".csv": self.to_csv, ".json": self.to_json,
        }  # fmt: skip
        writer = writers.get(target.suffix.lower())
        if writer is None:
            raise NotFound(f"expected a report ending in {', '.join(writers)} (got '{target.name}')")
        writer(target)
        return target

    def to_json(self, path: str | Path) -> None:
        """Write the result as JSON for programs.

        Raises:
            DokimaError: The file cannot be written.
        """
        text = self.json + "\n"
        try:
            Path(path).write_text(text, encoding="utf-8")
        except OSError as error:
            raise DokimaError(f"'{path}' cannot be written: {error.strerror}") from None

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
    result: Any,
    *,
    book: Rulebook | None = None,
    locale: str = "",
    every: bool = False,
    with_costs: bool = False,
    figures: Sequence[str] = (),
    totals: bool = False,
    technical: bool = False,
    quantities: Sequence[QuantityPrice] = (),
    ledger: Ledger | None = None,
    columns: Sequence[str] = (),
) -> Report:
    """Any result as people read it.

    Args:
        result: A `Calculation`, `PricedOrder`, `PricedLine` (its steps down the page), `Findings`, what
            `explain_rules` gave, `Variance`, a variance by a field, `Explanation`, `Editor` (what was edited),
            `ChangeOrder`, a list of change orders, `Ledger`, `Replay`, remarks of an audit, or a `Rulebook`, which is
            described.
        book: The rulebook whose letterhead, words and default locale are used; that of the result if it knows it.
        locale: Locale such as ``de_DE``; that of the rulebook if blank.
        every: Of a variance or change order, unchanged lines too.
        with_costs: Of a change order, what lines cost us and what they earn, too.
        figures: Of priced orders, the line figures to show; those that make up the amount if empty.
        totals: Of priced orders, one row an order, and a sum for each currency.
        technical: Of an explanation, formulas and names too.
        quantities: Of an explanation, what the line costs at other quantities, as `price_line` gives it.
        ledger: Of a change order, the ledger of its order.
        columns: Of priced orders, the columns of a table of lines (of orders, with ``totals``): fields and figures.

    Raises:
        DokimaError: There is no report of such a thing, or no such locale.
        NotFound: No line has a figure of that name.
    """
    program = _program_of(result) if book is None else book.program
    words = Wording() if program is None else Wording.of(program)
    locale = locale or ("" if program is None else program.definition.report.locale)
    with speaking(locale):
        pass  # a locale that is none is refused here, not when somebody reads the report
    detail = Detail(every, with_costs, figures, totals, technical, quantities, ledger, columns)
    return Report(result, detail, _forms(result, words, detail), locale)


def _program_of(result: Any) -> Any:
    """The rulebook of a result, as far as the result knows it."""
    for path in ("program", "calculation.program", "after.program", "order.calculation.program"):
        found = result
        for part in path.split("."):
            found = getattr(found, part, None)
        if found is not None:
            return found
    return None


Forms = tuple["Callable[[], RenderableType] | None", "Callable[[], Paper] | None"]
"""Makes what a terminal shows (None: as its paper is), and makes the paper (None: it is none)."""


def _forms(result: Any, words: Wording, detail: Detail) -> Forms:
    for kind in type(result).__mro__:
        if kind.__name__ in _FORMS:
            return _FORMS[kind.__name__](result, words, detail)
    raise DokimaError(f"there is no report of a {type(result).__name__}; expected a result of a rulebook")


def _calculation(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.pricing import calculation_report, known_figures, totals_report

    def paper() -> Paper:
        from dokima.reports.papers import calculation_paper

        return calculation_paper(result, words)

    known_figures(result, detail.figures)
    if detail.columns:
        from dokima.formats.results.calculations import chosen_columns

        return _listing(chosen_columns(result, detail), words, detail)
    if detail.totals:
        return (lambda: totals_report(result)), paper
    return (lambda: calculation_report(result, detail.figures)), paper


def _order(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.papers import order_paper
    from dokima.reports.pricing import known_figures, order_report

    known_figures(result.calculation, detail.figures)
    return (lambda: order_report(result, detail.figures)), (lambda: order_paper(result, words))


def _line(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001 (all results are asked alike)
    from dokima.reports.steps import steps_report

    return (lambda: steps_report(result)), None


def _findings(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.findings import findings_report

    def paper() -> Paper:
        from dokima.reports.papers import findings_paper

        return findings_paper(result, words)

    return (lambda: findings_report(result)), paper


def _answers(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.findings import answers_report

    return (lambda: answers_report(result)), None


def _variance(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.papers import variance_paper
    from dokima.reports.variances import variance_report

    return (lambda: variance_report(result, every=detail.every)), (lambda: variance_paper(result, words))


def _grouped(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.variances import grouped_report

    return (lambda: grouped_report(result)), None


def _explanation(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.explanations import explanation_report
    from dokima.reports.papers import explanation_paper

    def view() -> RenderableType:
        return explanation_report(result, detail.quantities, technical=detail.technical)

    return view, (lambda: explanation_paper(result, words))


def _evaluation(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.evaluations import evaluation_paper

    return None, (lambda: evaluation_paper(result, words))


def _beginning(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.beginnings import beginning_paper

    return None, (lambda: beginning_paper(result, words))


def _editor(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.edits import edit_report

    return (lambda: edit_report(result)), None


def _change(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.changes import change_paper

    def paper() -> Paper:
        return change_paper(result, words, ledger=detail.ledger, every=detail.every, with_costs=detail.with_costs)

    return None, paper


def _change_list(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.change_list import changes_paper

    return None, (lambda: changes_paper(result, words))


def _listing(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.listings import listing_paper

    return None, (lambda: listing_paper(result, words))


def _proof(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.proofs import proof_paper, proof_report

    return (lambda: proof_report(result)), (lambda: proof_paper(result, words))


def _coverage(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.proofs import coverage_paper

    return None, (lambda: coverage_paper(result, words))


def _price_list(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.price_lists import price_list_paper

    return None, (lambda: price_list_paper(result, words))


def _ledger(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.ledgers import ledger_paper

    return None, (lambda: ledger_paper(result, words))


def _replay(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.papers import replay_paper
    from dokima.reports.replays import replay_report

    return (lambda: replay_report(result)), (lambda: replay_paper(result, words))


def _versions(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.versions import versions_paper, versions_report

    return (lambda: versions_report(result)), (lambda: versions_paper(result, words))


def _remarks(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.audits import audit_report
    from dokima.reports.papers import remarks_paper

    return (lambda: audit_report(result)), (lambda: remarks_paper(result, words))


def _rulebook(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001
    from dokima.reports.describing import rulebook_report

    return (lambda: rulebook_report(result.program)), None


_FORMS: Mapping[str, Callable[[Any, Wording, Detail], Forms]] = {
    "AuditRemarks": _remarks,
    "Beginning": _beginning,
    "Calculation": _calculation,
    "ChangeEntries": _change_list,
    "ChangeOrder": _change,
    "Editor": _editor,
    "Evaluation": _evaluation,
    "Explanation": _explanation,
    "Findings": _findings,
    "GroupedVariance": _grouped,
    "ManyEdited": lambda result, words, detail: _listing(result.to_listing(), words, detail),
    "Ledger": _ledger,
    "Listing": _listing,
    "PriceList": _price_list,
    "PricedLine": _line,
    "PricedOrder": _order,
    "Coverage": _coverage,
    "Proof": _proof,
    "Replay": _replay,
    "RuleAnswers": _answers,
    "Rulebook": _rulebook,
    "Variance": _variance,
    "VersionChanges": _versions,
}
"""How each kind of result is reported."""
