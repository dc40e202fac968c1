"""Orders from standard input, named by ``-``: JSON, JSON lines, or CSV in a layout."""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from dokima import DokimaError
from dokima.cli.closing import AT_END

STANDARD_INPUT = "-"


def standard_input() -> Path:
    """What standard input holds, as a file that is gone when the command ends.

    Raises:
        DokimaError: Nothing came.
    """
    content = sys.stdin.buffer.read()
    if not content.strip():
        raise DokimaError("expected orders on standard input (nothing came)")
    folder = Path(AT_END.enter_context(TemporaryDirectory(prefix="dokima-")))
    file = folder / f"standard-input{_ending(content)}"
    file.write_bytes(content)
    return file


def _ending(content: bytes) -> str:
    """The ending that says how the content is read: an object on each of several lines is JSON lines."""
    text = content.removeprefix(b"\xef\xbb\xbf").strip()
    if text[:4] == b"PAR1":
        return ".parquet"
    if text[:2] == b"PK":
        return ".xlsx"
    if text[:1] not in (b"{", b"["):
        return ".csv"
    lines = text.splitlines()
    return (
        ".jsonl"
        if len(lines) > 1 and all(line[:1] == b"{" and line.rstrip()[-1:] == b"}" for line in lines)
        else ".json"
    )
