"""The text of a rulebook, each line with what cases have reached of what it says."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from dokima.formats.regular_files import files_in, text_of
from dokima.proving.coverage import Coverage
from dokima.proving.reaching import setting_of
from dokima.proving.tables_reached import edge_parts
from dokima.proving.target import Target
from dokima.rulebook.places import line_of

Reach = Literal["", "all", "some", "none"]
"""How much of what a line says has been reached; blank for a line that there is nothing to reach in."""


@dataclass
class MarkedLine:
    """A line of a rulebook's text.

    Attributes:
        number: Its number in the file, from 1.
        text: Its text.
        reach: How much of it cases have reached.
        notes: What they have met there, and what they have not.
    """

    number: int
    text: str
    reach: Reach = ""
    notes: list[str] = field(default_factory=list)

    def mark(self, met: int, of: int, note: str) -> None:
        """Note that so many of so many things in this line were met."""
        now: Reach = "all" if met == of else "some" if met else "none"
        self.reach = now if self.reach in ("", now) else "some"
        self.notes.append(note)


@dataclass(frozen=True)
class MarkedFile:
    """A file of a rulebook, marked."""

    name: str
    lines: Sequence[MarkedLine]


def marked_files(folder: str | Path, coverage: Coverage) -> list[MarkedFile]:
    """The TOML files of a rulebook's folder, each line with what cases have reached of it.

    Args:
        folder: The folder.
        coverage: What its cases reach.

    Raises:
        OSError: A file cannot be read.
    """
    paths = sorted(files_in(Path(folder), ".toml"), key=lambda path: (path.name != "rulebook.toml", path.name))
    texts = {path.name: text_of(path) for path in paths}
    files = [
        MarkedFile(name, [MarkedLine(at, line) for at, line in enumerate(text.splitlines(), start=1)])
        for name, text in texts.items()
    ]
    for (path, met, of, note), (_, awaited, *_rest) in zip(
        _met(coverage), _met(coverage.with_unconfirmed), strict=True
    ):
        said = f"{note}; {awaited} of {of} with cases that nobody has confirmed" if awaited > met else note
        places = [(file, line_of(texts[file.name], path)) for file in files]
        found = next(((file, at) for file, at in places if at is not None), None)
        if found is not None:
            found[0].lines[found[1] - 1].mark(met, of, said)
    return files


def _met(coverage: Coverage) -> Iterator[tuple[str, int, int, str]]:
    """For each thing the path of its setting, how much of it was met of how much, and that in words."""
    for name, rule in coverage.rules.items():
        met = (rule.fired > 0) + (rule.passed > 0)
        yield f"rule.{name}", met, 2, f"speaks {rule.fired}, passes {rule.passed}, does not apply {rule.does_not_apply}"
    for path, leaves in coverage.conditions.items():
        key = setting_of(Target("conditions", path))
        for leaf in leaves:
            seen = [word for word, was in (("true", leaf.true), ("false", leaf.false)) if was]
            said = f"decided by being {' and '.join(seen)}" if seen else "decided nothing"
            yield key, len(seen), 2, f"{leaf.text}: {said}"
    for kind, word in (("options", "price option"), ("steps", "step"), ("limits", "limit"), ("winners", "best of")):
        for name, count in getattr(coverage, kind).items():
            said = name.split(".", 2)[2] if kind == "options" else name
            step = ".".join(name.split(".", 2)[:2])
            yield setting_of(Target("steps", step)), int(count > 0), 1, f"{word} {said}: {count} lines"
    for name, count in coverage.misses.items():
        yield f"table.{name}", int(count > 0), 1, f"{count} without a row"
    for name, count in coverage.edges.items():
        owner, column, day = edge_parts(name)
        yield f"table.{owner}", int(count > 0), 1, f"{column} {day}: {count} on the day"
    for name, done in coverage.moves.items():
        yield f"states.order.{name.partition(' to ')[0]}", int(done), 1, f"{name}: {'met' if done else 'never'}"
    for name, table in coverage.tables.items():
        yield f"table.{name}", int(bool(table.won)), 1, f"{len(table.won)} of {table.rows} rows answered"
