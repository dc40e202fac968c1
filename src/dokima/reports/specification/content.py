"""What a specification is made of, before it becomes a terminal view, a page, Markdown, Word or PDF."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from dokima.model.content import canonical_json, digest_of
from dokima.model.said import SHOWN
from dokima.reports.language import N_, _

VERIFIED, UNCONFIRMED, FAILED = N_("verified"), N_("unconfirmed"), N_("failed")
"""What a case says of the part beside which it stands."""
SEAL = "seal"
"""The key of a digest of all the rest."""
NOT_RUN = ""
"""No cases were run, which the text says as a whole."""


@dataclass(frozen=True)
class Sentence:
    """A generated sentence, and the formula it was made of; blank for none."""

    text: str
    formula: str = ""


@dataclass(frozen=True)
class Item:
    """One of several: its number or name, sentences, and what belongs below it."""

    label: str
    sentences: Sequence[Sentence]
    below: Sequence[Block] = ()


@dataclass(frozen=True)
class Items:
    """A list."""

    items: Sequence[Item]


@dataclass(frozen=True)
class Figure:
    """A figure in an author's text: the case and the path it was taken from, its value now, and what that is worth."""

    case: str
    path: str
    value: str
    status: str


@dataclass(frozen=True)
class Note:
    """A text of the author, which looks different from what was generated."""

    parts: Sequence[str | Figure]

    @property
    def text(self) -> str:
        """The text with its figures put in, each with the case it comes from unless that verifies it."""
        return "".join(each if isinstance(each, str) else figure_text(each) for each in self.parts)


def figure_text(figure: Figure) -> str:
    """A figure, and what it is worth where that is not "verified"."""
    return (
        figure.value if figure.status in (VERIFIED, NOT_RUN) else f"{figure.value} ({_(figure.status)}: {figure.case})"
    )


@dataclass(frozen=True)
class Grid:
    """A table: headings, rows of text, a sentence below it, and whether its rows are a sample of those of a table."""

    columns: Sequence[str]
    rows: Sequence[Sequence[str]]
    below: str = ""
    is_sample: bool = False

    def widths(self, whole: float) -> list[float]:
        """Widths of the columns by how long their texts are, together as wide as a page."""
        longest = [max(map(len, (heading, *(row[at] for row in self.rows)))) for at, heading in enumerate(self.columns)]
        shares = [min(max(each + 2, 8), 40) for each in longest]
        return [whole * share / sum(shares) for share in shares]


@dataclass(frozen=True)
class Example:
    """A case beside the part that it is about.

    Attributes:
        name: Its name.
        status: What it says of that part.
        given: What was ordered and done, in words.
        results: What came out when the specification was made, by what was expected.
        place: The file it stands in.
        told_at: The number of the chapter in which it is told in full; blank if that is here.
    """

    name: str
    status: str
    given: str
    results: Sequence[tuple[str, str]] = ()
    place: str = ""
    told_at: str = ""


@dataclass(frozen=True)
class Examples:
    """The cases of a part; a warning where there is none."""

    items: Sequence[Example]
    more: int = 0


@dataclass(frozen=True)
class Box:
    """A box of a diagram, in points: an order's header or line, or a table."""

    name: str
    title: str
    detail: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Diagram:
    """Boxes, and which leads to which, by name."""

    boxes: Sequence[Box]
    arrows: Sequence[tuple[str, str]]
    width: float
    height: float


Block = Sentence | Items | Note | Grid | Examples | Diagram


@dataclass(frozen=True)
class Chapter:
    """A heading, and what stands below it."""

    title: str
    blocks: Sequence[Block] = ()
    parts: Sequence[Chapter] = ()


@dataclass(frozen=True)
class Specification:
    """What a rulebook says, in plain words, with the cases that verify it.

    Attributes:
        title: What it is of.
        facts: What is to be known first, by label: version, fingerprint, date.
        verdict: How many cases passed, failed, are unconfirmed, by word; empty where no cases were run.
        uncovered: What no verified case reaches, in words.
        chapters: What it says.
        parts: A digest of each part of the rulebook and of each case, by kind and name.
        locale: The locale in which it speaks; blank for English words and plain numbers.
    """

    title: str
    facts: Mapping[str, str]
    chapters: Sequence[Chapter]
    verdict: Mapping[str, int] = field(default_factory=dict)
    uncovered: Sequence[str] = ()
    parts: Mapping[str, str] = field(default_factory=dict)
    locale: str = ""

    def __repr__(self) -> str:
        return f"<Specification of {self.title}: {len(self.chapters)} chapters; {SHOWN}>"

    @property
    def date(self) -> str:
        """The date that it carries; blank for none."""
        return self.facts.get("date", "")

    @property
    def summary(self) -> str:
        """What the cases say of it, in one sentence."""
        if not self.verdict:
            return _("No cases were run for this text: nothing in it is verified.")
        counts = ", ".join(f"{count} {_(word)}" for word, count in self.verdict.items())
        said = _("Cases: {counts}. Not reached by any verified case: {count}.")
        return said.format(counts=counts, count=len(self.uncovered))

    def to_dict(self) -> dict[str, Any]:
        """The specification as plain data."""
        said = {
            "title": self.title,
            "locale": self.locale,
            "facts": dict(self.facts),
            "verdict": dict(self.verdict),
            "uncovered": list(self.uncovered),
            "chapters": [_plain(chapter) for chapter in self.chapters],
            "parts": dict(self.parts),
        }
        return {**said, SEAL: digest_of(canonical_json(said))}


def numbered(chapters: Sequence[Chapter], before: str = "") -> Iterator[tuple[str, int, Chapter]]:
    """Chapters and their parts with their numbers and their depth, in reading order."""
    for place, chapter in enumerate(chapters, start=1):
        number = f"{before}{place}"
        yield number, number.count(".") + 1, chapter
        yield from numbered(chapter.parts, f"{number}.")


def _plain(value: Any) -> Any:
    if isinstance(value, str | int | float):
        return value
    if isinstance(value, Sequence):
        return [_plain(each) for each in value]
    kind = {} if isinstance(value, Chapter) else {"is": type(value).__name__.lower()}
    return {**kind, **{name: _plain(each) for name, each in vars(value).items()}}
