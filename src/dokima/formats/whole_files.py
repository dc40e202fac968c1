"""Files that are there whole or not at all."""

from __future__ import annotations

import io
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from dokima.errors import DokimaError


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
    half of it. If writing fails it is gone.

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
        beside = target.with_name(f".{target.name}.partial")
        try:
            yield beside
            with beside.open("rb+") as file:
                os.fsync(file.fileno())
            beside.replace(target)
            sync_folder(target.parent)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
    except (OSError, ValueError) as error:
        raise DokimaError(f"'{path}' cannot be written: {getattr(error, 'strerror', None) or error}") from None
