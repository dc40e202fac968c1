"""A rulebook's text on one page, each line marked with what its cases reach."""

from __future__ import annotations

from pathlib import Path

from dokima.errors import DokimaError
from dokima.formats.whole_files import write_whole
from dokima.proving.proof import Proof
from dokima.reports.html import rendered
from dokima.reports.language import _
from dokima.reports.proofs import HEADLINE
from dokima.rulebook.marking import marked_files


def coverage_page(folder: str | Path, proof: Proof, path: str | Path | None = None) -> str:
    """The rulebook with its marks as HTML, everything in one text.

    Args:
        folder: The folder of the rulebook.
        proof: What came of its cases, with what they reach.
        path: A file that the page is written to, None for none.

    Raises:
        DokimaError: The proof was taken without coverage, or a file cannot be read or written.
    """
    if proof.coverage is None:
        raise DokimaError("expected a proof with coverage: prove(folder, coverage=True)")
    try:
        files = marked_files(folder, proof.coverage)
    except OSError as error:
        raise DokimaError(f"'{folder}' cannot be read: {error.strerror}") from None
    headline = proof.coverage.headline()
    counts = [(_(HEADLINE[name]), *headline[name]) for name in HEADLINE if headline[name][1]]
    name = Path(folder).resolve().name
    text = rendered("coverage.html", name=name, files=files, counts=counts, cases=len(proof))
    if path is not None:
        write_whole(Path(path), text)
    return text
