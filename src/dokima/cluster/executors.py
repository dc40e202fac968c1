"""Where pieces are worked on: processes of this machine, or the workers of a Dask cluster."""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any, ParamSpec, TypeVar

from dokima.cluster.parts import BOOKS, Part, PartDone
from dokima.errors import DokimaError
from dokima.pricing.fingerprint import settings_digest
from dokima.pricing.running.threads import settle_process
from dokima.rulebook.book import Rulebook

ATTEMPTS = 3
"""How often a piece is tried whose process was lost."""

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(eq=False)
class Workers(Executor):
    """An executor whose size is known, so that all its workers have something to do, and how it loses them.

    Attributes:
        pool: Who works.
        count: How many pieces are worked on side by side.
        attempts: How often a piece is tried whose worker was lost. A mistake in the work itself is not tried again.
        lost: What says that a worker was lost, or that the system failed it.
    """

    pool: Executor
    count: int
    attempts: int = 1
    lost: tuple[type[BaseException], ...] = (BrokenExecutor, OSError)

    def submit(self, work: Callable[P, R], /, *given: P.args, **named: P.kwargs) -> Future[R]:
        """Have something done."""
        return self.pool.submit(work, *given, **named)

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """End, once everything is done."""
        self.pool.shutdown(wait, cancel_futures=cancel_futures)

    def begin(self, part: Part) -> Trying:
        """Have a part worked on."""
        return Trying(self, part)


@dataclass(eq=False)
class Processes(Workers):
    """Processes of this machine. One that dies breaks their pool, which is made anew.

    Attributes:
        make: Makes the pool.
    """

    make: Callable[[], Executor] = field(kw_only=True)

    def submit(self, work: Callable[P, R], /, *given: P.args, **named: P.kwargs) -> Future[R]:
        """Have something done."""
        try:
            return super().submit(work, *given, **named)
        except BrokenExecutor:
            self.pool.shutdown(wait=False)
            self.pool = self.make()
            return super().submit(work, *given, **named)


def _begun(sent: Any) -> None:
    """What a process of ours does first."""
    settle_process()
    install(sent)


class Trying:
    """A part that is worked on again if its worker is lost."""

    def __init__(self, workers: Workers, part: Part) -> None:
        self._workers = workers
        self._part = part
        self._future = self._begun()

    def _begun(self) -> Future[list[PartDone]]:
        try:
            return self._workers.submit(Part.work, self._part)
        except BrokenExecutor as error:  # by a part before this one, which is tried again first
            broken: Future[list[PartDone]] = Future()
            broken.set_exception(error)
            return broken

    def result(self) -> list[PartDone]:
        """What came of it.

        Raises:
            DokimaError: Its worker was lost each time; names the files that are missing.
        """
        attempts = self._workers.attempts
        for _ in range(attempts - 1):
            try:
                return self._future.result()
            except self._workers.lost:
                self._future = self._begun()
        try:
            return self._future.result()
        except self._workers.lost as error:
            tried = f", tried {attempts} times" if attempts > 1 else ""
            said = str(error) or "whoever worked on it is gone"
            raise DokimaError(f"{self._part} could not be made{tried}: {said}") from None

    def cancel(self) -> None:
        """Do not begin it, if that has not happened."""
        self._future.cancel()


@contextmanager
def worker_processes(book: Rulebook, count: int) -> Iterator[Executor]:
    """Processes of this machine. Each builds the rulebook once.

    Args:
        book: The rulebook.
        count: How many.

    Raises:
        DokimaError: There would be none, or the rulebook cannot be sent.
    """
    from multiprocessing import get_context

    if count < 1:
        raise DokimaError(f"expected at least 1 process (got {count})")
    sent = packed(book)

    def pool() -> Executor:
        # Fresh ones: a copy of one whose threads are at work (Arrow has some) may wait for a lock that nobody holds.
        return ProcessPoolExecutor(count, get_context("spawn"), _begun, (sent,))

    with Processes(pool(), count, ATTEMPTS, make=pool) as workers:
        yield workers


