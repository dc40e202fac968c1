"""Whether a specification is still true: each part of the rulebook and each case held to what it was then."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dokima.errors import DokimaError
from dokima.model.said import SHOWN
from dokima.pricing.fingerprint import part_digests
from dokima.reports.specification.record import read_record
from dokima.rulebook.case_files import CaseFolder

CASE = "case "
"""How the names of cases begin among the parts."""


@dataclass(frozen=True)
class SpecificationChanges:
    """Whether a specification is still true.

    Attributes:
        file: The specification.
        date: The date that it carries; blank for none.
        count: How many parts and cases it says something of.
        changes: What is no longer as it was, by kind and name: ``changed``, ``gone`` or ``new``.
    """

    file: str
    date: str
    count: int
    changes: Mapping[str, str]

    def __repr__(self) -> str:
        said = "true" if self.is_true else f"{len(self.changes)} of {self.count} parts changed"
        return f"<SpecificationChanges: {self.file}: {said}; {SHOWN}>"

    @property
    def is_true(self) -> bool:
        """Whether nothing has changed since."""
        return not self.changes

    @property
    def text(self) -> str:
        """It in words: one line, and one more for each part that changed."""
        made = f"{self.file}{f', made on {self.date},' if self.date else ''}"
        if self.is_true:
            return f"{made} is true: {self.count} parts and cases are as they were"
        told = [f"  {name}: {what}" for name, what in self.changes.items()]
        return "\n".join([f"{made} is no longer true; since then have changed:", *told])

    def to_dict(self) -> dict[str, Any]:
        """It as plain data."""
        return {
            "file": self.file,
            "date": self.date,
            "is_true": self.is_true,
            "parts": self.count,
            "changes": dict(self.changes),
        }


def parts_of(cases: CaseFolder, *, with_cases: bool = True) -> dict[str, str]:
    """A digest of each part of a rulebook and of each case with what it is worth.

    Args:
        cases: The rulebook and its cases.
        with_cases: Whether the cases are wanted.
    """
    parts = part_digests(cases.rulebook.program.definition)
    for case in cases.cases if with_cases else ():
        pinned = cases.pinned(case)
        said = f"{case.digest(pinned)} {case.is_confirmed(pinned)}"
        parts[f"{CASE}{case.name}"] = hashlib.sha256(said.encode()).hexdigest()[:16]
    return parts


def verify_specification(path: str | Path, cases: CaseFolder) -> SpecificationChanges:
    """Whether a specification still says what a rulebook and its cases say.

    Args:
        path: A specification as HTML, Markdown, Word document, PDF or JSON.
        cases: The rulebook and its cases as they are now.

    Raises:
        DokimaError: The file cannot be read, is no specification, or was edited since it was made.
    """
    record = read_record(Path(path))
    if not record.is_intact:
        raise DokimaError(f"{path}: it is no longer as it was made: somebody has edited it, so it says nothing certain")
    now = parts_of(cases, with_cases=any(name.startswith(CASE) for name in record.parts))
    changes = {name: "changed" if name in now else "gone" for name, was in record.parts.items() if now.get(name) != was}
    changes |= {name: "new" for name in now if name not in record.parts}
    return SpecificationChanges(str(path), record.date, len(record.parts), changes)
