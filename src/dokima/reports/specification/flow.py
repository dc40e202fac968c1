"""A specification as a flow of paragraphs: what Markdown, Word, PDF and the terminal have in common."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from dokima.reports.language import _, counted
from dokima.reports.specification.content import (
    Block,
    Diagram,
    Example,
    Examples,
    Grid,
    Items,
    Note,
    Sentence,
    Specification,
    numbered,
)

Style = Literal[
    "title", "fact", "verdict", "chapter", "part", "said", "formula", "label", "note", "below", "case", "given", "came",
    "named", "none",
]  # fmt: skip


@dataclass(frozen=True)
class Line:
    """A paragraph: what it is, its text, and how deep it stands."""

    style: Style
    text: str
    depth: int = 0
    number: str = ""
    status: str = ""

    @property
    def is_inner(self) -> bool:
        """Whether it stands a little further in than what it belongs to."""
        return self.style in ("formula", "given", "came")

    @property
    def stays_with_next(self) -> bool:
        """Whether no page may end between it and what follows."""
        return self.style in ("chapter", "part", "label", "case", "given")


Piece = Line | Grid | Diagram


def flow_of(spec: Specification) -> Iterator[Piece]:
    """The specification from its first line to its last."""
    yield Line("title", spec.title)
    for label, value in spec.facts.items():
        yield Line("fact", f"{_(label)}: {value}")
    yield Line("verdict", spec.summary)
    for each in spec.uncovered:
        yield Line("none", each, 1)
    for number, depth, chapter in numbered(spec.chapters):
        yield Line("chapter" if depth == 1 else "part", chapter.title, number=number)
        yield from _blocks(chapter.blocks, 0)


def document_title(spec: Specification) -> str:
    """What the document is called in its properties."""
    return _("{rulebook}: specification").format(rulebook=spec.title)


def _blocks(blocks: Sequence[Block], depth: int) -> Iterator[Piece]:
    for block in blocks:
        match block:
            case Sentence():
                yield from _sentence(block, depth)
            case Note():
                yield Line("note", block.text, depth)
            case Items():
                for item in block.items:
                    yield Line("label", item.label, depth)
                    for sentence in item.sentences:
                        yield from _sentence(sentence, depth + 1)
                    yield from _blocks(item.below, depth + 1)
            case Examples():
                yield from _examples(block, depth)
            case Grid() | Diagram():
                yield block
        if isinstance(block, Grid) and block.below:
            yield Line("below", block.below, depth)


def _sentence(sentence: Sentence, depth: int) -> Iterator[Line]:
    yield Line("said", sentence.text, depth)
    if sentence.formula:
        yield Line("formula", sentence.formula, depth)


def _examples(block: Examples, depth: int) -> Iterator[Line]:
    for each in block.items:
        if each.told_at:
            said = _("{case} ({status}; told in {chapter})")
            said = said.format(case=each.name, status=_(each.status), chapter=each.told_at)
            said += f": {results(each)}" if each.results else ""
            yield Line("named", said, depth, status=each.status)
            continue
        yield Line("case", f"{each.name} ({_(each.status)})", depth, status=each.status)
        yield Line("given", each.given, depth)
        yield Line("came", results(each), depth)
    if not block.items:
        yield Line("none", _("No case verifies this."), depth)
    if block.more:
        yield Line("below", more_cases(block.more), depth)


def more_cases(count: int) -> str:
    """How many more cases there are."""
    return counted(count, "and {count} more case", "and {count} more cases")


def results(example: Example) -> str:
    """What came out, one after the other."""
    return ", ".join(f"{name} {value}" for name, value in example.results)
