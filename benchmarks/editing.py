"""The same operation on many orders: closed in one pass over their columns, and one by one in the editor.

Orders are confirmed and keep what was agreed, ten lines each, with the demo's rulebook. The peer is the editor itself,
which is what people had before.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from measuring import Case, compared, in_processes, parser, report_process, show

import dokima

DEMO = Path(dokima.__file__).parent / "demo" / "quillmere"
ITEMS = ("FRM-S", "VENT-R", "BENCH-2", "PUMP-S", "TANK-200", "VENT-L", "DRIP-12", "CRATE-A", "FRM-M", "BENCH-T")


def confirmed(book: dokima.Rulebook, count: int) -> list[dokima.Order]:
    """So many confirmed orders of ten lines, with their agreed terms."""
    drafts = [
        dokima.Order(
            f"B{at:06}", kind="sales", date="2026-03-02", customer="FERNHOLT", pick_up=True,
            lines=[{"item": item, "quantity": (at + place) % 7 + 1} for place, item in enumerate(ITEMS)],
        )
        for at in range(count)
    ]  # fmt: skip
    return list(book.edit_many(drafts, "move", "Ada", to="confirmed").orders)


def one_by_one(book: dokima.Rulebook, orders: list[dokima.Order]) -> list[dokima.Order]:
    """Close each in an editor of its own."""
    found = []
    for order in orders:
        editor = book.edit(order, "Ada")
        editor.close_lines()
        found.append(editor.order)
    return found


def cases(given: Any) -> Iterator[Case]:
    """Two thousand closed both ways; a hundred thousand in a process of its own."""
    book = dokima.load(DEMO)
    orders = confirmed(book, given.orders)
    sides = {
        "edit_many": lambda: told(book.edit_many(orders, "close", "Ada").orders),
        "the editor, one by one": lambda: told(one_by_one(book, orders)),
    }
    what = f"{given.orders:,} orders of 10 lines closed"
    yield compared(what, sides, runs=min(given.runs, 3), once=("the editor, one by one",))
    command = [__file__, "--alone", str(given.many)]
    what = f"{given.many:,} orders of 10 lines closed, with the orders in memory before and after"
    yield in_processes(what, {"edit_many": command}, lambda _side: given.many, runs=1)


def told(orders: Any) -> dict[str, Any]:
    """The orders by number, for comparing."""
    return {order.number: order.to_dict() for order in orders}


def alone(count: int) -> None:
    """Close so many and report the time of the closing alone, and the most memory of all of it."""
    book = dokima.load(DEMO)
    orders = confirmed(book, count)
    start = time.perf_counter()
    done = book.edit_many(orders, "close", "Ada")
    seconds = time.perf_counter() - start
    assert len(done) == count
    report_process(seconds)


if __name__ == "__main__":
    if "--alone" in sys.argv:
        alone(int(sys.argv[sys.argv.index("--alone") + 1]))
    else:
        given_ = parser(__doc__)
        given_.add_argument("--orders", type=int, default=2_000)
        given_.add_argument("--many", type=int, default=100_000)
        asked = given_.parse_args()
        show(cases(asked), asked)
