"""`report`: any result as people read it, whether in a terminal, a notebook, a page, a mail or on paper."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

from rich.console import Console, RenderableType

from dokima.errors import DokimaError, NotFound
from dokima.formats.results.detail import Detail
from dokima.formats.results.registry import data_of, to_csv, to_json
from dokima.formats.tables_out import write_arrow_table
from dokima.formats.whole_files import whole_file, write_whole
from dokima.model.listing import Listing
from dokima.reports.forms import (
    Forms,
    forms_of,
    function_of,
    is_order_paper,
    is_specification,
    spoken_in,
    texts_of,
    writers_of,
)
from dokima.reports.inert import Inert
from dokima.reports.language import speaking
from dokima.reports.translations import Wording

if TYPE_CHECKING:  # a result brings its own report along, so that pricing does not wait for variances
    from dokima.changes.ledger import Ledger
    from dokima.explaining.explanation import QuantityPrice
    from dokima.model.findings import Findings
    from dokima.pricing.calculation.calculation import Calculation, PricedOrder
    from dokima.rulebook.book import Rulebook

WIDTH = 120
"""Characters of a line of text, unless another width is asked for."""
_FOR_PROGRAMS = (".csv", ".json")
"""Forms for programs: the same in every language, each value exact."""
_OF_LISTS = (".parquet", ".arrow")
"""Those of lists beside them: Apache Parquet, and a file of Apache Arrow (Feather)."""


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
        return self._text("html")

    @property
    def markdown(self) -> str:
        """The report as Markdown, for a mail."""
        return self._text("markdown")

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
        """Write the report in the format that the ending of the file names; CSV and JSON are those for programs.

        Returns:
            The file.

        Raises:
            NotFound: There is no such format; names those that are there.
            DokimaError: The file cannot be written, or a library it needs is not installed.
        """
        target = Path(path)
        ending = target.suffix.lower()
        programs: tuple[str, ...] = (".json",) if is_specification(self.result) else _FOR_PROGRAMS
        programs = () if is_order_paper(self.result) else programs
        programs += _OF_LISTS if isinstance(self.result, Listing) else ()
        known = [*writers_of(self.result), *programs]
        if ending not in known:
            raise NotFound(f"expected a report ending in {', '.join(known)} (got '{target.name}')")
        if ending in _OF_LISTS and ending in programs:
            write_arrow_table(self.result.to_arrow(), target)
        elif ending in programs:
            write_whole(target, f"{self.json}\n" if ending == ".json" else self.csv())
        else:
            self._write(ending, target)
        return target

    def to_json(self, path: str | Path) -> None:
        """Write the result as JSON for programs.

        Raises:
            DokimaError: The file cannot be written.
        """
        write_whole(Path(path), self.json + "\n")

    def to_html(self, path: str | Path) -> None:
        """Write the report as one HTML file.

        Raises:
            DokimaError: The file cannot be written.
        """
        self._write(".html", path)

    def to_markdown(self, path: str | Path) -> None:
        """Write the report as Markdown.

        Raises:
            DokimaError: The file cannot be written.
        """
        self._write(".md", path)

    def to_csv(self, path: str | Path) -> None:
        """Write the result as CSV for programs: what `csv` gives.

        Raises:
            DokimaError: The file cannot be written.
        """
        write_whole(Path(path), self.csv())

    def to_xlsx(self, path: str | Path) -> None:
        """Write the report as a workbook.

        Raises:
            DokimaError: The file cannot be written.
        """
        self._write(".xlsx", path)

    def to_pdf(self, path: str | Path) -> None:
        """Write the report as PDF.

        Raises:
            DokimaError: The file cannot be written, or ReportLab is not installed.
        """
        self._write(".pdf", path)

    def _text(self, form: str) -> str:
        with speaking(self.locale):
            text: str = function_of(texts_of(self.result)[form])(self._made())
        return text

    def _write(self, ending: str, path: str | Path) -> None:
        known = writers_of(self.result)
        if ending not in known:
            raise NotFound(f"expected a report ending in {', '.join(known)} (got '{path}')")
        with speaking(self.locale), whole_file(Path(path)) as beside:
            function_of(known[ending])(self._made(), beside)

    def _made(self) -> Any:
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
    steps: str = "",
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
        columns: Of priced orders, the columns of a table of lines (of orders, with ``totals``): fields and figures; of
            a change order those that stand below each line.
        steps: Of a variance or change order, the line below which the variance of every step stands, or ``all``.

    Raises:
        DokimaError: There is no report of such a thing, no such locale, or a specification speaks another.
        NotFound: No line has a figure of that name.
    """
    program = _program_of(result) if book is None else book.program
    words = Wording() if program is None else Wording.of(program)
    made_in = spoken_in(result)
    if made_in is not None and locale not in ("", made_in):
        raise DokimaError(f"expected 'specify(..., locale=\"{locale}\")': a specification is made in its language")
    usual = "" if program is None else program.definition.report.locale
    locale = (locale or usual) if made_in is None else made_in
    detail = Detail(every, with_costs, figures, totals, technical, quantities, ledger, columns, steps)
    with speaking(locale):  # a locale that is none is refused here, not when somebody reads the report
        return Report(result, detail, forms_of(result, words, detail), locale)


def paper(
    priced: Calculation | PricedOrder,
    name: str,
    *,
    draft: bool = False,
    locale: str = "",
    findings: Findings | None = None,
) -> Report:
    """A paper about one order, such as a quotation, as the rulebook says it: a page, a PDF, a Word document, Markdown.

    It shows nothing internal unless it says ``internal = true``, and of an agreed order the agreed figures.

    Args:
        priced: The order, or a calculation of one alone.
        name: Name of the paper in the rulebook.
        draft: Make one of an order with errors too, with that on each page.
        locale: Locale such as ``de_DE``, for its texts, words and numbers; that of the rulebook if blank.
        findings: What rules say of the order, beside what pricing found.

    Raises:
        NotFound: The rulebook has no such paper.
        DokimaError: There is not exactly one order, or no such locale.
        Refused: The order has errors, and it is not to be a draft.
    """
    from dokima.reports.order_papers import order_paper_of

    made = order_paper_of(priced, name, draft=draft, findings=findings)
    program = made.order.calculation.program
    locale, words = locale or program.definition.report.locale, Wording.of(program)
    with speaking(locale):
        return Report(made, Detail(), forms_of(made, words, Detail()), locale)


def _program_of(result: Any) -> Any:
    """The rulebook of a result, as far as the result knows it."""
    for path in ("program", "calculation.program", "after.program", "order.calculation.program"):
        found = result
        for part in path.split("."):
            found = getattr(found, part, None)
        if found is not None:
            return found
    return None
