"""A list of orders, lines or events as plain data and rows."""

from __future__ import annotations

from typing import Any

from dokima.formats.results.detail import PLAIN, Detail
from dokima.model.listing import Listing


def data(listing: Listing, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001 (all results are asked alike)
    """One entry a row."""
    return listing.to_dicts()


def rows(listing: Listing, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row a row."""
    return listing.to_dicts()


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """None stands first: the rows say their columns."""
    return ()
