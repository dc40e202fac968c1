"""A specification as one HTML file: at a desk, on a phone, and on paper."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from dokima.reports.html import rendered
from dokima.reports.language import N_, _, language
from dokima.reports.specification.content import Specification, numbered
from dokima.reports.specification.diagram import svg_of
from dokima.reports.specification.flow import document_title, more_cases
from dokima.reports.specification.record import record_text, sealed_text

SAID: Mapping[str, str] = {
    "subtitle": N_("What its rulebook says, in words made from it"),
    "passed": N_("cases passed"),
    "failed": N_("failed"),
    "unconfirmed": N_("unconfirmed: they verify nothing"),
    "missing": N_("parts that no verified case reaches"),
    "more": N_("and {count} more"),
    "generated": N_("Words like these were made from the rulebook."),
    "written": N_("Texts on this ground are its author's; figures in them come from cases."),
    "ran": N_("The cases ran when this was made."),
    "contents": N_("contents"),
    "none": N_("No case verifies this."),
    "figure": N_("{path} of the case “{case}”, {status}"),
}
"""What the page says beside the specification."""


def html_text(spec: Specification) -> str:
    """The specification as HTML, everything in one text."""
    told = {"spec": spec, "chapters": list(numbered(spec.chapters)), "record": record_text(spec)}
    words = {"title": document_title(spec), "language": language(), "word": _, "more_cases": more_cases}
    return sealed_text(rendered("specification.html", svg=svg_of, said=SAID, **told, **words))


def write_html(spec: Specification, target: Path) -> None:
    """Write the specification as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_bytes(html_text(spec).encode())
