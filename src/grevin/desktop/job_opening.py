"""Opening jobs and material, adding reels, going from reel to reel, and closing; all off the GUI thread."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from grevin.core.errors import GrevinError
from grevin.core.job.job_file import JobFile
from grevin.desktop.session import Session
from grevin.desktop.texts import tr, tr_count
from grevin.desktop.work.one_task import OneTask
from grevin.desktop.work.opening import JOB_SUFFIX, Gathered, Prepared, gather, prepare
from grevin.desktop.work.taking_in import TakingIn

WRITING = "An output is being written: wait for it or cancel it first."


class JobOpening(QObject):
    """Changes what the session holds; `opened` and `closed` tell when it did."""

    told = Signal(str)
    faulted = Signal(object)
    opened = Signal(object)
    closing = Signal()
    closed = Signal()

    def __init__(self, session: Session, is_writing: Callable[[], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._is_writing = is_writing
        self.taking_in = TakingIn(self)
        self.task = OneTask("open", self)
        self.task.failed.connect(self.faulted)
        for signal, slot in (
            (self.taking_in.grew, session.grow), (self.taking_in.examined, session.keep_examination),
            (self.taking_in.unreadable, session.note_unreadable), (self.taking_in.faulted, self.faulted),
        ):  # fmt: skip
            signal.connect(slot)

    @property
    def busy(self) -> bool:
        """Whether something is being opened or looked for."""
        return self.task.busy

    def open(self, paths: Sequence[Path], index: int | None = None) -> None:
        """Open a job, or material under one job."""
        if self._is_writing():
            self.told.emit(tr(WRITING))
            return
        self.told.emit(tr("Opening {0} …", paths[0].name))
        self.task.run(lambda progress: prepare(paths, progress, index), self._adopt)

    def open_reel(self, index: int) -> None:
        """Open another reel of this job."""
        job, reels = self._session.job_file, self._session.document.reels
        if job is None or not reels:
            self.close()
        elif 0 <= index < len(reels):
            self._session.remember_place()
            self.open([job.path], index)

    def add(self, paths: Sequence[Path]) -> None:
        """Add reels to this job; without a job, open them. A job that is named is opened."""
        jobs = [path for path in paths if path.suffix == JOB_SUFFIX]
        if jobs or self._session.job_file is None:
            self.open(jobs[:1] or paths)
            return
        self.told.emit(tr("Looking for material …"))
        self.task.run(partial(gather, paths), self._take_in)

    def _take_in(self, found: Gathered) -> None:
        self._session.add_reels(list(found.reels))
        count = len(found.reels)
        words = tr_count(
            "{0} reel added to this job: Intake lists it.", "{0} reels added to this job: Intake lists them.", count
        )
        self.told.emit(" ".join([words, *found.notes]))

    def _adopt(self, prepared: Prepared) -> None:
        try:
            job_file = JobFile.open(prepared.job)
        except GrevinError as fault:
            prepared.reel.close()
            self.faulted.emit(fault)
            return
        self.taking_in.stop()
        self.closing.emit()
        self._session.adopt(job_file, prepared.reel, prepared.index)
        self.opened.emit(prepared.job)
        self.told.emit(" ".join([*prepared.notes, *prepared.reel.notes]))
        entry = self._session.entry
        assert entry is not None
        self.taking_in.start(prepared.reel, entry, prepared.job, self._session.examined)

    def close(self) -> None:
        """Close the job."""
        if self._is_writing():
            self.told.emit(tr(WRITING))
            return
        self.stop()
        self.closing.emit()
        self._session.leave()
        self.closed.emit()

    def stop(self) -> None:
        """End all background work."""
        self.task.cancel()
        self.taking_in.stop()
