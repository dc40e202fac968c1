"""Texts as they are shown: control characters become visible, and nothing in them acts on a terminal."""

from __future__ import annotations

from rich.console import Console, ConsoleOptions, RenderableType, RenderResult
from rich.segment import Segment

_TURNING = [0x061C, 0x200E, 0x200F, *range(0x2028, 0x202F), *range(0x2066, 0x206A)]
"""Marks that turn the direction of a text, and separators of lines and paragraphs (Unicode Standard Annex 9)."""
_SHOWN: dict[int, int] = {
    **{code: 0x2400 + code for code in range(0x20) if chr(code) != "\n"},  # control pictures of Unicode
    0x7F: 0x2421,
    **dict.fromkeys([*range(0x80, 0xA0), *_TURNING], 0xFFFD),
}


def visible(text: str) -> str:
    """A text in which every character that could act on a terminal or turn a line around is one that is seen."""
    return text.translate(_SHOWN)


class Inert:
    """What a terminal shows of something, with no control character but those of its styles and line ends."""

    def __init__(self, shown: RenderableType) -> None:
        self.shown = shown

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        for segment in console.render(self.shown, options):
            yield segment if segment.control else Segment(visible(segment.text), segment.style)
