"""The lock of a folder: one writer at a time, kept by the operating system, so that it ends with whoever holds it.

On Linux and macOS it is ``flock``, on Windows ``msvcrt.locking`` (through the library filelock). A process that is
killed loses it at that moment, whatever is left in the folder. It works on local disks, and on network folders whose
server keeps such locks for all its clients: NFS from version 4 on, SMB. Older NFS and folders that a sync program
copies do not.
"""

from __future__ import annotations

import json
import logging
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from dokima.errors import Conflict, DokimaError
from dokima.formats.regular_files import text_of

if TYPE_CHECKING:
    from filelock import BaseFileLock

_log = logging.getLogger(__name__)

LOCK = ".lock"
"""The file that is locked. It stays in the folder; that it is there says nothing."""
WRITER = ".writer"
"""Who holds the lock, for the message to the second writer; never read to decide anything."""
QUICK = 0.5
"""Seconds after which a person who waits is told what for."""


@contextmanager
def only_writer(folder: Path, by: str, patience: float) -> Iterator[None]:
    """Hold the lock of a folder.

    Args:
        folder: The folder.
        by: Who writes, for whoever waits.
        patience: Seconds to wait for another writer.

    Raises:
        Conflict: Another writer still holds it after that time; says who.
        DokimaError: The folder cannot be written.
    """
    from filelock import FileLock, Timeout

    lock = FileLock(folder / LOCK)
    if (folder / LOCK).exists() and not (folder / LOCK).is_file():
        raise DokimaError(f"'{folder / LOCK}' cannot be locked: it is no regular file")
    try:
        _acquire(lock, folder, patience)
    except Timeout:
        message = f"{_holder(folder)} is writing in '{folder}' (waited {patience:g} s); try again in a moment"
        raise Conflict(message) from None
    except OSError as error:
        raise DokimaError(f"'{folder / LOCK}' cannot be locked: {error.strerror}") from None
    try:
        with suppress(OSError):  # only for the message to others
            _say(folder / WRITER, by)
        yield
    finally:
        with suppress(OSError):
            (folder / WRITER).unlink()
        lock.release()


def _say(place: Path, by: str) -> None:
    """Write who is writing; never to what a link points at, nor to a pipe, which would wait for a reader."""
    if (place.exists() or place.is_symlink()) and not stat.S_ISREG(place.lstat().st_mode):
        return
    flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | getattr(os, "O_NOFOLLOW", 0)
    with open(os.open(place, flags, 0o666), "w", encoding="utf-8") as file:
        json.dump({"by": by}, file)


def _acquire(lock: BaseFileLock, folder: Path, patience: float) -> None:
    """Take the lock; a person who waits is told what for."""
    from filelock import Timeout

    try:
        lock.acquire(timeout=min(QUICK, patience))
    except Timeout:
        if patience <= QUICK:
            raise
        _log.warning("waiting for %s, who is writing in '%s'", _holder(folder), folder)
        lock.acquire(timeout=patience - QUICK)


def _holder(folder: Path) -> str:
    with suppress(OSError, ValueError, KeyError):
        return str(json.loads(text_of(folder / WRITER))["by"])
    return "somebody"
