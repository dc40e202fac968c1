"""A specification as Markdown, for a repository or a merge request."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from dokima.reports.inert import visible
from dokima.reports.plain import inert, markdown_row
from dokima.reports.specification.content import Grid, Specification
from dokima.reports.specification.flow import Line, Style, flow_of
from dokima.reports.specification.record import record_text, sealed_text

_SAID: Mapping[Style, Callable[[str], str]] = {
    "title": lambda text: f"# {inert(text)}",
    "fact": lambda text: f"- {inert(text)}",
    "verdict": lambda text: f"\n**{inert(text)}**\n",
    "formula": lambda text: f"`{text.replace('`', chr(39))}`\n",
    "label": lambda text: f"\n**{inert(text)}**\n",
    "note": lambda text: f"> *{inert(text)}*\n",
    "below": lambda text: f"\n_{inert(text)}_\n",
    "case": lambda text: f"- **{inert(text)}**  ",
    "given": lambda text: f"  {inert(text)}  ",
    "came": lambda text: f"  → {inert(text)}",
    "named": lambda text: f"- {inert(text)}",
    "none": lambda text: f"- _{inert(text)}_",
}


def markdown_text(spec: Specification) -> str:
    """The specification as Markdown with tables."""
    lines: list[str] = []
    for piece in flow_of(spec):
        if isinstance(piece, Grid):
            lines += ["", markdown_row(piece.columns), "|" + "---|" * len(piece.columns)]
            lines += [markdown_row(row) for row in piece.rows]
        elif isinstance(piece, Line):
            lines += _line(piece)
    text = visible("\n".join(lines).strip())
    return sealed_text(f"{text}\n\n<!-- {record_text(spec)} -->\n")


def _line(line: Line) -> list[str]:
    if line.style in ("chapter", "part"):
        return ["", f"{'##' if line.style == 'chapter' else '###'} {line.number} {inert(line.text)}", ""]
    say = _SAID.get(line.style)
    return [say(line.text) if say is not None else f"{inert(line.text)}\n"]


def write_markdown(spec: Specification, target: Path) -> None:
    """Write the specification as Markdown.

    Raises:
        OSError: The file cannot be written.
    """
    target.write_bytes(markdown_text(spec).encode())
