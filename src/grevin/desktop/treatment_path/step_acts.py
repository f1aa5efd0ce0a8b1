"""Acts on the selected step of the path."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Signal

from grevin.desktop.session import Session
from grevin.desktop.texts import tr


class StepActs(QObject):
    """Moves, doubles, rests and takes out the selected step."""

    told = Signal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.acts: dict[str, Callable[[], object]] = {
            "card_before": partial(self._select, -1),
            "card_after": partial(self._select, 1),
            "step_earlier": partial(self._do, lambda place: session.move_step(place, -1)),
            "step_later": partial(self._do, lambda place: session.move_step(place, 1)),
            "step_again": partial(self._do, session.double_step),
            "step_rests": partial(self._do, self._switch),
            "step_out": partial(self._do, session.remove_step),
        }

    def _do(self, act: Callable[[int], object]) -> None:
        place = self._session.selected
        if 0 < place <= len(self._session.treatment.steps):
            act(place)
        else:
            self.told.emit(tr("Select a step first."))

    def _select(self, by: int) -> None:
        """Another card; the source's is none."""
        self._session.select(min(max(0, self._session.selected + by), len(self._session.treatment.steps)))

    def _switch(self, place: int) -> None:
        self._session.switch_step(place, not self._session.treatment.steps[place - 1].enabled)
