"""Messages with formulas in braces: ``Panes of {header.number} travel in crates.``

``{line.net:2}`` writes a number with two places, ``{line.net:,2}`` in groups of three digits as well, and
``{line.price_override!label}`` writes the label of a name instead of its value.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.columns.shown import shown
from dokima.errors import FormulaError
from dokima.exact import Decimals, Quotient, stored, texts, to_decimals
from dokima.exact.integers import Integers
from dokima.exact.ranking import distinct
from dokima.formulas import Formula, Frame, Level, Names, compile_formula
from dokima.formulas.money import is_money
from dokima.limits import FORMULA_CHARACTERS

BLANK = shown(None)
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

    @property
    def is_money(self) -> bool:
        """Whether it is an amount with the places of its order's currency."""
        return self.places is None and is_money(self.formula.root)

    def written(self, column: Column, money_places: Integers) -> list[str]:
        """The values of a column in words; of a number with the places said, or else the fewest it needs.

        Args:
            column: Values of the formula.
            money_places: For each the decimal places of its order's currency, which an amount of money has at least.
        """
        if not isinstance(column, Decimals | Quotient):
            values = column.to_list()
            known = {value: shown(value) for value in set(values)}
            return [known[value] for value in values]
        exact = stored(column)
        if self.places is not None:
            exact = exact.round(self.places).at(self.places)
            if self.grouped:
                return [BLANK if value is None else format(value, ",f") for value in to_decimals(exact)]
            least = [self.places]
        else:
            least = distinct(money_places).tolist() if self.is_money else [0]
        if len(least) == 1:
            return [BLANK if said is None else said for said in texts(exact, least[0])]
        found = [""] * len(exact)
        for places in least:
            mine = np.flatnonzero(money_places == places)
            for at, said in zip(mine.tolist(), texts(exact.take(mine), places), strict=True):
                found[at] = BLANK if said is None else said
        return found


@dataclass(frozen=True)
class Message:
    """Text and formulas in turn: there is one text more than there are formulas."""

    texts: Sequence[str]
    parts: Sequence[Part]

    @property
    def reads(self) -> list[str]:
        """The names its formulas read."""
        return [name for part in self.parts for name in part.formula.reads]

    def written(self, frame: Frame, orders: Integers, lines: Integers | None) -> list[str]:
        """The message for some orders and lines, by their positions; a blank is written as ``blank``.

        Args:
            frame: The columns its formulas read.
            orders: Positions of the orders.
            lines: Positions of the lines; None if it is about orders.
        """
        return self.of_values(self.values(frame, orders, lines), frame, orders)

    def values(self, frame: Frame, orders: Integers, lines: Integers | None) -> list[Column]:
        """What its formulas give for some orders and lines. Arguments are those of `written`."""
        found = []
        for part in self.parts:
            level = part.formula.level
            positions = lines if level is Level.LINE and lines is not None else orders
            column = part.formula.evaluate(frame)
            if level is Level.CONSTANT or len(column) == 1:
                positions = np.zeros(len(orders), np.int64)
            found.append(column.take(positions))
        return found

    def of_values(self, values: Sequence[Column], frame: Frame, orders: Integers) -> list[str]:
        """The message with what its formulas gave.

        Args:
            values: A column for each formula.
            frame: The columns its formulas read.
            orders: For each row the position of its order.
        """
        if not self.parts:
            return [self.texts[0]] * len(orders)
        money_places = np.zeros(len(orders), np.int64)
        if any(part.is_money for part in self.parts):
            touched = distinct(orders)
            money = np.array([frame.money_places(order) for order in touched.tolist()], np.int64)
            money_places = money[np.searchsorted(touched, orders)]
        words = [part.written(column, money_places) for part, column in zip(self.parts, values, strict=True)]
        template = "%s".join(text.replace("%", "%%") for text in self.texts)
        return [template % row for row in zip(*words, strict=True)]


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
        if len(found.group(1)) > FORMULA_CHARACTERS:
            raise FormulaError(source, found.start(), f"a formula may have at most {FORMULA_CHARACTERS} characters")
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
