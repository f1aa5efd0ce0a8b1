"""Line scratches: their tracks over the reel, those that a person draws, and their small picture."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.core.steps.scratch.lines import along_track, tracks_of
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import CountLane
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame
from grevin.desktop.steps.strokes.desk import StrokesDesk
from grevin.desktop.steps.strokes.options import Options
from grevin.desktop.texts import tr, tr_count

WIDTH_PX = 5.0  # of a scratch that is drawn, at first
LINES = ((0.28, 0.0, 1.0, 0.02), (0.6, 0.0, 0.55, -0.03), (0.83, 0.3, 1.0, 0.01))  # place, from, to, lean


class ScratchDesk(StrokesDesk):
    """What the step adds to the window."""

    step: ClassVar[str] = "scratch"
    tracks_are: ClassVar[str] = "scratches"
    lane: ClassVar[CountLane | None] = CountLane(
        "scratch", "scratch_length", "scratch_found", "lines", "scratches", 6.0
    )
    keys: ClassVar[tuple[Key, ...]] = (
        Key("scratch_line", ("Ctrl+1",), "Line scratch", "Draw a scratch: click both its ends", on_card="Draw",
            holds_tool=True),
        Key("scratch_key", ("Shift+K",), "Line scratch", "Key frame of the drawn scratch on this frame, or none",
            on_card="Key frame"),
        Key("scratch_here", ("Shift+H",), "Line scratch", "The drawn scratch reaches to this frame", on_card="To here"),
        Key("scratch_out", ("Del",), "Line scratch", "Take out the drawn scratch", on_card="Take out"),
        Key("scratch_all", ("Ctrl+Backspace",), "Line scratch", "What was said of scratches here holds on all frames",
            on_card="On all frames"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        options = Options(width_px=WIDTH_PX, feather_px=0.0, fills=False, span="shot")
        super().__init__(session, table, ("line",), options, parent)
        self.acts["scratch_all"] = self.on_all_frames

    def tracks(self) -> tuple[range, ...]:
        """Those that were found and are taken, as far as the shot in sight is known, and those that were drawn."""
        learned = self.known()
        chain, place = self.session.chain, self.place
        if learned is None or chain is None:
            return super().tracks()
        step, study = learned
        found = tracks_of(study, step.learned_format.height, self._settings)
        frames = (range(chain.reel_frame(place, run.start), chain.reel_frame(place, run.stop - 1) + 1) for run in found)
        return (*frames, *super().tracks())

    @property
    def _settings(self) -> ScratchSettings:
        settings = self.session.treatment.steps[self.place - 1].model()
        assert isinstance(settings, ScratchSettings)
        return settings

    def on_all_frames(self) -> None:
        """What was said of scratches on this frame holds on all frames on which they were found."""
        learned, session, chain = self.learned(), self.session, self.session.chain
        if learned is None or chain is None:
            return
        step, study = learned
        said = session.verdicts.on(self.step, self.frame)
        number, fmt = chain.number_before(self.place, self.frame), step.learned_format
        geometry, size = step.learned_geometry(number), (fmt.height, fmt.width)
        words = []
        for one in said:
            area = one.area if geometry is None else geometry.area_on(one.area)
            for there, box in along_track(study, number, area, size, self._settings):
                back = box if geometry is None else geometry.area_back(box)
                words.append(replace(one, frame=chain.reel_frame(self.place, there), area=back))
        if not words:
            self.told.emit(
                tr("Leave a scratch on this frame first, by a click or a key: the word is then given to all.")
            )
            return
        session.judge_all(tr("Judge scratches on all their frames"), tuple(words))
        self.told.emit(tr_count("{0} word given.", "{0} words given.", len(words)))

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Upright lines over a picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1.2))
        for place, first, last, lean in LINES:
            ends = [
                QPointF(area.x() + (place + lean * down) * area.width(), area.y() + down * area.height())
                for down in (first, last)
            ]
            painter.drawLine(*ends)
