"""The values of a column as texts, as JSON or as cells of a CSV file; of many without a Python object for each."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial
from json.encoder import encode_basestring
from typing import Any, TypeVar

import numpy as np

from dokima.columns.cells import cells
from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.columns.words import Words
from dokima.exact import Number, stored, text_array
from dokima.exact.arrow_buffers import arrow_array, arrow_positions, arrow_texts
from dokima.exact.integers import Integers, Mask
from dokima.model.guarding import neutral
from dokima.pricing.calculation.amounts import amount_text_array, amount_texts

_SPECIAL = re.compile(r"[,\"\r\n]")


@dataclass(slots=True)
class JsonTexts:
    """Values as JSON.

    Attributes:
        array: An Arrow array of large strings.
        quote: What stands before and after each of them. It is written together with the names of an object, since
            every pass over a column costs as much as making its texts.
    """

    array: Any
    quote: str = ""

    def take(self, rows: Integers) -> JsonTexts:
        """Those at some positions."""
        return JsonTexts(self.array.take(arrow_positions(rows)), self.quote)


@dataclass(slots=True)  # one for each figure of each result: a frozen one takes thrice as long to make
class ValueTexts:
    """A column, and how its values are written.

    Args:
        column: The column.
        places: The decimal places that each number has at least, or one number for all; None for the fewest it needs.
    """

    column: Column
    places: Integers | int | None = None

    def to_list(self) -> list[str | None]:
        """Each value as text, a blank as None."""
        column = self.column
        if self.places is not None and isinstance(column, Number):
            return amount_texts(column, self.places)
        return cells(column)

    def to_json(self) -> JsonTexts:
        """Each value as JSON, a blank as null."""
        if not isinstance(self.column, Number):
            return JsonTexts(self._each(encode_basestring, "null"))
        numbers = self._numbers()
        if not numbers.null_count:
            return JsonTexts(numbers, '"')
        return JsonTexts(_together('"', numbers, '"').fill_null(_scalar("null")))

    def to_csv(self, *, is_guarded: bool) -> Any:
        """Each value as a cell of a CSV file (RFC 4180), a blank as nothing: an Arrow array of large strings.

        Args:
            is_guarded: An apostrophe stands before a text that a spreadsheet would take for a formula.
        """
        if isinstance(self.column, Number):
            return self._numbers().fill_null(_scalar(""))
        return self._each(lambda text: _cell(neutral(text) if is_guarded else text), "")

    def without(self, gone: Mask) -> ValueTexts:
        """The same with more values blank."""
        return ValueTexts(self.column.without(gone), self.places)

    def _numbers(self) -> Any:
        assert isinstance(self.column, Number)
        if self.places is not None:
            return amount_text_array(self.column, self.places)
        return text_array(stored(self.column))

    def _each(self, write: Callable[[str], str], blank: str) -> Any:
        """Each distinct text written once; of a long dictionary only what is there."""
        column = _words(self.column)
        there = column.distinct()
        written = [blank if code < 0 else write(text) for code, text in there.items()]
        places = np.searchsorted(np.array(list(there), np.int64), column.codes)
        return arrow_texts(written, large=True).take(arrow_positions(places))


def _words(column: Column) -> Texts:
    """A column that holds no numbers as texts; each distinct value becomes one once."""
    match column:
        case Texts():
            return column
        case Dates():
            days, codes = np.unique(column.days, return_inverse=True)
            texts = cells(Dates(days))
        case _:
            assert isinstance(column, Flags)
            codes, texts = column.values.astype(np.int64), cells(Flags.of([False, True]))
    whole = Texts(codes.astype(np.int64), Words([text or "" for text in texts]))
    return whole.without(column.missing)


Form = TypeVar("Form")


def each_once(columns: Mapping[str, ValueTexts], write: Callable[[ValueTexts], Form]) -> dict[str, Form]:
    """Columns in a form by name. A line's amount, net and total without tax are mostly one column: it is written once.

    Columns are told apart as objects, which is quick and never takes two for one.

    Args:
        columns: The columns by name.
        write: Gives the form of one.
    """
    known: dict[tuple[int, int], Form] = {}
    found: dict[str, Form] = {}
    for name, texts in columns.items():
        same = id(texts.column), id(texts.places)
        form = known.get(same)
        if form is None:
            form = known[same] = write(texts)
        found[name] = form
    return found


def _cell(text: str) -> str:
    """A text as a cell, between quotes if it needs them."""
    if not _SPECIAL.search(text):
        return text
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerow((text, ""))
    return out.getvalue().removesuffix(",\n")


def objects(columns: Mapping[str, JsonTexts]) -> Any:
    """Columns of JSON as JSON objects: an Arrow array."""
    parts: list[Any] = []
    before = "{"
    for name, column in columns.items():
        parts += [f"{before}{encode_basestring(name)}: {column.quote}", column.array]
        before = f"{column.quote}, "
    return _together(*parts, f"{before.removesuffix(', ')}}}")


def lists(entries: Any, offsets: Integers) -> Any:
    """Each list of JSON entries as a JSON list.

    Args:
        entries: All entries, those of one list after those of the one before.
        offsets: Where each list begins, and where the last ends.
    """
    return _together("[", _joined(entries, offsets, ", "), "]")


def csv_of_texts(columns: Mapping[str, ValueTexts], guarded: Collection[str]) -> str:
    """Two columns or more as CSV (RFC 4180) with a heading.

    Args:
        columns: The columns by heading.
        guarded: Those whose texts a spreadsheet must not take for formulas.
    """
    import pyarrow.compute as pc

    written: dict[str, Any] = {}
    for is_guarded in (False, True):
        chosen = {name: texts for name, texts in columns.items() if (name in guarded) is is_guarded}
        written |= each_once(chosen, partial(ValueTexts.to_csv, is_guarded=is_guarded))
    heading = ",".join(map(_cell, columns))
    lines = pc.binary_join_element_wise(*(written[name] for name in columns), _scalar(","))
    return "\n".join([heading, *([whole_text(lines, "\n")] if len(lines) else []), ""])


def whole_text(entries: Any, between: str) -> str:
    """All entries as one text."""
    (joined,) = _joined(entries, np.array([0, len(entries)], np.int64), between)
    return str(joined.as_buffer(), "utf-8")


def _joined(entries: Any, offsets: Integers, between: str) -> Any:
    import pyarrow as pa
    import pyarrow.compute as pc

    at = arrow_array(pa.int64(), offsets)
    return pc.binary_join(pa.LargeListArray.from_arrays(at, entries), _scalar(between))


def _together(*parts: Any) -> Any:
    """Texts and arrays one after the other; null where an array is."""
    import pyarrow.compute as pc

    return pc.binary_join_element_wise(
        *(_scalar(part) if isinstance(part, str) else part for part in parts), _scalar("")
    )


@lru_cache(1024)
def _scalar(text: str) -> Any:
    """A text between others as Arrow takes it; mostly the names of the same fields again."""
    return arrow_texts([text], large=True)[0]
