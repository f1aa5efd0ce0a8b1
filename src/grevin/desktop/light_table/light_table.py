"""The light table widget: one frame and every way of looking at it. It draws what it is given.

Zoom is counted in the screen's own pixels, so that 100 % is exact on every screen.
"""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)  # fmt: skip
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.measure.area import Box
from grevin.core.picture.display import Screen, mask_screen
from grevin.core.picture.geometry import Area
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.labels import labels, pane_words
from grevin.desktop.light_table.marks import OutlineMark, paint_marks, paint_regions
from grevin.desktop.light_table.painting import (
    evidence_overlay,
    label,
    lay,
    paint_box,
    paint_wipe,
    paint_words,
    placeholder,
    target,
)  # fmt: skip
from grevin.desktop.light_table.placed_picture import PlacedPicture
from grevin.desktop.light_table.tools import Tool
from grevin.desktop.light_table.view import FIT, View
from grevin.desktop.light_table.wipe import Wipe
from grevin.desktop.style import look as style
from grevin.desktop.work.looks import COMPUTED, Look, Ways

CLICK_PX = 4  # a press that moves no farther is a click
GRIP_PX = 7  # how near the pointer must be to take hold of the wipe's line
Hold = Literal["nothing", "picture", "wipe", "knob", "box", "tool"]


