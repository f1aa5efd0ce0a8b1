"""Steps that have to know the reel or a shot before their pictures can be shown study it in the background."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from grevin.core.treatment.chain import Chain
from grevin.desktop.texts import tr
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
        self._task.failed.connect(self._fail)
        self._chain: Chain | None = None
        self._given_up: Chain | None = None

    @property
    def busy(self) -> bool:
        """Whether something is studied."""
        return self._task.busy

    def look_at(self, chain: Chain | None, frame: int) -> None:
        """What of a treatment is not known yet at a frame is studied, and nothing of another treatment any more."""
        if chain is not self._chain:
            self._task.cancel()
        self._chain = chain
        if chain is None or self._task.busy or chain is self._given_up:
            return
        if not chain.is_studied(len(chain.view_points) - 1, frame):
            self._task.run(lambda progress: chain.prepare(progress, [frame]), lambda _done: self.studied.emit())

    def cancel(self) -> None:
        """Give up; the step then shows the picture before it, until its treatment changes."""
        if self._task.busy:
            self._task.cancel()
            self._given_up = self._chain
            self.told.emit(
                tr("Analysis stopped; the step has no effect yet. Change a setting, or switch it off and on.")
            )

    def _fail(self, fault: object) -> None:
        self._given_up = self._chain
        self.faulted.emit(fault)

    def stop(self) -> None:
        """End the thread."""
        self._task.cancel()
        self._chain = None
