"""Messages with formulas in braces: ``Panes of {header.number} travel in crates.``

``{line.net:2}`` writes a number with two places, ``{line.net:,2}`` in groups of three digits as well, and
``{line.price_override!label}`` writes the label of a name instead of its value.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from dokima.errors import FormulaError
from dokima.exact import decimals, parse, text, to_decimals
from dokima.formulas import Formula, Frame, Level, Names, compile_formula
from dokima.formulas.compiler import LONGEST
from dokima.formulas.money import is_money
from dokima.model.columns import shown, value_at

_PART = re.compile(r"\{\{|\}\}|\{([^{}]*)\}|\{|\}")
_FORMAT = re.compile(r"(.*?)(?:(!label)|:(,?)(\d{1,2}))?\s*", re.S)


@dataclass(frozen=True)
class Part:
    """A formula of a message and how its value is written.

    Attributes:
        formula: The formula.
        places: Decimal places; None for as many as the value has, and an amount of money at least those of its
            currency.
        grouped: In groups of three digits.
    """

    formula: Formula
    places: int | None = None
    grouped: bool = False

    def written(self, value: Any, money_places: int) -> str:
        """The value in words."""
        if not isinstance(value, Decimal):
            return shown(value)
        if self.places is None:
            return text(parse(value), money_places if is_money(self.formula.root) else 0)
        rounded = to_decimals(decimals([value]).round(self.places).at(self.places))[0]
        return format(rounded, ",f" if self.grouped else "f")


@dataclass(frozen=True)
class Message:
    """Text and formulas in turn: there is one text more than there are formulas."""

    texts: Sequence[str]
    parts: Sequence[Part]

    @property
    def reads(self) -> list[str]:
        """The names its formulas read."""
        return [name for part in self.parts for name in part.formula.reads]

    def writer(self, frame: Frame) -> Callable[[int, int | None], str]:
        """How to write the message for an order and a line, by their positions; a blank is written as ``blank``."""
        columns = [(part, part.formula.evaluate(frame)) for part in self.parts]

        def write(order: int, line: int | None) -> str:
            words = [self.texts[0]]
            for (part, column), said in zip(columns, self.texts[1:], strict=True):
                level = part.formula.level
                position = line if level is Level.LINE and line is not None else order
                value = value_at(column, 0 if level is Level.CONSTANT else position)
                words += [part.written(value, frame.money_places(order)), said]
            return "".join(words)

        return write


def read_message(source: str, names: Names, most: Level) -> Message:
    """Read a message. ``{{`` and ``}}`` stand for braces.

    Raises:
        FormulaError: A brace is left open, or a formula in it is wrong; the position is that in the message.
    """
    texts, parts, last = [""], list[Part](), 0
    for found in _PART.finditer(source):
        texts[-1] += source[last : found.start()]
        last = found.end()
        part = found.group()
        if part in ("{{", "}}"):
            texts[-1] += part[0]
            continue
        if found.group(1) is None:
            raise FormulaError(source, found.start(), f"expected a closed pair of braces, or '{part * 2}' for a brace")
        if len(found.group(1)) > LONGEST:
            raise FormulaError(source, found.start(), f"a formula may have at most {LONGEST} characters")
        split = _FORMAT.fullmatch(found.group(1))
        assert split is not None
        inner, label, grouped, places = split.groups()
        try:
            formula = compile_formula(inner, names, most=most, what="a formula in this message")
        except FormulaError as error:
            raise FormulaError(source, found.start() + 1 + error.position, error.reason) from None
        if label:
            texts[-1] += names.describe(formula.root.name).label if formula.root.name else inner
            continue
        parts.append(Part(formula, int(places) if places else None, bool(grouped)))
        texts.append("")
    texts[-1] += source[last:]
    return Message(tuple(texts), tuple(parts))
