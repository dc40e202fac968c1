"""Numbers for lines: at the end, between two others, and all anew."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from dokima.errors import Refused
from dokima.model.addresses import STEP, Address, read_address, write_address
from dokima.model.document import Document


def number_between(document: Document, before: str | None, after: str | None, taken: Collection[Address] = ()) -> str:
    """A number right before one line, or right after another: between 10 and 20 it is 15, or near it where that is
    taken by a line of another document.

    Raises:
        Refused: There is no whole number left between them.
    """
    place = read_address(before if before is not None else after)
    parent, own = place[:-1], place[-1]
    siblings = sorted(a[-1] for a in document.addresses() if len(a) == len(place) and a[:-1] == parent)
    at = siblings.index(own)
    if before is not None:
        low, high = (siblings[at - 1] if at else 0), own
    else:
        low, high = own, siblings[at + 1] if at + 1 < len(siblings) else own + 2 * STEP
    free = [each for each in range(low + 1, min(high, low + 1000)) if (*parent, each) not in taken]
    if not free:
        low_number, high_number = write_address((*parent, low)), write_address((*parent, high))
        raise Refused(f"there is no room between {low_number} and {high_number}; renumber_lines() makes some")
    middle = (low + high) // 2
    return write_address((*parent, min(free, key=lambda each: (abs(each - middle), each))))


def renumbered(document: Document) -> tuple[Document, dict[str, str]]:
    """All lines in steps of ten, sub-lines below their parents; records that name a line follow it.

    Returns:
        The document, and the new number of each old one.
    """
    new: dict[Address, Address] = {(): ()}
    last: dict[Address, int] = {}
    for address in sorted(document.addresses()):
        parent = new[address[:-1]]
        last[parent] = last.get(parent, 0) + STEP
        new[address] = (*parent, last[parent])
    numbers = {write_address(old): write_address(address) for old, address in new.items() if old}
    lines = {numbers[number]: {**fields, "number": numbers[number]} for number, fields in document.lines.items()}
    header = {name: _followed(value, numbers) for name, value in document.header.items()}
    return Document(header, lines), numbers


def _followed(value: Any, numbers: Mapping[str, str]) -> Any:
    """A list of records with the lines they name renumbered; anything else as it is."""
    if not isinstance(value, list):
        return value
    return [{**each, "line": numbers[each["line"]]} if each.get("line") in numbers else each for each in value]
