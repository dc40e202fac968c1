"""How each kind of result is shown: what a terminal shows of it, and the paper that is made of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, Any

from rich.console import RenderableType

from dokima.errors import DokimaError
from dokima.formats.results.detail import Detail
from dokima.reports.translations import Wording

if TYPE_CHECKING:  # a result brings its own report along, so that pricing does not wait for variances
    from dokima.reports.paper import Paper

Forms = tuple["Callable[[], RenderableType] | None", "Callable[[], Any] | None"]
"""Makes what a terminal shows (None: as its paper is), and makes the paper (None: it is none)."""

_VIEWS: Mapping[str, str] = {
    "Editor": "edits.edit_report",
    "Findings": "findings.findings_report",
    "GroupedVariance": "variances.grouped_report",
    "PricedLine": "steps.steps_report",
    "Proof": "proofs.proof_report",
    "Replay": "replays.replay_report",
    "AuditRemarks": "audits.audit_report",
    "RuleAnswers": "findings.answers_report",
    "VersionChanges": "versions.versions_report",
}
"""What a terminal shows, made of the result alone."""
_PAPERS: Mapping[str, str] = {
    "AuditRemarks": "papers.remarks_paper",
    "Beginning": "beginnings.beginning_paper",
    "ChangeEntries": "change_list.changes_paper",
    "Coverage": "proofs.coverage_paper",
    "Evaluation": "evaluations.evaluation_paper",
    "Findings": "papers.findings_paper",
    "Ledger": "ledgers.ledger_paper",
    "Listing": "listings.listing_paper",
    "OrderPaper": "order_papers.paper_of",
    "PriceList": "price_lists.price_list_paper",
    "Proof": "proofs.proof_paper",
    "Replay": "papers.replay_paper",
    "Suggestions": "suggestions.suggestions_paper",
    "VersionChanges": "versions.versions_paper",
}
"""Papers, made of the result and the words alone."""

_WRITERS: Mapping[str, str] = {
    ".html": "html.write_html", ".pdf": "pdf.write_pdf", ".xlsx": "sheets.write_xlsx", ".md": "plain.write_markdown",
}  # fmt: skip
_OF_ORDER_PAPERS: Mapping[str, str] = {
    **{ending: _WRITERS[ending] for ending in (".html", ".pdf", ".md")}, ".docx": "word.write_docx",
}  # fmt: skip
"""What writes a paper that leaves the house: whoever gets it has no use for a workbook of its cells."""
_TEXTS: Mapping[str, str] = {"html": "html.html_text", "markdown": "plain.markdown_text"}
"""What writes a paper to a file, by ending, and as text."""
_OF_SPECIFICATIONS: Mapping[str, str] = {
    ".html": "specification.page.write_html", ".md": "specification.markdown.write_markdown",
    ".docx": "specification.word.write_docx", ".pdf": "specification.pdf.write_pdf",
}  # fmt: skip
_TEXTS_OF_SPECIFICATIONS: Mapping[str, str] = {
    "html": "specification.page.html_text", "markdown": "specification.markdown.markdown_text",
}  # fmt: skip
"""What writes a specification, which is no paper of tables."""


def writers_of(result: Any) -> Mapping[str, str]:
    """What writes a result to a file, by ending."""
    if is_order_paper(result):
        return _OF_ORDER_PAPERS
    return _OF_SPECIFICATIONS if is_specification(result) else _WRITERS


def texts_of(result: Any) -> Mapping[str, str]:
    """What writes a result as text, by form."""
    return _TEXTS_OF_SPECIFICATIONS if is_specification(result) else _TEXTS


def spoken_in(result: Any) -> str | None:
    """The locale of a result that is made of words already, as a specification is; None for any other."""
    return result.locale if type(result).__name__ == "Specification" else None


def is_order_paper(result: Any) -> bool:
    """Whether a result is a paper that leaves the house: nothing of its order goes out but what stands on it."""
    return type(result).__name__ == "OrderPaper"


def is_specification(result: Any) -> bool:
    """Whether a result is a specification, or a rulebook, which is shown as one."""
    return {"Specification", "Rulebook"} & {each.__name__ for each in type(result).__mro__} != set()


def forms_of(result: Any, words: Wording, detail: Detail) -> Forms:
    """How a result is shown.

    Raises:
        DokimaError: It is no result of a rulebook.
    """
    known = (each.__name__ for each in type(result).__mro__)
    kind = next((name for name in known if name in _ASKED or name in _VIEWS or name in _PAPERS), "")
    if not kind:
        raise DokimaError(f"there is no report of a {type(result).__name__}; expected a result of a rulebook")
    if kind in _ASKED:
        return _ASKED[kind](result, words, detail)
    view = (lambda: function_of(_VIEWS[kind])(result)) if kind in _VIEWS else None
    paper = (lambda: function_of(_PAPERS[kind])(result, words)) if kind in _PAPERS else None
    return view, paper


def function_of(path: str) -> Any:
    """A function of a module of reports, imported when it is needed."""
    module, _, name = path.rpartition(".")
    return getattr(import_module(f"dokima.reports.{module}"), name)


def _calculation(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.pricing import calculation_report, known_figures, totals_report

    def paper() -> Paper:
        from dokima.reports.papers import calculation_paper

        return calculation_paper(result, words)

    known_figures(result, detail.figures)
    if detail.columns:
        from dokima.formats.results.calculations import chosen_columns

        return forms_of(chosen_columns(result, detail), words, detail)
    if detail.totals:
        return (lambda: totals_report(result)), paper
    return (lambda: calculation_report(result, detail.figures)), paper


def _order(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.papers import order_paper
    from dokima.reports.pricing import known_figures, order_report

    known_figures(result.calculation, detail.figures)
    return (lambda: order_report(result, detail.figures)), (lambda: order_paper(result, words))


def _variance(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.papers import variance_paper
    from dokima.reports.variances import variance_report

    def view() -> RenderableType:
        return variance_report(result, every=detail.every, steps=detail.steps)

    return view, (lambda: variance_paper(result, words))


def _explanation(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.explanations import explanation_report
    from dokima.reports.papers import explanation_paper

    def view() -> RenderableType:
        return explanation_report(result, detail.quantities, technical=detail.technical)

    return view, (lambda: explanation_paper(result, words))


def _change(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.changes import change_paper

    def paper() -> Paper:
        return change_paper(
            result,
            words,
            ledger=detail.ledger,
            every=detail.every,
            with_costs=detail.with_costs,
            steps=detail.steps,
            columns=detail.columns,
        )

    return None, paper


def _rulebook(result: Any, words: Wording, detail: Detail) -> Forms:
    from dokima.reports.specification.making import specification_of

    return _specification(specification_of(result.program), words, detail)


def _specification(result: Any, words: Wording, detail: Detail) -> Forms:  # noqa: ARG001 (all results are asked alike)
    from dokima.reports.specification.terminal import specification_report

    return (lambda: specification_report(result)), (lambda: result)


_ASKED: Mapping[str, Callable[[Any, Wording, Detail], Forms]] = {
    "Calculation": _calculation,
    "ChangeOrder": _change,
    "Explanation": _explanation,
    "ManyEdited": lambda result, words, detail: forms_of(result.to_listing(), words, detail),
    "PricedOrder": _order,
    "Rulebook": _rulebook,
    "Specification": _specification,
    "Variance": _variance,
}
"""Results of which more or less may be asked for."""
