"""What happens to a reel after it was opened, in the background: the rest of its index, its examination, its lanes."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from grevin.core.errors import CancelledError
from grevin.core.intake.examination import Examination, examine
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import Reel
from grevin.core.job.measured import MeasuredFile
from grevin.core.media.video_file import VideoFile
from grevin.core.progress import Progress
from grevin.core.survey.lanes import Lanes
from grevin.core.survey.measures.base import Depth
from grevin.core.survey.rows import Row
from grevin.core.survey.survey import Survey, curve_names, measured_key, run_survey
from grevin.desktop.work.opening import open_entry
from grevin.desktop.work.workers import Task

GROW_MS = 300
REFRESH_MS = 700
PAUSE_S = 0.004  # between two frames, so that looking goes first


class TakingIn(QObject):
    """Owns the background work and the lanes of the open reel."""

    grew = Signal()
    examined = Signal(object)
    lanes_made = Signal(object)
    surveyed = Signal(object)
    lanes_changed = Signal()
    unreadable = Signal(int, str)
    progressed = Signal(object)
    faulted = Signal(object)
    _lost = Signal(object, int, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._task: Task | None = None
        self._timer = QTimer(self, interval=GROW_MS)
        self._timer.timeout.connect(self.grew)
        self._refresh = QTimer(self, interval=REFRESH_MS)
        self._refresh.timeout.connect(self.lanes_changed)
        self.lanes: Lanes | None = None
        self._held = False
        self._lost.connect(self._tell_lost)

    def hold(self, on: bool) -> None:
        """Wait while pictures are played: they need the machine. Indexing goes on, looking needs it."""
        self._held = on
        if self._task is not None and self.lanes is not None:
            self._task.progress.hold(on)

    @property
    def busy(self) -> bool:
        """Whether anything is still being done."""
        return self._task is not None

    def start(self, reel: DeclaredReel, entry: Reel, job: Path, known: Examination | None) -> None:
        """Begin with a reel that was just opened."""
        self.stop()
        reader = reel.reader
        next_step = partial(self._examine, len(reel), entry, job, known)
        if reel.is_whole:
            next_step()
            return
        assert isinstance(reader, VideoFile)
        self._timer.start()
        self._run(reader.finish_index, partial(self._indexed, reel, entry, job, known), show=True)

    def _indexed(self, reel: DeclaredReel, entry: Reel, job: Path, known: Examination | None, _: object) -> None:
        self._timer.stop()
        self.grew.emit()
        self._examine(len(reel), entry, job, known)

    def _examine(self, length: int, entry: Reel, job: Path, known: Examination | None) -> None:
        self.lanes = Lanes(length)
        self.lanes_made.emit(self.lanes)
        self._refresh.start()
        if known is not None:
            self._measure(entry, job, None)
        else:
            self._run(partial(_examine, entry, job), partial(self._measure, entry, job))

    def _measure(self, entry: Reel, job: Path, found: object) -> None:
        if found is not None:
            self.examined.emit(found)
        assert self.lanes is not None
        lanes = self.lanes
        self._run(partial(_measure, entry, job, lanes, partial(self._lost.emit, lanes)), self._measured)

    def _tell_lost(self, lanes: Lanes, frame: int, words: str) -> None:
        """A frame could not be read; of a reel that was left meanwhile nothing is told any more."""
        if lanes is self.lanes:
            self.unreadable.emit(frame, words)

    def _measured(self, survey: object) -> None:
        self._refresh.stop()
        self.lanes_changed.emit()
        self.surveyed.emit(survey)

    def _run(self, work: Callable[[Progress], object], then: Callable[[object], None], show: bool = False) -> None:
        task = Task(work, "intake", self)
        self._task = task

        def done(result: object) -> None:
            if self._task is task:
                self._task = None
                if show:
                    self.progressed.emit(None)
                then(result)

        def failed(fault: Exception) -> None:
            if self._task is task:
                self._task = None
                self._timer.stop()
                self._refresh.stop()
                self.progressed.emit(None)
                if not isinstance(fault, CancelledError):
                    self.faulted.emit(fault)

        task.done.connect(done)
        task.failed.connect(failed)
        if show:
            task.progressed.connect(self.progressed)
        if self.lanes is not None:
            task.progress.hold(self._held)
        task.start()

    def cancel(self) -> None:
        """Be content with what is known so far."""
        if self._task is not None:
            self._task.cancel()

    def stop(self) -> None:
        """Stop and wait for the thread."""
        self._timer.stop()
        self._refresh.stop()
        if self._task is not None:
            task, self._task = self._task, None
            task.cancel()
            task.wait()
        self.lanes = None


def _examine(entry: Reel, job: Path, progress: Progress) -> Examination:
    """On a reader of its own, so that looking does not wait for it."""
    reel = open_entry(entry, job, progress, patient=True)
    try:
        return examine(reel.reader, progress)
    finally:
        reel.close()


def _measure(
    entry: Reel, job: Path, lanes: Lanes, unreadable: Callable[[int, str], None], progress: Progress
) -> Survey | None:  # fmt: skip
    """Levels and cuts, or the whole survey where the job holds it; what was measured before is taken from the job."""
    store = MeasuredFile(job)
    reel = open_entry(entry, job, progress, patient=True)
    try:
        whole = store.count(measured_key(reel, "full")) == len(reel)
        depth: Depth = "full" if whole else "first"
        names = curve_names(depth)

        def take(row: Row) -> None:
            lanes.take(names, row)
            if row.fault:
                unreadable(row.frame, row.fault)
            if not whole:
                time.sleep(PAUSE_S)

        survey = run_survey(reel, range(len(reel)), depth, progress, store, take, workers=1)
        return survey if whole else None
    finally:
        reel.close()
