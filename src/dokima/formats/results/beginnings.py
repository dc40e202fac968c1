"""A rulebook that was begun as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.columns.cells import cell
from dokima.formats.results.detail import PLAIN, Detail
from dokima.inference.beginning import Beginning


def data(begun: Beginning, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001 (all results are asked alike)
    """What was written, guessed, left open and reproduced."""
    return {
        "folder": begun.folder,
        "files": list(begun.files),
        "guesses": [{"about": each.about, "means": each.means, "why": each.why} for each in begun.guesses],
        "questions": [
            {"id": each.id, "asks": each.asks, "choices": list(each.choices), "guess": each.guess}
            for each in begun.questions
        ],
        "lines": begun.lines,
        "reproduced": begun.reproduced,
        "different": [
            {"order": order, "line": line, "stated": cell(stated), "priced": cell(priced), "why": why}
            for order, line, stated, priced, why in begun.different
        ],
    }


def rows(begun: Beginning, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each guess."""
    return [{"about": each.about, "means": each.means, "why": each.why} for each in begun.guesses]


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """Columns that stand first."""
    return ("about", "means", "why")
