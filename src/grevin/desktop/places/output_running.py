"""Working off the queue from the window: one order after the other, off the GUI thread."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress

from PySide6.QtCore import QObject, Signal

from grevin.core.errors import CancelledError, GrevinError, UsageError
from grevin.core.job.orders import Order, carry_out
from grevin.core.job.queue import Queue, Queued, State
from grevin.core.progress import Progress
from grevin.core.render.proof import Proof
from grevin.core.render.ready import user_ready_frames
from grevin.desktop.texts import tr
from grevin.desktop.work.workers import Task


class OrderRunner(QObject):
    """Carries out this window's orders, and those of others when asked to."""

    changed = Signal()
    progressed = Signal(object)
    said = Signal(str)
    finished = Signal(object)
    faulted = Signal(object)
    through = Signal()

    def __init__(self, queue: Queue, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._queue = queue
        self._task: Task | None = None
        self._running: Queued | None = None
        self._mine: set[int] = set()
        self._ends: str = ""  # what becomes of the running order when it is stopped

    @property
    def running(self) -> bool:
        """Whether something is being written."""
        return self._task is not None

    def wanted_outputs(self) -> list[str]:
        """What is ordered and not there yet."""
        found = []
        for one in self._queue.orders():
            with suppress(UsageError):  # of another version of Grevin
                found += [one.order.output] if one.state in {"waiting", "running", "held"} else []
        return found

    def order(self, *orders: Order) -> None:
        """Put orders into the queue, and begin if nothing is being written."""
        with self._queue_told():
            self._mine |= set(self._queue.add_all(orders))
            if self._task is not None:
                self.said.emit(tr("Ordered: it is written when its turn comes."))
            self._next()

    def work_off(self) -> None:
        """Write all that waits, whoever ordered it."""
        with self._queue_told():
            self._mine |= {one.id for one in self._queue.orders() if one.state == "waiting"}
            self._next()

    def _next(self) -> None:
        with self._queue_told():
            waiting = [one.id for one in self._queue.orders() if one.state == "waiting" and one.id in self._mine]
            if self._task is None and waiting:
                self._begin(waiting[0])
        self.changed.emit()

    @contextmanager
    def _queue_told(self) -> Iterator[None]:
        """What is wrong with the queue is told, and stops nothing else."""
        try:
            yield
        except GrevinError as fault:
            self.faulted.emit(fault)

    def _begin(self, number: int) -> None:
        queued = self._queue.take(number)
        if queued is None:
            return

        def work(progress: Progress) -> Proof:
            self._queue.follow(queued.id, progress)
            proof = carry_out(queued.order, progress, user_ready_frames())
            self._queue.put(queued.id, "done", proof.sentence())  # here: the window may be gone when it is told
            return proof

        self._running, self._ends = queued, ""
        self._task = Task(work, "write", self)
        self._task.progressed.connect(self.progressed)
        self._task.done.connect(self._finish)
        self._task.failed.connect(self._fail)
        self.said.emit(tr("Writing aside; the output gets its name when it is proved."))
        self._task.start()

    def cancel(self) -> None:
        """Ask the run to stop, and forget its order."""
        if self._task is not None:
            self._ends = "gone"
            self._task.cancel()

    def hold(self, number: int) -> bool:
        """Stop the run for now; False if another window or command is at that order."""
        if self._task is None or self._running is None or self._running.id != number:
            return False
        self._ends = "held"
        self._task.cancel()
        return True

    def stop(self) -> None:
        """Stop and wait, before the window closes; the order waits until somebody works off the queue."""
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            assert self._running is not None
            with self._queue_told():
                self._queue.release(self._running.id)
            self._end()

    def _finish(self, proof: Proof) -> None:
        if self._task is None:
            return  # it was done at the very moment at which the window was closed
        self._end()
        self.finished.emit(proof)
        self._go_on()

    def _fail(self, fault: Exception) -> None:
        if self._task is None:
            return  # the window is being closed
        if not isinstance(fault, CancelledError):
            self._end("failed", str(fault))
            self.said.emit(tr("Not written."))
            self.faulted.emit(fault)
        elif self._ends == "held":
            self._end("held")
            self.said.emit(tr("Held; what was made is kept, and it goes on from there."))
        else:
            assert self._running is not None
            with self._queue_told():
                self._queue.remove(self._running.id)
            self._end()
            self.said.emit(tr("Cancelled; nothing was left behind."))
        self._go_on()

    def _go_on(self) -> None:
        self._next()
        if self._task is None:
            self.through.emit()

    def _end(self, state: State | None = None, words: str = "") -> None:
        """The running order has come to an end; None where the queue knows."""
        if self._running is not None and state is not None:
            with self._queue_told():
                self._queue.put(self._running.id, state, words)
        self._task = self._running = None
        self.changed.emit()
