"""`Beginning`: what came of beginning a rulebook."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from dokima.inference.proposal import Guess
from dokima.inference.questions import OpenQuestion
from dokima.model.said import SHOWN


@dataclass(frozen=True)
class Beginning:
    """A rulebook that was begun.

    Attributes:
        folder: Where it stands.
        files: What was written, below the folder.
        guesses: What each column and file was taken for, and why.
        questions: What stays open.
        lines: How many lines state an amount.
        reproduced: How many of those amounts the rulebook reproduces.
        different: Some of the others: order, line, amount as stated, amount as priced (None for none), and why.
    """

    folder: str
    files: Sequence[str]
    guesses: Sequence[Guess] = ()
    questions: Sequence[OpenQuestion] = ()
    lines: int = 0
    reproduced: int = 0
    different: Sequence[tuple[str, str, Decimal | None, Decimal | None, str]] = field(default_factory=tuple)

    def __repr__(self) -> str:
        return f"<Beginning in {self.folder}: {self.reproduced} of {self.lines} amounts reproduced; {SHOWN}>"
