"""What is wrong with the papers of a rulebook: columns that are not there or internal, languages without a text."""

from __future__ import annotations

from collections.abc import Iterator

from dokima.errors import RulebookProblem, listed, nearest
from dokima.model.fields import RECORDS
from dokima.pricing.calculation.parties import PARTIES
from dokima.pricing.papers import BESIDE_TOTALS, PaperTerms
from dokima.pricing.program import Program
from dokima.pricing.steps.totals import TOTALS


def paper_problems(program: Program) -> list[RulebookProblem]:
    """Every problem of the papers of a rulebook whose formulas are right."""
    return [RulebookProblem("", path, said) for paper in program.papers.values() for path, said in _of(program, paper)]


def _of(program: Program, paper: PaperTerms) -> Iterator[tuple[str, str]]:
    spec, fields = paper.definition, program.definition.fields
    path = f"paper.{spec.name}"
    of_line = [*fields.line, *program.line_figures]
    of_header = [*(name for name in fields.header if name not in RECORDS), *program.header_figures]
    sums = [name for routine in program.routines for name in routine.amounts]
    amounts = list(dict.fromkeys([*TOTALS, *program.header_figures, *sums]))
    for key, level, known, wanted in (
        ("columns", "line", of_line, "a field or figure of a line"),
        ("fields", "header", [*of_header, *amounts], "a field or figure of the order"),
        ("totals", "header", [*amounts, *BESIDE_TOTALS], "a total or figure of the order"),
        ("parties", "", PARTIES, f"one of {listed(PARTIES)}"),
    ):
        for name in getattr(spec, key):
            if name not in known:
                yield f"{path}.{key}", f"expected {wanted} (got '{name}'{nearest(name, known)})"
            elif f"{level}.{name}" in program.internal and not spec.internal:
                yield f"{path}.{key}", f"'{name}' is internal: only a paper that says internal = true shows it"
    shown = sorted(paper.reads() & program.internal)
    if shown and not spec.internal:
        yield path, f"its texts read {listed(shown)}, which is internal: only a paper that says internal = true may"
    languages = sorted({language for by in spec.spoken.values() for language in by} - {""})
    for key, by in spec.spoken.items():
        lacking = [language for language in languages if language not in by] if "" not in by and by else []
        if lacking:
            wanted = f"expected a text for each language of this paper: {listed(languages)}"
            yield f"{path}.{key}", f"{wanted} (got {listed(by)})"
