"""Reading single values as a field wants them: what was expected, what came."""

from __future__ import annotations

import datetime
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import Annotated, Any, Literal

from dokima.errors import ExactError, listed, nearest
from dokima.exact import from_floats, parse
from dokima.model.arguments import MOST_WHOLE_TEXT, came, is_halved
from dokima.model.fields import Field
from dokima.model.settings import Reads, Texts, setting

_ISO_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)
_WORDS = re.compile(r"[^\d\s.,'()+-]+")
_FLAGS = {"true": True, "false": False}

Minus = Literal["before", "after", "brackets"]
"""Where the minus of a number stands: before it, after it, or brackets in its place."""


class BadValue(ValueError):
    """A value that the field cannot hold. The message says what was expected and what came."""


_TYPED = str.maketrans({"\u00a0": " ", "\u2009": " ", "\u202f": " ", "\u2019": "'"})


def as_typed(text: str) -> str:
    """A number with marks as they are typed: French files have no-break spaces between thousands, Swiss ones have ’."""
    return text.translate(_TYPED)


def wrong_choice(field: Field) -> str:
    """What is wrong with the choices of a field, blank for nothing: each is written as a value of its kind."""
    for each in field.choices:
        try:
            _PLAIN.by_kind(field, each)
        except BadValue as error:
            return str(error)
    return ""


def _is_choice(field: Field, read: Any) -> bool:
    """Whether a value is one of the choices, however either is written: 1.0 is 1."""
    if field.kind == "text":
        return read in field.choices
    return _worth(read) in {_worth(_PLAIN.by_kind(field, each)) for each in field.choices}


def _worth(read: Any) -> Any:
    return Fraction(read[0], 10 ** read[1]) if isinstance(read, tuple) else read


@dataclass(frozen=True)
class ValueReader:
    """How values are written in a source.

    Attributes:
        decimal: Decimal mark of numbers in text.
        thousands: Thousands mark, blank for none.
        dates: Forms of dates in text, in the codes of Python's ``strptime``; none for ISO 8601 (2026-03-02).
        beside: What may stand beside a number in text, such as €.
        minus: Where the minus of a number stands: ``before`` it, ``after`` it, or ``brackets`` in its place.
        levels: What stands between the parts of a line's number.
        short_floats: Whether a binary float of at most 15 significant digits is read, in a field that declares places,
            as the decimal that its shortest text shows: a parsed request body has no other numbers.
    """

    decimal: str = "."
    thousands: str = ""
    dates: Sequence[str] = ()
    beside: Sequence[str] = ()
    minus: Minus = "before"
    levels: str = "/"
    short_floats: bool = False

    def read(self, field: Field, value: object) -> Any:
        """The value as the field holds it: text, date, flag, or (units, places) of a number; None for a blank.

        Raises:
            BadValue: The field cannot hold it.
        """
        if field.words:
            return joined_names(value)
        if field.pattern and isinstance(value, str) and value:
            value = _meant(field, value)
        if isinstance(value, str):
            value = field.codes.get(value, value)
        if value is None or value == "":
            return None
        read = self.by_kind(field, value)
        if field.choices and not _is_choice(field, read):
            hint = nearest(value, field.choices) if isinstance(value, str) else ""
            raise BadValue(f"expected one of {listed(field.choices)} (got {came(value)}{hint})")
        return read

    def by_kind(self, field: Field, value: object) -> Any:
        """The value as the kind of the field holds it, whatever its choices.

        Raises:
            BadValue: It is not of that kind.
        """
        match field.kind:
            case "text":
                return _text(_whole(value) if field.floats == "round" else value)
            case "date":
                return self._date(value)
            case "flag":
                return _flag(value)
        return self._number(field, value)

    def _number(self, field: Field, value: object) -> tuple[int, int]:
        places = 0 if field.kind == "integer" else field.places
        if isinstance(value, float) and field.floats == "round" and places is not None:
            rounded = from_floats([value], places)
            return int(rounded.units[0]), rounded.places
        if isinstance(value, float) and self.short_floats and field.places is not None:
            value = _short(value)
        try:
            units, used = parse(self._plain(value))
        except ExactError as error:
            way = ', or say floats = "round" and places for it' if isinstance(value, float) else ""
            raise BadValue(f"{error}{way}{self.hint(value)}") from None
        if places is not None and used > places:
            wanted = "a whole number" if places == 0 else f"at most {places} decimal places"
            raise BadValue(f"expected {wanted} (got {value})")
        return units, used

    def _plain(self, value: object) -> object:
        """Text in the marks of the source as text with a point."""
        if not isinstance(value, str):
            return value
        text = value.strip()
        if self.beside or self.minus != "before":
            text = bare_number(text, self.beside, self.minus)
        if self.decimal == "." and not self.thousands:
            return text
        if self.thousands:
            text, mark = as_typed(text), as_typed(self.thousands)
            group = re.escape(mark)
            whole = text.split(self.decimal, 1)[0]
            if mark in text and not re.fullmatch(rf"[+-]?\d{{1,3}}({group}\d{{3}})+", whole):
                raise self._no_number(value)
            text = whole.replace(mark, "") + text[len(whole) :]
        if self.decimal != "." and "." in text:
            raise self._no_number(value)
        try:
            parse(text.replace(self.decimal, "."))
        except ExactError:
            raise self._no_number(value) from None
        return text.replace(self.decimal, ".")

    def _no_number(self, value: str) -> BadValue:
        return BadValue(f"expected a number such as {self._example()} (got {value!r}){self.hint(value)}")

    def hint(self, value: object) -> str:
        """What a layout or a table must say so that a text is a number; blank if nothing makes it one."""
        if not isinstance(value, str) or self.short_floats:  # a document has no layout
            return ""
        beside = [word for word in _WORDS.findall(value) if word not in self.beside]
        ways: dict[str, dict[str, Any]] = {}
        if beside:
            ways[f"beside = {json.dumps(beside, ensure_ascii=False)}"] = {"beside": (*self.beside, *beside)}
        elif value.endswith("-"):
            ways['minus = "after"'] = {"minus": "after"}
        elif "(" in value:
            ways['minus = "brackets"'] = {"minus": "brackets"}
        elif "," in value:
            ways['decimal = ","'] = {"decimal": ","}
            ways['thousands = ","'] = {"thousands": ","}
            ways['decimal = "," and thousands = "."'] = {"decimal": ",", "thousands": "."}
        said = next((said for said, changes in ways.items() if self._reads(value, changes)), "")
        return said and f"; {said} in its layout or table reads it"

    def _reads(self, value: str, changes: Mapping[str, Any]) -> bool:
        try:
            replace(self, **changes, short_floats=True)._number(Field("", "decimal"), value)  # gives no hints
        except BadValue:
            return False
        return True

    def _example(self) -> str:
        return f"1{self.thousands}234{self.decimal}50"

    def _date(self, value: object) -> datetime.date:
        if isinstance(value, datetime.datetime):
            if value.time() == datetime.time():
                return value.date()
        elif isinstance(value, datetime.date):
            return value
        elif isinstance(value, str):
            if self.dates:
                return self._in_forms(value)
            try:
                if _ISO_DATE.fullmatch(value.strip()):
                    return datetime.date.fromisoformat(value.strip())
            except ValueError:
                pass
        raise self._no_date(value)

    def _in_forms(self, text: str) -> datetime.date:
        """A date in one of the forms; a text that two of them read as different days is none."""
        found: dict[datetime.date, str] = {}
        for form in self.dates:
            with suppress(ValueError):
                found.setdefault(datetime.datetime.strptime(text.strip(), form).date(), form)
        if len(found) > 1:
            days = " or ".join(day.isoformat() for day in found)
            raise BadValue(f"expected a date that only one of the forms reads (got {text!r}, which is {days})")
        for day in found:
            return day
        raise self._no_date(text)

    def _no_date(self, value: object) -> BadValue:
        examples = " or ".join(datetime.date(2026, 3, 2).strftime(form) for form in self.dates or ("%Y-%m-%d",))
        shown = str(value) if isinstance(value, datetime.datetime) else repr(value)
        return BadValue(f"expected a date such as {examples} (got {shown})")


