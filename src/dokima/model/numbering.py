"""Numbers of orders: patterns with the year of the order and a counter."""

from __future__ import annotations

import datetime
import re
from dataclasses import dataclass

from dokima.errors import DokimaError
from dokima.model.settings import setting

_PART = re.compile(r"\{([^{}]*)\}")
_COUNTER = re.compile(r"counter(:0[1-9])?")


@dataclass(frozen=True)
class NumberSeries:
    """How orders of a kind are numbered when they are saved without a number."""

    pattern: str = setting(
        "The number: text with {counter} or {counter:05} (so many digits), {year} and {month} of header.date."
    )
    gapless: bool = setting(
        "Whether no number may be left out. Saving then waits for whoever is drawing one of the same series.",
        default=True,
    )
    start: int = setting("The first number of a series.", default=1)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        parts = _PART.findall(self.pattern)
        odd = [part for part in parts if part not in ("year", "month") and not _COUNTER.fullmatch(part)]
        if odd:
            return f"expected {{counter}}, {{counter:05}}, {{year}} and {{month}} in 'pattern' (got '{{{odd[0]}}}')"
        if sum(part.startswith("counter") for part in parts) != 1:
            return f"expected one {{counter}} in 'pattern' (got '{self.pattern}')"
        return "expected 'start' of at least 0" if self.start < 0 else ""

    def series(self, day: datetime.date | None) -> str:
        """The pattern with year and month filled in: each such text counts for itself.

        Args:
            day: The date of the order.

        Raises:
            DokimaError: The pattern wants a date and there is none.
        """

        def part(found: re.Match[str]) -> str:
            if found[1].startswith("counter"):
                return found[0]
            if day is None:
                raise DokimaError(f"the number '{self.pattern}' needs header.date, which is blank")
            return f"{day.year:04}" if found[1] == "year" else f"{day.month:02}"

        return _PART.sub(part, self.pattern)


def numbered(series: str, counter: int) -> str:
    """The number that a series gives at a counter."""
    return _PART.sub(lambda found: f"{counter:{found[1].partition(':')[2] or '01'}}", series)


def counter_of(series: str, number: str) -> int | None:
    """The counter that gives a number in a series; None if the number is not of that series."""
    before, after = _PART.split(series)[0], _PART.split(series)[-1]
    digits = number[len(before) : len(number) - len(after)]
    if not (number.startswith(before) and number.endswith(after) and digits.isascii() and digits.isdigit()):
        return None
    return int(digits) if numbered(series, int(digits)) == number else None
