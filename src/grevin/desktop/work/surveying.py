"""The survey of the open reel in the background: begun, held, stopped, and gone on with after a kill."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from grevin.core.errors import CancelledError
from grevin.core.job.document import Reel
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.progress import Progress, ProgressReport
from grevin.core.survey.lanes import Lanes
from grevin.core.survey.measures.base import Depth
from grevin.core.survey.rows import Row
from grevin.core.survey.survey import Survey, curve_names, run_survey
from grevin.desktop.texts import tr
from grevin.desktop.work.opening import open_entry
from grevin.desktop.work.workers import Task

ORIGIN = "survey"
REFRESH_MS = 500


class Surveying(QObject):
    """Owns the task and its result."""

    changed = Signal()
    progressed = Signal(object)
    finished = Signal(object)
    lanes_changed = Signal()
    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._task: Task | None = None
        self._paused = False
        self._held = False
        self._refresh = QTimer(self, interval=REFRESH_MS)
        self._refresh.timeout.connect(self.lanes_changed)
        self.survey: Survey | None = None
        self.report: ProgressReport | None = None

    @property
    def running(self) -> bool:
        """Whether a survey is under way, held or not."""
        return self._task is not None

    @property
    def paused(self) -> bool:
        """Whether the person holds it."""
        return self._paused

    def start(self, entry: Reel, job: Path, lanes: Lanes, depth: Depth, frames: range) -> None:
        """Begin, or go on where an earlier one was stopped."""
        if self._task is not None:
            return
        self._paused = False
        task = Task(partial(_survey, entry, job, lanes, depth, frames), "survey", self)
        self._task = task
        task.progressed.connect(self._report)
        task.done.connect(partial(self._done, task))
        task.failed.connect(partial(self._fail, task))
        task.progress.hold(self._held)
        task.start()
        self._refresh.start()
        self.changed.emit()

    def pause(self, on: bool) -> None:
        """The person lets it wait."""
        self._paused = on
        self._hold()
        self.changed.emit()

    def hold(self, on: bool) -> None:
        """Pictures are played: they need the machine."""
        self._held = on
        self._hold()

    def _hold(self) -> None:
        if self._task is not None:
            self._task.progress.hold(self._held or self._paused)

    def cancel(self) -> None:
        """Stop; what was measured is kept, and the next one goes on from there."""
        if self._task is not None:
            self._task.cancel()

    def adopt(self, survey: Survey | None) -> None:
        """A survey that the job holds, or none."""
        self.survey = survey
        self.changed.emit()

    def stop(self) -> None:
        """End the thread, before the reel is left."""
        if self._task is not None:
            task, self._task = self._task, None
            task.cancel()
            task.wait()
        self._refresh.stop()
        self.survey = self.report = None
        self.changed.emit()

    def _report(self, report: ProgressReport) -> None:
        self.report = report
        self.progressed.emit(report)

    def _end(self, task: Task) -> bool:
        if task is not self._task:
            return False
        self._task, self.report, self._paused = None, None, False
        self._refresh.stop()
        self.lanes_changed.emit()
        return True

    def _done(self, task: Task, survey: Survey) -> None:
        if self._end(task):
            self.survey = survey
            self.changed.emit()
            self.finished.emit(survey)

    def _fail(self, task: Task, fault: Exception) -> None:
        if self._end(task):
            self.changed.emit()
            if isinstance(fault, CancelledError):
                self.told.emit(
                    tr("The survey was stopped; what was measured is kept and the next one goes on from there.")
                )
            else:
                self.faulted.emit(fault)


def _survey(entry: Reel, job: Path, lanes: Lanes, depth: Depth, frames: range, progress: Progress) -> Survey:
    """On a reader of its own; the findings are put into the job at the end."""
    names = curve_names(depth)

    def take(row: Row) -> None:
        if depth == "full" or not lanes.looked[row.frame]:
            lanes.take(names, row, cuts=depth == "full")

    reel = open_entry(entry, job, progress, patient=True)
    try:
        survey = run_survey(reel, frames, depth, progress, MeasuredFile(job), take)
    finally:
        reel.close()
    JobFile.put_findings(job, entry.id, ORIGIN, survey.every_finding(), frames)
    return survey
