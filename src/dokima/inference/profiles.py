"""What the cells of one column are: numbers in which marks, dates in which form, flags, codes, texts."""

from __future__ import annotations

import datetime
import math
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from functools import cached_property
from itertools import combinations
from typing import Any
from unicodedata import category

from dokima.columns.column import Kind
from dokima.inference.words import CURRENCIES, UNITS, plain
from dokima.model.values import Minus, as_typed, bare_number

Marks = tuple[str, str]
"""The decimal mark and the mark between thousands, blank for none."""

MARKS: tuple[Marks, ...] = (
    (".", ""),
    (",", ""),
    (",", "."),
    (".", ","),
    (",", " "),
    (".", "'"),
    (",", "'"),
    (".", " "),
)
"""Marks that numbers are tried with, the plainest first."""
MARK_WORDS = {".": "point", ",": "comma", " ": "space", "'": "apostrophe", "": "none"}

DATE_FORMS: Mapping[str, str] = {
    "%Y-%m-%d": "year-month-day", "%d.%m.%Y": "day.month.year", "%d/%m/%Y": "day/month/year",
    "%m/%d/%Y": "month/day/year", "%d-%m-%Y": "day-month-year", "%Y/%m/%d": "year/month/day",
    "%Y%m%d": "yearmonthday", "%d.%m.%y": "day.month.year of two digits", "%d/%m/%y": "day/month/year of two digits",
    "%m/%d/%y": "month/day/year of two digits", "%d-%b-%Y": "day-month-year, the month as a short name",
    "%d-%b-%y": "day-month-year of two digits, the month as a short name", "%d %b %Y": "day, short month, year",
    "%d %B %Y": "day, month, year", "%b %d, %Y": "short month, day, year", "%B %d, %Y": "month, day, year",
}  # fmt: skip
"""Forms that dates are tried with, in the codes of strptime."""

AND = " | "
"""Between two forms of the dates of one column."""

_DRESSED = re.compile(
    r"[(+-]?\s*(?P<before>[^\d\s.,'\u2019()+-]*)\s*[(+-]?\s*[\d.,'\u2019 \u00a0\u2009\u202f]*\d\s*(?P<close>[)-]?)"
    r"\s*(?P<after>[^\d\s.,'\u2019()+-]*)\s*[)-]?"
)
"""A number with what may stand beside it: ``$(1,234.50)``, ``5,00- €``."""
_TIME = re.compile(r"[ T]\d{1,2}:\d{2}(:\d{2}(\.\d{1,6})?)?(Z|[+-]\d{2}:?\d{2})?$")
_ISO = re.compile(r"\d{4}-\d{2}-\d{2}")
_LOOKS_LIKE_DATE = re.compile(
    r"\d{1,4}([./-])\d{1,2}\1\d{1,4}|(19|20)\d{6}|\d{1,2}([ -])[A-Za-z]{3,9}\3\d{2,4}|[A-Za-z]{3,9} \d{1,2}, \d{4}"
)
FLAG_PAIRS = (("true", "false"), ("yes", "no"), ("y", "n"), ("j", "n"), ("ja", "nein"), ("oui", "non"), ("x", ""))
MOST_OF = 0.95
MANY = 20
"""Of so many cells, this share settles what they are; the others are told as exceptions. Of fewer, all must agree."""
FLOAT_PLACES = 6
"""Binary floats are read to at least so many decimal places: the next file may have more than this one."""
FEW = 12
"""Most distinct texts that are told as codes."""