def _meant(field: Field, cell: str) -> str:
    """The part of a cell that a field means: the group of its name, else the first.

    Raises:
        BadValue: The cell does not look so.
    """
    found = re.fullmatch(field.pattern, cell.strip())
    if found is None:
        raise BadValue(f"expected a cell like {field.pattern} (got {cell!r})")
    groups = found.groupdict()
    return (groups[field.name] if field.name in groups else found[1]) or ""


NO_NAMES = "-"
"""What a column says where a list of names is there and holds none; blank says that there is no list."""


def joined_names(value: object) -> str | None:
    """A list of names as the text of a column; None for no list.

    Raises:
        BadValue: It is no list of names.
    """
    if value is None or value == "":
        return None
    names = value.replace(",", " ").split() if isinstance(value, str) else value
    if not isinstance(names, list | tuple) or not all(isinstance(name, str) for name in names):
        raise BadValue(f"expected a list of names (got {came(value)})")
    return " ".join(name for name in names if name != NO_NAMES) or NO_NAMES


def split_names(text: str) -> list[str]:
    """The names in the text of a column."""
    return [name for name in text.split() if name != NO_NAMES]


def bare_number(text: str, beside: Sequence[str], minus: Minus) -> str:
    """A number in text without what stands beside it, its minus before it: ``-5.00`` for ``$(5.00)`` or ``5.00- €``.

    Each is taken away once, whichever of them stands outside: what is left of ``5 € €`` is no number.
    """
    sign, is_bare = "", False
    for _ in range(3):
        text = text.strip()
        found = next((each for each in beside if text.startswith(each) or text.endswith(each)), "")
        if found and not is_bare:
            text = text.removeprefix(found) if text.startswith(found) else text.removesuffix(found)
            is_bare = True
        elif not sign and (bare := _without_minus(text, minus)) != text:
            text, sign = bare, "-"
    return sign + text.strip()


