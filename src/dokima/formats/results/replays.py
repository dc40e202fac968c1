"""A replay as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.replay import Replay


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ()


def data(replay: Replay, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """The replay."""
    return replay.to_dict()


def rows(replay: Replay, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each order that moves most."""
    found: list[dict[str, Any]] = replay.to_dict()["largest"]
    return found
