"""A run from files to files: pieces shared out, each written by whoever worked on it, the manifest by the caller."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import chain
from pathlib import Path

from dokima.checking.asking import rules_asked
from dokima.cluster.executors import Workers
from dokima.cluster.manifest import About, Manifest, digesting, open_manifest
from dokima.cluster.parts import WRITERS, Part, PartDone, let_know
from dokima.errors import DokimaError, listed
from dokima.formats.headers_and_lines import why_not_apart
from dokima.formats.layouts import Layout, own_layout
from dokima.formats.pieces import Ends
from dokima.formats.reading import Source
from dokima.formats.streaming import Seen, check_size, linked, order_pieces
from dokima.formats.stretches import Stretch, order_stretches
from dokima.model.content import digest_of
from dokima.model.fields import Fields
from dokima.pricing.calculation.calculation import TableLevel
from dokima.rulebook.book import Rulebook
from dokima.rulebook.sharing_out import in_sequence, one_after_another


@dataclass(frozen=True)
class FileRun:
    """What a run came to.

    Attributes:
        folder: Where its files are.
        pieces: How many files.
        orders: Orders priced.
        lines: Their lines.
        set_aside: Orders that could not be read; ``_findings-*.csv`` says why.
        errors: Findings that stop, those of orders set aside included.
        in_no_sum: Orders that were read and are in error: they have no totals, and are in no sum.
        sums: Totals by currency.
    """

    folder: Path
    pieces: int
    orders: int
    lines: int
    set_aside: int
    errors: int
    in_no_sum: int
    sums: Mapping[str, Mapping[str, Decimal]]


def price_files(
    book: Rulebook,
    source: Source,
    out: Path,
    *,
    layout: str | None = None,
    totals: bool = False,
    check: str = "",
    columns: Sequence[str] = (),
    lines: int = 250_000,
    workers: int = 1,
    executor: Executor | None = None,
    resume: bool = False,
    progress: Callable[[FileRun], None] | None = None,
) -> FileRun:
    """Price orders from files to files, piece by piece, with the memory of the pieces in work.

    The result is a folder of files, one a piece, beside ``_manifest.json``; readers of Parquet read such a folder as
    one table. A piece that is not whole is not in the manifest, whatever stopped the run.

    Args:
        book: The rulebook.
        source: As for `Rulebook.stream`.
        out: The folder, which ends in ``.parquet`` or ``.csv``. It must not be there, unless the run is taken up again.
        layout: As for `Rulebook.orders`.
        totals: Write one row an order, with its totals; else one a line, with all its figures.
        check: Also ask the rules of this moment; what they find stands in the findings of a piece.
        columns: Write only these, as for `Calculation.to_arrow`.
        lines: About how many lines a piece has.
        workers: Threads that share the pieces; of an executor that is not Dokima's, how many workers it has.
        executor: Where pieces are worked on instead: from `worker_processes` or `dask_workers`. Workers read Parquet
            files of flat rows themselves, and must see them as they must see ``out``; rows of other sources are sent.
        resume: Go on with a run that was stopped, and whose source is files.
        progress: Called after each piece with what there is so far.

    Raises:
        NotFound: There is no such moment to ask the rules of, or no such column.
        DokimaError: The folder cannot be used, or the run in it was about something else; or the worker of a piece was
            lost each time that it was tried. ``resume`` goes on once the cause is gone.
        DocumentError: The source cannot be read, or lines of one order stand too far apart to be held together.
    """
    out = Path(out)
    check_size(lines)
    _check_folder(out, source)
    if check:
        rules_asked(book.program, check)
    level: TableLevel = "headers" if totals else "lines"
    book.arrow_schema(level, columns)  # refuses what is no column
    with book.reading(layout) as chosen:
        _check_files(source, chosen or own_layout(book.program.fields))
        how = (source, book.program.fields, chosen, lines)
        known = About({}, book.fingerprint, _said(chosen), level, lines, check, tuple(columns))
        with digesting(known, source) as about:
            manifest = open_manifest(out, about, resume)
            if not manifest.is_done:
                for _ in _pieces_done(book, how, manifest, known, workers, executor):
                    if progress is not None:
                        progress(_run(manifest))
                manifest.finish()
    return _run(manifest)


def _pieces_done(
    book: Rulebook,
    how: tuple[Source, Fields, Layout | None, int],
    manifest: Manifest,
    known: About,
    workers: int,
    executor: Executor | None,
) -> Iterator[PartDone]:
    """What comes of each piece that is left, once it stands in the manifest; ``how`` is as for `order_pieces`."""
    seen = Seen(*how)
    seen.skip([Ends.of(piece["numbers"]) for piece in manifest.pieces])
    like = Part(
        book.fingerprint, str(manifest.folder.absolute()), known.level, known.check, known.columns, seen.reads_again
    )
    stretches = ((piece,) for piece in order_pieces(*how)) if executor is None else order_stretches(*how)
    let_know(book)
    manifest.write()  # whoever finds the folder knows from the start that it is that of a run
    for done in _worked(_parts(stretches, like, len(manifest.pieces)), workers, executor):
        if done.numbers is not None:
            seen.add(done.numbers)
        manifest.add(done)
        yield done


def _said(layout: Layout | None) -> dict[str, str] | None:
    """What a manifest says of a layout; None of Dokima's own."""
    return None if layout is None else {"name": layout.name, "sha256": digest_of(repr(layout))}


def _check_files(source: Source, layout: Layout) -> None:
    """Refuse several files of whole orders: of those an order may have lines in two."""
    if isinstance(source, Sequence) and len(source) > 1 and all(isinstance(each, Path) for each in source):
        if len(source) == 2 and (layout.files is not None or linked(source, layout) is not None):
            return
        why = why_not_apart(source, layout) if len(source) == 2 else f"got {len(source)}"
        raise DokimaError(f"expected one file or folder of orders, or two of headers and their lines ({why})")


def _check_folder(out: Path, source: Source) -> None:
    for each in source if isinstance(source, list | tuple) else [source]:
        if isinstance(each, Path) and os.path.isdir(each) and out.absolute().is_relative_to(each.absolute()):
            raise DokimaError(f"expected a folder outside '{each}', which is read (got '{out}')")
    if out.suffix not in WRITERS:
        raise DokimaError(f"expected a folder that ends in {listed(WRITERS)} (got '{out}')")


def _worked(parts: Iterator[Part], workers: int, executor: Executor | None) -> Iterator[PartDone]:
    if executor is None:
        return chain.from_iterable(in_sequence(Part.work, parts, workers))
    them = executor if isinstance(executor, Workers) else Workers(executor, workers)
    # Each worker has a part to go on with.
    return chain.from_iterable(one_after_another(them.begin, parts, max(4, 2 * them.count)))


def _parts(stretches: Iterable[Stretch], like: Part, done: int) -> Iterator[Part]:
    number = 0
    for stretch in stretches:
        if number + len(stretch) > done:
            yield replace(like, stretch=stretch, number=number, done=max(done - number, 0))
        number += len(stretch)


def _run(manifest: Manifest) -> FileRun:
    counts = {name: manifest.count(name) for name in ("orders", "lines", "set_aside", "errors", "in_no_sum")}
    return FileRun(manifest.folder, len(manifest.pieces), **counts, sums=manifest.sums())
