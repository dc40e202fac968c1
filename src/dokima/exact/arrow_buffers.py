"""Arrow arrays from and to NumPy by their buffers (Apache Arrow columnar format).

Arrow's own ways (`pyarrow.array`, `numpy.asarray` of an array, scalars out of Python values) load pandas, which costs
half a second at every start.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from dokima.exact.integers import Integers, Mask


def nulls_of(array: Any) -> Mask | None:
    """True where an Arrow array is null; None if it is nowhere."""
    return ~_bits(array, 0) if array.null_count else None


def flags_of(array: Any) -> Mask:
    """The values of a boolean Arrow array; whatever stands at a null means nothing."""
    return _bits(array, 1)


def values_of(array: Any, dtype: Any) -> Any:
    """The values of an Arrow array of fixed width, as they lie in memory; whatever stands at a null means nothing.

    Args:
        array: The array.
        dtype: The NumPy type of its values.
    """
    if not len(array):
        return np.zeros(0, dtype)  # it need not have a buffer
    width = np.dtype(dtype).itemsize
    return np.frombuffer(array.buffers()[1], dtype, len(array), width * array.offset)


def _bits(array: Any, buffer: int) -> Mask:
    if not len(array):
        return np.zeros(0, bool)
    bits = np.unpackbits(np.frombuffer(array.buffers()[buffer], np.uint8), bitorder="little")
    found: Mask = bits[array.offset : array.offset + len(array)] == 1
    return found


def arrow_array(kind: Any, values: Any, missing: Mask | None = None) -> Any:
    """An Arrow array of fixed width.

    Args:
        kind: Its Arrow type.
        values: A NumPy array that lies in memory as the type does; of flags one byte each.
        missing: True where it is null; None for nowhere.
    """
    import pyarrow as pa

    valid = None if missing is None else pa.py_buffer(np.packbits(~missing, bitorder="little"))
    data = np.packbits(values, bitorder="little") if values.dtype == bool else np.ascontiguousarray(values)
    return pa.Array.from_buffers(kind, len(values), [valid, pa.py_buffer(data)])


def arrow_positions(rows: Integers) -> Any:
    """Positions, for `take`."""
    import pyarrow as pa

    return arrow_array(pa.int64(), rows.astype(np.int64, copy=False))


def interleaved(parts: Sequence[Any], places: Integers) -> Any:
    """Arrow arrays as one, each value at its own place.

    Args:
        parts: The arrays, at least one.
        places: For each of their values, those of one array after those of the one before, its place.
    """
    import pyarrow as pa

    back = np.empty(len(places), np.int64)
    back[places] = np.arange(len(places))
    return pa.concat_arrays(parts).take(arrow_positions(back))


def arrow_texts(texts: Sequence[str | None], *, large: bool = False) -> Any:
    """An Arrow array of texts, null for None; of a large one there is no limit of 2 GB."""
    import pyarrow as pa

    valid = None
    if None in texts:
        present = np.fromiter((text is not None for text in texts), bool, len(texts))
        valid, texts = pa.py_buffer(np.packbits(present, bitorder="little")), [text or "" for text in texts]
    whole = "".join(texts)  # type: ignore[arg-type]
    joined = whole.encode()
    lengths = map(len, texts if len(whole) == len(joined) else [text.encode() for text in texts])  # type: ignore[arg-type,union-attr]
    offsets = np.zeros(len(texts) + 1, np.int64 if large else np.int32)
    np.fromiter(lengths, offsets.dtype, len(texts)).cumsum(out=offsets[1:])
    buffers = [valid, pa.py_buffer(offsets), pa.py_buffer(joined)]
    return pa.Array.from_buffers(pa.large_string() if large else pa.string(), len(texts), buffers)
