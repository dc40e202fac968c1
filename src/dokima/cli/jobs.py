"""``dokima edit --store``: the same done to many orders of a store, as a job that can be taken up again."""

from __future__ import annotations

import sys
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from dokima import DokimaError, Store, report
from dokima.cli.options import assignments, day
from dokima.cli.output import note

Values = Sequence[str] | None


@dataclass(frozen=True)
class Asked:
    """What the options of ``dokima edit`` ask for."""

    close: Values
    reopen: Values
    reprice: Values
    sets: Values
    to: str | None
    others: Sequence[Values]

    def operation(self) -> tuple[str, dict[str, Any]]:
        """The one operation, and its arguments.

        Raises:
            DokimaError: There is none, or there are several, or one that a job does not know.
        """
        found: list[tuple[str, dict[str, Any]]] = []
        for name, numbers in (("close", self.close), ("reopen", self.reopen), ("reprice", self.reprice)):
            if numbers:
                found.append((name, {} if "all" in numbers else {"lines": list(numbers)}))
        if self.sets:
            found.append(("set", {"fields": {name: value or None for name, value in assignments(self.sets).items()}}))
        if self.to:
            found.append(("move", {"to": self.to}))
        if len(found) != 1 or any(self.others):
            raise DokimaError(
                "a job does one thing to each order: expected one of --close, --reopen, --reprice, --set, --to"
            )
        return found[0]


def run_job(
    store: Store, asked: Asked, numbers: Sequence[str], where: str, name: str, by: str, reason: str, today: str
) -> int:
    """Do it, with a bar, and say what came of it; the exit status: 1 if an order could not be changed.

    Raises:
        DokimaError: No orders are named, or the place keeps no jobs.
    """
    if not (numbers or where or name):
        raise DokimaError("expected the numbers of orders, or --where")
    bar = Progress(
        TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn(), TimeRemainingColumn(),
        console=Console(stderr=True), disable=not sys.stderr.isatty(), transient=True,
    )  # fmt: skip
    with bar:
        task = bar.add_task("selecting", total=None)
        begun = name or f"job-{uuid.uuid4().hex[:12]}"

        def show(found: Any) -> None:
            said = f"{found.done:,} done, {len(found.others):,} not"
            bar.update(task, total=found.orders, completed=found.orders - found.left, description=said)

        try:
            if name and not (numbers or where):
                found = store.job(name).go_on(show, day(today))
            else:
                operation, arguments = asked.operation()
                each = store.each(where=where, numbers=tuple(numbers))
                found = each.apply(
                    operation, by, reason=reason, name=begun, progress=show, today=day(today), **arguments
                )
        except KeyboardInterrupt:
            note(f"stopped between two batches; dokima edit --job {begun} --store ... goes on")
            return 1
    note(f"job {found.name}: {found.done:,} of {found.orders:,} orders changed, {len(found.others):,} not")
    if found.others:
        report(found.to_listing(), book=store.book).show()
    return 1 if found.others else 0
