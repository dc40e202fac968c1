"""`Proof`: what came of the cases of a rulebook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from dokima.columns.shown import shown
from dokima.model.finding import Finding
from dokima.model.said import SHOWN
from dokima.proving.cases import Case


@dataclass(frozen=True)
class Difference:
    """One expectation that was not met.

    Attributes:
        path: What it was about.
        expected: What was expected, in words.
        got: What came, in words.
        why: The line of the explanation that says how it came about; blank where there is none.
    """

    path: str
    expected: str
    got: str
    why: str = ""


@dataclass(frozen=True)
class Outcome:
    """What came of one case.

    Attributes:
        case: The case.
        differences: What was not as expected; empty if it passed.
        error: Why it could not be run, blank if it was.
        is_confirmed: Whether a person stands behind what it expects.
        values: What came out for each path that was expected, as it was found.
        moves: States the order moved through, from and to.
        refused_by: Rules that refused an edit, as it was expected.
        findings: What rules and prices said, or what refused an edit.
    """

    case: Case
    differences: Sequence[Difference] = ()
    error: str = ""
    is_confirmed: bool = True
    values: Mapping[str, Any] = field(default_factory=dict)
    moves: Sequence[tuple[str, str]] = ()
    refused_by: Sequence[str] = ()
    findings: Sequence[Finding] = ()

    @property
    def passed(self) -> bool:
        """Whether all came as it was expected."""
        return not self.differences and not self.error


@dataclass(frozen=True)
class Proof:
    """What came of all cases.

    Attributes:
        outcomes: One for each case, in their sequence.
        coverage: What they reached, if that was asked for.
        mutation: Whether they would notice a slip of the pen, if that was asked for.
    """

    outcomes: Sequence[Outcome]
    coverage: Any = None
    mutation: Any = None

    def __len__(self) -> int:
        return len(self.outcomes)

    def __repr__(self) -> str:
        counts = (f"{len(self.passed)} passed", f"{len(self.failed)} failed", f"{len(self.unconfirmed)} unconfirmed")
        return f"<Proof: {', '.join(counts)}; {SHOWN}>"

    @property
    def passed(self) -> list[Outcome]:
        """Cases that came out as expected, and that a person stands behind."""
        return [each for each in self.outcomes if each.passed and each.is_confirmed]

    @property
    def failed(self) -> list[Outcome]:
        """Cases that did not."""
        return [each for each in self.outcomes if not each.passed]

    @property
    def unconfirmed(self) -> list[Outcome]:
        """Cases that came out as was recorded, and that nobody has confirmed: they verify nothing."""
        return [each for each in self.outcomes if each.passed and not each.is_confirmed]

    def to_dict(self) -> dict[str, Any]:
        """The proof as plain data."""
        return {
            "passed": len(self.passed),
            "failed": len(self.failed),
            "unconfirmed": len(self.unconfirmed),
            "cases": [
                {
                    "name": each.case.name,
                    "file": each.case.file,
                    "row": each.case.row,
                    "result": "failed" if not each.passed else "passed" if each.is_confirmed else "unconfirmed",
                    "error": each.error,
                    "differences": [
                        {"path": d.path, "expected": d.expected, "got": d.got, "why": d.why} for d in each.differences
                    ],
                }
                for each in self.outcomes
            ],
            **({"coverage": self.coverage.to_dict()} if self.coverage is not None else {}),
            **({"mutation": self.mutation.to_dict()} if self.mutation is not None else {}),
        }


def in_words(value: Any) -> str:
    """A value as a failure tells it."""
    if isinstance(value, list | tuple):
        return ", ".join(in_words(each) for each in value) or "none"
    if isinstance(value, Mapping):
        return ", ".join(f"{name} {in_words(each)}" for name, each in value.items())
    return shown(value)
