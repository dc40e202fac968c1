"""A specification as one HTML file: at a desk, on a phone, and on paper."""

from __future__ import annotations

from pathlib import Path

from dokima.reports.html import rendered
from dokima.reports.specification.content import Specification, numbered
from dokima.reports.specification.diagram import svg_of
from dokima.reports.specification.record import record_text, sealed_text


def html_text(spec: Specification) -> str:
    """The specification as HTML, everything in one text."""
    told = {"spec": spec, "chapters": list(numbered(spec.chapters)), "record": record_text(spec)}
    return sealed_text(rendered("specification.html", svg=svg_of, **told))


def write_html(spec: Specification, target: Path) -> None:
    """Write the specification as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_bytes(html_text(spec).encode())
