"""Calls, from Python's tree to checked nodes: functions, aggregates, and those that need literals or table names."""

from __future__ import annotations

import ast
import datetime
import re
from collections.abc import Callable, Mapping
from typing import Any

from dokima.columns.dates import Dates
from dokima.errors import listed, nearest
from dokima.exact import MODES
from dokima.formulas.aggregates import AGGREGATES
from dokima.formulas.functions import FUNCTIONS, SPECIAL, Function, matcher
from dokima.formulas.names import NUMBERS, FormulaKind, Level, UnknownName
from dokima.formulas.reading.reader import Reader
from dokima.formulas.slips import said_here
from dokima.formulas.tree import LITERAL, NAME, OWN, Node

_ISO_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)
_ACCEPTS: Mapping[str, set[FormulaKind]] = {
    "number": {"decimal", "integer"}, "integer": {"integer"}, "text": {"text"}, "date": {"date"},
    "flag": {"flag"}, "ordered": {"decimal", "integer", "date"},
    "any": {"decimal", "integer", "date", "text", "flag"},
}  # fmt: skip
"""Kinds that each sort of argument may have."""


def call(reader: Reader, node: ast.Call, depth: int) -> Node:
    """A call of any function."""
    if not isinstance(node.func, ast.Name):
        reader.fail(node, f"expected a function such as round(...) (got '{reader.quote(node.func)}(...)')")
    name = node.func.id
    if name in AGGREGATES:
        return _aggregate(reader, node, name, depth)
    if node.keywords:
        reader.fail(node, f"{name}() takes no '{node.keywords[0].arg}='; only aggregates take where= and by=")
    if name in FUNCTIONS:
        return _function(reader, node, name, FUNCTIONS[name], depth)
    special, own = _READ.get(name), reader.names.function(name)
    if special is not None:
        return special(reader, node, depth)
    if own is not None:
        return _function(reader, node, name, own, depth)
    every = [*AGGREGATES, *FUNCTIONS, *SPECIAL]
    hint = said_here(name) or nearest(name, every) or f"; there are {listed(sorted(every), 40)}"
    reader.fail(node, f"there is no function '{name}'{hint}")


def _function(reader: Reader, node: ast.Call, name: str, function: Function, depth: int) -> Node:
    most = "more" if function.more else str(len(function.takes))
    if len(node.args) < function.least or (not function.more and len(node.args) > len(function.takes)):
        wanted = f"{function.least} or more" if function.more else most
        reader.fail(node, f"{name}() takes {wanted} arguments (got {len(node.args)})")
    operands = reader.operands(node.args, depth)
    for at, (each, operand) in enumerate(zip(node.args, operands, strict=True)):
        reader.needs(each, operand, _ACCEPTS[function.takes[min(at, len(function.takes) - 1)]], f"{name}()")
    kind = function.gives
    if kind == "same":
        kind = reader.common(node, node.args, operands, f"the arguments of {name}()")
    if function.own is None:
        return reader.made(node, name, kind, operands)
    reader.own[name] = function
    return reader.made(node, OWN, kind, operands, facts={"function": name})


def _written_out(reader: Reader, node: ast.Call, at: int, wanted: str) -> object:
    """The value of an argument that must be written out: a text, or a whole number with or without a sign."""
    argument = node.args[at]
    value = _unsigned(argument) if isinstance(getattr(argument, "op", None), ast.USub) else argument
    if isinstance(value, ast.Constant) and isinstance(value.value, str | int) and not isinstance(value.value, bool):
        return -value.value if value is not argument and isinstance(value.value, int) else value.value
    reader.fail(argument, f"expected {wanted}, written out (got '{reader.quote(argument)}')")


def _unsigned(argument: ast.expr) -> ast.expr:
    return argument.operand if isinstance(argument, ast.UnaryOp) else argument


def _mode(reader: Reader, node: ast.Call, at: int) -> str:
    if len(node.args) <= at:
        return "half-up"
    mode = _written_out(reader, node, at, "a rounding mode")
    if not isinstance(mode, str) or mode not in MODES:
        reader.fail(node.args[at], f"expected a rounding mode: {listed(MODES)} (got {mode!r})")
    return mode


def _round(reader: Reader, node: ast.Call, depth: int) -> Node:
    if not 1 <= len(node.args) <= 3:
        reader.fail(node, f"round(value, places, mode) takes 1 to 3 arguments (got {len(node.args)})")
    operand = reader.node(node.args[0], depth + 1)
    reader.needs(node.args[0], operand, set(NUMBERS), "round()")
    places = _written_out(reader, node, 1, "a number of places") if len(node.args) > 1 else 0
    if not isinstance(places, int) or abs(places) > 30:
        reader.fail(node.args[1], f"expected a number of places from -30 to 30 (got {places!r})")
    facts: dict[str, Any] = {"places": places, "mode": _mode(reader, node, 2)}
    if len(node.args) > 1:
        facts["places_at"] = reader.span(_unsigned(node.args[1]))
    return reader.made(node, "round", "integer" if places <= 0 else operand.kind, [operand], facts=facts)


