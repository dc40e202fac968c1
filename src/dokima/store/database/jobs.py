"""Jobs: one operation on many orders, that can be stopped and taken up again, and never does one order twice."""

from __future__ import annotations

import datetime
import json
import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from sqlalchemy import and_, func, insert, select

from dokima.editing.many import edit_many_by
from dokima.editing.operations import check_arguments
from dokima.errors import Conflict, DokimaError, NotFound
from dokima.model.arguments import a_text, came
from dokima.model.listing import Listing
from dokima.model.order import Order
from dokima.model.selecting import Selection
from dokima.store.documents import Event
from dokima.store.events import saved_event
from dokima.store.listing import numbers_of

if TYPE_CHECKING:
    from dokima.store.database.store import DatabaseStore
    from dokima.store.database.transaction import DatabaseTransaction

BATCH = 100
"""Orders of one transaction."""
DONE, REFUSED, FAILED, MOVED = "done", "refused", "failed", "moved"
Progress = Callable[["JobReport"], None]
Operation = tuple[str, Mapping[str, Any]]
"""An operation and its arguments."""


@dataclass(frozen=True)
class JobReport:
    """How a job stands.

    Attributes:
        name: Its name, by which it is taken up again.
        orders: How many orders it is about.
        done: How many it has changed.
        left: How many it has not come to yet.
        others: Those it could not change: number, outcome (refused, failed, moved) and why.
    """

    name: str
    orders: int
    done: int
    left: int
    others: Sequence[tuple[str, str, str]] = field(default=())

    def to_listing(self) -> Listing:
        """The orders that could not be changed, as a list."""
        rows = tuple({"order": number, "outcome": outcome, "why": why} for number, outcome, why in self.others)
        return Listing(rows, ("order", "outcome", "why"), "outcomes")

    def __repr__(self) -> str:
        return f"<Job {self.name}: {self.done} of {self.orders} done, {len(self.others)} not, {self.left} left>"


@dataclass(frozen=True)
class Each:
    """The orders of a selection, for doing the same to all of them.

    Attributes:
        store: The store.
        selection: Which orders.
        where: A condition on them.
    """

    store: DatabaseStore
    selection: Selection
    where: str

    def apply(
        self,
        operation: str | Sequence[Operation],
        by: str,
        *,
        reason: str = "",
        name: str = "",
        progress: Progress | None = None,
        today: datetime.date | None = None,
        **arguments: Any,
    ) -> JobReport:
        """Do an operation to each order, or several one after the other. Which orders, and of which revision, is
        written down first.

        Args:
            operation: close, reopen, move, set, reprice or acknowledge; see `OPERATIONS`. Or several, each with its
                arguments: ``[("set", {"fields": {...}}), ("move", {"to": "confirmed"})]``.
            by: Who does it.
            reason: Why, for the history of every order.
            name: Name of the job. One that is there already is taken up where it stopped; it must be the same job. One
                that is done gives its first report.
            progress: Called after each batch.
            today: For ``run.today``.
            arguments: Those of the operation, if it is one.

        Returns:
            What came of it: the orders that could not be changed are named with the reason.

        Raises:
            Conflict: The job of that name is another one.
            NotFound: There is no such operation.
            DokimaError: Its arguments are others.
        """
        a_text(reason, "reason"), a_text(name, "name")
        wanted = [(operation, arguments)] if isinstance(operation, str) else _operations(operation)
        if not wanted or (arguments and not isinstance(operation, str)):
            raise DokimaError(_WANTED)
        for each, its_arguments in wanted:
            check_arguments(each, its_arguments)
        about = {
            "operations": [[each, its_arguments] for each, its_arguments in wanted],
            "reason": reason,
            "where": self.where,
            "selection": {key: str(value) for key, value in vars(self.selection).items() if value},
            "rulebook": self.store.book.fingerprint,
        }
        job = Job(self.store, name or f"job-{uuid.uuid4().hex[:12]}")
        text = json.dumps(about, sort_keys=True, default=str)
        kept = job.about() or job.begin(text, by, lambda: numbers_of(self.store, self.selection, self.where))
        if kept is not None:
            was, now = _about(kept), json.loads(text)
            differs = [
                f"{key}: {was.get(key)!r}, not {now[key]!r}"
                for key in now
                if key != "rulebook" and was.get(key) != now[key]
            ]
            if differs:
                raise Conflict(f"the job '{job.name}' is another one", differs)
        return job.go_on(progress, today)


