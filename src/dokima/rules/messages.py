"""Messages with formulas in braces: ``Panes of {header.number} travel in crates.``"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from dokima.errors import FormulaError
from dokima.formulas import Formula, Frame, Level, Names, compile_formula
from dokima.model.columns import shown, value_at

_PART = re.compile(r"\{\{|\}\}|\{([^{}]*)\}|\{|\}")


@dataclass(frozen=True)
class Message:
    """Text and formulas in turn: there is one text more than there are formulas."""

    texts: Sequence[str]
    formulas: Sequence[Formula]

    def writer(self, frame: Frame) -> Callable[[int, int | None], str]:
        """How to write the message for an order and a line, by their positions; a blank is written as ``blank``."""
        columns = [(formula.level, formula.evaluate(frame)) for formula in self.formulas]

        def write(order: int, line: int | None) -> str:
            parts = [self.texts[0]]
            for (level, column), text in zip(columns, self.texts[1:], strict=True):
                position = line if level is Level.LINE and line is not None else order
                parts += [shown(value_at(column, 0 if level is Level.CONSTANT else position)), text]
            return "".join(parts)

        return write


def read_message(source: str, names: Names, most: Level) -> Message:
    """Read a message. ``{{`` and ``}}`` stand for braces.

    Raises:
        FormulaError: A brace is left open, or a formula in it is wrong; the position is that in the message.
    """
    texts, formulas, last = [""], [], 0
    for found in _PART.finditer(source):
        texts[-1] += source[last : found.start()]
        last = found.end()
        part = found.group()
        if part in ("{{", "}}"):
            texts[-1] += part[0]
        elif found.group(1) is None:
            raise FormulaError(source, found.start(), f"expected a closed pair of braces, or '{part * 2}' for a brace")
        else:
            try:
                formulas.append(compile_formula(found.group(1), names, most=most, what="a formula in this message"))
            except FormulaError as error:
                raise FormulaError(source, found.start() + 1 + error.position, error.reason) from None
            texts.append("")
    texts[-1] += source[last:]
    return Message(tuple(texts), tuple(formulas))
