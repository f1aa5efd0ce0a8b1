"""Borders of capture sets by a person's word: where a film frame begins, and where it goes on."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Signal

from grevin.core.steps.pick.step import PickSettings
from grevin.core.treatment.step_source import StepSource
from grevin.desktop.session import Session


class SetBorders(QObject):
    """Turns keys into settings of the step Frame pick."""

    told = Signal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.acts: dict[str, Callable[[], object]] = {
            "set_begins": partial(self._say, "begins"), "set_goes_on": partial(self._say, "joins"),
            "border_back": partial(self._move, -1), "border_on": partial(self._move, 1),
        }  # fmt: skip

    @property
    def _place(self) -> int:
        steps = self._session.treatment.steps
        return next((place for place, step in enumerate(steps, 1) if step.step == "pick"), 0)

    def _capture(self) -> int | None:
        """The present capture, as the step counts them; None where there is no such step."""
        chain = self._session.chain
        if chain is None or not self._place:
            self.told.emit("Borders of capture sets belong to the step Frame pick: add it first.")
            return None
        return chain.number_before(self._place, self._session.place.frame)

    def _say(self, word: str) -> None:
        capture = self._capture()
        if capture is None:
            return
        if word == "begins":
            self._set(begin=capture)
            self.told.emit(f"A film frame begins at capture {capture}.")
        else:
            self._set(join=capture)
            self.told.emit(f"No film frame begins at capture {capture}.")

    def _move(self, by: int) -> None:
        """Move the border with which the present film frame begins."""
        capture, chain = self._capture(), self._session.chain
        if capture is None or chain is None:
            return
        source = chain.view_points[self._place]
        groups = (
            source.timing.groups if isinstance(source, StepSource) and source.is_time and source.is_studied(0) else ()
        )
        place = bisect_right(groups, capture, key=lambda group: group.start) - 1
        if place < 1:
            self.told.emit("No film frame begins before this capture: there is no border to move.")
            return
        border = groups[place].start
        low, high = groups[place - 1].start, groups[place].stop
        moved = border + by
        if not low < moved < high:
            self.told.emit("The border cannot be moved farther: a film frame needs a capture.")
            return
        self._set(begin=moved, join=border)
        self._session.view_from(self._place - 1)
        self._session.go(self._reel_frame(moved))
        self.told.emit(f"The film frame begins at capture {moved} now, not {border}.")

    def _reel_frame(self, capture: int) -> int:
        chain = self._session.chain
        assert chain is not None
        return int(chain.timeline_at(self._place - 1).sources[capture])

    def _set(self, begin: int | None = None, join: int | None = None) -> None:
        row = self._session.treatment.steps[self._place - 1]
        settings = row.model()
        assert isinstance(settings, PickSettings)
        names = self._reel_frame if row.counted == "reel" else int
        begin, join = (None if place is None else names(place) for place in (begin, join))
        said = {place for place in (begin, join) if place is not None}
        begins, joins = set(settings.begins) - said, set(settings.joins) - said
        begins |= {begin} if begin is not None else set()
        joins |= {join} if join is not None else set()
        self._session.change_settings(
            self._place, {"begins": tuple(sorted(begins)), "joins": tuple(sorted(joins))}
        )  # fmt: skip
