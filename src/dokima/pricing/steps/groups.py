"""Lines that bear one figure together: those of an order, or those below a parent line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.columns.column import Column
from dokima.columns.positions import take_or_blank
from dokima.columns.texts import Texts
from dokima.exact import Grouping
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Formula, Frame, Level


@dataclass(frozen=True)
class Groups:
    """Groups of lines.

    Attributes:
        frame: The columns that formulas see; below a parent line ``parent.x`` is a field of that parent line.
        lines: The lines in groups.
        first: A line of each group, -1 for one without; None where groups are orders.
        inside: Lines that are in a group at all; None if all are.
    """

    frame: Frame
    lines: Grouping
    first: Integers | None = None
    inside: Mask | None = None

    @classmethod
    def by_order(cls, frame: Frame) -> Groups:
        """The lines of each order together."""
        return cls(frame, frame.by_order)

    @classmethod
    def below(cls, frame: Frame, parent: Integers) -> Groups:
        """The lines below each parent line together; lines below none stand in a group of their own at the end.

        Args:
            frame: Sees the parent lines as parents.
            parent: For each line the position of the parent line above it, -1 for none.
        """
        known, of = np.unique(parent, return_inverse=True)
        of = of.reshape(-1)
        if len(known) and known[0] < 0:
            of = np.where(of == 0, len(known) - 1, of - 1)
            known = known[1:]
        lines, places = Grouping(of, len(known) + 1), np.flatnonzero(parent >= 0)
        return cls(frame, lines, lines.at(places).first(places, -1), parent >= 0)

    def value(self, formula: Formula) -> tuple[Column, Texts | None]:
        """The value of a formula for each group, blank where it depends on a call that failed, and those failures."""
        level = Level.HEADER if self.first is None else Level.LINE
        column = formula.evaluate(self.frame, level)
        failed = formula.failures(self.frame, level)
        if self.first is not None:
            column = take_or_blank(column.spread(len(self.lines)), self.first)
            failed = None if failed is None else take_or_blank(failed, self.first)
        return (column, None) if failed is None else (column.without(failed.codes >= 0), failed)
