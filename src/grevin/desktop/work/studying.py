"""Time steps study the whole reel before their pictures can be shown: in the background, with progress and cancel."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from grevin.core.treatment.chain import Chain
from grevin.desktop.work.one_task import OneTask


class Studying(QObject):
    """Studies the present chain; tells when its view points can be looked from."""

    studied = Signal()
    progressed = Signal(object)
    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._task = OneTask("study", self)
        self._task.progressed.connect(self.progressed)
        self._task.failed.connect(self.faulted)
        self._chain: Chain | None = None

    @property
    def busy(self) -> bool:
        """Whether something is studied."""
        return self._task.busy

    def look_at(self, chain: Chain | None) -> None:
        """Another treatment: what of it is not studied yet is, and nothing else any more."""
        if chain is self._chain:
            return
        self._task.cancel()
        self._chain = chain
        if chain is not None and not chain.is_studied(len(chain.view_points) - 1):
            self._task.run(chain.prepare, lambda _done: self.studied.emit())

    def cancel(self) -> None:
        """Give up; the step then shows the picture before it, until its treatment changes."""
        if self._task.busy:
            self._task.cancel()
            self.told.emit(
                "Stopped: the step does not know the reel yet. Change a setting, or its tick, to begin again."
            )

    def stop(self) -> None:
        """End the thread."""
        self._task.cancel()
        self._chain = None
