"""Python's garbage collector at rest while many objects are made."""

from __future__ import annotations

import gc
import threading
from contextlib import ContextDecorator


class _Rest:
    """How many ask for rest, and whether the collector was at work before the first of them."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.asking = 0
        self.was_on = False


_rest = _Rest()


class collector_at_rest(ContextDecorator):
    """No search for reference cycles while results are made; also a decorator.

    The collector looks through all objects alive each time their number has grown by a quarter, and results are many
    objects and no cycles: half a million findings took half as long again with it. Counting references goes on, and
    what the caller had chosen holds again afterwards, whichever thread is the last.
    """

    def __enter__(self) -> None:
        with _rest.lock:
            if not _rest.asking:
                _rest.was_on = gc.isenabled()
                gc.disable()
            _rest.asking += 1

    def __exit__(self, *_: object) -> None:
        with _rest.lock:
            _rest.asking -= 1
            if not _rest.asking and _rest.was_on:
                gc.enable()
