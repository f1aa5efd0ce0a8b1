"""What a step that learns shots left behind it is measured in the background, when a person asks for it."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from grevin.core.progress import Progress
from grevin.core.treatment.step_source import StepSource
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.one_task import OneTask


class MeasuringLeft(QObject):
    """Gives the selected step its own pictures to look at, shot by shot."""

    measured = Signal()
    progressed = Signal(object)
    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._task = OneTask("left", self)
        self._task.progressed.connect(self.progressed)
        self._task.failed.connect(self.faulted)

    @property
    def busy(self) -> bool:
        """Whether something is measured."""
        return self._task.busy

    def measure(self) -> None:
        """Measure the present shot behind the selected step."""
        chain, place = self._session.chain, self._session.selected
        step = chain.view_points[place] if chain is not None and 0 < place < len(chain.view_points) else None
        if chain is None or not isinstance(step, StepSource) or not step.measures_left:
            self.told.emit(tr("Select the card of a step that measures shots, such as Flicker or Rolling bands."))
            return
        number = chain.number_before(place, self._session.place.frame)
        if not step.is_studied(number):
            self.told.emit(tr("The step is still measuring this shot."))
            return

        def work(progress: Progress) -> None:
            step.left_of(number, progress)

        self._task.run(work, lambda _done: self.measured.emit())

    def stop(self) -> None:
        """Give up."""
        self._task.cancel()