@contextmanager
def dask_workers(book: Rulebook, scheduler: str | None = None, count: int = 2) -> Iterator[Executor]:
    """The workers of a Dask cluster. Each gets the rulebook once, also one that joins later.

    Args:
        book: The rulebook.
        scheduler: Address such as ``tcp://host:8786``; workers on this machine if None.
        count: How many of those.

    Raises:
        DokimaError: Dask is not installed, there is no such cluster, or the rulebook cannot be sent.
    """
    try:
        import dask
        from distributed import Client, KilledWorker, WorkerPlugin
    except ImportError:
        raise DokimaError("a cluster needs dask, which is not installed: pip install 'dokima[cluster]'") from None

    sent = packed(book)

    class Install(WorkerPlugin):  # type: ignore[misc]
        name = f"dokima-{sent.fingerprint}"

        def setup(self, worker: Any) -> None:  # noqa: ARG002 (Dask gives it)
            install(sent)

    cluster = None
    try:
        if scheduler is None:
            cluster = local_cluster(count)
        client = Client(scheduler or cluster, timeout=10)
    except (OSError, TimeoutError, ValueError, RuntimeError) as error:
        said = "no cluster can be started here" if scheduler is None else f"there is no Dask scheduler at {scheduler}"
        raise DokimaError(f"{said} ({error})") from None
    try:
        try:
            client.register_plugin(Install())
        except Exception as error:  # whatever a worker runs into before it can say anything: Dokima is not there
            said = f"{type(error).__name__}: {error}"
            raise DokimaError(f"the workers of the cluster cannot work for Dokima ({said})") from None
        # Pieces are large because they are the work; how Dask would rather be given data helps nobody here.
        with dask.config.set({"distributed.admin.large-graph-warning-threshold": "1TB"}):
            # Dask itself does a piece again that failed, and one whose worker was lost as often as its settings say.
            pool = client.get_executor(pure=False, retries=2)
            yield Workers(pool, sum(client.nthreads().values()), lost=(KilledWorker, CancelledError, OSError))
    finally:
        client.close()
        if cluster is not None:
            cluster.close()


def local_cluster(count: int) -> Any:
    """A `distributed.LocalCluster` of so many workers of one thread each.

    Dask has workers give memory back in small bits, and every process that is started later too. Pieces are alike and
    take the same memory again: without that a worker asks for a quarter of the pages. It also looks at itself, fifty
    times a second and more, for a page of figures that nobody opens: a fourteenth of two cores.
    """
    import dask
    from distributed import LocalCluster

    settings = {
        "distributed.nanny.pre-spawn-environ.MALLOC_TRIM_THRESHOLD_": None,
        "distributed.admin.tick.interval": "1s",
        "distributed.admin.system-monitor.interval": "10s",
        "distributed.worker.profile.enabled": False,
    }
    with dask.config.set(settings):
        return LocalCluster(n_workers=count, threads_per_worker=1, dashboard_address=None)


@dataclass(frozen=True)
class Packed:
    """A rulebook as it is sent: what it says, from which it is built anew.

    Attributes:
        content: What it says, as bytes.
        fingerprint: Its fingerprint, by which pieces name it.
        settings: The digest of what it says beside the rows of its tables.
    """

    content: bytes
    fingerprint: str
    settings: str


def packed(book: Rulebook) -> Packed:
    """A rulebook to be sent.

    Raises:
        DokimaError: It has functions that cannot be sent to another process.
    """
    try:
        # It also sends functions of a script or a notebook, which other processes do not have.
        dumps, hint = import_module("cloudpickle").dumps, ""
    except ImportError:
        dumps, hint = pickle.dumps, ": pip install cloudpickle"
    try:
        content: bytes = dumps(book)
    except (pickle.PicklingError, AttributeError, TypeError) as error:
        raise DokimaError(f"the rulebook's Python cannot be sent to other processes ({error}){hint}") from None
    return Packed(content, book.fingerprint, settings_digest(book.program.definition))


def install(sent: Packed) -> None:
    """Build a rulebook in this process, while the caller looks for the first pieces."""
    pool = ThreadPoolExecutor(1)
    BOOKS[sent.fingerprint] = pool.submit(_built, sent)
    pool.shutdown(wait=False)


def _built(sent: Packed) -> Rulebook:
    """A rulebook out of what `packed` gives.

    Raises:
        DokimaError: It cannot be built here, or comes out as another one.
    """
    try:
        book: Rulebook = pickle.loads(sent.content)
    except Exception as error:  # whatever unpacking runs into: a module that is not there, another version of Dokima
        raise DokimaError(f"a worker cannot build the rulebook: {type(error).__name__}: {error}") from None
    # Not the whole fingerprint: the rows are those that were sent, and a look at all of them takes as long as a piece.
    if settings_digest(book.program.definition) != sent.settings:
        raise DokimaError("a worker builds another rulebook from what it was sent: its version of Dokima differs")
    return book
