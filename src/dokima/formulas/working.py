"""What runs: a tree made into functions of columns, once, when a rulebook loads.

Each node has one kernel, which makes its values out of those of its operands. Where own functions may fail, the same
kernels are asked, and beside the values of each part stand its failures (`failures`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from dokima.columns.column import Column, blanks
from dokima.formulas.failures import Failures, by_line, combined, first_of
from dokima.formulas.functions import Function
from dokima.formulas.kernels import Kernel, kernel_of, wanted_kinds
from dokima.formulas.names import Frame, Level
from dokima.formulas.tree import LITERAL, NAME, OWN, Node

Evaluate = Callable[[Frame], Column]


class Works:
    """A tree at work.

    Args:
        root: The tree.
        own: The rulebook's own functions that it calls.
    """

    def __init__(self, root: Node, own: Mapping[str, Function]) -> None:
        self.root = root
        self._own = own
        self._made: dict[Node, Evaluate] = {}
        self._kernels: dict[Node, Kernel] = {}
        self._whole: dict[Level, Evaluate] = {level: self._of_whole(level) for level in Level}

    def whole(self, level: Level) -> Evaluate:
        """Gives one value for each line, or each order, of a frame; at level constant as many as there are."""
        return self._whole[level]

    def of(self, node: Node) -> Evaluate:
        """Gives the values of a part, at the level of the part; a constant has length 1."""
        found = self._made.get(node)
        if found is None:
            found = self._made[node] = self._make(node)
        return found

    def _make(self, node: Node) -> Evaluate:
        if node.role == LITERAL:
            value = node.value
            assert value is not None
            return lambda _: value
        if node.role == NAME:
            name = node.name
            return lambda frame: frame.column(name)
        kernel, parts = self._kernel(node), self._operands(node)
        if node.gathers:
            rows = node.rows
            if rows:
                return lambda frame: _on(frame.records(rows), kernel, parts)
            return lambda frame: kernel(frame, [part(frame) for part in parts])
        if len(parts) == 1:
            (one,) = parts
            return lambda frame: kernel(frame, (one(frame),))
        if len(parts) == 2:
            one, two = parts
            return lambda frame: kernel(frame, (one(frame), two(frame)))
        return lambda frame: kernel(frame, [part(frame) for part in parts])

    def _kernel(self, node: Node) -> Kernel:
        if node not in self._kernels:
            self._kernels[node] = kernel_of(node, self._own)
        return self._kernels[node]

    def _operands(self, node: Node) -> list[Evaluate]:
        """How the operands are worked out: at the level of the node, the blank literal as what is wanted there."""
        parts = [self.at(each, node.inner_level) for each in node.operands]
        if any(each.kind == "blank" for each in node.operands):
            for at, (each, kind) in enumerate(zip(node.operands, wanted_kinds(node, self._own), strict=True)):
                if each.kind == "blank" and kind is not None:
                    parts[at] = _blank_as(kind, parts[at])
        return parts

    def at(self, node: Node, level: Level) -> Evaluate:
        """Gives the values of a part once per line although it may have one per order."""
        if node.level is not Level.HEADER or level is not Level.LINE:
            return self.of(node)
        if node.role == NAME:
            name = node.name
            return lambda frame: frame.line_column(name)
        evaluate, names = self.of(node), _of_the_line(node)
        if not names:
            return lambda frame: evaluate(frame).take(frame.order_of)

        def of_lines(frame: Frame) -> Column:
            own = frame.by_line(names)
            if own is None:
                return evaluate(frame).take(frame.order_of)
            return evaluate(own).spread(own.order_count)

        return of_lines

    def _of_whole(self, level: Level) -> Evaluate:
        evaluate = self.at(self.root, level)
        if level is Level.CONSTANT or (self.root.role == NAME and self.root.level is not Level.CONSTANT):
            return evaluate  # a name has as many values as its level, unless it is a constant
        if level is Level.LINE:
            return lambda frame: evaluate(frame).spread(len(frame.order_of))
        return lambda frame: evaluate(frame).spread(frame.order_count)

    # -- where own functions may fail -----------------------------------------------------------------------------

    def whole_with_failures(self, frame: Frame, level: Level) -> tuple[Column, Failures | None]:
        """What `whole` gives, and the failures of own functions that the values depend on."""
        column, failed = self._with_failures(self.root, frame, level)
        if level is not Level.CONSTANT:
            column = column.spread(len(frame.order_of) if level is Level.LINE else frame.order_count)
        return column, failed

    def _with_failures(self, node: Node, frame: Frame, level: Level) -> tuple[Column, Failures | None]:
        """The values of a part at a level that is not above its own, and its failures there."""
        if node.role == NAME:
            return self.at(node, level)(frame), by_line(frame.failures(node.name), node.level, level, frame)
        if node.table:
            column, failed = self.of(node)(frame), frame.failures(f"{node.table}.")
        else:
            column, failed = self._worked(node, frame)
        if node.level is Level.HEADER and level is Level.LINE:
            names = _of_the_line(node)
            kept = frame.by_line(names) if names else None
            column = column.take(frame.order_of) if kept is None else self.at(node, level)(frame)
        return column, by_line(failed, node.level, level, frame)

    def _worked(self, node: Node, frame: Frame) -> tuple[Column, Failures | None]:
        inner = frame.records(node.rows) if node.rows else frame
        columns, failures = list[Column](), list[Failures | None]()
        kinds = wanted_kinds(node, self._own) if any(each.kind == "blank" for each in node.operands) else ()
        for at, each in enumerate(node.operands):
            column, failed = self._with_failures(each, inner, node.inner_level)
            kind = kinds[at] if kinds and each.kind == "blank" else None
            columns.append(column if kind is None else blanks(kind, len(column)))
            failures.append(failed)
        if node.role == OWN:
            own = self._own[node.facts["function"]].own
            assert own is not None
            column, failed = own.call(columns, frame.order_of if node.level is Level.LINE else None)
            return column, first_of(failed, *failures)
        column = self.of(node)(frame) if node.role == LITERAL else self._kernel(node)(inner, columns)
        return column, combined(node, inner, columns, failures, column)


def _on(frame: Frame, kernel: Kernel, parts: Sequence[Evaluate]) -> Column:
    return kernel(frame, [part(frame) for part in parts])


def _of_the_line(node: Node) -> tuple[str, ...]:
    """The names of header level that a part reads, of which a line may have a value of its own; none for what is
    worked out over lines, which is the order's."""
    nodes = list(node.walk())
    if any(each.gathers for each in nodes):
        return ()
    return tuple(each.name for each in nodes if each.role == NAME and each.level is Level.HEADER)


def _blank_as(kind: str, evaluate: Evaluate) -> Evaluate:
    """The blank literal as a column of the kind that is wanted of it: a function looks at its columns."""
    return lambda frame: blanks(kind, len(evaluate(frame)))  # type: ignore[arg-type]  # a kind
