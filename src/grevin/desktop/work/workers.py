"""Background work. Results come back as signals on the GUI thread."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.progress import Progress, ProgressReport


@dataclass(frozen=True)
class Request:
    """Frozen work: everything it needs was captured when it was asked for.

    Attributes:
        tag: tells the receiver what the result belongs to.
        make: does the work.
    """

    tag: Hashable
    make: Callable[[], Any]


class LatestWorker(QObject):
    """One thread; a new list of requests replaces what is still waiting, so the newest wins."""

    done = Signal(object, object)
    failed = Signal(object, object)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wake = threading.Condition()
        self._waiting: list[Request] = []
        self._running = False
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name=f"grevin-{name}", daemon=True)
        self._thread.start()

    def ask(self, *requests: Request) -> None:
        """Replace what is waiting."""
        with self._wake:
            self._waiting = list(requests)
            self._wake.notify()

    @property
    def busy(self) -> bool:
        """Whether anything is waiting or in work."""
        with self._wake:
            return self._running or bool(self._waiting)

    def stop(self) -> None:
        """Drop what is waiting and end the thread."""
        with self._wake:
            self._waiting = []
            self._stopping = True
            self._wake.notify()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._running = False
                while not self._waiting and not self._stopping:
                    self._wake.wait()
                if self._stopping:
                    return
                request = self._waiting.pop(0)
                self._running = True
            try:
                result = request.make()
            except Exception as fault:  # noqa: BLE001 - handed to the message bar, which knows what to do
                self.failed.emit(request.tag, fault)
            else:
                self.done.emit(request.tag, result)


class Task(QObject):
    """One long piece of work with progress, on a thread of its own."""

    progressed = Signal(object)
    done = Signal(object)
    failed = Signal(object)
    finished = Signal()

    def __init__(self, work: Callable[[Progress], Any], name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work = work
        self.progress = Progress(self._report)
        self._shown = -1.0
        self._thread = threading.Thread(target=self._run, name=f"grevin-{name}", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def cancel(self) -> None:
        """Ask it to stop."""
        self.progress.cancel()

    def wait(self) -> None:
        """Wait for its thread."""
        if self._thread.is_alive():
            self._thread.join()

    def _report(self, report: ProgressReport) -> None:
        last = report.total > 0 and report.done == report.total
        if last or report.done == 0 or report.seconds - self._shown > 0.1:  # ten reports a second are enough
            self._shown = report.seconds
            self.progressed.emit(report)

    def _run(self) -> None:
        try:
            result = self._work(self.progress)
        except Exception as fault:  # noqa: BLE001 - handed to the message bar, which knows what to do
            self.failed.emit(fault)
        else:
            self.done.emit(result)
        self.finished.emit()
