"""Line scratches: their tracks over the reel, those that a person draws, and their small picture."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.core.picture.geometry import Area
from grevin.core.steps.scratch.lines import along_track, tracks_of
from grevin.core.steps.scratch.redrawn import course_at, width_at
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.core.treatment.region_edits import moving_line
from grevin.core.treatment.strokes import Stroke
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
        Key("scratch_redraw", ("Shift+L",), "Line scratch", "The found scratch under the pointer as a drawn one",
            on_card="Redraw"),
        Key("scratch_out", ("Del",), "Line scratch", "Take out the drawn scratch", on_card="Take out"),
        Key("scratch_cut", ("Shift+X",), "Line scratch", "Cut the drawn scratch before this frame", on_card="Cut"),
        Key("scratch_join", ("Shift+J",), "Line scratch", "Join the drawn scratch with the next one in time",
            on_card="Join"),
        Key("scratch_here", ("Shift+H",), "Line scratch", "The drawn scratch reaches to this frame", on_card="To here"),
        Key("scratch_key", ("Shift+K",), "Line scratch", "Key frame of the drawn scratch on this frame, or none",
            on_card="Key frame"),
        Key("scratch_left", ("Alt+Shift+Left",), "Line scratch", "The drawn scratch half a px to the left",
            on_card="½ px left"),
        Key("scratch_right", ("Alt+Shift+Right",), "Line scratch", "The drawn scratch half a px to the right",
            on_card="½ px right"),
        Key("scratch_all", ("Ctrl+Backspace",), "Line scratch", "What was said of scratches here holds on all frames",
            on_card="All frames"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        options = Options(width_px=WIDTH_PX, feather_px=0.0, fills=False, span="shot")
        super().__init__(session, table, ("line",), options, parent)
        self.acts |= {"scratch_all": self.on_all_frames, "scratch_redraw": self.redraw}

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

    def redraw(self) -> None:
        """The found scratch that is pointed at, or the only one of the frame, as a drawn one, to be changed."""
        learned, chain = self.learned(), self.session.chain
        if learned is None or chain is None:
            return
        step, study = learned
        number, fmt = chain.number_before(self.place, self.frame), step.learned_format
        size, geometry = (fmt.height, fmt.width), step.learned_geometry(number)
        meant = self._meant()
        if meant is None:
            self.told.emit(tr("Show the evidence (V) and point at a scratch that was found."))
            return
        area, width = meant
        course = course_at(study, number, area if geometry is None else geometry.area_on(area), size, self._settings)
        if not course:
            self.told.emit(tr("No scratch was found there: draw it (Ctrl+1)."))
            return
        places = {
            chain.reel_frame(self.place, there): points if geometry is None else geometry.points_back(points)
            for there, points in course.items()
        }
        where = moving_line(places, width)
        self.active = len(self.strokes)
        self._set((*self.strokes, Stroke(where=where)), tr("Redraw a scratch"))
        words = tr("Frames {0} to {1}, {2} key frames: it is yours to move, cut and join now.")
        self.told.emit(words.format(where.first, where.last, len(where.keys)))

    def _meant(self) -> tuple[Area, float] | None:
        """The found piece that is pointed at, or the only one, and px across that are mended of it, on the reel."""
        look = self.table.look
        if look is None or look.number != self.frame or look.evidence is None:
            return None
        found = [
            blob.area for blob in look.evidence.blobs if not blob.by_hand or blob.contrast
        ]  # what was drawn has none
        nearly = [blob.area for blob in look.evidence.passed]
        area = self.table.picked or (found[0] if len(found) == 1 else None)
        if area not in (*found, *nearly):
            return None
        width, geometry = width_at(look.evidence.mask, area), look.geometry
        if geometry is not None:
            area, width = geometry.area_back(area), round(width * abs(float(geometry.back[0, 0])), 1)
        return area, width or self.options.width_px  # of what was nearly taken nothing is mended yet

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
