"""A specification as one HTML file: at a desk, on a phone, and on paper."""

from __future__ import annotations

from pathlib import Path

from dokima.reports.html import rendered
from dokima.reports.specification.content import Specification, numbered
from dokima.reports.specification.diagram import svg_of


def html_text(spec: Specification) -> str:
    """The specification as HTML, everything in one text."""
    return rendered("specification.html", spec=spec, chapters=list(numbered(spec.chapters)), svg=svg_of)


def write_html(spec: Specification, target: Path) -> None:
    """Write the specification as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_text(html_text(spec), encoding="utf-8")
