"""Background tasks of which only one runs at a time."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.errors import CancelledError
from grevin.core.progress import Progress
from grevin.desktop.work.workers import Task


class OneTask(QObject):
    """Runs a task; a new one cancels the one before, whose result is then not wanted any more."""

    failed = Signal(object)
    progressed = Signal(object)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._name = name
        self._task: Task | None = None

    @property
    def busy(self) -> bool:
        """Whether a task runs."""
        return self._task is not None

    def run(self, work: Callable[[Progress], object], then: Callable[[Any], object]) -> None:
        """Do `work` off the GUI thread, `then` on it with the result."""
        self.cancel()
        task = Task(work, self._name, self)
        self._task = task
        task.progressed.connect(partial(self._report, task))
        task.done.connect(partial(self._end, task, then))
        task.failed.connect(partial(self._fail, task))
        task.start()

    def cancel(self) -> None:
        """Stop and wait."""
        if self._task is not None:
            task, self._task = self._task, None
            task.cancel()
            task.wait()
            self.progressed.emit(None)

    def _report(self, task: Task, report: object) -> None:
        if task is self._task:
            self.progressed.emit(report)

    def _end(self, task: Task, then: Callable[[Any], object], result: object) -> None:
        if task is self._task:
            self._task = None
            self.progressed.emit(None)
            then(result)

    def _fail(self, task: Task, fault: Exception) -> None:
        if task is self._task:
            self._task = None
            self.progressed.emit(None)
            if not isinstance(fault, CancelledError):
                self.failed.emit(fault)
