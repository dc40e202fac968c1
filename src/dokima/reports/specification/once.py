"""Each case stands once, at what it verifies most; elsewhere its name leads there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import count

from dokima.reports.specification.content import FAILED, Block, Chapter, Example, Examples, Items, numbered


def told_once(chapters: Sequence[Chapter]) -> list[Chapter]:
    """The chapters, each case told in full at one place.

    A case stands where it is the first of the examples, for the part that it is most about; of several such places at
    the first. One that failed stands at its first place.
    """
    homes: dict[str, tuple[tuple[int, int], str]] = {}
    for at, (number, examples) in enumerate(_examples(chapters)):
        for rank, each in enumerate(examples.items):
            worth = (0 if each.status == FAILED else rank, at)
            if each.name not in homes or worth < homes[each.name][0]:
                homes[each.name] = worth, number
    return _rewritten(chapters, {name: (worth[1], number) for name, (worth, number) in homes.items()}, count())


def _examples(chapters: Sequence[Chapter]) -> Iterator[tuple[str, Examples]]:
    """The examples in reading order, each with the number of its chapter."""
    for number, _, chapter in numbered(chapters):
        for examples in _within(chapter.blocks):
            yield number, examples


def _within(blocks: Sequence[Block]) -> Iterator[Examples]:
    for block in blocks:
        if isinstance(block, Examples):
            yield block
        elif isinstance(block, Items):
            for item in block.items:
                yield from _within(item.below)


def _rewritten(chapters: Sequence[Chapter], homes: dict[str, tuple[int, str]], counter: Iterator[int]) -> list[Chapter]:
    """The chapters with their examples, which are counted in reading order: first a chapter's own, then its parts'."""
    made = []
    for chapter in chapters:
        blocks = _blocks(chapter.blocks, homes, counter)
        made.append(replace(chapter, blocks=blocks, parts=_rewritten(chapter.parts, homes, counter)))
    return made


def _blocks(blocks: Sequence[Block], homes: dict[str, tuple[int, str]], counter: Iterator[int]) -> list[Block]:
    made: list[Block] = []
    for block in blocks:
        if isinstance(block, Examples):
            at = next(counter)
            made.append(replace(block, items=[_named(each, *homes[each.name], at) for each in block.items]))
        elif isinstance(block, Items):
            made.append(Items([replace(each, below=_blocks(each.below, homes, counter)) for each in block.items]))
        else:
            made.append(block)
    return made


def _named(example: Example, home: int, number: str, at: int) -> Example:
    return example if at == home else replace(example, told_at=number)
