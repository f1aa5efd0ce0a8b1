"""Frames made anew: by a key, and led by tie lines that are drawn over the same thing on two or more frames."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QObject, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from grevin.core.steps.rebuild.step import RebuildSettings
from grevin.core.steps.rebuild.ties import Line, TieKey, TieLine
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.tools import Point, Tool
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.rebuild.lines import Grip, ShownLine, State, dragged, grip_of, paint_lines
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame, row
from grevin.desktop.texts import tr

SHORTEST_PX = 3.0  # of the picture: a shorter drag draws nothing


class RebuildDesk(Desk):
    """What the step Frame rebuild adds to the window."""

    step: ClassVar[str] = "rebuild"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("make_anew", ("Alt+R",), "Frame rebuild", "Rebuild this frame, or leave it as it was",
            on_card="This frame"),
        Key("tie", ("Shift+K",), "Frame rebuild", "Tie lines: draw over the same edge on several frames",
            on_card="Tie lines", holds_tool=True),
        Key("new_tie", ("Ctrl+K",), "Frame rebuild", "Another tie line", on_card="Another line"),
        Key("take_tie", ("Del",), "Frame rebuild", "Take out the tie line that is worked on", on_card="Take out line"),
    )  # fmt: skip

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A frame is missing between two good ones."""
        first, gap, last = row(area, 3)
        for one in (first, last):
            frame(painter, one)
            boat(painter, one)
        painter.setPen(QPen(DAMAGE, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(gap)

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.tying = TieTool(self)
        self.tools = {"tie": self.tying}
        self.acts = {
            "make_anew": self.make_anew, "tie": lambda: self.toggle("tie"), "take_tie": self.tying.take_out,
            "new_tie": self.tying.begin_new,
        }  # fmt: skip

    def show(self) -> None:
        """Another frame, treatment or selection."""
        if self.table.tool is self.tying:
            self.table.update()

    def make_anew(self) -> None:
        """The present frame is made anew, or no more."""
        session, row = self.session, self.session.treatment.steps[self.place - 1]
        if session.chain is None:
            return
        settings = row.model()
        assert isinstance(settings, RebuildSettings)
        number = session.chain.named(self.place, session.place.frame, row.counted)
        anew = number not in settings.frames
        frames = {*settings.frames, number} if anew else set(settings.frames) - {number}
        session.change_settings(self.place, {"frames": tuple(sorted(frames))})
        self.told.emit(tr("Frame {0} is {1}.", number, "rebuilt" if anew else "as it was again"))


class TieTool(Tool):
    """Turns drags on the light table into tie lines."""

    words = "Tie lines: draw over an edge; on another frame drag the line onto the same edge. Esc ends."

    def __init__(self, desk: RebuildDesk) -> None:
        self._desk = desk
        self._session = desk.session
        self._table = desk.table
        self._active = -1  # line that is worked on
        self._grip: Grip | None = None
        self._begun: Line | None = None
        self._start: Point = (0.0, 0.0)
        self._present: Line | None = None  # while the pointer is down

    @property
    def place(self) -> int:
        """Place of the step on the path that the lines belong to; 0 for none."""
        return self._desk.place

    @property
    def ties(self) -> tuple[TieLine, ...]:
        """The lines."""
        settings = self._session.treatment.steps[self.place - 1].model() if self.place else None
        return tuple(getattr(settings, "ties", ()))

    @property
    def frame(self) -> int:
        """The present frame as the step's settings name it."""
        session, chain = self._session, self._session.chain
        if chain is None or not self.place:
            return 0
        return chain.named(self.place, session.place.frame, session.treatment.steps[self.place - 1].counted)

    def begin_new(self) -> None:
        """The next drag draws another line, wherever it begins."""
        self._active = -1
        self._table.update()

    def take_out(self) -> None:
        """Take out the line that is worked on."""
        if not 0 <= self._active < len(self.ties):
            self._desk.told.emit(tr("Take hold of a tie line first."))
            return
        left = [tie for place, tie in enumerate(self.ties) if place != self._active]
        self._active = -1
        self._set(left)

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """The lines as they lie on the present frame."""
        paint_lines(painter, self._shown(), place, across, down)

    def _shown(self) -> tuple[ShownLine, ...]:
        lines = []
        for place, tie in enumerate(self.ties):
            active = place == self._active
            line, state = _as_seen(tie, self.frame)
            lines.append(ShownLine(self._present if active and self._present else line, state, active))
        if self._present is not None and self._active == len(lines):
            lines.append(ShownLine(self._present, "drawn", True))
        return tuple(lines)

    # Pointer

    def press(self, point: Point, more: bool) -> None:
        """Take hold of a line, or begin another."""
        self._start = point
        scale = self._table.scale()
        order = sorted(range(len(self.ties)), key=lambda place: place != self._active)
        for place in order:
            line = _as_seen(self.ties[place], self.frame)[0]
            self._grip = grip_of(line, point, scale)
            if self._grip is not None:
                self._active, self._begun = place, line
                self._table.update()
                return
        self._active, self._grip = len(self.ties), "other end"
        self._begun = (*point, *point)

    def drag(self, point: Point) -> None:
        """Move what is held."""
        if self._begun is not None and self._grip is not None:
            by = (point[0] - self._start[0], point[1] - self._start[1])
            self._present = dragged(self._begun, self._grip, by)
            self._table.update()

    def release(self) -> None:
        """Keep what was drawn."""
        line, self._present, self._begun = self._present, None, None
        if line is None:
            self._table.update()
            return
        ties, frame = list(self.ties), self.frame
        if self._active == len(ties):
            if abs(line[2] - line[0]) + abs(line[3] - line[1]) < SHORTEST_PX:
                self._active = -1
                self._table.update()
                return
            ties.append(TieLine(keys=(TieKey(frame=frame, line=line),)))
        else:
            ties[self._active] = ties[self._active].with_key(frame, line)
        self._set(ties)
        drawn = ties[self._active]
        if len(drawn.keys) == 1:
            self._desk.told.emit(
                tr("Now go to a good frame on the other side of the gap and drag the line onto the same edge.")
            )
        else:
            first, last = drawn.keys[0].frame, drawn.keys[-1].frame
            self._desk.told.emit(tr("This line leads the motion between frames {0} and {1}.", first, last))

    def _set(self, ties: list[TieLine]) -> None:
        self._session.change_settings(self.place, {"ties": tuple(tie.model_dump() for tie in ties)})
        self._table.update()


def _as_seen(tie: TieLine, frame: int) -> tuple[Line, State]:
    """Where a line lies on a frame, and how it comes to lie there."""
    drawn = next((key.line for key in tie.keys if key.frame == frame), None)
    if drawn is not None:
        return drawn, "drawn"
    between = tie.at(frame)
    if between is not None:
        return between, "between"
    nearest = min(tie.keys, key=lambda key: abs(key.frame - frame))
    return nearest.line, "elsewhere"
