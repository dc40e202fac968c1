"""Pieces of work shared out, their results in the sequence of the pieces."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor
from contextlib import nullcontext
from typing import TypeVar

from dokima.engine.running.threads import sharing_the_interpreter
from dokima.errors import DokimaError

P = TypeVar("P")
R = TypeVar("R")


def in_sequence(
    work: Callable[[P], R],
    pieces: Iterable[P],
    workers: int,
    executor: Executor | None = None,
    attempts: int = 1,
    lost: tuple[type[BaseException], ...] = (BrokenExecutor,),
) -> Iterator[R]:
    """The results of some pieces of work, each as soon as all before it are there.

    No more pieces are taken than are in work and one to come, so that memory does not grow with their number. Who stops
    asking stops the work.

    Args:
        work: What is done with each piece.
        pieces: The pieces.
        workers: How many are worked on side by side; 1 works in the caller's thread.
        executor: Who works; threads of this process if None.
        attempts: How often a piece is tried whose worker is lost. A mistake in the work itself is not tried again.
        lost: What says that a worker was lost.

    Raises:
        DokimaError: That happened each time; names the piece.
    """
    if workers <= 1 and executor is None:
        yield from map(work, pieces)
        return
    with ThreadPoolExecutor(workers) if executor is None else nullcontext(executor) as pool, sharing_the_interpreter():
        waiting: deque[tuple[P, Future[R]]] = deque()

        def begun(piece: P) -> Future[R]:
            try:
                return pool.submit(work, piece)
            except BrokenExecutor as error:  # by a piece before this one, which is tried again first
                broken: Future[R] = Future()
                broken.set_exception(error)
                return broken

        def first() -> R:
            piece, future = waiting.popleft()
            for left in reversed(range(attempts)):
                try:
                    return future.result()
                except lost as error:
                    if not left:
                        tried = f", tried {attempts} times" if attempts > 1 else ""
                        said = str(error) or "whoever worked on it is gone"
                        raise DokimaError(f"{piece} could not be made{tried}: {said}") from None
                    future = begun(piece)
            raise AssertionError("no attempt at all")

        try:
            for piece in pieces:
                waiting.append((piece, begun(piece)))
                if len(waiting) > workers:
                    yield first()
            while waiting:
                yield first()
        finally:
            for _, each in waiting:
                each.cancel()