def _without_minus(text: str, minus: Minus) -> str:
    if minus == "brackets" and text.startswith("(") and text.endswith(")"):
        return text[1:-1]
    return text.removesuffix("-") if minus == "after" and text.endswith("-") else text.removeprefix("-")


FLOAT_DIGITS = 15
"""Significant digits that a binary float always keeps (IEEE 754 double precision)."""
MOST_WHOLE = 10**FLOAT_DIGITS
"""Below it every whole number is a binary float of its own."""


def _short(value: float) -> object:
    """A float as the decimal its shortest text shows, if it has so few digits that nothing was lost; else as it is."""
    exact = Decimal(repr(value))
    if not exact.is_finite() or len(exact.as_tuple().digits) > FLOAT_DIGITS:
        return value
    return exact


def _text(value: object) -> str:
    if isinstance(value, str):
        if "\0" in value:
            # No database of ours keeps it, and what reads a text up to its NUL would read another one.
            raise BadValue(f"expected text without the character NUL (got {value[:40]!r})")
        if is_halved(value):
            raise BadValue(f"expected whole characters (got half of a surrogate pair in {value[:40]!a})")
        return value
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) < MOST_WHOLE_TEXT:
        return str(value)
    if isinstance(value, Decimal) and value.as_tuple().exponent == 0:
        return str(value)  # databases hold whole numbers as decimals without places
    way = ', or say floats = "round" for it' if isinstance(value, float) and _whole(value) is not value else ""
    raise BadValue(f"expected text{way} (got {came(value) if isinstance(value, int) else repr(value)})")


def _whole(value: object) -> object:
    """A binary float that is a whole number as that number: an order number 1001 that a data frame keeps as 1001.0."""
    return int(value) if isinstance(value, float) and value.is_integer() and abs(value) < MOST_WHOLE else value


def number_shown(value: object) -> str:
    """The number of an order or a line as it was given, for messages; blank for none."""
    return "" if value is None else str(_whole(value))


def _flag(value: object) -> bool:
    if isinstance(value, bool):
        return value
    read = _FLAGS.get(value.strip().lower()) if isinstance(value, str) else None
    if read is None:
        raise BadValue(f"expected true or false (got {came(value)})")
    return read


@dataclass(frozen=True, kw_only=True)
class Marks:
    """How text in a file is written."""

    separator: Annotated[str, Reads("character")] = setting("What separates cells: one character.", default=",")
    encoding: str = setting("The encoding of the file, such as utf-8 or cp1252.", default="utf-8")
    decimal: Annotated[str, Reads("character")] = setting("The decimal mark of numbers.", default=".")
    thousands: Annotated[str, Reads("thousands")] = setting("The mark between thousands; none if blank.", default="")
    dates: Texts = setting(
        "The form of dates in the codes of strptime, such as %d.%m.%Y, or several forms; ISO 8601 if blank.", default=()
    )
    beside: Texts = setting("What stands beside numbers and says nothing of them, such as € or %.", default=())
    minus: Minus = setting(
        "Where the minus of a number stands: before it, after it, or brackets in its place.", default="before"
    )
    levels: Annotated[str, Reads("character")] = setting(
        "What stands between the parts of a line's number, such as the points of 01.02.0030.", default="/"
    )
    sheet: str = setting("The sheet of a workbook; the first one if blank.", default="")
    heading_row: Annotated[int, Reads("row")] = setting(
        "The row of the headings; what is above it is left out.", default=1
    )
    sums: Texts = setting("What a cell says, in any case, where its row is one of sums, which is left out.", default=())

    @property
    def empty_rows_count(self) -> bool:
        """Whether a row of empty cells only is a row: in a table it fits anything, among orders it is none."""
        return False

    def wrong(self) -> str:
        """What is wrong with the marks together, blank for nothing."""
        if self.decimal == self.thousands:
            return f"decimal and thousands marks must differ (both are '{self.decimal}')"
        if self.levels.isdecimal() or not self.levels.strip():
            return f"expected levels to be a mark that is no digit and no space (got '{self.levels}')"
        return ""

    @property
    def reader(self) -> ValueReader:
        """Reads values that are written so."""
        return ValueReader(
            self.decimal,
            self.thousands,
            tuple(each for each in self.dates if each),
            self.beside,
            self.minus,
            self.levels,
        )


_PLAIN = ValueReader()
PLAIN_MARKS = Marks()
"""Commas, UTF-8, the heading in the first row."""
SEPARATORS = {";": "semicolon", ",": "comma", "\t": "tab", "|": "bar"}
"""What separates the cells of files that call themselves CSV, and what it is called."""


def no_column(heading: str, known: Iterable[str]) -> str:
    """What is said of a column that is not there, with what the headings that are there suggest."""
    there = list(known)
    other = next((mark for mark in SEPARATORS if len(there) == 1 and mark in there[0]), "")
    if other:
        setting = f"separator = {json.dumps(other)}"
        why = f", but one that says '{there[0]}': do {SEPARATORS[other]}s separate the cells? {setting} says so"
    else:
        why = nearest(heading, there) or (f"; there are {listed(there)}" if there else "")
    return f"expected a column '{heading}' (there is none{why})"