class LightTable(PlacedPicture):
    """Shows a `Look` at a `View`."""

    wipe_changed = Signal(object)
    pointed = Signal(object)
    boxed = Signal(object)
    clicked = Signal(object)
    tool_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("light_table")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._wipe = Wipe()
        self._box: Box | None = None
        self._marks: tuple[OutlineMark, ...] = ()
        self._mark_words = ""
        self.tool: Tool | None = None
        self._pressed: QPointF | None = None
        self._measuring = False
        self._waiting = False
        self._words = ""
        self._missing = ""
        self._drag: QPointF | None = None
        self._box_start: tuple[float, float] | None = None
        self._hold: Hold = "nothing"
        self.panning_by_space = False
        self._panned = False
        self._overlay: tuple[object, tuple[QImage, QPointF] | None] | None = None

    # What is shown

    @property
    def look(self) -> Look | None:
        """What is shown."""
        return self._look

    @property
    def missing(self) -> str:
        """The sentence that stands for a frame that cannot be read, "" where it can."""
        return self._missing

    def show_look(self, look: Look | None) -> None:
        """Show a frame."""
        self._look, self._waiting, self._missing = look, False, ""
        self._overlay = None
        self.update()

    def show_words(self, words: str) -> None:
        """Words in place of a picture."""
        self._look, self._words, self._missing, self._waiting = None, words, "", False
        self.update()

    def show_missing(self, words: str) -> None:
        """A placeholder with a sentence, where a frame cannot be read."""
        self._missing, self._waiting = words, False
        self.update()

    def show_waiting(self, waiting: bool) -> None:
        """Say that the picture shown is not the one asked for yet."""
        if waiting != self._waiting:
            self._waiting = waiting
            self.update()

    def show_ways(self, ways: Ways, drawing: Drawing) -> None:
        """Channel and way of comparing; before, evidence, shape of the pixels."""
        self._ways, self._drawing = ways, drawing
        self._overlay = None
        self.update()

    def show_wipe(self, wipe: Wipe) -> None:
        """Place of the wipe's line; it is drawn while the way of comparing is the wipe."""
        self._wipe = wipe
        self.update()

    def show_view(self, view: View) -> None:
        """Set zoom and crop without telling anybody."""
        self._overlay = None
        super().show_view(view)

    def show_measuring(self, on: bool) -> None:
        """Whether a drag measures instead of moving the picture."""
        self._measuring = on
        self._show_cursor()

    def show_box(self, box: Box | None) -> None:
        """The measured box."""
        self._box = box
        self.update()

    def show_marks(self, marks: tuple[OutlineMark, ...], words: str) -> None:
        """Outlines round pieces of the evidence, and words on the one that is picked."""
        if (marks, words) != (self._marks, self._mark_words):
            self._marks, self._mark_words = marks, words
            self.update()

    @property
    def picked(self) -> Area | None:
        """The piece of the evidence that is pointed at, where that is shown."""
        return next((mark.area for mark in self._marks if mark.kind == "picked"), None)

    def take_tool(self, tool: Tool | None) -> None:
        """Take a tool in hand instead of the one that is held, or none."""
        if tool is self.tool:
            return
        held, self.tool = self.tool, tool
        if held is not None:
            held.left()
        if tool is not None:
            tool.taken()
        self._show_cursor()
        self.update()
        self.tool_changed.emit()

    def _show_cursor(self) -> None:
        plain = Qt.CursorShape.CrossCursor if self._measuring else Qt.CursorShape.ArrowCursor
        self.setCursor(plain if self.tool is None else self.tool.cursor)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.table())
        if self._missing:
            placeholder(painter, QRectF(self.rect()).adjusted(20, 20, -20, -20), self._missing)
            return
        if self._look is None:
            painter.setPen(style.QUIET)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        ratio = self.devicePixelRatioF()
        painter.save()
        painter.scale(1 / ratio, 1 / ratio)
        for place, pane in enumerate(self.panes()):
            self._paint_pane(painter, self._look, pane, place)
        painter.restore()
        self._paint_labels(painter, self._look)

    def _paint_pane(self, painter: QPainter, look: Look, pane: QRectF, number: int) -> None:
        place = target(self._view, self.size_of_picture(self._shows_source(number)), pane)
        painter.save()
        painter.setClipRect(pane)
        lay(painter, self._picture(look, number), place)
        if self._ways.compare == "wipe" and not self._drawing.before:
            paint_wipe(painter, self._wipe, look.before, pane, place)
        if self._drawing.evidence == "hatch" and not (look.seam is not None and number != 1):
            self._paint_evidence(painter, look, pane, place)
        if self._drawing.evidence != "off" or self.tool is not None:
            scale = self.scale()
            paint_regions(painter, look.regions, look.geometry, look.number, place, scale * self.aspect(), scale)
        if self._box is not None:
            paint_box(painter, self._box, place, self.scale() * self.aspect(), self.scale())
        paint_marks(painter, self._marks, place, self.scale() * self.aspect(), self.scale())
        if self.tool is not None and (look.seam is None or number == 1):
            painter.save()
            self.tool.paint(painter, place, self.scale() * self.aspect(), self.scale())
            painter.restore()
        painter.restore()

    def _picture(self, look: Look, pane: int) -> Screen:
        if self._ways.compare == "splice" and look.seam is not None and pane != 1:
            return look.seam[0 if pane == 0 else 1][1]
        if self._shows_source(pane):
            return look.before
        if self._drawing.evidence == "mask" and look.evidence is not None:
            return mask_screen(look.evidence.mask, self._drawing.colour)
        if self._ways.compare in COMPUTED and look.computed is not None:
            return look.computed
        return look.after

    def _shows_source(self, pane: int) -> bool:
        return self._drawing.before or (self._ways.compare == "side" and pane == 0)

    def _paint_evidence(self, painter: QPainter, look: Look, pane: QRectF, place: QRectF) -> None:
        evidence = look.evidence
        if evidence is None or not evidence.mask.any():
            return
        wanted = (id(evidence), self._view, self._drawing, pane.getRect())
        if self._overlay is None or self._overlay[0] != wanted:
            self._overlay = (wanted, evidence_overlay(evidence.mask, place, pane, self._drawing.colour))
        if self._overlay[1] is not None:
            image, corner = self._overlay[1]
            painter.drawImage(corner, image)

    def _paint_labels(self, painter: QPainter, look: Look) -> None:
        ratio = self.devicePixelRatioF()
        above = labels(look, self._ways, self._drawing, self._wipe, self._waiting)
        above = [*above, self.tool.words] if self.tool is not None else above
        paint_words(painter, above, self._mark_words.splitlines(), self.height())
        if len(self.panes()) > 1 and not self._drawing.before:
            bottom = self.height() - painter.fontMetrics().height() - 18
            for pane, words in zip(self.panes(), pane_words(look, self._ways), strict=False):
                label(painter, words, pane.left() / ratio + 8, bottom)

    # Pointer

    def hold_space(self, down: bool) -> bool:
        """While space is down every drag moves the picture; tells whether one did when it is let go."""
        moved = self._panned
        self.panning_by_space, self._panned = down, False
        return moved

    def _held_at(self, event: QMouseEvent) -> Hold:
        left = event.button() == Qt.MouseButton.LeftButton
        if not left or self.panning_by_space:
            return "picture"
        if self._ways.compare == "wipe":
            spot, _ = self._spot(event.position())
            point, table = (spot.x(), spot.y()), self.table()
            knob = self._wipe.knob(table)
            if abs(point[0] - knob[0]) + abs(point[1] - knob[1]) <= 2 * GRIP_PX:
                return "knob"
            if self._wipe.distance(point, table) <= GRIP_PX:
                return "wipe"
        if self.tool is not None:
            return "tool"
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        return "box" if self._measuring or shift else "picture"

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = event.position()
        self._hold = self._held_at(event)
        left = event.button() == Qt.MouseButton.LeftButton
        self._pressed = event.position() if self._hold == "picture" and left and not self.panning_by_space else None
        self._box_start = self._picture_point(event.position()) if self._hold in {"box", "tool"} else None
        if self._hold == "tool" and self.tool is not None and self._box_start is not None:
            self.tool.press(self._box_start, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.pointed.emit(self._pixel_under(event.position()))
        if self._drag is None:
            return
        spot, _ = self._spot(event.position())
        point, table = (spot.x(), spot.y()), self.table()
        if self._hold == "wipe":
            self.wipe_changed.emit(self._wipe.moved_to(point, table))
        elif self._hold == "knob":
            self.wipe_changed.emit(self._wipe.turned_towards(point, table))
        elif self._hold == "box":
            self._drag_box(event.position())
        elif self._hold == "tool":
            here = self._picture_point(event.position())
            if here is not None and self.tool is not None:
                self.tool.drag(here)
        else:
            moved = (event.position() - self._drag) * self.devicePixelRatioF()
            self._drag, self._panned = event.position(), self.panning_by_space
            self.move_by(moved.x(), moved.y())

    def _drag_box(self, position: QPointF) -> None:
        here = self._picture_point(position)
        fmt = self.shown_format()
        if fmt is not None and self._box_start is not None and here is not None:
            self.boxed.emit(Box.between(self._box_start, here, fmt))

    def _pixel_under(self, position: QPointF) -> tuple[int, int] | None:
        point = self._picture_point(position)
        fmt = self.shown_format()
        if fmt is None or point is None:
            return None
        inside = 0 <= point[0] < fmt.width and 0 <= point[1] < fmt.height
        return (int(point[0]), int(point[1])) if inside else None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        spot = self._pixel_under(event.position())
        still = self._pressed is not None and (event.position() - self._pressed).manhattanLength() <= CLICK_PX
        if still and spot is not None:
            self.clicked.emit(spot)
        if self._hold == "tool" and self.tool is not None:
            self.tool.release()
        self._drag = self._pressed = None
        self._hold = "nothing"

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.zoom_step(1 if event.angleDelta().y() > 0 else -1, event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        here = self._picture_point(event.position())
        if self.tool is not None and here is not None:
            self.tool.twice(here)
            return
        if self._drawing.evidence != "off":
            self.mousePressEvent(event)  # two clicks on pieces of the evidence
            return
        self.zoom_to(1.0 if self._view.zoom == FIT else FIT, event.position())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._overlay = None
        super().resizeEvent(event)
