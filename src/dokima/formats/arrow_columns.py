"""Arrow columns as raw columns: numbers, dates and flags as they lie in memory, texts by their dictionary.

Nothing here looks at values one at a time. A kind of column that has no straight way (binary floats, times, lists) is
read through Python, each distinct value once, so that what is wrong with it is said in the words of every other source.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import Any, overload

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.columns.word_keys import Digests, coded, digests_of, parts_of
from dokima.columns.words import Words
from dokima.errors import DocumentError, Problem
from dokima.exact.arrow_buffers import arrow_positions, flags_of, nulls_of, values_of
from dokima.exact.conversion import from_arrow
from dokima.exact.integers import Integers, Mask
from dokima.formats.grid import Grid, check_headings
from dokima.formats.grid import coded as coded_cells
from dokima.model.raw import ColumnValues, RawColumn, Rising

FEW_TEXTS = 5_000
"""Up to so many texts are coded in Python."""
MANY_TEXTS = 10_000
"""From so many texts on they are coded by their keys."""
SAMPLE = 2_000
"""Texts that are looked at to see whether many are different."""
FIRST_DAY, LAST_DAY = -719_162, 2_932_896
"""Days of the years 1 and 9999 from 1970-01-01, between which Python has dates."""


def grid_of_table(table: Any, rows: Integers | None = None, *, is_filled: bool = False) -> Grid:
    """A `pyarrow.Table` as a grid.

    Args:
        table: The table.
        rows: For each row its number in the file; counted from 2, as below a heading, if None.
        is_filled: Whether no text is known to be the empty one.

    Raises:
        DocumentError: A column holds what is no value of a field: lists, days beyond the year 9999 ...
    """
    import pyarrow as pa

    check_headings(table.column_names)
    columns: dict[str, RawColumn] = {}
    for name in table.column_names:
        column = table.column(name)
        try:
            columns[name] = raw_column(column, is_filled=is_filled)
        except (pa.ArrowException, OverflowError, ValueError) as error:
            message = f"expected values of a field in column '{name}' (it holds {column.type}: {error})"
            raise DocumentError([Problem("", "", name, message)]) from None
    return Grid(columns, table.num_rows, np.arange(table.num_rows) + 2 if rows is None else rows)


def raw_column(chunks: Any, *, is_filled: bool = False) -> RawColumn:
    """A `pyarrow.ChunkedArray` as a raw column."""
    import pyarrow as pa

    array = _one_array(chunks)
    if array is None:
        return RawColumn([])
    array = _in_common_form(array)
    kind = array.type.value_type if pa.types.is_dictionary(array.type) else array.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        array.validate(full=True)  # a text that is not UTF-8 is found here, where the file is still known
        return TextColumn(array, is_filled=is_filled)
    if pa.types.is_dictionary(array.type):
        array = array.cast(kind)
    column = _column(array)
    if column is not None:
        return RawColumn(_ArrowValues(column, lambda: array))
    encoded = array.dictionary_encode()
    return RawColumn(encoded.dictionary.to_pylist(), codes_of(encoded))


def _in_common_form(array: Any) -> Any:
    """The same values in the form that most writers give them; newer ones write shorter decimals, views and runs."""
    import pyarrow as pa

    kind = array.type
    if pa.types.is_dictionary(kind):
        values = _in_common_form(array.dictionary)
        return array if values.type == kind.value_type else pa.DictionaryArray.from_arrays(array.indices, values)
    if pa.types.is_run_end_encoded(kind):
        from pyarrow import compute  # here, since it takes as long to import as all of Arrow

        return _in_common_form(compute.run_end_decode(array))
    if pa.types.is_decimal(kind) and kind.bit_width < 128:
        return array.cast(pa.decimal128(kind.precision, kind.scale))
    return array.cast(pa.large_string()) if pa.types.is_string_view(kind) else array


class TextColumn(RawColumn):
    """Texts of Arrow. They are coded when somebody reads them: of a header field that repeats on each line, or one that
    no formula reads, nobody ever does."""

    def __init__(self, array: Any, *, is_distinct: bool = False, is_filled: bool = False) -> None:
        """
        Args:
            array: Texts, or a dictionary of texts.
            is_distinct: Whether each is known to be there once, and none is blank.
            is_filled: Whether no text is known to be the empty one; it may still be null.
        """
        self.array = array
        self.is_distinct = is_distinct
        self.is_filled = is_filled or is_distinct

    @property
    def size(self) -> int:
        return len(self.array)

    @property
    def is_text(self) -> bool:
        return self.is_plain

    @cached_property
    def is_plain(self) -> bool:
        array = self.array.dictionary if hasattr(self.array, "dictionary") else self.array
        if not len(array):
            return True
        starts, data = _bytes_of(array)
        used = data[starts[0] : starts[-1]]
        return not len(used) or int(np.min(used)) > 0

    @cached_property
    def _coded(self) -> tuple[Sequence[Any], Integers]:
        if self.is_distinct:
            words, codes = self.array, np.arange(len(self.array))
        elif len(self.array) <= FEW_TEXTS:
            # Arrow's own way loads a part of it that takes longer than all tables of a small rulebook.
            found = coded_cells([text or None for text in self.array.to_pylist()])
            assert found.codes is not None
            return found.values, found.codes
        elif (known := self._by_keys()) is not None:
            return known
        else:
            encoded = self.array if hasattr(self.array, "dictionary") else self.array.dictionary_encode()
            words, codes = encoded.dictionary, codes_of(encoded)
            if words.null_count or not self.is_filled:
                words, codes = _filled(words, codes)
        column = Texts(np.arange(len(words)), Words(words.to_pylist, size=len(words), arrow=lambda: words))
        return _ArrowValues(column, lambda: words), codes

    def _by_keys(self) -> tuple[Sequence[Any], Integers] | None:
        """Many texts by their keys, which is twice as fast as by a dictionary, and finds them in tables without one."""
        array = self.array
        if hasattr(array, "dictionary") or len(array) < MANY_TEXTS:
            return None
        if len(array[:SAMPLE].unique()) < SAMPLE // 4:
            return None  # a short dictionary is quicker
        parts = parts_of(*_bytes_of(array), nulls_of(array))
        found = None if parts is None else coded(parts)
        if found is None:
            return None
        codes, first, keys = found

        def words() -> Any:
            return array if len(first) == len(array) else array.take(arrow_positions(first))

        them = Words(lambda: words().to_pylist(), size=len(first), keys=keys, arrow=words)
        column = Texts(np.arange(len(first)), them)
        return _ArrowValues(column, words), codes

    @property
    def values(self) -> Sequence[Any]:
        return self._coded[0]

    @property
    def codes(self) -> Integers:
        return self._coded[1]

    def blank(self) -> Mask | None:
        return nulls_of(self.array) if self.is_filled and not hasattr(self.array, "dictionary") else super().blank()

    def changes(self) -> Mask:
        from pyarrow import compute

        if hasattr(self.array, "dictionary"):
            return super().changes()
        array = self.array
        if array.null_count:
            array = compute.coalesce(array, _empty(array.type))  # a blank either way
        return flags_of(compute.not_equal(array[1:], array[:-1]))

    def taken(self, rows: Integers) -> RawColumn:
        return TextColumn(
            self.array.take(arrow_positions(rows)), is_distinct=self.is_distinct, is_filled=self.is_filled
        )

    @cached_property
    def rising(self) -> frozenset[Rising]:
        from pyarrow import compute

        array = self.array
        if hasattr(array, "dictionary") or array.null_count or (len(array) and array[0].as_py() == ""):
            return frozenset()  # where texts rise in either order a blank could only come first
        above = flags_of(compute.less(array[:-1], array[1:]))
        found: set[Rising] = {"text"} if above.all() else set()
        sizes = np.diff(_bytes_of(array)[0])
        longer = np.diff(sizes)
        if bool(((longer > 0) | ((longer == 0) & above)).all()):
            found.add("length")
        return frozenset(found)

    def digests(self) -> Digests:
        array = self.array
        parts = None if hasattr(array, "dictionary") else parts_of(*_bytes_of(array), nulls_of(array))
        return super().digests() if parts is None else digests_of(parts)

    def distinct(self) -> RawColumn | None:
        if self.is_distinct:
            return self
        return _Rising(self.array, self.rising) if self.rising else None


class _Rising(TextColumn):
    """Texts of which it is known already how they rise."""

    def __init__(self, array: Any, rising: frozenset[Rising]) -> None:
        super().__init__(array, is_distinct=True)
        self.rising = rising


def _bytes_of(array: Any) -> tuple[Integers, np.ndarray[Any, np.dtype[np.uint8]]]:
    """Where each text of an array begins and the last one ends, and the bytes in which they lie."""
    import pyarrow as pa

    _, offsets, data = array.buffers()
    width = np.int64 if pa.types.is_large_string(array.type) else np.int32
    starts = np.frombuffer(offsets, width, len(array) + 1, array.offset * np.dtype(width).itemsize)
    return starts, np.frombuffer(data or b"", np.uint8)


def codes_of(encoded: Any) -> Integers:
    """The codes of a `pyarrow.DictionaryArray`, -1 where it is null."""
    indices = encoded.indices
    codes: Integers = values_of(indices, indices.type.to_pandas_dtype()).astype(np.int64)
    missing = nulls_of(indices)
    if missing is not None:
        codes[missing] = -1
    return codes


def _filled(words: Any, codes: Integers) -> tuple[Any, Integers]:
    """A dictionary without its empty text and its null, and the codes with -1 in their places."""
    from pyarrow import compute

    empty = _empty(words.type)
    kept = compute.not_equal(compute.coalesce(words, empty), empty)
    mask = flags_of(kept)
    if mask.all():
        return words, codes
    place = np.append(np.where(mask, np.cumsum(mask) - 1, -1), -1)
    return words.filter(kept), place[codes]


def _column(array: Any) -> Column | None:
    """The column of an array; None if its kind has no straight way."""
    import pyarrow as pa

    kind = array.type
    if pa.types.is_integer(kind) or pa.types.is_decimal128(kind):
        return from_arrow(array)
    if pa.types.is_boolean(kind):
        return Flags(flags_of(array), nulls_of(array))
    if pa.types.is_date32(kind):
        missing = nulls_of(array)
        days = values_of(array, np.int32).astype(np.int64)
        if missing is not None:
            days[missing] = 0
        if len(days) and (days.min() < FIRST_DAY or days.max() > LAST_DAY):
            return None
        return Dates(days, missing)
    return None


def _empty(kind: Any) -> Any:
    """The empty text as an Arrow scalar."""
    import pyarrow as pa

    offsets = pa.py_buffer(np.zeros(2, np.int64))  # wide enough for either kind of text
    return pa.Array.from_buffers(kind, 1, [None, offsets, pa.py_buffer(b"")])[0]


def _one_array(chunks: Any) -> Any:
    """The chunks as one array; None if there is none."""
    import pyarrow as pa

    array = chunks.combine_chunks()
    if isinstance(array, pa.ChunkedArray):
        return array.chunk(0) if array.num_chunks == 1 else None
    return array


class _ArrowValues(ColumnValues):
    """Values of an Arrow array, each as Arrow gives it to Python.

    Args:
        column: The values as a column.
        make: Makes the array.
    """

    def __init__(self, column: Column, make: Callable[[], Any]) -> None:
        super().__init__(column)
        self._make = make

    def __reduce__(self) -> tuple[Any, ...]:
        return _values_of_array, (self.column, self.array)

    @cached_property
    def array(self) -> Any:
        return self._make()

    def __len__(self) -> int:
        return len(self.column)

    @overload
    def __getitem__(self, at: int) -> Any: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Any]: ...
    def __getitem__(self, at: int | slice) -> Any:
        return self.array[at].to_pylist() if isinstance(at, slice) else self.array[at].as_py()

    def pick(self, places: Integers) -> list[Any]:
        found: list[Any] = self.array.take(arrow_positions(places)).to_pylist()
        return found

    def __iter__(self) -> Iterator[Any]:
        return iter(self.array.to_pylist())


def _values_of_array(column: Column, array: Any) -> _ArrowValues:
    return _ArrowValues(column, lambda: array)
