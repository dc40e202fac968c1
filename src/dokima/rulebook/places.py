"""Where in the TOML text a key stands, so that a message can take its reader there."""

from __future__ import annotations

import re
from collections.abc import Sequence


def line_of(text: str, path: str) -> int | None:
    """The line of a TOML text where a dotted path is written, or the nearest part of it; None if no part is found.

    Args:
        text: The TOML file.
        path: Such as ``table.agreed.choose``; rules are named by id, steps and options by name or place.
    """
    lines = text.splitlines()
    parts = path.split(".")
    if not parts[0]:
        return None
    if parts[0] == "rule" and len(parts) > 1:
        start = _entry(lines, r"\[\[\s*rule\s*\]\]", parts[1])
        return _within(lines, start, parts[2:]) if start is not None else None
    for depth in range(min(len(parts), 4), 0, -1):
        name = r"\s*\.\s*".join(rf"[\"']?{re.escape(part)}[\"']?" for part in parts[:depth])
        start = _first(lines, rf"\s*\[\s*{name}\s*\]", 0, len(lines))
        if start is not None:
            return _within(lines, start, parts[depth:])
    return None


def _entry(lines: Sequence[str], heading: str, id_: str) -> int | None:
    """The heading of the list entry that has an id."""
    for at, line in enumerate(lines):
        if re.match(rf"\s*{heading}", line):
            stop = next((n for n in range(at + 1, len(lines)) if lines[n].lstrip().startswith("[")), len(lines))
            if _first(lines, rf"\s*id\s*=\s*[\"']{re.escape(id_)}[\"']", at, stop) is not None:
                return at
    return None


def _within(lines: Sequence[str], start: int, parts: Sequence[str]) -> int:
    """The deepest of the remaining keys that is found in the section, else its heading; counted from 1."""
    stop = next((at for at in range(start + 1, len(lines)) if re.match(r"\s*\[[\w\[]", lines[at])), len(lines))
    found = start
    for part in parts:
        key = re.escape(part)
        pattern = rf"(.*[\s{{,.])?[\"']?{key}[\"']?\s*(=|\.)|.*\bname\s*=\s*[\"']{key}[\"']"
        at = _first(lines, pattern, found, stop)
        if at is not None:
            found = at
    return found + 1


def _first(lines: Sequence[str], pattern: str, start: int, stop: int) -> int | None:
    return next((at for at in range(start, stop) if re.match(pattern, lines[at])), None)
