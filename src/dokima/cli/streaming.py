"""``dokima price --out``: many orders from files to files, with a bar that says how far it is."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Sequence
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from dokima import FileRun, Rulebook, dask_workers, price_files, worker_processes
from dokima.cli.output import note


def price_to_files(
    book: Rulebook,
    source: Path | list[Path],
    out: Path,
    layout: str | None,
    totals: bool,
    workers: int,
    processes: int,
    scheduler: str,
    resume: bool,
    check: str,
    columns: Sequence[str],
) -> int:
    """Run, say what came of it, and give the exit status: 1 if an order could not be read or priced, 130 if stopped."""
    pool: AbstractContextManager[Any] = nullcontext()
    if scheduler:
        logging.disable(logging.ERROR)  # Dask writes tracebacks beside what is said here
        pool = dask_workers(book, scheduler)
    elif processes:
        pool = worker_processes(book, processes)
    bar = Progress(
        TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn(), TimeRemainingColumn(),
        console=Console(stderr=True), disable=not sys.stderr.isatty(), transient=True,
    )  # fmt: skip
    so_far: FileRun | None = None
    with bar, pool as executor:
        task = bar.add_task("reading", total=_rows(source))

        def show(run: FileRun) -> None:
            nonlocal so_far
            so_far = run
            rate = run.lines / max(bar.tasks[0].elapsed or 0, 0.001)
            said = f"{run.lines:,} lines, {run.orders:,} orders, {rate:,.0f} lines a second"
            bar.update(task, completed=run.lines, description=said)

        try:
            run = price_files(
                book, source, out, layout=layout, totals=totals, workers=workers, executor=executor, resume=resume,
                check=check, columns=columns, progress=show,
            )  # fmt: skip
        except KeyboardInterrupt:
            whole = 0 if so_far is None else so_far.pieces
            note(f"stopped: {out} has {_counted(whole, 'file')} that are whole; --resume goes on with it")
            return 130
    counts = f"{_counted(run.orders, 'order')}, {_counted(run.lines, 'line')} in {_counted(run.pieces, 'file')}"
    note(f"written: {run.folder}: {counts}")
    for currency, sums in run.sums.items():
        note(f"  {currency}: " + ", ".join(f"{name.replace('_', ' ')} {value:,}" for name, value in sums.items()))
    if run.errors:
        aside = f", {_counted(run.set_aside, 'order')} set aside" if run.set_aside else ""
        left = f", {_counted(run.in_no_sum, 'order')} in no sum" if run.in_no_sum else ""
        note(f"  {_counted(run.errors, 'error')}{aside}{left}: _findings-*.csv says why")
    return 1 if run.errors else 0


def _counted(count: int, what: str) -> str:
    return f"1 {what}" if count == 1 else f"{count:,} {what}s"


def _rows(source: Path | list[Path]) -> int | None:
    """How many rows there are, where the file says so; of headers and lines those of the longer one."""
    if isinstance(source, list):
        counts = [_rows(each) for each in source]
        return None if None in counts else max(each or 0 for each in counts)
    if source.suffix != ".parquet" or not os.path.isfile(source):
        return None
    from pyarrow import ArrowException, parquet

    try:
        return int(parquet.read_metadata(source).num_rows)
    except (OSError, ValueError, ArrowException):
        return None  # what is wrong with it is said when it is read
