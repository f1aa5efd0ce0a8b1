"""Workers that make frames of an order ahead of the one who writes it: processes of this machine, or a Dask cluster.

A worker gets an order, opens the material itself, and keeps what it makes in the store that all share (`render.ready`).
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any, Protocol, cast

from grevin import __version__
from grevin.core.errors import UsageError, WorkersDifferError
from grevin.core.job.orders import Order, opened, studies_of
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.render.making import Making
from grevin.core.render.prepared import prepared
from grevin.core.render.ready import ReadyFrames

MOST_WORKERS = 256  # more of one machine is a slip of the hand
PATIENCE_S = 10.0  # for a scheduler to answer
RETRIES = 3  # times that Dask gives a task out again whose worker was lost

_lock = threading.Lock()
_held: dict[str, Making] = {}
_stop: Event | None = None


def make_stretch(version: str, order: str, store: str, threads: int, first: int, stop: int) -> int:
    """What a worker does: make the output frames `first` to `stop` - 1 of an order that are not kept yet.

    Returns:
        How many could not be kept.

    Raises:
        WorkersDifferError: if the one who asks is of another version.
        GrevinError: if the material or a frame of it cannot be read.
    """
    if version != __version__:
        raise _differ("A worker", version)
    making = _making(order, store)

    def make(number: int) -> None:
        if making.lacks(number) and not (_stop is not None and _stop.is_set()):
            making.written(number)

    for _ in in_parallel(make, range(first, stop), threads):
        pass
    return sum(making.lacks(number) for number in range(first, stop))


def _making(text: str, store: str) -> Making:
    """What makes the frames of an order; the last one is held, for the next stretch."""
    with _lock:
        if text not in _held:
            order, ready, progress = Order.read(text), ReadyFrames(Path(store)), Progress()
            reel = opened(order, progress)
            request = order.request(reel.kept)
            made = prepared(reel, order.plan(), request, progress, studies_of(order, ready), ready)
            _held.clear()
            _held[text] = made.making
        return _held[text]


def _differ(who: str, other: str) -> WorkersDifferError:
    return WorkersDifferError(
        f"{who} has Grevin {__version__}, and who asks has Grevin {other}.",
        "Install the same version on both: other versions may make other pictures.",
    )


class Workers(Protocol):
    """Processes that carry out tasks."""

    @property
    def size(self) -> int:
        """How many tasks they do at once."""
        ...

    @property
    def alive(self) -> bool:
        """Whether tasks reach them."""
        ...

    @property
    def threads(self) -> int:
        """On how many threads each of them works."""
        ...

    def submit(self, task: Callable[..., Any], *words: Any) -> Future[Any]:
        """Give a task out."""
        ...

    def see(self, paths: list[Path]) -> None:
        """Find out whether all of them can work.

        Raises:
            WorkersDifferError: if one is of another version or does not see a file.
        """
        ...


class OrderCrew:
    """Workers on one order (`render.ahead.Crew`)."""

    def __init__(self, workers: Workers, order: Order, ready: ReadyFrames) -> None:
        """Begin.

        Raises:
            WorkersDifferError: if a worker is of another version, or does not see the material or the store.
        """
        with contextlib.suppress(OSError):  # where nothing can be kept, workers say so
            ready.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        workers.see([Path(path) for path in (order.reel.path, order.job) if path and "%" not in path] + [ready.folder])
        self._workers = workers
        self._order = order.model_dump_json()
        self._store = str(ready.folder)

    @property
    def size(self) -> int:
        """How many."""
        return self._workers.size

    @property
    def alive(self) -> bool:
        """Whether tasks reach them."""
        return self._workers.alive

    def make(self, first: int, stop: int) -> Future[Any]:
        """Let a worker make frames."""
        words = (__version__, self._order, self._store, self._workers.threads, first, stop)
        return self._workers.submit(make_stretch, *words)


class LocalWorkers:
    """Processes of this machine; when one is killed, new ones take its place."""

    alive = True

    def __init__(self, size: int, threads: int = 0) -> None:
        """Begin.

        Args:
            size: how many.
            threads: of each; 0 for a fair share of the machine's processors.

        Raises:
            UsageError: for a number that cannot be.
        """
        if not 1 <= size <= MOST_WORKERS:
            raise UsageError(f"{size} workers cannot be.", f"Give a number from 1 to {MOST_WORKERS}.")
        self.size = size
        self.threads = threads or max(1, (os.cpu_count() or 1) // size)
        self._context = multiprocessing.get_context("spawn")  # a fork of threads that hold locks would wait for ever
        self._stopping = self._context.Event()
        self._lock = threading.Lock()
        self._pool = self._begun()

    def _begun(self) -> ProcessPoolExecutor:
        return ProcessPoolExecutor(self.size, self._context, _begin_worker, (self._stopping,))

    def submit(self, task: Callable[..., Any], *words: Any) -> Future[Any]:
        """Give a task out."""
        with self._lock:
            try:
                return self._pool.submit(task, *words)
            except BrokenProcessPool:
                self._pool = self._begun()
                return self._pool.submit(task, *words)

    def see(self, paths: list[Path]) -> None:
        """They are this program, on this machine."""

    def close(self) -> None:
        """Let them end at their next frame."""
        self._stopping.set()
        self._pool.shutdown(wait=True, cancel_futures=True)


def _begin_worker(stopping: Event) -> None:
    """A worker leaves when it is told to, or when the one who began it is gone; keys are meant for that one."""
    global _stop
    _stop = stopping
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_leave_with_parent, daemon=True).start()


def _leave_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


def _closed_by_us(client: Any) -> Any:
    """A client of Dask that does nothing when it is forgotten: one that nobody answered would wait, and complain."""

    class Closed(client):  # type: ignore[misc]
        def __del__(self) -> None:
            pass

    return Closed


class ClusterWorkers:
    """Workers of a Dask cluster that runs already. They have to see the same files under the same paths."""

    threads = 1  # Dask gives each thread of a worker a task of its own

    def __init__(self, address: str) -> None:
        """Join it.

        Args:
            address: of its scheduler, `tcp://host:8786`.

        Raises:
            UsageError: if Dask is not installed, nobody answers there, or there is no worker.
        """
        try:
            from distributed import Client
        except ImportError as fault:
            raise UsageError(
                "Dask, which speaks to a scheduler, is not installed.", "Install it with: pip install grevin[cluster]."
            ) from fault
        for name in [name for name in logging.root.manager.loggerDict if name.startswith("distributed")]:
            logging.getLogger(name).setLevel(logging.CRITICAL)  # what is lost is said by us
        try:
            self._client: Any = _closed_by_us(cast("Any", Client))(address, timeout=PATIENCE_S, set_as_default=False)
        except Exception as fault:  # whoever listens there may answer with anything: lengths of exabytes, say
            raise UsageError(
                f"No scheduler answers at {address}.", "Start one with “dask scheduler”, or correct the address."
            ) from fault
        if not self._client.nthreads():
            self.close()
            raise UsageError(
                f"The scheduler at {address} has no workers.",
                f"Start one with “dask worker {address}” on each machine.",
            )
        self.size = 1
        self._executor = self._client.get_executor(retries=RETRIES, pure=False)

    @property
    def alive(self) -> bool:
        """Whether the scheduler is there."""
        return bool(self._client.status == "running")

    def submit(self, task: Callable[..., Any], *words: Any) -> Future[Any]:
        """Give a task out."""
        future: Future[Any] = self._executor.submit(task, *words)
        return future

    def see(self, paths: list[Path]) -> None:
        """Ask each of them.

        Raises:
            WorkersDifferError: if one is of another version or does not see a file.
        """
        self.size = max(1, sum(self._client.nthreads().values()))  # those that join later count from the next order on
        answers = self._client.run(greet, [str(path) for path in paths])
        for worker, answer in answers.items():
            version, unseen = _understood(worker, answer)
            if version != __version__:
                raise _differ(f"The worker {worker}", version)
            if unseen:
                raise WorkersDifferError(
                    f"The worker {worker} does not see {unseen[0]}.",
                    "Put it in a folder that all machines share under the same path; “--shared” says where frames are.",
                )

    def close(self) -> None:
        """Leave; the cluster stays."""
        self._client.close()


def greet(paths: list[str]) -> tuple[str, list[str]]:
    """What a worker says of itself: its version, and which of some paths it does not see."""
    return __version__, [path for path in paths if not os.access(path, os.R_OK)]


def _understood(worker: str, answer: Any) -> tuple[str, list[str]]:
    try:
        version, unseen = answer
        return str(version), [str(path) for path in unseen]
    except (TypeError, ValueError) as fault:
        raise WorkersDifferError(
            f"The worker {worker} gives no answer that can be understood.", "Install the same version of Grevin on it."
        ) from fault


@contextmanager
def chosen_workers(count: int, scheduler: str) -> Iterator[Workers | None]:
    """The workers that are wanted; None for none.

    Raises:
        UsageError: if they cannot be had.
    """
    if count and scheduler:
        raise UsageError("Workers are either of this machine or of a cluster.", "Give --workers or --scheduler.")
    workers = ClusterWorkers(scheduler) if scheduler else LocalWorkers(count) if count else None
    try:
        yield workers
    finally:
        if workers is not None:
            workers.close()
