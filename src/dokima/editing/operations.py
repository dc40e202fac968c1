"""What can be done to many orders: operations by name, with arguments that can be written down."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from dokima.editing.editor import Editor
from dokima.errors import DokimaError, NotFound, nearest


def _close(editor: Editor, lines: Sequence[str] = ()) -> None:
    editor.close_lines(lines or None)


def _reopen(editor: Editor, lines: Sequence[str] = ()) -> None:
    for number in lines or [line.number for line in editor.order.lines if line.get("state") == "closed"]:
        editor.reopen_line(number)


def _move(editor: Editor, to: str) -> None:
    editor.move_to(to)


def _set(editor: Editor, fields: Mapping[str, Any]) -> None:
    by_target: dict[str, dict[str, Any]] = {}
    for target, value in fields.items():
        where, _, name = target.rpartition(".")
        by_target.setdefault(where, {})[name] = value
    for where, given in by_target.items():
        if where == "header":
            editor.change_header(**given)
        elif where == "line":
            for line in editor.order.lines:
                editor.change_line(line.number, **given)
        else:
            editor.change_line(where, **given)


def _reprice(editor: Editor, lines: Sequence[str] = ()) -> None:
    for number in lines or [line.number for line in editor.order.lines if line.get("price_override") is not None]:
        editor.reprice_line(number)


def _acknowledge(editor: Editor, rule: str, because: str) -> None:
    found = [finding for finding in editor.check("save") if finding.rule == rule and finding.stops]
    if not found:
        raise NotFound(f"there is no warning '{rule}' to accept")
    for finding in found:
        editor.acknowledge(finding, because)


OPERATIONS: Mapping[str, Callable[..., None]] = {
    "acknowledge": _acknowledge, "close": _close, "move": _move, "reopen": _reopen, "reprice": _reprice, "set": _set,
}  # fmt: skip
"""``close`` and ``reprice`` take ``lines`` (all if left out), ``reopen`` too (all closed ones), ``move`` takes ``to``,
``set`` takes ``fields`` such as ``{"header.due_date": "2026-04-01", "line.unit": "C62", "10.quantity": "4"}``,
``acknowledge`` takes ``rule`` and ``because`` (a job has a reason of its own)."""


def operate(editor: Editor, operation: str, arguments: Mapping[str, Any]) -> None:
    """Do an operation to an order.

    Raises:
        NotFound: There is no such operation; names the nearest.
        DokimaError: Its arguments are others, or the order does not permit it.
    """
    check_arguments(operation, arguments)
    OPERATIONS[operation](editor, **arguments)


def check_arguments(operation: str, arguments: Mapping[str, Any]) -> None:
    """Refuse an operation that is none, or that takes other arguments.

    Raises:
        NotFound: There is no such operation; names the nearest.
        DokimaError: Its arguments are others.
    """
    if operation not in OPERATIONS:
        raise NotFound(f"there is no operation '{operation}'{nearest(operation, OPERATIONS)}")
    try:
        inspect.signature(OPERATIONS[operation]).bind(None, **arguments)
    except TypeError as error:
        raise DokimaError(f"'{operation}': {error}") from None
