"""`FolderStore`: a folder of order files as a store of orders, change orders and baselines.

    orders/SQ-2041.json            orders and supplements, as they are now
    changes/SQ-2041-C1.json        change orders
    baselines/SQ-2041-C1.json      what they are measured against, exactly as frozen
    settlements/SQ-2041-C1.json    what approval made of them

Several documents become true by one rename: until then nothing has happened, from then on every one of them is. A file
``settlements/*.pending`` holds all documents on their way; readers see them as if they were in place, and the next
writer puts those of one that was cut short there.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from dokima.columns.column import values_of
from dokima.errors import DocumentError, DokimaError, NotFound, Problem
from dokima.formats.file_names import file_name
from dokima.formats.json_files import json_text
from dokima.formats.regular_files import files_in, text_of
from dokima.formats.whole_files import write_whole
from dokima.limits import FILE_BYTES
from dokima.model.arguments import a_text
from dokima.model.intake import read_documents
from dokima.model.numbering import counter_of
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.model.parsing import parse_json
from dokima.model.selecting import Selection, chosen, number_key
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Run
from dokima.rulebook.book import Rulebook
from dokima.store.decisions import ASIDE, carry_out, decide, decided
from dokima.store.documents import Done, Event, Kind, Transaction, Written, no_events
from dokima.store.locking import only_writer
from dokima.store.service import Store

T = TypeVar("T")

WHOSE = ".rulebook"
"""The file that says which rulebook's orders a folder keeps, from the first that is written on."""


class FolderStore(Store):
    """Orders, change orders and baselines in a folder.

    Args:
        folder: The folder; it has a folder ``orders`` in it.
        book: The rulebook.
        patience: Seconds that a writer waits for another one.

    Raises:
        NotFound: There is no such folder.
    """

    def __init__(self, folder: str | Path, book: Rulebook, *, patience: float = 10.0) -> None:
        super().__init__(FolderDocuments(Path(folder), book, patience), book)
        self.folder = Path(folder)


