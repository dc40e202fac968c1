"""TOML text (TOML 1.0) as plain data, numbers exact; what is wrong with it is told with its row."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from dokima.limits import NESTING, NUMBER_DIGITS
from dokima.model.parsing import MOST_DIGITS, TOO_DEEP, a_number


class TomlError(ValueError):
    """A text is not TOML, or more of it than is read.

    Attributes:
        row: Where, counted from 1; None if it is about all of it.
    """

    def __init__(self, message: str, row: int | None = None) -> None:
        super().__init__(message)
        self.row = row


def _hint(line: str, at: int) -> str:
    """What nearly always helps where a line of TOML goes wrong; blank for anything else."""
    rest = line[at:]
    if not rest:
        return "; a text that begins on a line ends on it, in the same quotes" if line.count('"') % 2 else ""
    if re.match(r"[^\W\d_]", rest) and re.search(r"[=\[,]\s*$", line[:at]):
        return "; a text stands in quotes"
    if re.match(r"\w", rest) and line[:at].endswith('"'):
        return "; within double quotes stand single ones: \"date('2026-03-02')\""
    return ""


def parse_toml(text: str) -> dict[str, Any]:
    """TOML as plain data; numbers with a point become `Decimal`.

    Raises:
        TomlError: It is not TOML, it is nested too deeply, or a number has too many digits.
    """
    try:
        data = tomllib.loads(text, parse_float=a_number)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        said = re.sub(r"\s*\(at .*\)", "", str(error))
        column = f" at column {place[2]}" if place else ""
        row = int(place[1]) if place else None
        hint = _hint(text.split("\n")[row - 1], int(place[2]) - 1) if place and row else ""
        raise TomlError(f"this is not TOML: {said[0].lower()}{said[1:]}{column}{hint}", row) from None
    except RecursionError:
        raise TomlError(TOO_DEEP.format(what="TOML")) from None
    except ValueError:  # Python's own bound of the digits of a whole number
        found = re.search(rf"[0-9_]{{{MOST_DIGITS},}}", text)
        row = None if found is None else text.count("\n", 0, found.start()) + 1
        raise TomlError(f"expected a number of at most {NUMBER_DIGITS} digits (got one of very many)", row) from None
    if _is_deeper(data, NESTING):
        raise TomlError(TOO_DEEP.format(what="TOML"))
    return data


def _is_deeper(value: Any, levels: int) -> bool:
    """Whether tables and arrays lie within each other deeper than some levels."""
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, list) else ()
    return (levels < 0 and bool(inner)) or any(_is_deeper(each, levels - 1) for each in inner)
