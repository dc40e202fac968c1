"""The part of the compiler that reads calls: functions, aggregates, and those that need literals or table names."""

from __future__ import annotations

import ast
import datetime
import re
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from dokima.columns.column import Column, blanks
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.errors import listed, nearest
from dokima.exact import MODES
from dokima.formulas import aggregates, functions
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.functions import FUNCTIONS, SPECIAL, Function
from dokima.formulas.names import NUMBERS, FormulaKind, Frame, Level, UnknownName
from dokima.formulas.nodes import Evaluate, Node, at_level
from dokima.formulas.reader import Reader, as_flag, as_number
from dokima.formulas.slips import said_here

if TYPE_CHECKING:
    from dokima.formulas.custom import OwnFunction

_ISO_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)


class Calls(Reader):
    """Reads calls."""

    def _call(self, node: ast.Call, depth: int) -> Node:
        if not isinstance(node.func, ast.Name):
            self._fail(node, f"expected a function such as round(...) (got '{self._quote(node.func)}(...)')")
        name = node.func.id
        if name in AGGREGATES:
            return self._aggregate(node, name, depth)
        if node.keywords:
            self._fail(node, f"{name}() takes no '{node.keywords[0].arg}='; only aggregates take where= and by=")
        if name in FUNCTIONS:
            return self._function(node, name, FUNCTIONS[name], depth)
        special = {
            "round": self._round, "round_to": self._round_to, "matches": self._matches,
            "found": self._found, "date": self._date,
        }.get(name)  # fmt: skip
        own = self.names.function(name)
        if special is None and own is not None:
            return self._function(node, name, own, depth)
        if special is None:
            every = [*AGGREGATES, *FUNCTIONS, *SPECIAL]
            self._fail(
                node,
                f"there is no function '{name}'"
                f"{said_here(name) or nearest(name, every) or f'; there are {listed(sorted(every), 40)}'}",
            )
        return special(node, depth)

    def _function(self, node: ast.Call, name: str, function: Function, depth: int) -> Node:
        most = "more" if function.more else str(len(function.takes))
        if len(node.args) < function.least or (not function.more and len(node.args) > len(function.takes)):
            wanted = f"{function.least} or more" if function.more else most
            self._fail(node, f"{name}() takes {wanted} arguments (got {len(node.args)})")
        operands, evaluates = self._operands(node.args, depth)
        accepts: dict[str, set[FormulaKind]] = {
            "number": {"decimal", "integer"}, "integer": {"integer"}, "text": {"text"}, "date": {"date"},
            "flag": {"flag"}, "ordered": {"decimal", "integer", "date"},
            "any": {"decimal", "integer", "date", "text", "flag"},
        }  # fmt: skip
        for at, (each, operand) in enumerate(zip(node.args, operands, strict=True)):
            takes = function.takes[min(at, len(function.takes) - 1)]
            self._needs(each, operand, accepts[takes], f"{name}()")
        known = [operand.kind for operand in operands if operand.kind != "blank"]
        for at, operand in enumerate(operands):
            if operand.kind == "blank":
                takes = function.takes[min(at, len(function.takes) - 1)]
                evaluates[at] = blank_as(_KINDS.get(takes, known[0] if known else "decimal"), evaluates[at])
        kind = function.gives
        if kind == "same":
            kind = self._common(node, node.args, operands, f"the arguments of {name}()")
        if function.own is not None:
            return self._own_call(node, kind, operands, evaluates, function.own)
        apply = function.apply
        made = self._made(node, kind, operands, lambda frame: apply([evaluate(frame) for evaluate in evaluates]))
        return replace(made, role=name)

    def _own_call(
        self, node: ast.Call, kind: FormulaKind, operands: list[Node], evaluates: list[Evaluate], own: OwnFunction
    ) -> Node:
        """A call of a function in Python; what fails is noted on the frame, under the node of the call."""
        made = self._made(node, kind, operands, lambda frame: evaluate(frame))  # noqa: PLW0108 - defined below

        def evaluate(frame: Frame) -> Column:
            order_of = frame.order_of if made.level is Level.LINE else None
            column, failed = own.call([each(frame) for each in evaluates], order_of)
            if failed is None:
                frame.failed_calls.pop(called, None)
            else:
                frame.failed_calls[called] = failed
            return column

        called = replace(made, role="call")
        return called

    def _constant_argument(self, node: ast.Call, at: int, wanted: str) -> object:
        """The value of an argument that must be written out: a text, or a whole number with or without a sign."""
        argument = node.args[at]
        value = (
            argument.operand if isinstance(argument, ast.UnaryOp) and isinstance(argument.op, ast.USub) else argument
        )
        if isinstance(value, ast.Constant) and isinstance(value.value, str | int) and not isinstance(value.value, bool):
            return -value.value if value is not argument and isinstance(value.value, int) else value.value
        self._fail(argument, f"expected {wanted}, written out (got '{self._quote(argument)}')")

    def _mode(self, node: ast.Call, at: int) -> str:
        if len(node.args) <= at:
            return "half-up"
        mode = self._constant_argument(node, at, "a rounding mode")
        if not isinstance(mode, str) or mode not in MODES:
            self._fail(node.args[at], f"expected a rounding mode: {listed(MODES)} (got {mode!r})")
        return mode

    def _round(self, node: ast.Call, depth: int) -> Node:
        if not 1 <= len(node.args) <= 3:
            self._fail(node, f"round(value, places, mode) takes 1 to 3 arguments (got {len(node.args)})")
        operand = self._node(node.args[0], depth + 1)
        self._needs(node.args[0], operand, set(NUMBERS), "round()")
        places = self._constant_argument(node, 1, "a number of places") if len(node.args) > 1 else 0
        if not isinstance(places, int) or abs(places) > 30:
            self._fail(node.args[1], f"expected a number of places from -30 to 30 (got {places!r})")
        mode, evaluate, kept = self._mode(node, 2), operand.evaluate, places
        kind: FormulaKind = "integer" if places <= 0 else operand.kind
        return self._made(node, kind, [operand], lambda frame: as_number(evaluate(frame)).round(kept, mode))

    def _round_to(self, node: ast.Call, depth: int) -> Node:
        if not 2 <= len(node.args) <= 3:
            self._fail(node, f"round_to(value, step, mode) takes 2 or 3 arguments (got {len(node.args)})")
        operands, (value, step) = self._operands(node.args[:2], depth)
        for each, operand in zip(node.args, operands, strict=False):
            self._needs(each, operand, set(NUMBERS), "round_to()")
        mode = self._mode(node, 2)
        return self._made(
            node,
            "decimal",
            operands,
            lambda frame: functions.round_to(as_number(value(frame)), as_number(step(frame)), mode),
        )

    def _matches(self, node: ast.Call, depth: int) -> Node:
        if len(node.args) != 2:
            self._fail(node, f"matches(text, pattern) takes 2 arguments (got {len(node.args)})")
        operand = self._node(node.args[0], depth + 1)
        self._needs(node.args[0], operand, {"text"}, "matches()")
        pattern = self._constant_argument(node, 1, "a pattern in quotes")
        if not isinstance(pattern, str):
            self._fail(node.args[1], f"expected a pattern in quotes (got {pattern!r})")
        try:
            apply = functions.matcher(pattern)
        except ValueError as error:
            self._fail(node.args[1], f"this pattern cannot be read: {error}")
        evaluate = operand.evaluate
        return self._made(node, "flag", [operand], lambda frame: apply([evaluate(frame)]))

    def _found(self, node: ast.Call, depth: int) -> Node:  # noqa: ARG002 - one signature for all special functions
        if len(node.args) != 1 or not isinstance(node.args[0], ast.Name):
            self._fail(node, "found() takes the name of a table, such as found(agreed)")
        table = node.args[0].id
        try:
            level = self.names.describe_table(table)
        except UnknownName as error:
            self._fail(node.args[0], str(error.args[0]))
        start, stop = self._span(node)
        return Node("flag", level, lambda frame: Flags(frame.found(table)), start, stop, table=table)

    def _date(self, node: ast.Call, depth: int) -> Node:  # noqa: ARG002
        value = self._constant_argument(node, 0, "a date in quotes") if len(node.args) == 1 else None
        if isinstance(value, str) and _ISO_DATE.fullmatch(value):
            try:
                return self._constant(node, "date", Dates.of([datetime.date.fromisoformat(value)]))
            except ValueError:
                pass
        self._fail(node, f"expected a date such as date('2026-03-02') (got '{self._quote(node)}')")

    def _aggregate(self, node: ast.Call, name: str, depth: int) -> Node:
        kind = AGGREGATES[name]
        extra = {keyword.arg: keyword.value for keyword in node.keywords}
        if unknown := set(extra) - {"where", "by"}:
            self._fail(node, f"{name}() takes where= and by= (got '{unknown.pop()}=')")
        least = 0 if kind.argument_optional else 1
        if not least <= len(node.args) <= 1:
            self._fail(node, f"{name}() takes one argument, then where= and by= (got {len(node.args)} arguments)")
        inner: dict[str, Node] = {}
        for role, part in [("argument", each) for each in node.args] + list(extra.items()):
            inner[str(role)] = self._node(part, depth + 1)
            self._no_whole_order_inside(part, name)
        if "argument" in inner:
            said = f"; {name}() counts all, {name}(not blank(x)) those that have x" if kind.argument_optional else ""
            self._needs(node.args[0], inner["argument"], set(kind.takes), f"{name}()", said)
        if "where" in inner:
            self._needs(extra["where"], inner["where"], {"flag"}, "where=")
        rows = self._rows_of(node, name, inner)
        evaluates = {role: at_level(part, Level.LINE) for role, part in inner.items()}
        for role, wanted in (("argument", kind.takes[0]), ("where", "flag")):
            if role in inner and inner[role].kind == "blank":
                evaluates[role] = blank_as(wanted, evaluates[role])
        argument, where, by = (evaluates.get(role) for role in ("argument", "where", "by"))

        def evaluate(frame: Frame) -> Column:
            frame = frame.records(rows) if rows else frame
            return aggregates.aggregate(
                kind,
                frame,
                argument(frame) if argument else None,
                as_flag(where(frame)) if where else None,
                by(frame) if by else None,
            )

        gives = kind.gives or (inner["argument"].kind if "argument" in inner else "integer")
        made = self._made(node, gives, list(inner.values()), evaluate, Level.LINE if by else Level.HEADER)
        return replace(made, gathers=True, role=name, roles=tuple(inner), rows=rows)

    def _rows_of(self, node: ast.Call, name: str, inner: Mapping[str, Node]) -> str:
        """What an aggregate runs over: ``delivery``, ``payment``, or blank for the lines of the order."""
        read = [each for part in inner.values() for each in part.walk() if each.name and each.level is Level.LINE]
        rows = {each.rows for each in read}
        if not any(rows):
            return ""
        if len(rows) > 1:
            both = listed(dict.fromkeys(each.name for each in read))
            self._fail(node, f"{name}() runs over one kind of rows: lines, deliveries or payments (got {both})")
        if "by" in inner:
            self._fail(node, f"{name}() over records takes no by=: its value is one for the order")
        return rows.pop()

    def _no_whole_order_inside(self, part: ast.expr, name: str) -> None:
        for below in ast.walk(part):
            called = below.func.id if isinstance(below, ast.Call) and isinstance(below.func, ast.Name) else ""
            if called in AGGREGATES and not any(keyword.arg == "by" for keyword in below.keywords):  # type: ignore[attr-defined]
                self._fail(below, f"only an aggregate with by= may stand inside {name}()")  # type: ignore[arg-type]


_KINDS: Mapping[str, FormulaKind] = {
    "number": "decimal", "integer": "integer", "text": "text", "date": "date", "flag": "flag",
}  # fmt: skip
"""The kind that a function wants of an argument, where that is one."""


def blank_as(kind: FormulaKind, evaluate: Evaluate) -> Evaluate:
    """A formula that is always blank, in the kind that is wanted of it: a function looks at its columns."""
    return lambda frame: blanks(kind, len(evaluate(frame)))