class FolderDocuments:
    """Documents as files in a folder.

    Args:
        folder: The folder; it has a folder ``orders`` in it.
        book: The rulebook, for fields and figures.
        patience: Seconds that a writer waits for another one.

    Raises:
        NotFound: There is no such folder.
    """

    keeps_events = False

    def __init__(self, folder: Path, book: Rulebook, patience: float) -> None:
        self.folder = folder
        self.book = book
        self.patience = patience
        self._drawn: dict[str, int] = {}
        if not os.path.isdir(folder / "orders"):
            raise NotFound(f"expected a folder with a folder 'orders' in it (got '{folder}')")
        self._refuse_unless_ours()

    @property
    def place(self) -> str:
        """The folder."""
        return f"'{self.folder}'"

    @property
    def source(self) -> str:
        """The folder."""
        return self.folder.resolve().as_uri()

    def read(self, kind: Kind, number: str) -> str | None:
        """The text of a document as it is now; None if there is none."""
        path = self._path(kind, number)
        coming = self._coming().get(f"{kind}/{number}.json")
        if coming is not None:
            return coming
        try:
            return text_of(path, FILE_BYTES)
        except FileNotFoundError:
            return None
        except (OSError, ValueError) as error:
            said = getattr(error, "strerror", None) or error
            raise DocumentError([Problem(number, "", "", f"cannot be read: {said}", path.name)]) from None

    def numbers(self, kind: Kind) -> list[str]:
        """The numbers of all documents of a kind, sorted."""
        there = {path.stem for path in files_in(self.folder / kind, ".json")}
        return sorted(there | {Path(path).stem for path in self._coming() if path.startswith(f"{kind}/")})

    def settled(self) -> int:
        """One more than there are; there is one writer at a time."""
        return 1 + len(files_in(self.folder / "settlements", ".json"))

    def changes_of(self, order: str) -> list[str]:
        """The numbers of the change orders that may be of an order: their names say where to look."""
        return [name for name in self.numbers("changes") if name.startswith(f"{order}-C")]

    def read_orders(self, numbers: Sequence[str]) -> dict[str, str]:
        """The texts of those of some orders that there are, by number."""
        found = {number: self.read("orders", number) for number in numbers}
        return {number: text for number, text in found.items() if text is not None}

    def same_numbers(self, numbers: Sequence[str]) -> dict[str, str]:
        """For numbers that cannot be told from that of an order the number it has."""
        known = {number_key(each): each for each in self.numbers("orders")}
        return {number: known[number_key(number)] for number in numbers if number_key(number) in known}

    def transact(self, by: str, work: Callable[[Transaction], T]) -> T:
        """Do work as the only writer, and finish first what another one was kept from finishing."""
        a_text(by, "by")
        with only_writer(self.folder, by, self.patience):
            if not self._refuse_unless_ours():
                write_whole(self.folder / WHOSE, json_text({"rulebook": self.book.name}) + "\n")
            for pending in self._pending():
                carry_out(self.folder, pending)
            self._drawn = {}
            return work(self)

    def lock(self, orders: Sequence[str]) -> None:
        """There is one writer at a time."""

    def lock_change(self, number: str) -> None:
        """There is one writer at a time."""

    def draw(self, series: str, start: int) -> int:
        """One more than the highest number of a series; numbers are never free again."""
        if series not in self._drawn:
            used = [counter_of(series, number) for number in self.numbers("orders")]
            self._drawn[series] = max([start - 1, *(each for each in used if each is not None)])
        self._drawn[series] += 1
        return self._drawn[series]

    def commit(
        self,
        documents: Written,
        name: str = "",
        *,
        settles: bool = False,
        events: Sequence[Event] = (),  # noqa: ARG002 (a database keeps them)
        done: Sequence[Done] = (),
    ) -> None:
        """Make several files true at once: one rename decides, and what it decides is then carried out."""
        if done:
            raise DokimaError(no_events(self.place))
        if len(documents) == 1:
            ((kind, number), text), *_ = documents.items()
            write_whole(self._path(kind, number), text)
            return
        pending = self.folder / "settlements" / f"{name}{'' if settles else ASIDE}.pending"
        decide(pending, documents)
        carry_out(self.folder, pending)

    def headed(
        self,
        selection: Selection,
        size: int,
        whole: bool,  # noqa: ARG002 (a file is read whole)
        figures: Collection[str] = (),  # noqa: ARG002 (all are worked out)
    ) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
        """The orders of a selection with their totals, which are worked out."""
        for orders in self.select(selection, size):
            found = self.book.price(orders).header_values
            columns = {name: values_of(found[name]) for name in found}
            yield orders, [{name: columns[name][at] for name in columns} for at in range(len(orders))]

    def select(self, selection: Selection, size: int) -> Iterator[Orders]:
        """The orders of a selection in pieces; every file is read."""
        numbers = self.numbers("orders")
        for start in range(0, len(numbers), size):
            texts = (self.read("orders", number) for number in numbers[start : start + size])
            found = [Order.from_json(text) for text in texts if text is not None]
            orders = read_documents(found, self.book.program.fields)
            # Files put there by hand hold only what was typed; their orders are what their defaults make of that.
            filled = prepare(self.book.program, orders, Run())
            yield replace(orders.select(chosen(selection, filled)), problems=orders.problems)

    def done(self, name: str) -> list[Done]:  # noqa: ARG002 (a database has names of operations)
        """A folder keeps none."""
        raise DokimaError(no_events(self.place))

    def events(
        self,
        after: int = 0,  # noqa: ARG002 (a database has events)
        subject: str = "",  # noqa: ARG002
        limit: int = 1000,  # noqa: ARG002
    ) -> list[Event]:
        """A folder keeps none."""
        raise DokimaError(no_events(self.place))

    def _refuse_unless_ours(self) -> bool:
        """Whether the folder says that it is this rulebook's; False if it says nothing.

        Raises:
            DokimaError: It is another one's; says whose.
        """
        place = self.folder / WHOSE
        try:
            kept = parse_json(text_of(place, FILE_BYTES))
        except FileNotFoundError:
            return False
        except (OSError, ValueError, DocumentError) as error:
            raise DokimaError(f"'{place}' cannot be read: {getattr(error, 'strerror', None) or error}") from None
        whose = kept.get("rulebook") if isinstance(kept, Mapping) else None
        if whose != self.book.name:
            said = f"{self.place} keeps the orders of the rulebook '{whose}', not of '{self.book.name}'"
            raise DokimaError(f"{said}; if that is its new name, remove '{place}'")
        return True

    def _pending(self) -> list[Path]:
        """What was decided and then cut short. Only who holds the lock may carry it out."""
        return files_in(self.folder / "settlements", ".pending")

    def _coming(self) -> Mapping[str, str]:
        """Documents by path that are decided and not all in place yet."""
        documents: dict[str, str] = {}
        for pending in self._pending():
            with suppress(FileNotFoundError):  # it has just come to its place
                documents |= decided(pending)
        return documents

    def _path(self, kind: Kind, number: str) -> Path:
        return self.folder / kind / file_name(number)