def _round_to(reader: Reader, node: ast.Call, depth: int) -> Node:
    if not 2 <= len(node.args) <= 3:
        reader.fail(node, f"round_to(value, step, mode) takes 2 or 3 arguments (got {len(node.args)})")
    operands = reader.operands(node.args[:2], depth)
    for each, operand in zip(node.args, operands, strict=False):
        reader.needs(each, operand, set(NUMBERS), "round_to()")
    return reader.made(node, "round_to", "decimal", operands, facts={"mode": _mode(reader, node, 2)})


def _matches(reader: Reader, node: ast.Call, depth: int) -> Node:
    if len(node.args) != 2:
        reader.fail(node, f"matches(text, pattern) takes 2 arguments (got {len(node.args)})")
    operand = reader.node(node.args[0], depth + 1)
    reader.needs(node.args[0], operand, {"text"}, "matches()")
    pattern = _written_out(reader, node, 1, "a pattern in quotes")
    if not isinstance(pattern, str):
        reader.fail(node.args[1], f"expected a pattern in quotes (got {pattern!r})")
    try:
        matcher(pattern)
    except ValueError as error:
        reader.fail(node.args[1], f"this pattern cannot be read: {error}")
    return reader.made(node, "matches", "flag", [operand], facts={"pattern": pattern})


def _found(reader: Reader, node: ast.Call, _: int) -> Node:
    if len(node.args) != 1 or not isinstance(node.args[0], ast.Name):
        reader.fail(node, "found() takes the name of a table, such as found(agreed)")
    table = node.args[0].id
    try:
        level = reader.names.describe_table(table)
    except UnknownName as error:
        reader.fail(node.args[0], str(error.args[0]))
    return reader.made(node, "found", "flag", level=level, table=table)


def _date(reader: Reader, node: ast.Call, _: int) -> Node:
    value = _written_out(reader, node, 0, "a date in quotes") if len(node.args) == 1 else None
    if isinstance(value, str) and _ISO_DATE.fullmatch(value):
        try:
            day = datetime.date.fromisoformat(value)
        except ValueError:
            pass
        else:
            return reader.made(node, LITERAL, "date", value=Dates.of([day]))
    reader.fail(node, f"expected a date such as date('2026-03-02') (got '{reader.quote(node)}')")


_READ: Mapping[str, Callable[[Reader, ast.Call, int], Node]] = {
    "round": _round, "round_to": _round_to, "matches": _matches, "found": _found, "date": _date,
}  # fmt: skip
"""Functions whose arguments are read here: literals and table names."""


def _aggregate(reader: Reader, node: ast.Call, name: str, depth: int) -> Node:
    kind = AGGREGATES[name]
    extra = {keyword.arg: keyword.value for keyword in node.keywords}
    if unknown := set(extra) - {"where", "by"}:
        reader.fail(node, f"{name}() takes where= and by= (got '{unknown.pop()}=')")
    least = 0 if kind.argument_optional else 1
    if not least <= len(node.args) <= 1:
        reader.fail(node, f"{name}() takes one argument, then where= and by= (got {len(node.args)} arguments)")
    inner: dict[str, Node] = {}
    for role, part in [("argument", each) for each in node.args] + list(extra.items()):
        inner[str(role)] = read = reader.node(part, depth + 1)
        _no_whole_order_inside(reader, read, name)
    if "argument" in inner:
        said = f"; {name}() counts all, {name}(not blank(x)) those that have x" if kind.argument_optional else ""
        reader.needs(node.args[0], inner["argument"], set(kind.takes), f"{name}()", said)
    if "where" in inner:
        reader.needs(extra["where"], inner["where"], {"flag"}, "where=")
    rows = _rows_of(reader, node, name, inner)
    gives = kind.gives or (inner["argument"].kind if "argument" in inner else "integer")
    level = Level.LINE if "by" in inner else Level.HEADER
    return reader.made(
        node, name, gives, list(inner.values()), level, roles=tuple(inner), gathers=True, rows=rows
    )  # fmt: skip


def _rows_of(reader: Reader, node: ast.Call, name: str, inner: Mapping[str, Node]) -> str:
    """What an aggregate runs over: ``delivery``, ``payment``, ``leaving``, or blank for the lines of the order."""
    every = [each for part in inner.values() for each in part.walk() if each.role == NAME]
    read = [each for each in every if each.level is Level.LINE]
    rows = {each.rows for each in read}
    if not any(rows):
        return ""
    if len(rows) > 1:
        both = listed(dict.fromkeys(each.name for each in read))
        reader.fail(
            node, f"{name}() runs over one kind of rows: lines, those leaving, deliveries or payments (got {both})"
        )
    if "by" in inner:
        reader.fail(node, f"{name}() over records takes no by=: its value is one for the order")
    return rows.pop()


def _no_whole_order_inside(reader: Reader, part: Node, name: str) -> None:
    for below in part.walk():
        if below.gathers and "by" not in below.roles:
            reader.fail(below.start, f"only an aggregate with by= may stand inside {name}()")
