"""Files that are there whole or not at all."""

from __future__ import annotations

import io
import os
import re
import secrets
import stat
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from dokima.errors import DokimaError

LEFT_OVER_SECONDS = 3600
"""After so long nobody writes any more to a file that was to be renamed."""
LONGEST = 200
"""Bytes of the name of a file that stand in the name of the one beside it; a file system keeps 255."""
FOLDERS = 1000
"""Folders of which is known when they were last looked through."""
_LEFT_OVER = re.compile(r"\..+\.[0-9a-f]{16}\.partial", re.DOTALL)
_until_tidied: dict[Path, int] = {}
"""By folder how many files may still be written before it is looked through again."""


def write_whole(path: Path, text: str) -> None:
    """Write a text in UTF-8, whole or not at all; see `whole_file`."""
    with whole_file(path) as beside:
        beside.write_text(text, encoding="utf-8", newline="")


def write_in_one_go(target: Path, save: Callable[[BinaryIO], None]) -> None:
    """Write what a library saves as an archive: into memory first, then the file.

    An archive that cannot be written to its end would try to end itself when it is forgotten, and fail once more.

    Args:
        target: The file.
        save: Saves to a file that is open.

    Raises:
        OSError: The file cannot be written.
    """
    content = io.BytesIO()
    save(content)
    target.write_bytes(content.getvalue())


def sync_folder(folder: Path) -> None:
    """Have the disk know which files a folder holds: a rename that only memory knows is gone when the power is.

    Raises:
        OSError: The disk reports an error.
    """
    if os.name == "posix":  # Windows cannot open a folder, and keeps renames in its journal
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A file beside a file's place, to be written; then it is synced to the disk and renamed, so that nobody ever finds
    half of it. If writing fails it is gone. Its name cannot be guessed, so that no two writers share it and nobody can
    plant a link there; it has the permissions of the file that it replaces.

    Args:
        path: The file. What a link points at is written, never the link. A missing folder is made.

    Raises:
        DokimaError: It cannot be written, or what stands there is no regular file; says why.
    """
    try:
        target = path.resolve()  # a link stays one
        if target.exists() and not target.is_file():
            raise DokimaError(f"'{path}' cannot be written: it is no regular file")
        target.parent.mkdir(parents=True, exist_ok=True)
        _tidy(target.parent)
        mode = stat.S_IMODE(target.stat().st_mode) if target.exists() else None
        beside = _made_beside(target, mode)
        try:
            yield beside
            with beside.open("rb+") as file:
                os.fsync(file.fileno())
            if mode is not None:
                beside.chmod(mode)
            beside.replace(target)
            sync_folder(target.parent)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
    except (OSError, ValueError) as error:
        raise DokimaError(f"'{path}' cannot be written: {getattr(error, 'strerror', None) or error}") from None


def _made_beside(target: Path, mode: int | None) -> Path:
    """A new and empty file in the folder of a file."""
    flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0)
    said = target.name.encode()[:LONGEST].decode(errors="ignore")
    while True:
        beside = target.with_name(f".{said}.{secrets.token_hex(8)}.partial")
        with suppress(FileExistsError):
            os.close(os.open(beside, flags, 0o666 if mode is None else 0o600))
            return beside


def _tidy(folder: Path) -> None:
    """Remove what writers that were killed have left in a folder, an hour after they last wrote."""
    left = _until_tidied.get(folder, 0)
    if left > 0:
        _until_tidied[folder] = left - 1
        return
    names = os.listdir(folder)
    if len(_until_tidied) >= FOLDERS:
        _until_tidied.clear()
    _until_tidied[folder] = len(names) // 50  # a folder is looked through as often as that costs nothing
    for name in names:
        if _LEFT_OVER.fullmatch(name):
            with suppress(OSError):  # somebody else was faster
                found = (folder / name).lstat()
                if stat.S_ISREG(found.st_mode) and time.time() - found.st_mtime > LEFT_OVER_SECONDS:
                    (folder / name).unlink()
