"""Line numbers: text such as ``10`` or ``10/20``, which is the whole address of a line."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

from dokima.model.arguments import came

STEP = 10
"""New lines are numbered in steps of ten, so that there is room between them."""

_ADDRESS = re.compile(r"[0-9]{1,12}(/[0-9]{1,12})*", re.ASCII)

Address = tuple[int, ...]
"""A line number taken apart; sorts in the sequence of the lines, each parent before its sub-lines."""


def read_address(number: object, between: str = "/") -> Address:
    """A line number taken apart: ``"10/20"`` is (10, 20). Leading zeros do not count.

    Args:
        number: The number.
        between: What stands between its parts.

    Raises:
        ValueError: Not a line number; says what was expected and what came.
    """
    text = str(number) if isinstance(number, int) and not isinstance(number, bool) else number
    address = None
    # Of a file that writes 10.20 a 10/20 is none, and would come back as another number.
    if isinstance(text, str) and (between == "/" or "/" not in text):
        address = _address_of(text.replace(between, "/"))
    if address is None:
        raise ValueError(f"expected a line number such as 10 or 10{between}20 (got {came(number)})")
    return address


def is_address(number: object) -> bool:
    """Whether something is a line number."""
    try:
        read_address(number)
    except ValueError:
        return False
    return True


def levels_hint(number: str) -> str:
    """What is said of a number whose parts are separated by another mark; blank for what is no line number at all."""
    mark = next((each for each in ".-" if each in number and _address_of(number.replace(each, "/"))), "")
    return f"; a layout with levels = '{mark}' reads it as {number.replace(mark, '/')}" if mark else ""


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