@dataclass(frozen=True)
class Profile:
    """What the cells of one column are.

    Attributes:
        heading: The heading.
        cells: The cells; a blank is None.
        kind: Their kind.
        marks: Marks that read all of its numbers; empty for a column of no numbers in text.
        dates: Forms that read all of its dates; empty for a column of no dates in text.
        certain: Whether a cell settles the marks, or the form, for itself.
        why: What speaks for it.
        has_floats: Whether its numbers are binary floats.
        beside: What stands beside its numbers in text, such as €; ``cells`` are without it.
        minus: Where the minus of these stands; in ``cells`` it is before the number.
    """

    heading: str
    cells: Sequence[Any]
    kind: Kind
    marks: Sequence[Marks] = ()
    dates: Sequence[str] = ()
    certain: bool = True
    why: str = ""
    has_floats: bool = False
    beside: str = ""
    minus: Minus = "before"

    @property
    def filled(self) -> list[Any]:
        """The cells that are not blank."""
        return [cell for cell in self.cells if cell is not None]

    @cached_property
    def counts(self) -> Mapping[Any, int]:
        """How often each value is there."""
        return Counter(self.filled)

    @property
    def is_number(self) -> bool:
        """Whether it holds numbers."""
        return self.kind in ("decimal", "integer")

    @property
    def dressed(self) -> str:
        """What is said of what stands beside its numbers, and of their minus; blank for nothing."""
        minus = {"before": "", "after": "; the minus after them", "brackets": "; brackets for a minus"}[self.minus]
        return (f"; {self.beside} beside them" if self.beside else "") + minus

    @property
    def places(self) -> int:
        """The decimal places that binary floats are read to."""
        used = (-int(cell.as_tuple().exponent) for cell in self.cells if isinstance(cell, Decimal))
        return max(FLOAT_PLACES, *used)

    def codes(self) -> str:
        """Its values with their counts, where there are few: ``STK 310, QM 40``; blank for many."""
        if not 1 < len(self.counts) <= FEW or len(self.filled) < 2 * len(self.counts):
            return ""
        return ", ".join(f"{value} {count}" for value, count in Counter(self.counts).most_common())

    def numbers(self, marks: Marks) -> list[Decimal | None]:
        """The cells as numbers."""
        return [number(cell, marks) for cell in self.cells]


def profile(heading: str, cells: Sequence[Any]) -> Profile:
    """Find out what the cells of a column are."""
    if any(isinstance(cell, float) for cell in cells):
        exact = [_shortest(cell) if isinstance(cell, float) else cell for cell in cells]
        return replace(_profile(heading, exact), cells=exact, has_floats=True)
    beside, minus = _dress([cell for cell in cells if isinstance(cell, str)])
    if beside or minus != "before":
        bare = [
            bare_number(cell, [beside] if beside else [], minus) if isinstance(cell, str) else cell for cell in cells
        ]
        found = _profile(heading, bare)
        if found.is_number:
            found = replace(found, beside=beside, minus=minus)
            return replace(found, why=f"{found.why}{found.dressed}")
    return _profile(heading, cells)


def _profile(heading: str, cells: Sequence[Any]) -> Profile:
    filled = [cell for cell in cells if cell is not None]
    count = len(filled)
    if not filled:
        return Profile(heading, cells, "text", why="no cell is filled")
    if all(isinstance(cell, datetime.date) for cell in filled):
        return Profile(heading, cells, "date", why=f"{count} of {count} cells are dates of the file")
    if all(isinstance(cell, bool) for cell in filled):
        return Profile(heading, cells, "flag", why=f"{count} of {count} cells are flags of the file")
    texts = [cell.strip() for cell in filled if isinstance(cell, str)]
    if len(texts) < count and any(isinstance(cell, datetime.date | bool) for cell in filled):
        return Profile(heading, cells, "text", why="cells are of several kinds")
    zeros = sum(1 for text in texts if re.fullmatch(r"0\d+", text))
    if zeros:
        return Profile(heading, cells, "text", why=f"{zeros} of {count} cells begin with a zero that must stay")
    dates = _dates(heading, cells, texts) if len(texts) == count else None
    return dates or _numbers(heading, cells, filled, texts) or _words(heading, cells, texts, count)


def _dress(texts: Sequence[str]) -> tuple[str, Minus]:
    """What stands beside each number of a column, one sign of a currency or of percent, and where the minus stands."""
    # A run of spaces is one: what may stand at several places of a pattern takes forever to be found at none.
    matches = [found for text in texts if (found := _DRESSED.fullmatch(" ".join(text.split())))]
    if not _enough(len(matches), len(texts)):
        return "", "before"
    beside = {word for found in matches if (word := found["before"] + found["after"])}
    units = all(found["after"] and plain(found["after"]) in UNITS for found in matches)  # one unit for all says nothing
    if len(beside) > 1 or not (
        units or all(word == "%" or word in CURRENCIES or category(word[0]) == "Sc" for word in beside)
    ):
        return "", "before"  # of several currencies each says something
    bracketed = any(found["close"] == ")" for found in matches)
    behind = any(found["close"] == "-" for found in matches)
    return "".join(beside), "brackets" if bracketed else "after" if behind else "before"


