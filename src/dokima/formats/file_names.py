"""File names out of order numbers: one function, so that no number ever names a place outside its folder."""

from __future__ import annotations

import re

from dokima.errors import NotFound
from dokima.limits import NAME_CHARACTERS

_FORBIDDEN = re.compile(r'[\x00-\x1f\x7f/\\<>:"|?*]')
_DEVICES = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)


def file_name(number: str) -> str:
    """The name of the file of an order, change or baseline.

    Raises:
        NotFound: The file systems of Linux, macOS and Windows cannot all hold it; says why.
    """
    why = ""
    if not number or number != number.strip() or number.endswith(".") or number.startswith("."):
        why = "it is blank, or begins or ends with a blank or a dot"
    elif _FORBIDDEN.search(number):
        why = 'it holds a control character or one of / \\ < > : " | ? *'
    elif _DEVICES.fullmatch(number):
        why = "it is the name of a device on Windows"
    elif len(number) > NAME_CHARACTERS:
        why = f"it is longer than {NAME_CHARACTERS} characters"
    if why:
        raise NotFound(f"expected a number that can name a file (got {number[:60]!r}: {why})")
    return f"{number}.json"
