"""A specification as plain data; as rows its sentences, each with its chapter and its formula."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from dokima.formats.results.detail import PLAIN, Detail


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001 (all results are asked alike)
    """Columns that stand first."""
    return ("chapter", "about", "text", "formula")


def data(spec: Any, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001
    """The specification; it is made by reports, which stand above formats."""
    found: dict[str, Any] = spec.to_dict()
    return found


def rows(spec: Any, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each sentence."""
    return list(_sentences(spec.to_dict()["chapters"], "", ""))


def _sentences(items: list[Any], chapter: str, about: str) -> Iterator[dict[str, Any]]:
    for each in items:
        if "title" in each and "parts" in each:
            yield from _sentences(each["blocks"], each["title"], "")
            yield from _sentences(each["parts"], each["title"], "")
        elif each.get("is") == "sentence":
            yield {"chapter": chapter, "about": about, "text": each["text"], "formula": each["formula"] or None}
        elif each.get("is") == "items":
            for item in each["items"]:
                yield from _sentences(item["sentences"], chapter, item["label"])
                yield from _sentences(item["below"], chapter, item["label"])
