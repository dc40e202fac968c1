"""What is read: regular files of a bounded size. A pipe would be waited for, a device has no end."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

from dokima.errors import DokimaError
from dokima.limits import FILE_BYTES, TEXT_BYTES
from dokima.model.databases import Access


def regular(path: Path, most: int | None = FILE_BYTES) -> Path:
    """A path, if it is that of a regular file that is not too large, or of none.

    Args:
        path: The path.
        most: The most bytes that it may have; None for any size.

    Raises:
        OSError: It is a pipe, a device, a socket, or too large; its ``strerror`` says so.
    """
    try:
        found = path.stat()  # through links: what is read is what they point at
    except ValueError as error:  # a path with a NUL in it
        raise OSError(errno.EINVAL, str(error)) from None
    if stat.S_ISDIR(found.st_mode):
        raise IsADirectoryError(errno.EISDIR, "it is a folder")
    if not stat.S_ISREG(found.st_mode):
        raise OSError(errno.EINVAL, "it is no regular file")
    if most is not None and found.st_size > most:
        raise OSError(errno.EFBIG, f"expected at most {most // 2**20} MB (it has {found.st_size // 2**20})")
    return path


def reached(folder: Path, name: str, access: Access) -> Path:
    """The path of a file that a rulebook names.

    Args:
        folder: The folder of the rulebook.
        name: The file, from there.
        access: What the rulebook may reach.

    Raises:
        DokimaError: It lies outside the folder, once links are followed, and the rulebook is not trusted with all.
    """
    path = folder / name
    try:
        is_inside = path.resolve().is_relative_to(folder.resolve())
    except (OSError, ValueError, RuntimeError):
        return path  # whoever reads it says what is wrong with it
    if not is_inside and access.trust != "all":
        raise DokimaError(f"'{name}' lies outside the folder of the rulebook; --trust all lets it be read")
    return path


def files_in(folder: Path, ending: str = "") -> list[Path]:
    """What is in a folder, by name; nothing where there is no such folder.

    Args:
        folder: The folder.
        ending: Only files whose names end so, in any case; but none that is hidden, such as ``._a.json``.

    Raises:
        DokimaError: It cannot be looked into. A search by pattern would pass over that and find nothing.
    """
    try:
        names = os.listdir(folder)
    except (FileNotFoundError, NotADirectoryError):
        return []
    except (OSError, ValueError) as error:  # a path with a NUL in it
        raise DokimaError(f"'{folder}' cannot be read: {getattr(error, 'strerror', None) or error}") from None
    if ending:
        names = [name for name in names if not name.startswith(".") and name.lower().endswith(ending)]
    return [folder / name for name in sorted(names)]


def text_of(path: Path, most: int = TEXT_BYTES) -> str:
    """The text of a file in UTF-8.

    Raises:
        OSError: It cannot be read, is no regular file, or is too large.
        UnicodeDecodeError: It is not UTF-8.
    """
    return regular(path, most).read_text(encoding="utf-8")
