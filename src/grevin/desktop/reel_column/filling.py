"""Filling the reel column's lanes: level and cuts in the background, dirt as frames are looked at."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from grevin.core.errors import CancelledError
from grevin.core.job.document import Reel
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.survey.lanes import Lanes, measure_levels
from grevin.desktop.reel_column.column import ReelColumn
from grevin.desktop.work.looks import Look
from grevin.desktop.work.workers import Task

REFRESH_MS = 700
PAUSE_S = 0.004  # between two frames, so that looking goes first


class LaneFiller(QObject):
    """Owns the lanes of the open reel."""

    faulted = Signal(object)

    def __init__(self, column: ReelColumn, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._column = column
        self._task: Task | None = None
        self._timer = QTimer(self, interval=REFRESH_MS)
        self._timer.timeout.connect(column.refresh)
        self.lanes: Lanes | None = None

    @property
    def measuring(self) -> bool:
        """Whether level and cuts are still being measured."""
        return self._task is not None

    def start(self, reel: Reel, length: int, ready: Callable[[int], bool]) -> None:
        """Begin anew for a reel; `ready` tells whether a frame's picture is in the cache."""
        self.stop()
        self.lanes = Lanes(length)
        self._column.show_lanes(length, self.lanes, ready)
        self._task = Task(partial(_measure, reel, self.lanes), "measure", self)
        self._task.failed.connect(self._fail)
        self._task.finished.connect(self._finish)
        self._timer.start()
        self._task.start()

    def stop(self) -> None:
        """Stop measuring and wait for the thread."""
        self._timer.stop()
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None

    def take_look(self, look: Look) -> None:
        """Note the dirt that was found on a frame."""
        if self.lanes is not None and look.evidence is not None and look.number < len(self.lanes.dirt):
            self.lanes.dirt[look.number] = len(look.evidence.blobs)

    def forget_dirt(self) -> None:
        """The treatment changed."""
        if self.lanes is not None:
            self.lanes.forget_dirt()
        self._column.refresh()

    def _fail(self, fault: Exception) -> None:
        if not isinstance(fault, CancelledError):
            self.faulted.emit(fault)

    def _finish(self) -> None:
        self._task = None


def _measure(reel: Reel, lanes: Lanes, progress: Progress) -> None:
    """Level and cuts, on a reader of its own, so that looking does not wait for it."""
    source = open_reel(Path(reel.path), progress, reel.declared_rate())
    try:
        for _ in measure_levels(source, lanes, progress):
            time.sleep(PAUSE_S)
    finally:
        source.close()
