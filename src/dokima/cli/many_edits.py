"""``dokima edit`` on many orders of files: one operation in one pass, and what came of it."""

from __future__ import annotations

import datetime
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from dokima import DokimaError, Listing, ManyEdited, Orders, Rulebook, report
from dokima.cli.edit_actions import BLANK, field_value
from dokima.cli.options import assignments
from dokima.cli.output import complain

MOST_SHOWN = 100
"""Orders of which each gets a row; of more only what they come to together is said."""

Values = Sequence[str] | None


@dataclass(frozen=True)
class Asked:
    """What the options of ``dokima edit`` ask for."""

    close: Values
    reopen: Values
    reprice: Values
    sets: Values
    to: str | None
    accept: Values
    others: Sequence[Values]

    def operations(self) -> list[tuple[str, dict[str, Any]]]:
        """The operations that many orders know, with their arguments; none if something else is asked for."""
        found: list[tuple[str, dict[str, Any]]] = []
        if self.sets:
            fields = {name: field_value(name, value) for name, value in assignments(self.sets).items()}
            found.append(("set", {"fields": fields}))
        for name, numbers in (("reprice", self.reprice), ("reopen", self.reopen), ("close", self.close)):
            if numbers:
                found.append((name, {} if "all" in numbers else {"lines": list(numbers)}))
        for each in self.accept or ():
            rule, sign, reason = each.partition("=")
            if not sign or not reason or "@" in rule:
                return []
            found.append(("acknowledge", {"rule": rule, "because": reason}))
        if self.to:
            found.append(("move", {"to": self.to}))
        return [] if any(self.others) else found

    def of_a_job(self) -> list[tuple[str, dict[str, Any]]]:
        """The operations of a job, with their arguments, in the order in which they are done.

        Raises:
            DokimaError: There is none, or one that a job does not know.
        """
        found = self.operations()
        if not found:
            known = "--set, --reprice, --reopen, --close, --accept RULE=REASON, --to"
            raise DokimaError(f"expected what a job does to each order: {known}")
        return found


def edit_them(
    book: Rulebook, orders: Orders, operation: tuple[str, Mapping[str, Any]], by: str, today: datetime.date
) -> ManyEdited:
    """Edit, with a bar where it takes long, and show what came of each order."""
    bar = Progress(
        TextColumn("editing"), BarColumn(), TimeElapsedColumn(), TimeRemainingColumn(),
        console=Console(stderr=True), disable=not sys.stderr.isatty(), transient=True,
    )  # fmt: skip
    name, arguments = operation
    with bar:
        task = bar.add_task("", total=len(orders))
        done = book.edit_many(
            orders, name, by, today=today, progress=lambda count: bar.update(task, completed=count), **arguments
        )
    if 0 < len(done) <= MOST_SHOWN:
        report(_listing(book, orders, done)).show()
    for number, error in done.refused.items():
        said = str(error)
        complain(said if said.startswith((number, f"order {number}")) else f"{number}: {said}")
    return done


def _listing(book: Rulebook, orders: Orders, done: ManyEdited) -> Listing:
    """Each changed order with what was done to it, and what is payable before and after."""
    before, after = book.price(orders), book.price(list(done.orders))
    rows = []
    for order in done.orders:
        journal = done.journals[order.number]
        steps = [f"{each.action.replace('_', ' ')} {_about(each.details)}".strip() for each in journal]
        was, now = (priced[order.number].totals.payable for priced in (before, after))
        rows.append({"order": order.number, "done": "; ".join(dict.fromkeys(steps)), "was": was, "is": now})
    labels = {"order": "order", "done": "done", "was": "payable before", "is": "payable after"}
    return Listing(tuple(rows), tuple(labels), "chosen", labels)


def _about(details: Mapping[str, Any]) -> str:
    if "fields" in details:
        fields = {name: BLANK if value is None else value for name, value in details["fields"].items()}
        given = ", ".join(f"{name}={value}" for name, value in fields.items())
        return f"{details['line']}: {given}" if "line" in details else given
    lines = details.get("lines") or details.get("line") or details.get("state") or ""
    return ", ".join(lines) if isinstance(lines, list) else str(lines)
