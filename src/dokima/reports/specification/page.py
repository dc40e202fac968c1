"""A specification as one HTML file: at a desk, on a phone, and on paper."""

from __future__ import annotations

from pathlib import Path

from dokima.reports.inert import visible
from dokima.reports.specification.content import Specification, numbered
from dokima.reports.specification.diagram import svg_of


def html_text(spec: Specification) -> str:
    """The specification as HTML, everything in one text."""
    from jinja2 import Environment, PackageLoader

    loader = PackageLoader("dokima.reports", "templates")
    page = Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True)
    shown = page.get_template("specification.html").render(
        spec=spec, chapters=list(numbered(spec.chapters)), svg=svg_of
    )
    return visible(shown)


def write_html(spec: Specification, target: Path) -> None:
    """Write the specification as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_text(html_text(spec), encoding="utf-8")
