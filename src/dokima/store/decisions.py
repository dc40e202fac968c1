"""Decisions of a folder: documents on their way to their places, in one file that decided over all of them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import get_args

from dokima.errors import DocumentError, DokimaError, Problem
from dokima.formats.file_names import file_name
from dokima.formats.json_files import json_text
from dokima.formats.regular_files import text_of
from dokima.formats.whole_files import sync_folder, write_whole
from dokima.limits import FILE_BYTES
from dokima.model.parsing import parse_json
from dokima.store.documents import Kind, Written

ASIDE = "-aside"
"""Ends the name of what is no settlement: it leaves nothing behind once it is carried out."""
_PATH = re.compile(rf"({'|'.join(get_args(Kind))})/([^/\\]+)\.json")


def decide(pending: Path, documents: Written) -> None:
    """Make several documents true at once: from then on they are, whether or not they are at their places.

    Raises:
        DokimaError: Nothing was written, and nothing has happened.
    """
    texts = {f"{kind}/{file_name(number)}": text for (kind, number), text in documents.items()}
    write_whole(pending, json_text(texts) + "\n")


def decided(pending: Path) -> dict[str, str]:
    """The documents of a decision, by their paths in the folder.

    Raises:
        DocumentError: It cannot be read, or is none of ours: it would write somewhere else.
        FileNotFoundError: It has just come to its place.
    """
    try:
        found = parse_json(text_of(pending, FILE_BYTES))
    except FileNotFoundError:
        raise
    except (OSError, UnicodeDecodeError) as error:
        said = getattr(error, "strerror", None) or str(error)
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", pending.name)]) from None
    except DocumentError as error:
        problem = error.problems[0]
        raise DocumentError([Problem("", "", "", problem.message, pending.name, problem.row)]) from None
    if not isinstance(found, Mapping):
        message = f"expected the documents of a decision (got {type(found).__name__})"
        raise DocumentError([Problem("", "", "", message, pending.name)])
    for path, text in found.items():
        place = _PATH.fullmatch(path)
        if place is None or not isinstance(text, str) or f"{place[2]}.json" != file_name(place[2]):
            message = f"expected documents such as orders/SQ-2041.json, each a text (got {path[:60]!r})"
            raise DocumentError([Problem("", "", "", message, pending.name)])
    return dict(found)


def carry_out(folder: Path, pending: Path) -> None:
    """Put the documents of a decision at their places.

    Raises:
        DocumentError: It cannot be read, or is none of ours.
        DokimaError: A document cannot be written. The decision stands, and whoever writes next completes it.
    """
    name = pending.stem.removesuffix(ASIDE)
    try:
        for path, text in decided(pending).items():
            write_whole(folder / path, text)
        if pending.stem.endswith(ASIDE):
            pending.unlink()
        else:
            pending.replace(pending.with_suffix(".json"))
        sync_folder(pending.parent)
    except DocumentError:
        raise
    except (OSError, DokimaError) as error:
        said = f"'{error.filename}': {error.strerror}" if isinstance(error, OSError) else error
        stands = f"'{name}' is decided, and stands: its documents will be completed by the next command"
        raise DokimaError(f"{stands} ({said})") from None
