"""A store in SQLite and PostgreSQL: saving, reading, listing, a job on many orders, the feed.

The peer writes and reads the same rows by statements written by hand through the same library, without rules, figures
or events. What rules and pricing of the same orders take is measured apart. PostgreSQL is a server of the benchmark's
own on this machine, without waiting for its disk; it is left out where there is none.
"""

from __future__ import annotations

import contextlib
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from first_slice import DEMO
from measuring import Case, compared, parser, show

import dokima

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests import postgres

ONE = 200
"""Orders that are saved one by one."""


def order(number: str, **header: Any) -> dokima.Order:
    """An order of ten lines."""
    lines = [{"number": str(10 * n + 10), "item": "CLIP-S", "quantity": n + 1} for n in range(10)]
    about = {"kind": "sales", "customer": "PELLOW", "date": "2026-03-09", "state": "confirmed", "currency": "EUR"}
    return dokima.Order(number, **{**about, **header}, lines=lines)


class ByHand:
    """The same rows by statements written by hand."""

    def __init__(self, store: Any) -> None:
        documents = store.documents
        self.engine, self.tables = documents.engine, documents.schema
        with self.engine.connect() as connection:
            orders, lines = self.tables["orders"], self.tables["order_lines"]
            self.header = dict(connection.execute(sa.select(orders).limit(1)).mappings().one())
            found = connection.execute(sa.select(lines).where(lines.c.order_id == self.header.pop("id")))
            self.lines = [{k: v for k, v in row.items() if k != "order_id"} for row in found.mappings()]

    def save(self, numbers: list[str]) -> None:
        """One transaction for each order."""
        orders, lines = self.tables["orders"], self.tables["order_lines"]
        for number in numbers:
            with self.engine.connect().execution_options(dokima_writes=True) as connection, connection.begin():
                row = {**self.header, "number": number, "number_key": number.casefold()}
                identity = connection.execute(sa.insert(orders).values(row).returning(orders.c.id)).scalar_one()
                connection.execute(sa.insert(lines), [{**line, "order_id": identity} for line in self.lines])

    def read(self, numbers: list[str]) -> None:
        """A header and its lines."""
        orders, lines = self.tables["orders"], self.tables["order_lines"]
        for number in numbers:
            with self.engine.connect() as connection, connection.begin():
                header = connection.execute(sa.select(orders).where(orders.c.number == number)).mappings().one()
                wanted = sa.select(lines).where(lines.c.order_id == header["id"]).order_by(lines.c.place)
                connection.execute(wanted).mappings().all()

    def list(self) -> int:
        """Totals of all orders."""
        c = self.tables["orders"].c
        wanted = sa.select(c.number, c.date, c.customer, c.total_without_tax, c.total_with_tax, c.state, c.revision)
        with self.engine.connect() as connection:
            return len(connection.execute(wanted.order_by(c.number)).all())


@contextlib.contextmanager
def places() -> Iterator[dict[str, str]]:
    """A URL for each database there is."""
    with contextlib.ExitStack() as stack:
        folder = stack.enter_context(tempfile.TemporaryDirectory())
        found = {"SQLite": f"sqlite:///{folder}/orders.db"}
        if why := postgres.why_not():
            print(why)
        else:
            found["PostgreSQL"] = stack.enter_context(postgres.server()).url()
        yield found


def cases(given: Any) -> Iterator[Case]:
    """Each database by itself."""
    book = dokima.load(DEMO)
    with places() as found:
        for name, url in found.items():
            with dokima.create_store(url, book) as store:
                yield from of_store(name, store, book, given)


def of_store(name: str, store: Any, book: dokima.Rulebook, given: Any) -> Iterator[Case]:
    """What one store takes."""
    store.save(order("A"), "benchmark")
    hand = ByHand(store)
    turn = iter(range(10**6))
    runs = min(given.runs, 3)

    def fresh(letter: str, count: int = ONE) -> list[str]:
        at = next(turn)
        return [f"{letter}{at}-{n:06}" for n in range(count)]

    def saved() -> None:
        for number in fresh("S"):
            store.save(order(number), "benchmark")

    def worked_out() -> None:
        for number in fresh("P"):
            read = book.orders(order(number))
            book.check(read)
            book.price(read)

    what = f"{name}: {ONE} orders of 10 lines saved, a transaction each"
    sides = {
        "Dokima": saved,
        "its rules and pricing": worked_out,
        "the statements by hand": lambda: hand.save(fresh("H")),
    }
    yield compared(what, sides, runs=runs, notes="ours with rules, figures, taxes and an event")
    numbers = fresh("R")
    store.save_many([order(number) for number in numbers], "benchmark")

    def read() -> None:
        for number in numbers:
            store.order(number)

    what = f"{name}: {ONE} orders of 10 lines read"
    yield compared(what, {"Dokima": read, "the statements by hand": lambda: hand.read(numbers)}, runs=runs)
    many = fresh("M", given.orders)
    start = time.perf_counter()
    for at in range(0, len(many), 500):
        store.save_many([order(number) for number in many[at : at + 500]], "benchmark")
    yield Case(
        f"{name}: {given.orders:,} orders of 10 lines saved, 500 at a time", {"Dokima": [time.perf_counter() - start]}
    )
    what = f"{name}: a list of {hand.list():,} orders"
    yield compared(what, {"Dokima": lambda: len(store.orders()), "the statement by hand": hand.list}, runs=runs)
    start = time.perf_counter()
    report = store.each(where="state == 'confirmed'", numbers=tuple(many[: given.closed])).apply("close", "benchmark")
    assert (report.done, report.left) == (given.closed, 0)
    yield Case(
        f"{name}: all lines of {given.closed:,} orders of 10 closed by a job", {"Dokima": [time.perf_counter() - start]}
    )
    start = time.perf_counter()
    count = sum(1 for _ in store.feed())
    yield Case(f"{name}: {count:,} events of the feed read", {"Dokima": [time.perf_counter() - start]})


if __name__ == "__main__":
    arguments = parser(__doc__)
    arguments.add_argument("--orders", type=int, default=10_000)
    arguments.add_argument("--closed", type=int, default=2_000)
    asked = arguments.parse_args()
    show(cases(asked), asked)
