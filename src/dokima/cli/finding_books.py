"""Which folder holds the rulebook: the one named, else this folder or the nearest above it."""

from __future__ import annotations

from pathlib import Path

NEAREST = Path()
"""No folder was named."""


def book_folder(named: Path | str | None) -> Path:
    """The folder of the rulebook.

    Args:
        named: The folder that was named; where it is this one, or none, the nearest folder above that holds a
            ``rulebook.toml`` serves as well, so that commands work below a rulebook.
    """
    folder = Path(named or NEAREST)
    if folder != NEAREST:
        return folder
    for each in (Path.cwd(), *Path.cwd().parents):
        if (each / "rulebook.toml").is_file():
            return NEAREST if each == Path.cwd() else each
    return NEAREST
