"""`Follows`: what the value of a formula at one place follows from, here and on other lines of the order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from dokima.formulas.formula import Formula


@dataclass(frozen=True)
class Follows:
    """Names a formula reads, by where it reads them.

    Attributes:
        here: Names read at its own line, of its parent line, or of its order.
        anywhere: Names read of every line of the order, through aggregates.
        counts: Whether it matters which lines there are.
    """

    here: frozenset[str]
    anywhere: frozenset[str]
    counts: bool

    @property
    def of_the_run(self) -> bool:
        """Whether it follows from who works, or on which day."""
        return any(name.startswith("run.") for name in self.here | self.anywhere)

    @classmethod
    def of(cls, formulas: Iterable[Formula]) -> Follows:
        """What several formulas follow from together; ``table.`` stands for a table that is only looked for."""
        here: set[str] = set()
        anywhere: set[str] = set()
        counts = False
        for formula in formulas:
            for node in formula.root.outside_aggregates():
                if node.gathers:
                    counts = True
                    anywhere.update(name for each in node.walk() if (name := each.name or _asked(each.table)))
                elif name := node.name or _asked(node.table):
                    here.add(name)
        return cls(frozenset(here), frozenset(anywhere), counts)


def _asked(table: str) -> str:
    return table and f"{table}."
