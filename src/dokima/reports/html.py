"""A report as one HTML file: readable on a phone, on paper, and by a screen reader."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from dokima.reports.inert import visible
from dokima.reports.paper import Paper


def html_text(paper: Paper) -> str:
    """The report as HTML, everything in one text."""
    return rendered("paper.html", paper=paper)


def rendered(template: str, **values: Any) -> str:
    """A page of HTML: texts escaped, and nothing in them that could act on a terminal.

    Args:
        template: Name of the file among the templates.
        values: What it shows, by name.
    """
    from jinja2 import Environment, PackageLoader

    loader = PackageLoader("dokima.reports", "templates")
    pages = Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True)
    return visible(pages.get_template(template).render(**values))


def write_html(paper: Paper, target: Path) -> None:
    """Write the report as one HTML file.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_text(html_text(paper), encoding="utf-8")
