"""Threads that work on columns."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Sequence
from typing import TypeVar

PIECE = 100_000
"""Lines that are worked on together: few enough for their columns to stay in the processor's cache."""

SWITCH = 0.00005
"""Seconds after which a thread that runs Python lets another one go on."""
BETWEEN_COLLECTIONS = 1_000_000
"""New objects after which the collector looks for cycles; CPython's own number is a few thousand."""


Piece = TypeVar("Piece")
Result = TypeVar("Result")


def on_threads(work: Callable[[Piece], Result], pieces: Sequence[Piece], workers: int) -> list[Result]:
    """What comes of each piece, in their sequence; several threads take one piece after the other."""
    if workers <= 1 or len(pieces) <= 1:
        return [work(piece) for piece in pieces]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(workers) as pool:
        return list(pool.map(work, pieces))


def settle_process() -> None:
    """Set up the interpreter of a process that does nothing but Dokima's work. Nobody else's is ever touched.

    A thread that has added up a column waits for the interpreter to begin the next. With CPython's five milliseconds
    it waits longer than the column took; with fifty microseconds two threads are a sixth faster. And results are many
    objects and no cycles, which the collector would look through each time their number has grown by a quarter.
    """
    sys.setswitchinterval(min(SWITCH, sys.getswitchinterval()))
    gc.set_threshold(BETWEEN_COLLECTIONS)
