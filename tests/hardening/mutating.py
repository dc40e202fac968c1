"""Damage: orders, texts and files changed at random, the same for the same seed."""

from __future__ import annotations

import copy
import io
import random
import zipfile
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

VALUES: tuple[Any, ...] = (
    None, "", " ", "x", "=1+1", "@SUM(1)", "\t", "\r\n", "\x00", "\x1b[31m", "\u202eabc", "[/]", "[bold]x", "{header.number}",
    "9" * 60, "-0", "0", "1e5", "1e400", "1E-400", "0." + "3" * 60, ".", "-", "٣", "NaN", "Infinity", "true", "2026-02-30",
    "0001-01-01", "9999-12-31", "2026-03-02T00:00:00", "10/10", "10/10/10/10/10/10/10", "../../x", "/abs", "CON", "a" * 5000,
    0, -1, 1, 10**30, 1.5, float("inf"), float("nan"), True, False, [], {}, [None], [[]], {"x": 1}, {"x": {"y": []}},
    Decimal("1E+50"), Decimal("NaN"), Decimal("-0.00"), (1,), {"lines": []}, "sales", "FERNHOLT", "EUR", "confirmed",
)  # fmt: skip
"""Values that somebody may send where another was meant."""
PIECES = (
    b"\x00", b"\xff\xfe", b"\xef\xbb\xbf", b"\r", b"\n\n", b'"', b"'", b",", b";", b"{", b"}", b"[", b"]", b"=", b"9" * 400,
    b"1e999999999", b"\\ud800", b"null", b"true", b"'''", b'"""', b"#", b"\xc3\x28", b"\xe2\x80\xae", b"/", b"(" * 60, b"not ",
    b" and ", b"'' ", b"line.", b"header.", b"sum(", b"min('',", b"**", b"lambda:0", b"__import__", b"%", b"// 0",
)  # fmt: skip
"""Pieces that are put into a text somewhere."""


def places_of(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place in nested data."""
    yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for name, each in items:
        yield from places_of(each, (*path, name))


def damaged(data: Any, dice: random.Random) -> Any:
    """Nested data with one to three places changed, removed, doubled or renamed."""
    found = copy.deepcopy(data)
    for _ in range(dice.randint(1, 3)):
        places = [path for path in places_of(found) if path]
        if not places:
            return dice.choice(VALUES)
        path = dice.choice(places)
        owner = found
        for step in path[:-1]:
            owner = owner[step]
        match dice.randint(0, 3):
            case 0 if isinstance(owner, dict):
                del owner[path[-1]]
            case 1 if isinstance(owner, dict):
                owner[dice.choice(["", "x", "number", "lines", "line", "price", "\x00", "=1", "a" * 300])] = owner.pop(
                    path[-1]
                )
            case 2 if isinstance(owner, list):
                owner.append(copy.deepcopy(owner[path[-1]]))
            case _:
                owner[path[-1]] = copy.deepcopy(dice.choice(VALUES))
    return found


def torn(content: bytes, dice: random.Random) -> bytes:
    """Bytes with some of them changed, left out, doubled, or something put in between."""
    found = bytearray(content)
    for _ in range(dice.randint(1, 4)):
        at = dice.randrange(len(found) + 1)
        size = dice.choice((1, 1, 2, 5, 20, 200))
        match dice.randint(0, 4):
            case 0:
                del found[at : at + size]
            case 1:
                found[at:at] = found[at : at + size]
            case 2 if at < len(found):
                found[at] = dice.randrange(256)
            case 3:
                del found[at : None if dice.random() < 0.2 else at + size]
            case _:
                found[at:at] = dice.choice(PIECES)
    return bytes(found)


def torn_inside(content: bytes, dice: random.Random) -> bytes:
    """A workbook that is a sound archive, with one of its parts torn, renamed or left out."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
        chosen = dice.choice(old.namelist())
        for name in old.namelist():
            part, fate = old.read(name), dice.randint(0, 5) if name == chosen else -1
            if fate != 0:
                new.writestr(f"x{name}" if fate == 1 else name, torn(part, dice) if fate > 1 else part)
    return out.getvalue()
