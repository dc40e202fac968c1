"""Where in the TOML text a key stands, so that a message can take its reader there."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass

_HEADING = re.compile(r"\s*\[(\[?)\s*([^\[\]]+?)\s*\](\]?)\s*(#.*)?$")
_KEY = re.compile(r"\"([^\"]*)\"|'([^']*)'|([^\s.\"']+)")
_NAME = re.compile(r"\s*(?:id|name)\s*=\s*[\"']([^\"']*)[\"']")

_FIRST = re.compile(r"\bvalid\b.*\bfrom\s*=\s*[\"']?(\d{4}-\d\d-\d\d)")


@dataclass(frozen=True)
class _Section:
    """A heading and the lines below it.

    Attributes:
        parts: The parts of a path that lead here. A key is one word; an entry of a list goes by its place, id or name.
        start: Its heading, counted from 0; -1 for what stands before the first.
        stop: The next heading.
    """

    parts: Sequence[AbstractSet[str]]
    start: int
    stop: int

    def agrees(self, path: Sequence[str]) -> int:
        """How many of its parts are those of a path, from the first on."""
        return next((at for at, (own, part) in enumerate(zip(self.parts, path, strict=False)) if part not in own),
                    min(len(self.parts), len(path)))  # fmt: skip


def line_of(text: str, path: str) -> int | None:
    """The line of a TOML text where a dotted path is written, or the nearest part of it; None if no part is found.

    Args:
        text: The TOML file.
        path: Such as ``table.agreed.choose``; rules are named by id, steps and options by name or place.
    """
    lines, parts = text.splitlines(), path.split(".")
    if not parts[0]:
        return None
    sections = list(_sections(lines))
    whole = [each for each in sections if each.agrees(parts) == len(each.parts) > 0]
    if whole:
        best = max(whole, key=lambda each: len(each.parts))  # of several the first
        return _within(lines, best, parts[len(best.parts) :])
    at_top = sections[0] if sections and sections[0].start < 0 else None
    if at_top is not None and (found := _within(lines, at_top, parts)):
        return found
    # A path that ends above a heading, such as that of a whole list, is where the first of them stands.
    return next((each.start + 1 for each in sections if each.agrees(parts) == len(parts)), None)


def _sections(lines: Sequence[str]) -> Iterator[_Section]:
    """The sections of a text, in their sequence."""
    headings = [(at, found) for at, line in enumerate(lines) if (found := _HEADING.match(line))]
    stops = [*(at for at, _ in headings[1:]), len(lines)] if headings else []
    if not headings or headings[0][0] > 0:
        yield _Section((), -1, headings[0][0] if headings else len(lines))
    lists: dict[tuple[str, ...], tuple[int, set[str]]] = {}
    for (start, found), stop in zip(headings, stops, strict=True):
        keys = tuple("".join(parts) for parts in _KEY.findall(found[2]))
        if found[1]:
            place = lists[keys][0] + 1 if keys in lists else 0
            names = {name[1] for line in lines[start + 1 : stop] if (name := _NAME.match(line))}
            first = next((day[1] for line in lines[start + 1 : stop] if (day := _FIRST.search(line))), "start")
            names |= {f"{name}@{first}" for name in names}  # one of several versions of a rule
            lists[keys] = place, {str(place), *names}
        parts: list[AbstractSet[str]] = []
        for depth, key in enumerate(keys, start=1):
            parts.append({key})
            if keys[:depth] in lists:  # of a list it is the entry that was begun last
                parts.append(lists[keys[:depth]][1])
        yield _Section(parts, start, stop)


def _within(lines: Sequence[str], section: _Section, parts: Sequence[str]) -> int:
    """The deepest of the remaining keys that is found in the section, else its heading; counted from 1."""
    found = section.start
    for part in parts:
        key = re.escape(part)
        pattern = rf"(.*[\s{{,.])?[\"']?{key}[\"']?\s*(=|\.)|.*\bname\s*=\s*[\"']{key}[\"']"
        at = next((at for at in range(max(found, 0), section.stop) if re.match(pattern, lines[at])), None)
        if at is not None:
            found = at
    return found + 1
