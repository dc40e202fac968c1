"""Line numbers: text such as ``10`` or ``10/20``, which is the whole address of a line."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

STEP = 10
"""New lines are numbered in steps of ten, so that there is room between them."""

_ADDRESS = re.compile(r"[0-9]{1,12}(/[0-9]{1,12})*", re.ASCII)

Address = tuple[int, ...]
"""A line number taken apart; sorts in the sequence of the lines, each parent before its sub-lines."""


def read_address(number: object) -> Address:
    """A line number taken apart: ``"10/20"`` is (10, 20). Leading zeros do not count.

    Raises:
        ValueError: Not a line number; says what was expected and what came.
    """
    text = str(number) if isinstance(number, int) and not isinstance(number, bool) else number
    address = _address_of(text) if isinstance(text, str) else None
    if address is None:
        raise ValueError(f"expected a line number such as 10 or 10/20 (got {number!r})")
    return address


@lru_cache(maxsize=1000)  # orders number their lines alike
def _address_of(text: str) -> Address | None:
    text = text.strip()
    return tuple(map(int, text.split("/"))) if _ADDRESS.fullmatch(text) else None


def write_address(address: Address) -> str:
    """The line number of an address: (10, 20) is ``10/20``."""
    return "/".join(map(str, address))


def lineage(number: str) -> list[str]:
    """The numbers of the parent lines of a line, the topmost first, and its own: 10, 10/20 and 10/20/30."""
    parts = number.split("/")
    return ["/".join(parts[: depth + 1]) for depth in range(len(parts))]


def next_number(used: Iterable[Address], parent: Address = ()) -> Address:
    """The number after the last line of a parent, in steps of ten."""
    depth = len(parent)
    last = max((address[depth] for address in used if len(address) > depth and address[:depth] == parent), default=0)
    return (*parent, after(last))


def after(last: int) -> int:
    """The number after a number of the same level, in steps of ten."""
    return last - last % STEP + STEP
