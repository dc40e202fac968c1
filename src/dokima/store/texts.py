"""Documents as the texts that a store keeps."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from dokima.errors import DocumentError, Problem
from dokima.formats.json_files import json_text
from dokima.model.parsing import parse_json


def written(data: Any) -> str:
    """The text of a document."""
    return json_text(data) + "\n"


def read_document(text: str, file: str) -> dict[str, Any]:
    """A document of a text.

    Args:
        text: The text.
        file: What it is called in messages.

    Raises:
        DocumentError: It is no JSON, or no document.
    """
    try:
        data = parse_json(text)
    except DocumentError as error:
        raise DocumentError([replace(problem, file=file) for problem in error.problems]) from None
    if isinstance(data, dict):
        return data
    raise DocumentError([Problem("", "", "", f"expected one document (got {type(data).__name__})", file)])