def _dates(heading: str, cells: Sequence[Any], texts: Sequence[str]) -> Profile | None:
    parts = [_day_and_time(text) for text in texts]
    # A time of day is written alike in all cells, or the column is none of days.
    ((time, _),) = Counter(form for _, form in parts).most_common(1) or [("", 0)]
    days = [day if form == time else "" for day, form in parts]
    if not _enough(sum(1 for day in days if _LOOKS_LIKE_DATE.fullmatch(day)), len(texts)):
        return None
    meets = {form: [_is_date(day, form) for day in days] for form in DATE_FORMS}
    best = max(sum(each) for each in meets.values())
    if not _enough(best, len(texts)):
        return _of_two_forms(heading, cells, days, time, meets)
    forms = [form for form, each in meets.items() if sum(each) == best]
    odd = _exceptions(texts, meets[forms[0]])
    certain = len(forms) == 1
    deciding = next((day for day in days if len([f for f in DATE_FORMS if _is_date(day, f)]) == 1), "")
    written = [form + time for form in forms]
    why = f"{date_words(written[0])}, {best} of {len(texts)} cells"
    why += (f"; {deciding} settles it" if certain and deciding else "") + odd
    return Profile(heading, cells, "date", dates=written, certain=certain, why=why)


def _of_two_forms(
    heading: str, cells: Sequence[Any], days: Sequence[str], time: str, meets: Mapping[str, Sequence[bool]]
) -> Profile | None:
    """A column whose dates are written in two forms, each cell in one of them: a file that two programs have filled."""
    for one, other in combinations(meets, 2):
        both = [a and b for a, b in zip(meets[one], meets[other], strict=True)]
        either = sum(a or b for a, b in zip(meets[one], meets[other], strict=True))
        if any(both) or either < len(days) or min(sum(meets[one]), sum(meets[other])) < 2:  # one cell is a slip
            continue
        first, second = sorted((one, other), key=lambda form: -sum(meets[form]))
        why = f"{date_words(first)}, {sum(meets[first])} cells, and {date_words(second)}, {sum(meets[second])}"
        return Profile(heading, cells, "date", dates=[f"{first}{time}{AND}{second}{time}"], certain=False, why=why)
    return None


def date_words(form: str) -> str:
    """A form of dates in words, or both of two."""
    if AND in form:
        return " and ".join(date_words(each) for each in form.split(AND))
    day = form.partition("%H")[0][:-1] if "%H" in form else form
    return DATE_FORMS[day] + (" and a time" if "%H" in form else "")


def _day_and_time(text: str) -> tuple[str, str]:
    """What stands before a time of day, and the form of that in the codes of strptime; blank for no time."""
    found = _TIME.search(text)
    return (text[: found.start()], _time_form(found[0])) if found else (text, "")


def _time_form(text: str) -> str:
    zone = "Z" if text.endswith("Z") else "%z" if re.search(r"[+-]\d\d:?\d\d$", text) else ""
    fraction = ".%f" if "." in text else ""
    return f"{text[0]}%H:%M{':%S' if text.count(':') > 1 + (zone == '%z' and text[-3] == ':') else ''}{fraction}{zone}"


def _enough(count: int, of: int) -> bool:
    """Whether so many cells of a column settle what it is."""
    return count == of if of < MANY else count >= MOST_OF * of


def _exceptions(texts: Sequence[Any], fits: Sequence[bool]) -> str:
    """The cells that are something else, as far as there are any."""
    odd = [str(text) for text, fit in zip(texts, fits, strict=True) if not fit]
    return f"; not {', '.join(odd[:3])}{' ...' if len(odd) > 3 else ''}" if odd else ""