_WANTED = "expected one operation with its arguments, or a list of some, each with its own"


def _operations(given: Any) -> list[Operation]:
    """Several operations, each with its arguments.

    Raises:
        DokimaError: They are no such list.
    """
    found = list(given) if isinstance(given, list | tuple) else []
    if not all(isinstance(each, list | tuple) and len(each) == 2 for each in found):
        raise DokimaError(f"{_WANTED} (got {came(given)})")
    if not all(isinstance(name, str) and isinstance(arguments, Mapping) for name, arguments in found):
        raise DokimaError(f"{_WANTED} (got {came(given)})")
    return [(name, arguments) for name, arguments in found]


def _about(text: str) -> dict[str, Any]:
    """What a job is about; version 1 of the tables knew one operation a job."""
    about: dict[str, Any] = json.loads(text)
    if "operation" in about:
        about["operations"] = [[about.pop("operation"), about.pop("arguments")]]
    return about


class Job:
    """A job that is written down in the store.

    Args:
        store: The store.
        name: Its name.
    """

    def __init__(self, store: DatabaseStore, name: str) -> None:
        self.store = store
        self.name = name
        self.documents = store.documents
        self.jobs, self.orders = self.documents.schema["jobs"], self.documents.schema["job_orders"]

    def about(self) -> str | None:
        """What it is about, as it was written down; None if there is none of that name."""
        with self.documents.connection() as connection:
            return connection.execute(select(self.jobs.c.about).where(self.jobs.c.name == self.name)).scalar()

    def begin(self, about: str, by: str, selected: Callable[[], Iterable[tuple[str, int]]]) -> str | None:
        """Write down what it is about, and its orders, unless somebody else has done so.

        Args:
            about: What it is about.
            by: Who does it.
            selected: Gives the numbers and revisions of its orders.

        Returns:
            What somebody else has written down; None if it is ours.
        """
        rows = [{"job": self.name, "number": number, "revision": revision} for number, revision in selected()]

        def work(writing: DatabaseTransaction) -> str | None:
            if (kept := self.about()) is not None:
                return kept
            time = self.documents.clock().isoformat(timespec="milliseconds")
            writing.connection.execute(insert(self.jobs).values(name=self.name, about=about, by=by, time=time))
            for start in range(0, len(rows), 10_000):
                writing.connection.execute(insert(self.orders), rows[start : start + 10_000])
            return None

        return self.documents.transact(by, work)

    def report(self) -> JobReport:
        """How it stands.

        Raises:
            NotFound: There is none of that name.
        """
        if self.about() is None:
            raise NotFound(f"there is no job '{self.name}' in {self.documents.place}")
        mine = self.orders.c.job == self.name
        with self.documents.connection() as connection:
            counted = select(self.orders.c.outcome, func.count()).where(mine).group_by(self.orders.c.outcome)
            counts: dict[str | None, int] = dict(connection.execute(counted).all())
            other = select(self.orders.c.number, self.orders.c.outcome, self.orders.c.why)
            found = connection.execute(
                other.where(mine, self.orders.c.outcome.in_((REFUSED, FAILED, MOVED))).order_by(self.orders.c.number)
            )
            others = [(number, outcome, why) for number, outcome, why in found]
        return JobReport(self.name, sum(counts.values()), counts.get(DONE, 0), counts.get(None, 0), others)

    def go_on(self, progress: Progress | None = None, today: datetime.date | None = None) -> JobReport:
        """Do what is left. A batch that fails as a whole is done again order by order.

        Raises:
            NotFound: There is none of that name.
            Conflict: The rulebook is not the one that the job was begun with.
        """
        kept = self.about()
        if kept is None:
            raise NotFound(f"there is no job '{self.name}' in {self.documents.place}")
        about = _about(kept)
        if self.report().left and about["rulebook"] != self.store.book.fingerprint:
            raise Conflict(f"the job '{self.name}' was begun with another rulebook ({about['rulebook'][:14]}...)")
        with self.documents.connection() as connection:
            by = str(connection.execute(select(self.jobs.c.by).where(self.jobs.c.name == self.name)).scalar_one())
        doing = _Doing(self, by, about, today)
        while self._some(doing):
            if progress is not None:
                progress(self.report())
        return self.report()

    def _some(self, doing: _Doing) -> bool:
        """Do some of the orders that are left; False if none are."""
        batch: dict[str, int] = {}

        def work(writing: DatabaseTransaction) -> None:
            batch.clear()
            batch.update(self._claimed(writing) or self._claimed(writing, waits=True))
            doing.batch(writing, batch)

        try:
            self.documents.transact(doing.by, work)
        except DokimaError as error:
            if not batch:
                raise
            for number in batch:
                self._alone(doing, number, error)
        return bool(batch) or self.report().left > 0  # what others had, and left as it was

    def _claimed(self, writing: DatabaseTransaction, number: str = "", *, waits: bool = False) -> dict[str, int]:
        """Orders that nothing has come of yet, kept from other workers until the end; their revisions by number.

        Args:
            writing: The transaction.
            number: Only this order.
            waits: Whether to wait for other workers, and take what they leave; else their orders are passed over.
        """
        table = self.orders.c
        mine = (
            (table.job == self.name) & table.outcome.is_(None) & (and_(True) if not number else table.number == number)
        )
        wanted = select(table.number, table.revision).where(mine).order_by(table.number).limit(BATCH)
        found = writing.connection.execute(wanted.with_for_update(skip_locked=not waits))
        return {str(each): int(revision) for each, revision in found}

    def _alone(self, doing: _Doing, number: str, error: DokimaError) -> None:
        """Do one order by itself, and note what is wrong with it; nothing if another worker has done so."""

        def work(writing: DatabaseTransaction) -> None:
            doing.batch(writing, self._claimed(writing, number, waits=True))

        try:
            self.documents.transact(doing.by, work)
        except DokimaError as alone:
            said = f"{alone}" or f"{error}"
            self.documents.transact(doing.by, lambda writing: doing.note(writing, [(number, FAILED, said)]))


