"""Files that are there whole or not at all."""

from __future__ import annotations

import os
from pathlib import Path

from dokima.errors import DokimaError


def write_whole(path: Path, text: str) -> None:
    """Write a file beside its place, sync it to the disk, and rename it, so that nobody ever finds half of it.

    Args:
        path: The file. What a link points at is written, never the link. A missing folder is made.
        text: What it holds, written in UTF-8.

    Raises:
        DokimaError: It cannot be written, or what stands there is no regular file; says why.
    """
    try:
        target = path.resolve()  # a link stays one
        if target.exists() and not target.is_file():
            raise DokimaError(f"'{path}' cannot be written: it is no regular file")
        target.parent.mkdir(parents=True, exist_ok=True)
        beside = target.with_name(f".{target.name}.partial")
        with beside.open("w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(target)
    except (OSError, ValueError) as error:
        raise DokimaError(f"'{path}' cannot be written: {getattr(error, 'strerror', None) or error}") from None
