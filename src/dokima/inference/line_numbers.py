"""Which column numbers the lines: whole numbers that rise within every order, or addresses such as 01.02.0030."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from dokima.inference.profiles import Profile
from dokima.inference.words import suggests
from dokima.model.addresses import Address

POINT = "."
"""What stands between the parts of a line number of several levels."""

_NUMBER = re.compile(r"\d{1,12}(\.\d{1,12})*", re.ASCII)


class LineNumber(NamedTuple):
    """The column that numbers the lines.

    Attributes:
        heading: Its heading.
        is_address: Whether points stand between the parts of its numbers.
        why: What speaks for it.
    """

    heading: str
    is_address: bool
    why: str


def line_number(columns: Mapping[str, Profile], groups: Sequence[int]) -> LineNumber | None:
    """The column whose numbers rise within every order, each once; None if there is none.

    Args:
        columns: The columns by heading.
        groups: For each row the place of its order.
    """
    rising: list[tuple[bool, int, str, bool]] = []
    for heading, each in columns.items():
        numbers = line_numbers(each)
        if numbers is None or not _rises(zip(numbers, groups, strict=True)):
            continue
        # Backwards, so that what stays of an order is its first.
        first = set(dict(zip(reversed(groups), reversed(numbers), strict=True)).values())
        rising.append((len(first) == 1, suggests(heading, "line.number"), heading, is_deep(numbers)))
    if not rising or not (max(rising)[0] or max(rising)[1]):
        return None
    *_, heading, is_address = max(rising)
    why = "rises by line within every order, and begins anew in each"
    return LineNumber(heading, is_address, f"{why}; 01.02 stands below 01" if is_address else why)


def begins_anew(numbers: Sequence[Address], groups: Sequence[int]) -> bool:
    """Whether line numbers begin anew where an order begins, and nowhere else."""
    steps = zip(numbers, numbers[1:], groups, groups[1:], strict=False)
    return all((after <= before) == (group != of) for before, after, of, group in steps)


def is_deep(numbers: Sequence[Address]) -> bool:
    """Whether some lines stand below others, as in a bill of quantities."""
    return any(len(number) > 1 for number in numbers)


def line_numbers(each: Profile) -> list[Address] | None:
    """The cells as line numbers; None if one is none, or stands below a line that is not there."""
    if len(each.filled) < len(each.cells):
        return None
    texts = [str(cell).strip() for cell in each.cells]
    if not all(_NUMBER.fullmatch(text) for text in texts):
        return None
    numbers = [tuple(map(int, text.split(POINT))) for text in texts]
    # Quantities of 1 and 1.5 are none: numbers with a point must be called so, or be written as no number is. Of binary
    # floats nobody knows whether 1.1 was 1.10.
    if is_deep(numbers) and (each.has_floats or (each.kind != "text" and not suggests(each.heading, "line.number"))):
        return None
    above: set[Address] = set()
    last: Address = ()
    for number in numbers:
        if number <= last:
            above = set()  # an order begins
        if len(number) > 1 and number[:-1] not in above:
            return None
        above.add(number)
        last = number
    return numbers


def _rises(rows: Iterable[tuple[Address, Any]]) -> bool:
    last: dict[Any, Address] = {}
    for number, group in rows:
        if number <= last.get(group, ()):
            return False
        last[group] = number
    return True
