"""``dokima edit --store``: one order of a store edited, or the same done to many as a job that can be resumed."""

from __future__ import annotations

import datetime
import sys
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from dokima import DokimaError, Editor, Store, report
from dokima.cli.edit_actions import Action
from dokima.cli.many_edits import Asked
from dokima.cli.output import note


@dataclass(frozen=True)
class Doing:
    """Who edits, why, on which day, and whether only to say what would change."""

    by: str
    reason: str
    today: datetime.date
    dry_run: bool


def edit_stored(
    store: Store, doing: Doing, asked: Asked, actions: Sequence[Action], numbers: Sequence[str], where: str, job: str
) -> int:
    """Edit one order by all actions, or many by some operations; the exit status.

    Raises:
        DokimaError: No orders are named, a job was only to be tried, or the place keeps no jobs.
    """
    if where or job or len(numbers) > 1:
        if doing.dry_run:
            raise DokimaError(
                "a job cannot be tried: dokima orders --where lists its orders, and --dry-run takes one order"
            )
        return _run_job(store, doing, asked, numbers, where, job)
    if not numbers:
        raise DokimaError("expected the numbers of orders, or --where")
    if doing.dry_run:
        editor = store.editor(numbers[0], doing.by, today=doing.today)
        _do(editor, actions)
    else:
        with store.edit(numbers[0], doing.by, reason=doing.reason, today=doing.today) as editor:
            _do(editor, actions)
    report(editor).show()
    return 0


def _do(editor: Editor, actions: Sequence[Action]) -> None:
    for action in actions:
        action(editor)


def _run_job(store: Store, doing: Doing, asked: Asked, numbers: Sequence[str], where: str, name: str) -> int:
    """Do it, with a bar, and say what came of it: 1 if an order could not be changed."""
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
                found = store.job(name).go_on(show, doing.today)
            else:
                each = store.each(where=where, numbers=tuple(numbers))
                how = {"reason": doing.reason, "name": begun, "progress": show, "today": doing.today}
                found = each.apply(asked.of_a_job(), doing.by, **how)
        except KeyboardInterrupt:
            note(f"stopped between two batches; dokima edit --job {begun} --store ... goes on")
            return 1
    note(f"job {found.name}: {found.done:,} of {found.orders:,} orders changed, {len(found.others):,} not")
    if found.others:
        report(found.to_listing(), book=store.book).show()
    return 1 if found.others else 0
