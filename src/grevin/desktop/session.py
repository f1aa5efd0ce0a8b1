"""The session: the open job, its reel under treatment, and what is being looked at. One for the window."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs
from PySide6.QtCore import QObject, Signal

from grevin.core.cache import ByteCache
from grevin.core.errors import GrevinError
from grevin.core.job.document import Job, Reel, add_step, change_settings, remove_step, switch_step
from grevin.core.job.job_file import JobFile
from grevin.core.keys import content_key
from grevin.core.media.opening import Reader, open_reel
from grevin.core.progress import Progress
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment

CACHE_BYTES = 640 << 20  # pictures, motion and screens kept for looking; well below the 1.5 GB we promise


@dataclass(frozen=True)
class Place:
    """Where one looks: a frame and a view point on the treatment path."""

    frame: int
    view_point: int


class Session(QObject):
    """Holds the truth that the widgets show; every change goes through here."""

    reel_opened = Signal()
    treatment_changed = Signal()
    place_changed = Signal(object)
    selection_changed = Signal(int)
    history_changed = Signal()
    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job_file: JobFile | None = None
        self.reel: Reader | None = None
        self.chain: Chain | None = None
        self.reel_index = 0
        self.selected = 0
        self.place = Place(0, 0)
        self._cache = ByteCache(CACHE_BYTES)
        self._remembered: dict[str, int] = {}

    @property
    def document(self) -> Job:
        """The job as it is now."""
        return self.job_file.document if self.job_file is not None else Job()

    @property
    def treatment(self) -> Treatment:
        """Treatment of the open reel."""
        reels = self.document.reels
        return reels[self.reel_index].treatment if reels else Treatment()

    @property
    def length(self) -> int:
        """Frames of the open reel, 0 without one."""
        return len(self.reel) if self.reel is not None else 0

    def adopt(self, job_file: JobFile, reel: Reader) -> None:
        """Take an opened job with its reel as what is worked on."""
        self.leave()
        self.job_file, self.reel = job_file, reel
        self.selected = 0
        self._rebuild()
        frame = min(int(job_file.fact("frame", "0")), self.length - 1)
        view_point = min(int(job_file.fact("view_point", "0")), len(self.treatment.steps))
        self.place = Place(max(0, frame), view_point)
        self.selected = min(int(job_file.fact("selected", "0")), len(self.treatment.steps))
        self.reel_opened.emit()
        self.history_changed.emit()

    def leave(self) -> None:
        """Close what is open, remembering where one was."""
        if self.job_file is not None:
            self.remember_place()
            self.job_file.close()
        if self.reel is not None:
            self.reel.close()
        self.job_file = self.reel = self.chain = None
        self._remembered = {}

    def remember_place(self) -> None:
        """Write down what is looked at, if that changed since the last time."""
        looked = {"frame": self.place.frame, "view_point": self.place.view_point, "selected": self.selected}
        if self.job_file is not None and looked != self._remembered:
            for name, value in looked.items():
                self.job_file.remember(name, str(value))
            self._remembered = looked

    def go(self, frame: int) -> None:
        """Look at another frame."""
        self._look(Place(min(max(0, frame), max(0, self.length - 1)), self.place.view_point))

    def go_shot(self, direction: int) -> None:
        """Go to the first frame of the next or previous shot, as far as cuts are near enough to be known."""
        if self.chain is None:
            return
        number = self.place.frame + direction
        while 0 < number < self.length - 1 and not self.chain.shots.cut_before(number):
            number += direction
        self.go(number)

    def view_from(self, view_point: int) -> None:
        """Move the view point along the treatment path."""
        self._look(Place(self.place.frame, min(max(0, view_point), len(self.treatment.steps))))

    def _look(self, place: Place) -> None:
        if place != self.place:
            self.place = place
            self.place_changed.emit(place)

    def select(self, place: int) -> None:
        """Select a step of the path (1 is the first), 0 for the source."""
        if place != self.selected:
            self.selected = place
            self.selection_changed.emit(place)

    def add_step(self, step: str) -> None:
        """Put a step at the end, look from after it."""
        if self._act(f"Add {step}", add_step(self.treatment, step)):
            count = len(self.treatment.steps)
            self.select(count)
            self.view_from(count)

    def remove_step(self, place: int) -> None:
        """Take a step out."""
        self._act(f"Remove {self.treatment.steps[place - 1].step}", remove_step(self.treatment, place - 1))

    def change_settings(self, place: int, changes: dict[str, Any]) -> None:
        """Give a step other settings; a value that is not allowed is refused with a sentence."""
        try:
            treatment = change_settings(self.treatment, place - 1, changes)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        if treatment != self.treatment:
            self._act(f"Change {', '.join(changes)}", treatment)

    def switch_step(self, place: int, enabled: bool) -> None:
        """Let a step act or rest."""
        self._act(
            "Let the step act" if enabled else "Let the step rest", switch_step(self.treatment, place - 1, enabled)
        )

    def undo(self) -> None:
        """Take the last act back."""
        if self.job_file is not None and self.job_file.undo():
            self._after_change()

    def redo(self) -> None:
        """Do it again."""
        if self.job_file is not None and self.job_file.redo():
            self._after_change()

    def _act(self, label: str, treatment: Treatment) -> bool:
        if self.job_file is None:
            return False
        self.job_file.act(label, self.document.with_treatment(self.reel_index, treatment))
        self._after_change()
        return True

    def _after_change(self) -> None:
        count = len(self.treatment.steps)
        self._rebuild()
        self.selected = min(self.selected, count)
        self.place = Place(self.place.frame, min(self.place.view_point, count))
        self.treatment_changed.emit()
        self.history_changed.emit()

    def _rebuild(self) -> None:
        assert self.reel is not None
        self.chain = Chain(self.reel, self.treatment, self._cache)


def jobs_folder() -> Path:
    """Where jobs live that were not given a name yet."""
    return Path(platformdirs.user_data_dir("grevin")) / "jobs"


def prepare(path: Path, progress: Progress) -> tuple[Path, Reader]:
    """Open what a person named, off the GUI thread: the job file's path and its reel, indexed.

    Material without a job gets one in `jobs_folder`, named after it, and the same one when it is opened again.

    Raises:
        GrevinError: one sentence about what is wrong.
    """
    if path.suffix == ".grevin":
        job_file = JobFile.open(path)
        reels = job_file.document.reels
        job_file.close()
        if not reels:
            raise GrevinError(f"{path.name} holds no reel.", "Open material instead.")
        return path, open_reel(found_reel(Path(reels[0].path), path), progress, reels[0].declared_rate())
    reel = open_reel(path, progress)
    job_path = jobs_folder() / f"{path.stem.replace('%', '')}-{content_key(path.absolute())[:8]}.grevin"
    if not job_path.exists():
        JobFile.create(job_path, Job(reels=(Reel(path=str(path.absolute())),))).close()
    return job_path, reel


def found_reel(reel: Path, job: Path) -> Path:
    """The reel's path; where it is gone but lies beside the job (both were moved), that one."""
    moved = job.parent / reel.name
    return moved if not reel.exists() and moved.exists() else reel