@dataclass(frozen=True)
class _Doing:
    job: Job
    by: str
    about: Mapping[str, Any]
    today: datetime.date | None

    def batch(self, writing: DatabaseTransaction, batch: Mapping[str, int]) -> None:
        """Change what can be changed, write it set by set, and note what came of each order."""
        if not batch:
            return
        writing.lock(list(batch))
        found = self.job.documents.documents(writing.connection, list(batch))
        edited: list[Order] = []
        events: list[Event] = []
        outcomes: list[tuple[str, str, str]] = []
        wanted: dict[str, Mapping[str, Any]] = {}
        for number, revision in batch.items():
            document = found.get(number)
            if document is None or int(document.get("revision") or 0) != revision:
                now = "gone" if document is None else f"of revision {document.get('revision') or 0}"
                outcomes.append((number, MOVED, f"it was of revision {revision} when the job was begun, and is {now}"))
                continue
            wanted[number] = document
        done, refused = self._edited(list(wanted.values()))
        for order in done:
            was = wanted[order.number]
            order.header["revision"] = int(was.get("revision") or 0) + 1
            edited.append(order)
            events.append(saved_event(was, order.to_dict(), self.by, reason=self.about["reason"]))
            outcomes.append((order.number, DONE, ""))
        outcomes += [(number, REFUSED, why) for number, why in refused.items()]
        writing.write_orders([order.to_dict() for order in edited])
        self.note(writing, outcomes)
        writing.write_events(events)

    def _edited(self, documents: Sequence[Mapping[str, Any]]) -> tuple[Sequence[Order], dict[str, str]]:
        """The orders as they are then, and why others stay as they are, by number."""
        book = self.job.store.book
        orders = book.orders([dict(document) for document in documents])
        refused: dict[str, str] = {}
        for problem in orders.problems:
            refused.setdefault(problem.order, str(problem))
        operations = [(name, arguments) for name, arguments in self.about["operations"]]
        done = edit_many_by(book.program, orders, operations, self.by, self.job.documents.clock, self.today, save=True)
        return done.orders, {**refused, **{number: str(error) for number, error in done.refused.items()}}

    def note(self, writing: DatabaseTransaction, outcomes: Sequence[tuple[str, str, str]]) -> None:
        """Write down what came of orders; what another worker has written down stays."""
        rows = [
            {"job": self.job.name, "number": number, "outcome": outcome, "why": why}
            for number, outcome, why in outcomes
        ]
        if rows:
            writing.change(self.job.orders, ("job", "number"), rows, self.job.orders.c.outcome.is_(None))
