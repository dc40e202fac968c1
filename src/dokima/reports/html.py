"""A report as one HTML file: readable on a phone, on paper, and by a screen reader."""

from __future__ import annotations

from pathlib import Path

from dokima.reports.inert import visible
from dokima.reports.paper import Paper


def html_text(paper: Paper) -> str:
    """The report as HTML, everything in one text."""
    from jinja2 import Environment, PackageLoader

    loader = PackageLoader("dokima.reports", "templates")
    page = Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True).get_template("paper.html")
    return visible(page.render(paper=paper))


def write_html(paper: Paper, target: Path) -> None:
    """Write the report as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_text(html_text(paper), encoding="utf-8")
