"""Python's garbage collector at rest while many objects are made."""

from __future__ import annotations

import gc
import threading
from collections.abc import Iterator
from contextlib import contextmanager


class _Rest:
    """How many ask for rest, and whether the collector was at work before the first of them."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.asking = 0
        self.was_on = False


_rest = _Rest()


@contextmanager
def collector_at_rest() -> Iterator[None]:
    """No search for reference cycles while results are made; also a decorator.

    The collector looks through all objects alive each time their number has grown by a quarter, and results are many
    objects and no cycles: half a million findings took half as long again with it. Counting references goes on, and
    what the caller had chosen holds again afterwards, whichever thread is the last.
    """
    with _rest.lock:
        if not _rest.asking:
            _rest.was_on = gc.isenabled()
            gc.disable()
        _rest.asking += 1
    try:
        yield
    finally:
        with _rest.lock:
            _rest.asking -= 1
            if not _rest.asking and _rest.was_on:
                gc.enable()
