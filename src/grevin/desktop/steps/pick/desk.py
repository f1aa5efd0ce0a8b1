"""Borders of capture sets by a person's word: where a film frame begins, and where it goes on."""

from __future__ import annotations

from bisect import bisect_right
from functools import partial
from typing import ClassVar

from PySide6.QtCore import QObject, QRectF
from PySide6.QtGui import QPainter

from grevin.core.steps.pick.step import PickSettings
from grevin.core.treatment.step_source import StepSource
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame
from grevin.desktop.texts import tr


class PickDesk(Desk):
    """What the step Frame pick adds to the window."""

    step: ClassVar[str] = "pick"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("set_begins", ("Alt+I",), "Frame pick", "A film frame begins here", on_card="Begins here"),
        Key("set_goes_on", ("Alt+Shift+I",), "Frame pick", "No film frame begins here", on_card="Goes on"),
        Key("border_back", ("Alt+D",), "Frame pick", "The set's border one capture earlier", on_card="Border back"),
        Key("border_on", ("Alt+F",), "Frame pick", "The set's border one capture later", on_card="Border on"),
    )

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """One picture, taken again and again, hardly moved."""
        for place in range(4):
            one = area.adjusted(4.0 * place, 3.0 * place, -12.0 + 4.0 * place, -9.0 + 3.0 * place)
            frame(painter, one)
        boat(painter, one)

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.acts = {
            "set_begins": partial(self._say, "begins"), "set_goes_on": partial(self._say, "joins"),
            "border_back": partial(self._move, -1), "border_on": partial(self._move, 1),
        }  # fmt: skip

    def _capture(self) -> int | None:
        """The present capture, as the step counts them."""
        chain = self.session.chain
        return None if chain is None else chain.number_before(self.place, self.session.place.frame)

    def _say(self, word: str) -> None:
        capture = self._capture()
        if capture is None:
            return
        if word == "begins":
            self._set(begin=capture)
            self.told.emit(tr("A film frame begins at capture {0}.", capture))
        else:
            self._set(join=capture)
            self.told.emit(tr("No film frame begins at capture {0}.", capture))

    def _move(self, by: int) -> None:
        """Move the border with which the present film frame begins."""
        capture, chain = self._capture(), self.session.chain
        if capture is None or chain is None:
            return
        source = chain.view_points[self.place]
        groups = (
            source.timing.groups if isinstance(source, StepSource) and source.is_time and source.is_studied(0) else ()
        )
        place = bisect_right(groups, capture, key=lambda group: group.start) - 1
        if place < 1:
            self.told.emit(tr("No film frame begins before this capture: there is no border to move."))
            return
        border = groups[place].start
        low, high = groups[place - 1].start, groups[place].stop
        moved = border + by
        if not low < moved < high:
            self.told.emit(tr("The border cannot be moved farther: a film frame needs a capture."))
            return
        self._set(begin=moved, join=border)
        self.session.view_from(self.place - 1)
        self.session.go(self._reel_frame(moved))
        self.told.emit(tr("The film frame begins at capture {0} now, not {1}.", moved, border))

    def _reel_frame(self, capture: int) -> int:
        chain = self.session.chain
        assert chain is not None
        return chain.reel_frame(self.place, capture)

    def _set(self, begin: int | None = None, join: int | None = None) -> None:
        row = self.session.treatment.steps[self.place - 1]
        settings = row.model()
        assert isinstance(settings, PickSettings)
        names = self._reel_frame if row.counted == "reel" else int
        begin, join = (None if place is None else names(place) for place in (begin, join))
        said = {place for place in (begin, join) if place is not None}
        begins, joins = set(settings.begins) - said, set(settings.joins) - said
        begins |= {begin} if begin is not None else set()
        joins |= {join} if join is not None else set()
        self.session.change_settings(
            self.place, {"begins": tuple(sorted(begins)), "joins": tuple(sorted(joins))}
        )  # fmt: skip
