"""Pieces of work shared out, their results in the sequence of the pieces."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Protocol, TypeVar

P = TypeVar("P")
R = TypeVar("R")
R_co = TypeVar("R_co", covariant=True)


class Begun(Protocol[R_co]):
    """Work that is under way, such as a `concurrent.futures.Future`."""

    def result(self) -> R_co:
        """What came of it, once it is there."""

    def cancel(self) -> object:
        """Do not begin it, if that has not happened."""


def in_sequence(work: Callable[[P], R], pieces: Iterable[P], workers: int) -> Iterator[R]:
    """The results of some pieces of work, each as soon as all before it are there.

    Args:
        work: What is done with each piece.
        pieces: The pieces.
        workers: Threads that work side by side; 1 works in the caller's thread.
    """
    if workers <= 1:
        yield from map(work, pieces)
        return
    with ThreadPoolExecutor(workers) as pool:
        yield from one_after_another(lambda piece: pool.submit(work, piece), pieces, workers)


def one_after_another(begin: Callable[[P], Begun[R]], pieces: Iterable[P], most: int) -> Iterator[R]:
    """The results of pieces of work that others do.

    No more pieces are taken than are in work and one to come, so that memory does not grow with their number. Who stops
    asking stops the work.

    Args:
        begin: Gives a piece to somebody.
        pieces: The pieces.
        most: How many are in work.
    """
    waiting: deque[Begun[R]] = deque()
    try:
        for piece in pieces:
            waiting.append(begin(piece))
            if len(waiting) > most:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        for each in waiting:
            each.cancel()
