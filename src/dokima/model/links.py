"""Links between documents: an order, its supplements and its changes, and the numbers that changes gave their lines."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

Place = tuple[str, str]
"""Number of a document, and of a line in it."""


def linked(header: Mapping[str, Any], kind: str) -> list[Mapping[str, Any]]:
    """The links of a document of one kind: ``original``, ``supplement`` or ``change``."""
    return [link for link in header.get("links") or () if isinstance(link, Mapping) and link.get("kind") == kind]


def linked_numbers(header: Mapping[str, Any], *kinds: str) -> list[str]:
    """The numbers of the documents that one links to by some kinds of links."""
    return [str(link.get("number")) for kind in kinds for link in linked(header, kind)]


def given_numbers(header: Mapping[str, Any]) -> dict[Place, str]:
    """The numbers that lines of a family were given in earlier changes, kept with the links of the original."""
    found: dict[Place, str] = {}
    for link in linked(header, "change"):
        numbers = link.get("numbers")
        for document, lines in (numbers if isinstance(numbers, Mapping) else {}).items():
            for line, name in (lines if isinstance(lines, Mapping) else {}).items():
                found[str(document), str(line)] = str(name)
    return found
