"""Order numbers that come back in a later piece are refused, whatever sequence numbers are in, and no others are."""

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import dokima
from dokima.columns.word_keys import digests_of, digests_of_texts, parts_of
from dokima.formats import streaming
from dokima.formats.arrow_columns import raw_column
from dokima.formats.layouts import own_layout
from dokima.formats.pieces import Ends, Numbers
from dokima.model.raw import RawColumn
from tests.books import book

BOOK = book({})
SHORT = st.text(st.sampled_from("AO019é-"), min_size=1, max_size=4)
SEQUENCES = (
    sorted,
    lambda numbers: sorted(numbers, key=lambda text: (len(text.encode()), text)),
    lambda numbers: numbers,
)


def written(path, pieces):
    """A file of one line an order, a row group for each piece."""
    with parquet.ParquetWriter(path, pa.schema([("order", pa.string()), ("line", pa.string())])) as out:
        for numbers in pieces:
            out.write_table(pa.table({"order": numbers, "line": ["10"] * len(numbers)}))
    return path


@given(
    st.lists(SHORT, min_size=1, max_size=12),
    st.sampled_from(SEQUENCES),
    st.integers(1, 5),
    st.booleans(),
    st.booleans(),
)
def test_a_number_that_comes_back_is_refused_and_no_other(tmp_path_factory, numbers, sequence, size, is_file, in_short):
    """Against a set of all numbers so far; a file is read again, a table cannot be, ends stand for what rises."""
    numbers = sequence(numbers)
    source = pa.table({"order": numbers, "line": ["10"] * len(numbers)})
    if is_file:
        chunks = [numbers[at : at + size] for at in range(0, len(numbers), size)]
        source = written(tmp_path_factory.mktemp("n") / "n.parquet", chunks)
    layout = own_layout(BOOK.declared.fields)
    seen = streaming.Seen(source, BOOK.declared.fields, None, size)
    before: set[str] = set()
    for rows in streaming._rows(source, layout, size):
        piece = rows.numbers(layout)
        values = [piece.column.values[place] for place in piece.column.places()]
        given_ = piece.in_short if in_short and is_file else piece
        if before & {*values}:
            with pytest.raises(dokima.DocumentError, match="stand together"):
                seen.add(given_)
            return
        seen.add(given_)
        before |= {*values}
    assert before == {*numbers}


@pytest.mark.parametrize(
    ("pieces", "again"),
    [
        ([["O8", "O9"], ["O10", "O11"], ["O100"]], ""),
        ([["O08", "O09"], ["O10", "O11"], ["O9"]], ""),  # rises as texts
        ([["O9"], ["O10"], ["O09"]], ""),  # rises in neither; none comes back
        ([["O9", "O10"], ["O11", "O12"], ["O10", "O13"]], "O10"),
        ([["A", "B"], ["AA"], ["B", "C"]], "B"),
        ([["3", "1"], ["2"], ["4", "1"]], "1"),
    ],
)
def test_numbers_of_a_file_in_three_sequences(pieces, again, tmp_path):
    source = written(tmp_path / "n.parquet", pieces)
    if not again:
        assert [len(each) for each in BOOK.stream(source, lines=1)]
        return
    with pytest.raises(dokima.DocumentError, match=f"order {again}.*stand together"):
        list(BOOK.stream(source, lines=1))


def test_digests_that_are_alike_by_chance_refuse_nothing(monkeypatch, tmp_path):
    monkeypatch.setattr(Numbers, "digests", property(lambda self: np.zeros(self.column.size, np.uint64)))
    fine = written(tmp_path / "n.parquet", [["3"], ["1"], ["2"]])
    assert sum(len(each) for each in BOOK.stream(fine, lines=1)) == 3
    twice = written(tmp_path / "m.parquet", [["3"], ["1"], ["2"], ["1"]])
    with pytest.raises(dokima.DocumentError, match="order 1"):
        list(BOOK.stream(twice, lines=1))


@given(st.lists(st.one_of(st.text(max_size=90), SHORT), max_size=20))
def test_a_digest_depends_on_its_text_alone(texts):
    """One by one, together, as Arrow has them: long texts beside short ones, the NUL, what is not ASCII."""
    texts = [text.encode("utf-8", "ignore").decode() for text in texts]
    one_by_one = [int(digests_of_texts([text])[0]) for text in texts]
    assert digests_of_texts(texts).tolist() == one_by_one
    assert raw_column(pa.chunked_array([pa.array(texts, pa.string())])).digests().tolist() == one_by_one
    assert RawColumn(texts).digests().tolist() == one_by_one


def test_digests_of_alike_numbers_are_all_different():
    numbers = pa.array([f"SO-2026-{n:06}" for n in range(100_000)] + [f"{n}" for n in range(100_000)])
    offsets = np.frombuffer(numbers.buffers()[1], np.int32)
    parts = parts_of(offsets, np.frombuffer(numbers.buffers()[2], np.uint8))
    found = digests_of(parts)
    assert len(np.unique(found)) == 200_000
    # Well mixed: each bit is set in about half of them (the deviation is 224).
    counts = [int(((found >> np.uint64(bit)) & np.uint64(1)).sum()) for bit in range(64)]
    assert all(98_500 < count < 101_500 for count in counts)


def test_digests_of_many_pieces_are_merged_seldom():
    """Each digest is merged about as often as the runs have lengths, not once for each piece that follows."""
    runs = streaming._Digests()
    sizes = []
    for piece in range(256):
        runs.add(np.arange(piece * 4, piece * 4 + 4).astype(np.uint64))
        sizes.append(len(runs._runs))
    assert max(sizes) <= 10
    assert runs.has(np.array([0, 1023, 1024], np.uint64)).tolist() == [True, True, False]


def test_ends_are_kept_in_the_manifest_as_they_are():
    ends = Numbers(raw_column(pa.chunked_array([["O9", "O10"]])), np.array([2, 3]), "f").ends
    assert ends == Ends("O9", "O10", frozenset({"length"}))
    assert Ends.of(ends.to_list()) == ends
    assert Numbers(raw_column(pa.chunked_array([[9, 10, 11]])), np.arange(3), "f").ends == Ends("9", "11", ends.rising)
    assert Numbers(raw_column(pa.chunked_array([[9, 10, None]])), np.arange(3), "f").ends is None