def _is_date(text: str, form: str) -> bool:
    try:
        found = datetime.datetime.strptime(text, form)
    except ValueError:
        return False
    # strptime reads a year of two digits in %Y too; a written form has four.
    is_short = bool(re.search(r"(?:^|\D)\d\d$", text)) and not re.match(r"\d{4}", text)
    return 1900 <= found.year <= 2200 and (("%y" in form) == is_short)


def _numbers(heading: str, cells: Sequence[Any], filled: Sequence[Any], texts: Sequence[str]) -> Profile | None:
    hits = {each: [number(cell, each) is not None for cell in filled] for each in MARKS}
    best = max(sum(each) for each in hits.values())
    if not _enough(best, len(filled)):
        return None
    marks = [each for each in MARKS if sum(hits[each]) == best]
    count = len(filled)
    read = [found for cell in filled if (found := number(cell, marks[0])) is not None]
    settled = (text for text in texts if _has_mark(text) and _meanings(text, MARKS) == _meanings(text, marks[:1]))
    deciding = next(settled, "")
    values = {tuple(number(cell, each) for cell in filled) for each in marks}
    kind: Kind = "integer" if all(each == each.to_integral_value() for each in read) else "decimal"
    said = "numbers of the file" if not texts else _marks_said(marks[0], texts)
    settles = f"; {deciding} settles it" if deciding and len(values) == 1 else ""
    why = f"{said}, {best} of {count} cells{settles}{_exceptions(filled, hits[marks[0]])}"
    return Profile(heading, cells, kind, marks=marks if texts else (), certain=len(values) == 1, why=why)


def _has_mark(text: str) -> bool:
    return bool(re.search(r"[.,' \u00a0]", text))


def _meanings(text: str, marks: Sequence[Marks]) -> set[Decimal]:
    return {found for each in marks if (found := number(text, each)) is not None}


def _marks_said(marks: Marks, texts: Sequence[str]) -> str:
    decimal, thousands = marks
    if not any(_has_mark(text) for text in texts):
        return "whole numbers"
    parts = [f"decimal {MARK_WORDS[decimal]}"]
    if thousands and any(thousands in text for text in texts):
        parts.append(f"{MARK_WORDS[thousands]} between thousands")
    return ", ".join(parts)


def _shortest(value: float) -> Decimal | None:
    """A binary float as the decimal of at most fifteen digits that it was made of; None for none."""
    if not math.isfinite(value):
        return None
    return Decimal(f"{Decimal(f'{value:.15g}').normalize():f}")  # 70 and not 7E+1, which is no key of a price list


def number(cell: Any, marks: Marks) -> Decimal | None:
    """A cell as a number in some marks; None if it is none."""
    if isinstance(cell, bool) or cell is None:
        return None
    if isinstance(cell, int | Decimal):
        return Decimal(cell)
    if not isinstance(cell, str):
        return None
    decimal, thousands = marks
    text = as_typed(cell.strip())
    whole, point, rest = text.partition(decimal)
    sign, digits = ("-", whole[1:]) if whole.startswith("-") else ("", whole.removeprefix("+"))
    if thousands and thousands in digits:
        if not re.fullmatch(rf"\d{{1,3}}({re.escape(thousands)}\d{{3}})+", digits):
            return None
        digits = digits.replace(thousands, "")
    if not re.fullmatch(r"\d+", digits or "0") or (point and not re.fullmatch(r"\d+", rest)):
        return None
    return Decimal(f"{sign}{digits or '0'}{'.' + rest if point else ''}") if digits or rest else None


def _words(heading: str, cells: Sequence[Any], texts: Sequence[str], count: int) -> Profile:
    known = {text.casefold() for text in texts}
    if len(texts) == count and known:
        for yes, no in FLAG_PAIRS:
            if known <= {yes, no} and len(known) == 2:
                return Profile(heading, cells, "flag", why=f"{yes.upper()} or {no.upper()}, {count} of {count} cells")
    if len(known) == 1:
        return Profile(heading, cells, "text", why=f"{texts[0]} in {count} of {len(cells)} cells")
    return Profile(heading, cells, "text", why=f"{len(known)} different texts in {count} cells")


