"""Pieces of work shared out to threads, their results in the sequence of the pieces."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

P = TypeVar("P")
R = TypeVar("R")


def in_sequence(work: Callable[[P], R], pieces: Iterable[P], workers: int) -> Iterator[R]:
    """The results of some pieces of work, each as soon as all before it are there.

    No more pieces are taken than are in work, so that memory does not grow with their number. Who stops asking stops
    the work.

    Args:
        work: What is done with each piece.
        pieces: The pieces.
        workers: Threads that work side by side; 1 works in the caller's.
    """
    if workers <= 1:
        yield from map(work, pieces)
        return
    with ThreadPoolExecutor(workers) as pool:
        waiting: deque[Future[R]] = deque()
        try:
            for piece in pieces:
                waiting.append(pool.submit(work, piece))
                if len(waiting) > workers:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for each in waiting:
                each.cancel()
