"""The manifest of a run: what it was about, and which of its files are whole. It grows by one piece at a time."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field, replace
from decimal import Decimal
from pathlib import Path
from threading import Event
from typing import Any

from dokima.cluster.parts import SUMMED, PartDone
from dokima.errors import DokimaError
from dokima.exact import added
from dokima.formats.pieces import Numbers
from dokima.formats.whole_files import write_whole
from dokima.pricing.calculation.calculation import TableLevel

NAME = "_manifest.json"
FORM = 3
"""The form of manifests, raised with each change of what they say, or of the columns that the files of a run have."""
CHUNK = 1 << 20
"""So many bytes of a source are read at once."""


@dataclass(frozen=True)
class About:
    """What a run is about. One that is taken up again must be about the same.

    Attributes:
        source: Each file with its size and SHA-256; empty for what is no file.
        rulebook: Fingerprint of the rulebook.
        layout: Name of the layout, and the SHA-256 of what it says; None for Dokima's own.
        level: What is written: lines or headers.
        lines: About how many lines a piece has.
        check: Moment whose rules are asked too; blank for none.
        columns: The columns that are written; the usual ones if empty.
    """

    source: Mapping[str, Mapping[str, Any]]
    rulebook: str
    layout: Mapping[str, str] | None
    level: TableLevel
    lines: int
    check: str = ""
    columns: tuple[str, ...] = ()


@dataclass
class Manifest:
    """The manifest of a run.

    Attributes:
        folder: Where the run writes.
        about: What it is about, once all files of the source have been read for it.
        pieces: What came of each piece, in sequence.
        is_done: Whether there is nothing more to come.
    """

    folder: Path
    about: Future[About]
    pieces: list[dict[str, Any]] = field(default_factory=list)
    is_done: bool = False
    _texts: list[str] = field(default_factory=list, init=False, repr=False)

    def add(self, done: PartDone) -> None:
        """Note a piece; its file is there already."""
        sums = {currency: {name: str(value) for name, value in mine.items()} for currency, mine in done.sums.items()}
        ends = done.numbers.ends if isinstance(done.numbers, Numbers) else done.numbers
        self.pieces.append(
            {
                "file": done.file,
                "sha256": done.sha256,
                "orders": done.orders,
                "lines": done.lines,
                "errors": done.errors,
                "set_aside": len({(problem.order, problem.file) for problem in done.set_aside}),
                "in_no_sum": done.in_no_sum,
                "sums": sums,
                "numbers": None if ends is None else ends.to_list(),
            }
        )
        self.write()

    def finish(self) -> None:
        """Note that there is nothing more to come."""
        self.is_done = True
        self.write()

    def write(self) -> None:
        """Write it, whole or not at all."""
        self._texts += map(_text, self.pieces[len(self._texts) :])  # those of earlier pieces stay as they are
        # A run begins before its source has been read for the digests; until there is a piece it is about nothing.
        about = {
            "form": FORM,
            "about": asdict(self.about.result()) if self.pieces or self.is_done else None,
            "done": self.is_done,
        }
        rows = [f"{_text(name)}: {_text(value)}" for name, value in about.items()]
        pieces = ",".join(f"\n{text}" for text in self._texts)
        write_whole(self.folder / NAME, "{\n" + ",\n".join([*rows, f'"pieces": [{pieces}]']) + "\n}\n")

    def count(self, name: str) -> int:
        """The sum of a count over all pieces."""
        return sum(int(piece[name]) for piece in self.pieces)

    def sums(self) -> dict[str, dict[str, Decimal]]:
        """Totals by currency over all pieces."""
        found: dict[str, dict[str, Decimal]] = {}
        for piece in self.pieces:
            for currency, mine in piece["sums"].items():
                sums = found.setdefault(currency, dict.fromkeys(SUMMED, Decimal(0)))
                for name in SUMMED:
                    sums[name] = added((sums[name], Decimal(mine[name])))
        return found


def open_manifest(folder: Path, about: Future[About], resume: bool) -> Manifest:
    """The manifest of a run that begins, or of one that is taken up again, its files verified.

    Raises:
        DokimaError: There is a run already and ``resume`` is not said; or it is about something else, or one of its
            files is not what it was.
    """
    path = folder / NAME
    if not os.path.exists(path):
        try:
            if os.path.exists(folder) and any(folder.iterdir()):
                raise DokimaError(f"'{folder}' holds other files: a run writes to a folder of its own")
            folder.mkdir(parents=True, exist_ok=True)
        except (OSError, ValueError) as error:  # a path with a NUL in it
            raise DokimaError(f"'{folder}' cannot be written: {getattr(error, 'strerror', None) or error}") from None
        return Manifest(folder, about)
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        form, pieces = data["form"], list(data["pieces"])
        kept = (
            About(**{**data["about"], "columns": tuple(data["about"].get("columns", ()))})
            if pieces or data["done"]
            else None
        )
        written = [(folder / str(piece["file"]), str(piece["sha256"])) for piece in pieces]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise DokimaError(f"'{path}' is no manifest of a run ({error})") from None
    if kept is None:
        # Nothing has come of it, so that it may be about something else now; what was in work is nobody's.
        for left in folder.iterdir():
            if left.name.startswith(("part-", "_findings-")):
                left.unlink()
        return Manifest(folder, about)
    if not resume:
        raise DokimaError(f"'{folder}' holds a run already: --resume goes on with it, or choose another folder")
    if form != FORM:
        raise DokimaError(f"'{path}' has form {form}, expected {FORM}: another version of Dokima began the run")
    if not about.result().source:
        raise DokimaError(
            f"the run in '{folder}' can go on with files only: nothing says whether other orders are its own"
        )
    for name, was in asdict(kept).items():
        now = asdict(about.result())[name]
        if was != now:
            raise DokimaError(f"the run in '{folder}' had another {name}: expected {_short(was)} (got {_short(now)})")
    for file, digest in written:
        if not file.is_file() or hashlib.sha256(file.read_bytes()).hexdigest() != digest:
            raise DokimaError(f"'{file}' is not the file that the run wrote; remove the folder and begin anew")
    return Manifest(folder, about, pieces, bool(data["done"]))


def _text(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)


def _short(value: Any) -> str:
    text = _text(value)
    return text if len(text) <= 120 else text[:117] + "..."


@contextmanager
def digesting(about: About, source: object) -> Iterator[Future[About]]:
    """What a run is about with the digests of its source, which is read for them while the run is at work.

    Args:
        about: What is known of it already.
        source: The source.
    """
    # A file of a hundred gigabytes takes minutes, and who stops the run does not wait for it.
    stopped = Event()
    pool = ThreadPoolExecutor(1)
    try:
        yield pool.submit(lambda: replace(about, source=_files_of(source, stopped)))
    finally:
        stopped.set()
        pool.shutdown()


def _files_of(source: object, stopped: Event) -> dict[str, dict[str, Any]]:
    """Name, size and SHA-256 of the files of a source; empty for what is no file. Once stopped nobody reads it."""
    paths = source if isinstance(source, list | tuple) else [source]
    found: dict[str, dict[str, Any]] = {}
    for path in paths:
        if not isinstance(path, Path):
            return {}
        for file in sorted(path.iterdir()) if os.path.isdir(path) else [path]:
            if file.is_file():
                digest = hashlib.sha256()
                with file.open("rb") as stream:
                    while not stopped.is_set() and (read := stream.read(CHUNK)):
                        digest.update(read)
                name = str(file) if file.name in found else file.name  # of files of one name in two folders each counts
                found[name] = {"size": file.stat().st_size, "sha256": digest.hexdigest()}
    return found
