"""A checked formula: a tree of nodes that can be evaluated on columns."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from dokima.columns.column import Column
from dokima.columns.texts import Texts
from dokima.exact.integers import Integers
from dokima.formulas.names import FormulaKind, Frame, Level

Evaluate = Callable[[Frame], Column]


@dataclass(frozen=True, eq=False)
class Node:
    """One checked part of a formula.

    Attributes:
        kind: What it gives.
        level: How often it has a value.
        evaluate: Gives the column, at the node's level; a constant has length 1.
        start: First character in the source.
        stop: Character after the last one.
        operands: The parts it is made of.
        name: The dotted name it stands for, blank otherwise.
        table: The table it asks about (``found``), blank otherwise.
        gathers: Whether it is an aggregate, which reads all lines of an order.
        role: What it does with its operands, where that matters for more than their values: ``if and or coalesce
            call``, or the name of an aggregate.
        roles: Of an aggregate what each operand is: argument, where, by.
        rows: Of an aggregate over records their name (``delivery``, ``payment``), blank for lines.
        money: Of a name whether it is an amount of money; see `money.is_money` for whole formulas.
    """

    kind: FormulaKind
    level: Level
    evaluate: Evaluate
    start: int
    stop: int
    operands: tuple[Node, ...] = ()
    name: str = ""
    table: str = ""
    gathers: bool = False
    role: str = ""
    roles: tuple[str, ...] = ()
    rows: str = ""
    money: bool = False

    @property
    def calls_own(self) -> bool:
        """Whether it calls an own function of the rulebook."""
        return any(node.role == "call" for node in self.walk())

    def outside_aggregates(self) -> Iterator[Node]:
        """The node and those below it as far down as aggregates, which are told as a whole."""
        yield self
        for operand in () if self.gathers else self.operands:
            yield from operand.outside_aggregates()

    def walk(self) -> Iterator[Node]:
        """This node and all below it."""
        yield self
        for operand in self.operands:
            yield from operand.walk()


def at_level(node: Node, level: Level) -> Evaluate:
    """How to evaluate a node once per line although it may have one value per order."""
    if node.level is not Level.HEADER or level is not Level.LINE:
        return node.evaluate
    if node.name:
        name = node.name
        return lambda frame: frame.line_column(name)
    evaluate = node.evaluate
    nodes = list(node.walk())
    names = tuple(each.name for each in nodes if each.name and each.level is Level.HEADER)
    if not names or any(each.gathers for each in nodes):  # what is worked out over lines is the order's
        return lambda frame: _by_line(evaluate(frame), frame.order_of)

    def of_lines(frame: Frame) -> Column:
        own = frame.by_line(names)
        return _by_line(evaluate(frame), frame.order_of) if own is None else evaluate(own).spread(own.order_count)

    return of_lines


def _by_line(column: Column, order_of: Integers) -> Column:
    return column.take(order_of)


def _whole(node: Node, level: Level) -> Evaluate:
    """How to evaluate a node with one value for each line, or each order, of the frame."""
    evaluate = at_level(node, level)
    if level is Level.CONSTANT or (node.name and Level.CONSTANT is not node.level):
        return evaluate  # a name has as many values as its level, unless it is a constant
    if level is Level.LINE:
        return lambda frame: evaluate(frame).spread(len(frame.order_of))
    return lambda frame: evaluate(frame).spread(frame.order_count)


@dataclass(frozen=True, eq=False)
class Formula:
    """A formula that has been read and checked.

    Attributes:
        source: As it is read, named formulas written out.
        root: The tree.
        written: As it was written.
        named: Where the texts of named formulas stand in the source, and their names.
        reads: Dotted names it reads and their levels, in the sequence they appear.
        reads_of_records: Names of deliveries and payments that it reads through aggregates.
        tables: Tables it asks with ``found``.
    """

    source: str
    root: Node
    written: str = ""
    named: tuple[tuple[int, int, str], ...] = ()
    reads: Mapping[str, Level] = field(init=False)
    reads_of_records: tuple[str, ...] = field(init=False)
    tables: tuple[str, ...] = field(init=False)
    _at: Mapping[Level, Evaluate] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        nodes = list(self.root.walk())
        object.__setattr__(self, "_at", {level: _whole(self.root, level) for level in Level})
        object.__setattr__(self, "reads", {node.name: node.level for node in nodes if node.name and not node.rows})
        object.__setattr__(
            self, "reads_of_records", tuple(dict.fromkeys(node.name for node in nodes if node.name and node.rows))
        )
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
        return frozenset(n.name for node in gathering for n in node.walk() if n.name and n.level is Level.LINE)

    def named_as(self, node: Node) -> str:
        """The name that a part of it stands for, where it is within the text of a named formula; else blank."""
        return next((name for start, stop, name in self.named if start < node.start and node.stop < stop), "")

    def span_of(self, node: Node) -> tuple[int, int] | None:
        """Where the text of the named formula stands that a part of it is within, brackets included; None for none."""
        within = ((start, stop) for start, stop, _ in self.named if start < node.start and node.stop < stop)
        return next(within, None)

    def evaluate(self, frame: Frame, level: Level | None = None) -> Column:
        """The values, one per order or line of the given level (the formula's own if None)."""
        return self._at[self.root.level if level is None else level](frame)

    def failures(self, frame: Frame, level: Level | None = None) -> Texts | None:
        """The failures of own functions that its values depend on, one per order or line; None if there are none.

        Asked right after the formula has been evaluated on the frame.
        """
        if not frame.has_own_functions or not (frame.failed_calls or frame.has_failures):
            return None  # asked of every formula, and nearly always so
        from dokima.formulas.failures import failures_of

        return failures_of(self.root, frame, self.level if level is None else level)

    def __repr__(self) -> str:
        return f"<Formula {self.source!r}: {self.kind} per {self.level.name.lower()}>"
