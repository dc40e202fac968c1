"""`Formula`: a formula that has been read and checked, ready to be worked out on columns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from dokima.columns.column import Column
from dokima.columns.texts import Texts
from dokima.formulas.functions import Function
from dokima.formulas.names import FormulaKind, Frame, Level
from dokima.formulas.tree import NAME, Node
from dokima.formulas.working import Works


@dataclass(frozen=True, eq=False)
class Formula:
    """A formula that has been read and checked.

    Attributes:
        source: As it is read, named formulas written out.
        root: The tree.
        written: As it was written.
        named: Where the texts of named formulas stand in the source, and their names.
        own: The rulebook's own functions that it calls.
        reads: Dotted names it reads and their levels, in the sequence they appear.
        reads_of_records: Names of deliveries and payments that it reads through aggregates.
        tables: Tables it asks with ``found``.
    """

    source: str
    root: Node
    written: str = ""
    named: tuple[tuple[int, int, str], ...] = ()
    own: Mapping[str, Function] = field(default_factory=dict)
    reads: Mapping[str, Level] = field(init=False)
    reads_of_records: tuple[str, ...] = field(init=False)
    tables: tuple[str, ...] = field(init=False)
    _works: Works = field(init=False, repr=False)

    def __post_init__(self) -> None:
        nodes = list(self.root.walk())
        names = [node for node in nodes if node.role == NAME]
        object.__setattr__(self, "_works", Works(self.root, self.own))
        object.__setattr__(self, "reads", {node.name: node.level for node in names if not node.rows})
        object.__setattr__(self, "reads_of_records", tuple(dict.fromkeys(node.name for node in names if node.rows)))
        object.__setattr__(self, "tables", tuple(dict.fromkeys(node.table for node in nodes if node.table)))

    @property
    def kind(self) -> FormulaKind:
        """What the formula gives."""
        return self.root.kind

    @property
    def level(self) -> Level:
        """How often it has a value."""
        return self.root.level

    @property
    def gathered(self) -> frozenset[str]:
        """Names of line level that it reads through aggregates."""
        gathering = [node for node in self.root.walk() if node.gathers]
        every = (each for node in gathering for each in node.walk() if each.role == NAME)
        return frozenset(each.name for each in every if each.level is Level.LINE)

    def named_as(self, node: Node) -> str:
        """The name that a part of it stands for, where it is within the text of a named formula; else blank."""
        return next((name for start, stop, name in self.named if start < node.start and node.stop < stop), "")

    def span_of(self, node: Node) -> tuple[int, int] | None:
        """Where the text of the named formula stands that a part of it is within, brackets included; None for none."""
        within = ((start, stop) for start, stop, _ in self.named if start < node.start and node.stop < stop)
        return next(within, None)

    def place_as_written(self, place: int) -> int:
        """Where a character of the source that is within no named formula stands in the text as it was written."""
        return place - sum(stop - start - len(name) for start, stop, name in self.named if stop <= place)

    def evaluate(self, frame: Frame, level: Level | None = None) -> Column:
        """The values, one per order or line of the given level (the formula's own if None)."""
        level = self.root.level if level is None else level
        if not self._may_fail(frame):
            return self._works.whole(level)(frame)
        column, frame.failed[self, level] = self._works.whole_with_failures(frame, level)
        return column

    def failures(self, frame: Frame, level: Level | None = None) -> Texts | None:
        """The failures of own functions that its values depend on, one per order or line; None if there are none.

        Asked after the formula has been evaluated on the frame, at the same level: then nothing is worked out again.
        """
        if not self._may_fail(frame):
            return None
        level = self.root.level if level is None else level
        if (self, level) not in frame.failed:
            self.evaluate(frame, level)
        return frame.failed[self, level]

    def _may_fail(self, frame: Frame) -> bool:
        return frame.has_own_functions and (bool(self.own) or frame.has_failures)

    def part(self, node: Node, frame: Frame) -> Column:
        """The values of a part of it, at the level of the part."""
        return self._works.of(node)(frame)

    def __repr__(self) -> str:
        return f"<Formula {self.source!r}: {self.kind} per {self.level.name.lower()}>"