@dataclass(frozen=True)
class FileProfile:
    """The columns of a file, read in one way.

    Attributes:
        columns: The columns by heading.
        marks: Marks that serve all of its numbers in text.
        marks_certain: Whether no other marks would read other numbers.
        dates: The form that serves its dates in text, blank for none.
        dates_certain: Whether no other form reads them.
        open_marks: A column and a cell that could mean two numbers; blank where none could.
        said_once: The columns of the header, where the file has their cells on the first row of an order only.
    """

    columns: Mapping[str, Profile]
    marks: Marks = (".", "")
    marks_certain: bool = True
    dates: str = ""
    dates_certain: bool = True
    other_dates: Sequence[str] = field(default_factory=tuple)
    open_marks: tuple[str, str] = ("", "")
    said_once: Sequence[str] = ()

    @property
    def written(self) -> dict[str, Any]:
        """How its numbers and dates are written, as the settings of a layout or table."""
        beside = sorted({each.beside for each in self.columns.values() if each.beside})
        minus = sorted({each.minus for each in self.columns.values()} - {"before"})
        said = {
            "decimal": self.marks[0] if self.marks[0] != "." else "",
            "thousands": self.marks[1],
            "beside": beside,
            "minus": minus[0] if minus else "",
            "dates": self._dates,
        }
        return {key: value for key, value in said.items() if value}

    @property
    def _dates(self) -> str | list[str]:
        """The form of its dates, or a list of two."""
        if AND in self.dates:
            return self.dates.split(AND)
        return "" if self.dates == "%Y-%m-%d" and self._is_iso else self.dates

    @property
    def _is_iso(self) -> bool:
        """Whether its dates are written as ISO 8601 wants them, 2026-03-02 and not 2026-3-2."""
        texts = [cell for each in self.columns.values() if each.dates for cell in each.filled if isinstance(cell, str)]
        return all(_ISO.fullmatch(text.strip()) for text in texts)

    def numbers(self, heading: str) -> list[Decimal | None]:
        """The cells of a column as numbers."""
        return self.columns[heading].numbers(self.marks)


def profile_file(columns: Mapping[str, Sequence[Any]]) -> FileProfile:
    """Find out what the columns of a file are, with one pair of marks and one form of dates for all of them."""
    found = {heading: profile(heading, cells) for heading, cells in columns.items()}
    written = [each for each in found.values() if each.marks]
    shared = [marks for marks in MARKS if all(marks in each.marks for each in written)]
    shared = shared or [max(MARKS, key=lambda marks: sum(marks in each.marks for each in written))]
    ways = {marks: [each.numbers(marks) for each in written] for marks in shared}
    differ = [marks for marks in shared if ways[marks] != ways[shared[0]]]
    lost = {each.heading for each in written if shared[0] not in each.marks}
    found |= {
        heading: Profile(heading, found[heading].cells, "text", why="no number in the marks of the other columns")
        for heading in lost
    }
    found |= {each.heading: _read_again(each, shared[0]) for each in written if each.heading not in lost}
    dated = [each for each in found.values() if each.dates]
    forms = [form for form in dated[0].dates if all(form in each.dates for each in dated)] if dated else []
    return FileProfile(
        found,
        shared[0],
        not differ,
        forms[0] if forms else "",
        len(forms) <= 1 and AND not in "".join(forms),
        forms[1:],
        _open_cell(written, shared[0], differ) if differ else ("", ""),
    )


def _read_again(each: Profile, marks: Marks) -> Profile:
    """A column as the marks of the whole file read it."""
    read = [found for cell in each.filled if (found := number(cell, marks)) is not None]
    whole = all(found == found.to_integral_value() for found in read)
    texts = [cell for cell in each.filled if isinstance(cell, str)]
    odd = _exceptions(each.filled, [number(cell, marks) is not None for cell in each.filled])
    why = f"{_marks_said(marks, texts)}, {len(read)} of {len(each.filled)} cells{odd}{each.dressed}"
    return replace(each, kind="integer" if whole else "decimal", why=why)


def _open_cell(written: Sequence[Profile], first: Marks, others: Sequence[Marks]) -> tuple[str, str]:
    for each in written:
        for cell in each.filled:
            if isinstance(cell, str) and any(number(cell, marks) != number(cell, first) for marks in others):
                return each.heading, cell
    return "", ""
