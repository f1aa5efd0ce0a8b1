"""The open job and its reels: the part of the session that changes the document, whatever reel is looked at."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from grevin.core.errors import GrevinError
from grevin.core.intake.naming import names_by_pattern
from grevin.core.job.document import Job, Reel
from grevin.core.job.job_file import JobFile
from grevin.desktop.texts import tr


class JobSession(QObject):
    """Holds the job; `_change` of the whole session tells what of it changed."""

    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job_file: JobFile | None = None
        self.reel_index = 0

    @property
    def document(self) -> Job:
        """The job as it is now."""
        return self.job_file.document if self.job_file is not None else Job()

    @property
    def entry(self) -> Reel | None:
        """What the job says of the open reel."""
        reels = self.document.reels
        return reels[self.reel_index] if self.reel_index < len(reels) else None

    def undo(self) -> None:
        """Take the last act back."""
        if self.job_file is not None:
            self._change(self.job_file.undo)

    def redo(self) -> None:
        """Do it again."""
        if self.job_file is not None:
            self._change(self.job_file.redo)

    def name_reels(self, pattern: str, first: int) -> None:
        """Name all reels of the job by a pattern."""
        reels = self.document.reels
        try:
            names = names_by_pattern(
                pattern, [Path(reel.path) for reel in reels], [reel.declared.gauge for reel in reels], first
            )
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        self._act("Name the reels", self.document.with_names(names))

    def rename_reel(self, index: int, name: str) -> None:
        """Give one reel a name."""
        if name.strip() != self.document.reels[index].name:
            self._act("Name a reel", self.document.with_reel(index, name=name.strip()))

    def add_reels(self, paths: list[Path]) -> None:
        """Put more reels at the end of the job."""
        if paths:
            words = "Add a reel" if len(paths) == 1 else f"Add {len(paths)} reels"
            self._act(words, self.document.with_added(paths))

    def remove_reel(self, index: int) -> None:
        """Take a reel out of the job, but for the open one; its file is not touched."""
        if index == self.reel_index:
            self.told.emit(tr("The open reel cannot be taken out: open another one first."))
            return
        entry = self.entry
        document = self.document.without(index)
        if entry is not None:
            self.reel_index = document.reels.index(entry)
            self._act("Take a reel out", document)

    def _act(self, label: str, document: Job) -> bool:
        if self.job_file is None:
            return False
        self._change(partial(self.job_file.act, label, document))
        return True

    def _change(self, change: Callable[[], object]) -> bool:
        """Change the document, then tell those whose part of it changed."""
        raise NotImplementedError
