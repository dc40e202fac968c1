"""`FolderStore`: a folder of order files as a store of orders, change orders and baselines.

    orders/SQ-2041.json            orders and supplements, as they are now
    changes/SQ-2041-C1.json        change orders
    baselines/SQ-2041-C1.json      what they are measured against, exactly as frozen
    settlements/SQ-2041-C1.json    what approval made of them

A settlement becomes true by one rename: until then nothing has happened, from then on every document of it is. A file
``settlements/*.pending`` holds all documents of a settlement on its way; readers see them as if they were in place, and
the next writer puts those of one that was cut short there.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.ledger import Ledger, ledger_of
from dokima.changes.listing import ChangeEntries, change_entries
from dokima.changes.settlement import Policy, Settlement
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.formats.file_names import file_name
from dokima.formats.json_files import json_text
from dokima.formats.whole_files import write_whole
from dokima.model.order import Order
from dokima.model.parsing import parse_json
from dokima.model.states import Settle
from dokima.rulebook.book import Rulebook
from dokima.store.locking import only_writer

Edit = Callable[[ChangeOrder], object]


class FolderStore:
    """Orders, change orders and baselines in a folder.

    Args:
        folder: The folder; it has a folder ``orders`` in it.
        book: The rulebook.
        patience: Seconds that a writer waits for another one.

    Raises:
        NotFound: There is no such folder.
    """

    def __init__(self, folder: str | Path, book: Rulebook, *, patience: float = 10.0) -> None:
        self.folder = Path(folder)
        self.book = book
        self.patience = patience
        if not (self.folder / "orders").is_dir():
            raise NotFound(f"expected a folder with a folder 'orders' in it (got '{self.folder}')")

    # -- reading ----------------------------------------------------------------------------------------------

    def order(self, number: str) -> Order:
        """An order as it is now.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its file is not JSON.
        """
        text = self._text("orders", number)
        if text is None:
            raise NotFound(f"there is no order {number} in orders{nearest(number, self._names('orders'))}")
        found = Order.from_dict(_data(text, f"{number}.json"))
        if found.number != number:
            message = f"expected the order {number} that its file is named after (got {found.number or 'none'})"
            raise DocumentError([Problem(found.number, "", "number", message, f"{number}.json")])
        return found

    def with_supplements(self, number: str) -> list[Order]:
        """An order and its supplements, in the order in which it links to them.

        Raises:
            NotFound: There is no such order, or one it links to is missing.
            DocumentError: What it links to is not its supplement.
        """
        original = self.order(number)
        supplements = [self.order(name) for name in linked(original, "supplement")]
        for supplement in supplements:
            # A supplement is one because its own link says so, never because of its name.
            if linked(supplement, "original") != [number]:
                message = f"expected a link to the original {number}, which calls it a supplement"
                raise DocumentError([Problem(supplement.number, "", "links", message)])
        return [original, *supplements]

    def root_of(self, number: str) -> str:
        """The number of the original that an order is a supplement of, else its own."""
        return next(iter(linked(self.order(number), "original")), number)

    def change(self, number: str) -> ChangeOrder:
        """A change order, its baseline verified.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its baseline has been changed.
        """
        text, frozen = self._text("changes", number), self._text("baselines", number)
        if text is None:
            raise NotFound(f"there is no change order {number}{nearest(number, self._names('changes'))}")
        if frozen is None:
            raise NotFound(f"the baseline of {number} is missing: there is no '{self._path('baselines', number)}'")
        return ChangeOrder.from_dict(self.book.program, _data(text, f"{number}.json"), frozen, _now)

    def changes(self, number: str) -> list[ChangeOrder]:
        """The change orders of an order; approved ones in the order of their approval, before all others."""
        # The name only says where to look; which order a change is of, it says itself.
        near = [self.change(name) for name in self._names("changes") if name.startswith(f"{number}-C")]
        mine = [change for change in near if change.order_number == number]

        def place(change: ChangeOrder) -> tuple[int, int, int, str]:
            # The sequence is counted when a settlement becomes true: two of one second keep their order.
            sequence = int(change.record.get("settled", {}).get("sequence", 0))
            return change.state != "approved", sequence, len(change.number), change.number

        return sorted(mine, key=place)

    def all_changes(self) -> list[ChangeOrder]:
        """Every change order in the folder, by number."""
        return [self.change(name) for name in self._names("changes")]

    def list_changes(self, today: datetime.date, state: str = "") -> ChangeEntries:
        """What each change order comes to, who is behind it, and how long it waits: the longest wait first.

        Args:
            today: The day up to which they wait.
            state: Only those in this state; all if blank.

        Raises:
            NotFound: There is no such state; names the nearest.
        """
        return change_entries(self.all_changes(), today, state)

    def ledger(self, number: str) -> Ledger:
        """The ledger of an order, or of the original that a supplement belongs to."""
        number = self.root_of(number)
        return ledger_of(self.book.program, self.with_supplements(number), self.changes(number))

    def _names(self, kind: str) -> list[str]:
        there = {path.stem for path in (self.folder / kind).glob("*.json")}
        return sorted(there | {Path(path).stem for path in self._coming() if path.startswith(f"{kind}/")})

    def _coming(self) -> dict[str, str]:
        """Documents by path of settlements that are decided and not all in place yet."""
        documents: dict[str, str] = {}
        for pending in sorted((self.folder / "settlements").glob("*.pending")):
            with suppress(FileNotFoundError):  # it has just come to its place
                documents |= json.loads(pending.read_text(encoding="utf-8"))
        return documents

    def _text(self, kind: str, number: str) -> str | None:
        """The text of a document as it is now; None if there is none."""
        path = self._path(kind, number)
        coming = self._coming().get(f"{kind}/{number}.json")
        if coming is not None:
            return coming
        try:
            return path.read_text(encoding="utf-8")
        except FileNotFoundError:
            return None
        except (OSError, ValueError) as error:
            raise DocumentError([Problem(number, "", "", f"cannot be read: {error}", path.name)]) from None

    # -- working ----------------------------------------------------------------------------------------------

    def open(self, number: str, by: str, *, reason: str = "", requested_by: str = "") -> ChangeOrder:
        """Open a change order of an order; one of a supplement is one of its original.

        Raises:
            Conflict: Somebody else is writing.
        """
        with self._writing(by):
            number = self.root_of(number)
            original, *supplements = self.with_supplements(number)
            taken = self._names("changes")
            change = self.book.change(
                original, by, supplements=supplements, reason=reason, requested_by=requested_by, taken=taken
            )
            write_whole(self._path("baselines", change.number), change.baseline.text)
            self._keep(change)
        return change

    def work(self, number: str, by: str, deed: Edit) -> ChangeOrder:
        """Do something with a change order and keep it; nothing is kept if it is refused.

        Raises:
            Conflict: Somebody else is writing.
        """
        with self._writing(by):
            change = self.change(number)
            deed(change)
            self._keep(change)
        return change

    def rebase(self, number: str, by: str) -> ChangeOrder:
        """Freeze the original anew, and make the same change to it.

        Raises:
            Conflict: Both have moved the same thing, or somebody else is writing.
        """
        with self._writing(by):
            change = self.change(number)
            change.rebase(self.with_supplements(change.order_number), by)
            frozen = {f"baselines/{number}.json": change.baseline.text}
            self._commit(f"{number}-rebase", {**frozen, f"changes/{number}.json": _written(change.to_dict())})
        return change

    def approve(
        self,
        number: str,
        by: str,
        *,
        settle: Settle | Policy | None = None,
        today: datetime.date | None = None,
        accept: Mapping[str, str] | None = None,
    ) -> Settlement:
        """Approve a change order: all its documents are written, or none. Arguments are those of `ChangeOrder.approve`.

        Raises:
            Locked: It is not submitted.
            StaleBaseline: The original has moved.
            Refused: A rule stops it.
            Conflict: Somebody else is writing.
        """
        with self._writing(by):
            change = self.change(number)
            current = self.with_supplements(change.order_number)
            settlement = change.approve(
                by, current, today=today, settle=settle, taken=self._names("orders"), accept=accept
            )
            data = change.to_dict()
            data["settled"]["sequence"] = 1 + sum(1 for _ in (self.folder / "settlements").glob("*.json"))
            documents = {f"orders/{order.number}.json": _written(order.to_dict()) for order in settlement.orders}
            self._commit(number, {**documents, f"changes/{number}.json": _written(data)})
        return settlement

    def _keep(self, change: ChangeOrder) -> None:
        write_whole(self._path("changes", change.number), _written(change.to_dict()))

    # -- files ------------------------------------------------------------------------------------------------

    def _path(self, kind: str, number: str) -> Path:
        return self.folder / kind / file_name(number)

    def _commit(self, name: str, documents: Mapping[str, str]) -> None:
        """Make several files true at once: one rename decides, and what it decides is then carried out."""
        pending = self.folder / "settlements" / f"{name}.pending"
        write_whole(pending, _written(dict(documents)))
        self._carry_out(pending)

    def _carry_out(self, pending: Path) -> None:
        documents = json.loads(pending.read_text(encoding="utf-8"))
        for path, text in documents.items():
            write_whole(self.folder / path, text)
        pending.replace(pending.with_suffix(".json" if not pending.stem.endswith("-rebase") else ".done"))

    def _finish(self) -> None:
        """Carry out settlements that were decided and then cut short. Only who holds the lock may."""
        for pending in sorted((self.folder / "settlements").glob("*.pending")):
            self._carry_out(pending)

    @contextmanager
    def _writing(self, by: str) -> Iterator[None]:
        """Be the only writer of the folder, and finish what another one was kept from finishing."""
        with only_writer(self.folder, by, self.patience):
            self._finish()
            yield


def linked(order: Order, kind: str) -> list[str]:
    """The numbers an order links to, of one kind: ``original``, ``supplement`` or ``change``."""
    links = order.header.get("links") or []
    return [str(link.get("number")) for link in links if isinstance(link, Mapping) and link.get("kind") == kind]


def _data(text: str, file: str) -> dict[str, Any]:
    try:
        data = parse_json(text)
    except DocumentError as error:
        raise DocumentError([replace(problem, file=file) for problem in error.problems]) from None
    if isinstance(data, dict):
        return data
    raise DocumentError([Problem("", "", "", f"expected one document (got {type(data).__name__})", file)])


def _written(data: Any) -> str:
    return json_text(data) + "\n"


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)
