"""What options of the shell do to an order: each becomes a call of the editor."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from dokima import DokimaError, Editor
from dokima.cli.options import assignments

Action = Callable[[Editor], object]


def line_actions(
    sets: Sequence[str] | None,
    override: Sequence[str] | None,
    reprice: Sequence[str] | None,
    add: Sequence[str] | None,
    insert: Sequence[str] | None,
    remove: Sequence[str] | None,
    explode: Sequence[str] | None = None,
    copy: Sequence[str] | None = None,
) -> list[Action]:
    """What changes header and lines, in the order in which it is done."""
    return [
        *_sets(sets), *each(override, _override), *each(reprice, lambda number: lambda e: e.reprice_line(number)),
        *each(remove, _there), *each(add, _add), *each(copy, _copy), *each(insert, _insert), *_removing(remove),
        *each(explode, lambda number: lambda e: e.explode_line(number)),
    ]  # fmt: skip


def each(values: Sequence[str] | None, make: Callable[[str], Action]) -> list[Action]:
    """One call for each value of an option."""
    return [make(value) for value in values or ()]


def _sets(sets: Sequence[str] | None) -> list[Action]:
    """One change of the header, and one of each line, with all the fields given for it."""
    by_target: dict[str, dict[str, Any]] = {}
    for target, value in assignments(sets).items():
        where, _, name = target.rpartition(".")
        by_target.setdefault(where, {})[name] = field_value(target, value)

    def action(where: str, fields: dict[str, Any]) -> Action:
        if where == "header":
            return lambda editor: editor.change_header(**fields)
        if where == "line":
            return lambda editor: [editor.change_line(line.number, **fields) for line in editor.order.lines]
        return lambda editor: editor.change_line(where, **fields)

    return [action(where, fields) for where, fields in by_target.items()]


def _fields(text: str) -> dict[str, Any]:
    fields: dict[str, Any] = {}
    for part in text.split(","):
        name, sign, value = part.partition("=")
        if not sign:
            raise DokimaError(f"expected fields such as item=PANE-T6,quantity=4 (got '{text}')")
        fields[name.strip()] = field_value(name.strip(), value)
    return fields


BLANK = "(blank)"
"""Makes a field blank. An empty value does not: nobody can tell whether it was meant, or forgotten."""


def field_value(target: str, value: str) -> str | None:
    if not value:
        raise DokimaError(f"{target} has no value: {target}={BLANK} makes it blank; leave it out to leave it as it is")
    return None if value == BLANK else value


def _add(text: str) -> Action:
    fields = _fields(text)
    return lambda editor: editor.add_line(**fields)


def _insert(text: str) -> Action:
    number, sign, rest = text.partition(":")
    if not sign:
        raise DokimaError(f"expected a line and fields such as 20:item=PANE-T6,quantity=4 (got '{text}')")
    fields = _fields(rest)
    return lambda editor: editor.insert_line(before=number, **fields)


def _copy(text: str) -> Action:
    number, sign, rest = text.partition(":")
    fields = _fields(rest) if sign else {}
    return lambda editor: editor.copy_line(number, **fields)


def _there(number: str) -> Action:
    """A line that is to leave must be there before others are added, lest an added one takes its number and leaves."""

    def action(editor: Editor) -> None:
        if number != "all":
            editor.order.line(number)

    return action


def _removing(numbers: Sequence[str] | None) -> list[Action]:
    """Lines that are named together leave together, so that a rule may count them."""
    if not numbers:
        return []
    if "all" in numbers:
        return [lambda editor: editor.remove_lines()]
    if len(numbers) == 1:
        return [lambda editor: editor.remove_line(numbers[0])]
    return [lambda editor: editor.remove_lines(numbers)]


def close_action(number: str) -> Action:
    """Close a line, or all."""
    return (lambda editor: editor.close_lines()) if number == "all" else (lambda editor: editor.close_line(number))


def _override(text: str) -> Action:
    number, sign, rest = text.partition("=")
    price, _, reason = rest.partition(":")
    if not sign or not reason:
        raise DokimaError(f"expected a line, a price and a reason such as 20=610.00:framework terms (got '{text}')")
    return lambda editor: editor.override_price(number, price, reason)


def accept_action(text: str) -> Action:
    """Accept a warning: ``rule=reason`` or ``rule@20=reason``.

    Raises:
        DokimaError: It is not written so.
    """
    target, sign, reason = text.partition("=")
    rule, _, line = target.partition("@")
    if not sign or not reason:
        raise DokimaError(f"expected a rule and a reason such as half-days=agreed by phone (got '{text}')")

    def action(editor: Editor) -> None:
        open_ = [f for f in editor.check("save") if f.rule == rule and f.stops and line in ("", f.line)]
        if not open_:
            raise DokimaError(f"{editor.order.number}: rule {rule} has nothing to accept")
        for finding in open_:
            editor.acknowledge(finding, reason)

    return action
