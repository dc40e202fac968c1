"""Change orders in a folder: a change of an order that has had fifty, among 5,000 orders; a long report in every form.

The first and the fiftieth change of the order are timed in the same run, several times, as a ratio.
"""

from __future__ import annotations

import contextlib
import io
import json
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from first_slice import DEMO
from measuring import Case, compared, parser, show

import dokima
from dokima.cli.main import app
from dokima.model.states import Settle
from dokima.store.folder import FolderStore

SETTLE: tuple[Settle, ...] = ("amend", "split")
"""Fifty changes of one document, and fifty that each order their growth separately: fifty supplements."""

ORDER = {"kind": "sales", "customer": "FERNHOLT", "currency": "EUR", "date": "2026-03-02", "pick_up": True}


def folder_of(count: int, at: Path) -> Path:
    """A folder with the demo's rulebook and that many orders of three lines."""
    shutil.copytree(DEMO, at)
    for n in range(count):
        lines = [{"item": "CLIP-S", "quantity": n % 7 + 1}, {"item": "VENT-R", "quantity": 2}, {"item": "BENCH-K"}]
        order = dokima.Order(f"B-{n}", state="confirmed", lines=[{"quantity": 1, **line} for line in lines], **ORDER)
        (at / "orders" / f"B-{n}.json").write_text(json.dumps(order.to_dict(), default=str))
    return at


def one_change(store: FolderStore, number: str, settle: Settle) -> float:
    """Seconds for a change from opening to approval."""
    started = time.perf_counter()
    change = store.open_change(number, "Ada", reason="benchmark").number
    store.update_change(
        change, "Ada", lambda found: found.edit("Ada").change_line("10", quantity=len(change) % 3 + turn())
    )
    store.update_change(change, "Ada", lambda found: found.submit("Ada"))
    store.approve(change, "Ben", settle=settle)
    return time.perf_counter() - started


_turn = [10]


def turn() -> int:
    """Another quantity each time."""
    _turn[0] += 1
    return _turn[0]


def of_fifty(orders: int, rounds: int) -> Iterator[Case]:
    """The fiftieth change of an order beside the first."""
    with tempfile.TemporaryDirectory() as place:
        at = folder_of(orders, Path(place) / "q")
        store = FolderStore(at, dokima.load(at))
        number = iter(range(orders))
        for settle in SETTLE:
            firsts, lasts = [], []
            for _ in range(rounds):
                name, other = f"B-{next(number)}", f"B-{next(number)}"
                times = [one_change(store, name, settle) for _ in range(50)]
                firsts += [times[0], one_change(store, other, settle)]
                lasts += times[-3:]
            what = f"a change order opened, worked on and approved ({settle}), among {orders:,} orders in a folder"
            yield Case(what, {"the first of an order": firsts, "the fiftieth": lasts})


def report(lines: int) -> Iterator[Case]:
    """The report of a long change in each form."""
    with tempfile.TemporaryDirectory() as place:
        at = folder_of(1, Path(place) / "q")
        store = FolderStore(at, dokima.load(at))
        number = store.open_change("B-0", "Ada").number

        def more(change: dokima.ChangeOrder) -> None:
            editor = change.edit("Ada")
            for n in range(lines):
                editor.add_line(item="CLIP-S", quantity=n % 40 + 1)

        store.update_change(number, "Ada", more)
        sides = {}
        for form in ("html", "pdf", "xlsx", "csv", "md", "json"):
            target = at / f"r.{form}"
            arguments = ["change", "show", number, "--store", str(at), "--book", str(at), "--report", str(target)]
            sides[form] = lambda given=arguments: _quietly(
                lambda: app([*given, "--format", "csv"], standalone_mode=False)
            )
        yield compared(f"the report of {lines} changed lines, by the command line", sides, runs=3)


def _quietly(work: Callable[[], object]) -> None:
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        work()


def cases(given: Any) -> Iterator[Case]:
    """The report of a change, and change after change of one order."""
    yield from report(300)
    yield from of_fifty(given.orders, given.rounds)


if __name__ == "__main__":
    arguments = parser(__doc__)
    arguments.add_argument("--orders", type=int, default=5000)
    arguments.add_argument("--rounds", type=int, default=3)
    asked = arguments.parse_args()
    show(cases(asked), asked)
