"""Coverage as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.coverage import Coverage


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("part", "covered", "unconfirmed", "there_are", "percent")


def data(coverage: Coverage, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """What cases have reached."""
    return coverage.to_dict()


def rows(coverage: Coverage, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each kind of thing that can be reached."""
    waiting = coverage.waiting()
    return [
        {
            "part": name, "covered": str(done), "unconfirmed": str(waiting[name]), "there_are": str(every),
            "percent": str(coverage.percent(name)),
        }
        for name, (done, every) in coverage.headline().items()
    ]  # fmt: skip
