"""Pieces of work shared out, their results in the sequence of the pieces."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor
from contextlib import nullcontext
from typing import TypeVar

from dokima.engine.running.threads import sharing_the_interpreter

P = TypeVar("P")
R = TypeVar("R")


def in_sequence(
    work: Callable[[P], R],
    pieces: Iterable[P],
    workers: int,
    executor: Executor | None = None,
    attempts: int = 1,
) -> Iterator[R]:
    """The results of some pieces of work, each as soon as all before it are there.

    No more pieces are taken than are in work and one to come, so that memory does not grow with their number. Who stops
    asking stops the work.

    Args:
        work: What is done with each piece.
        pieces: The pieces.
        workers: How many are worked on side by side; 1 works in the caller's thread.
        executor: Who works; threads of this process if None.
        attempts: How often a piece is tried if its worker is lost. A mistake in the work itself is not tried again.
    """
    if workers <= 1 and executor is None:
        yield from map(work, pieces)
        return
    with ThreadPoolExecutor(workers) if executor is None else nullcontext(executor) as pool, sharing_the_interpreter():
        waiting: deque[tuple[P, Future[R]]] = deque()

        def first() -> R:
            piece, future = waiting.popleft()
            for left in reversed(range(attempts)):
                try:
                    return future.result()
                except (BrokenExecutor, OSError):
                    if not left:
                        raise
                    future = pool.submit(work, piece)
            raise AssertionError("no attempt at all")

        try:
            for piece in pieces:
                waiting.append((piece, pool.submit(work, piece)))
                if len(waiting) > workers:
                    yield first()
            while waiting:
                yield first()
        finally:
            for _, each in waiting:
                each.cancel()
