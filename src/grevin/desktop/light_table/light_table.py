"""The light table widget: one frame, before and after, the wipe, the evidence over it. It draws what it is given."""

from __future__ import annotations

import cv2
import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.picture.display import hatch_over
from grevin.desktop.light_table.painting import lay, target
from grevin.desktop.light_table.view import FIT, View
from grevin.desktop.style import look as style
from grevin.desktop.work.looks import Look

GRIP_PX = 7  # how near the pointer must be to take hold of the wipe's line
LABEL_PAD = 5


class LightTable(QWidget):
    """Shows a `Look` at a `View`."""

    view_changed = Signal(object)
    wipe_moved = Signal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("light_table")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._look: Look | None = None
        self._aspect = 1.0
        self._view = View()
        self._before = False
        self._evidence = False
        self._wipe: float | None = None
        self._waiting = False
        self._words = "Open material or a job: Ctrl+O"
        self._drag: QPointF | None = None
        self._holds_wipe = False
        self._overlay: tuple[object, QImage, QPointF] | None = None

    @property
    def view(self) -> View:
        """Zoom and crop."""
        return self._view

    @property
    def look(self) -> Look | None:
        """What is shown."""
        return self._look

    def show_look(self, look: Look | None, aspect: float) -> None:
        """Show a frame; `aspect` is the width of its pixels over their height."""
        self._look, self._aspect, self._waiting = look, aspect, False
        self._overlay = None
        self.update()

    def show_words(self, words: str) -> None:
        """Words in place of a picture."""
        self._look, self._words = None, words
        self.update()

    def show_waiting(self, waiting: bool) -> None:
        """Say that the picture shown is not the one asked for yet."""
        if waiting != self._waiting:
            self._waiting = waiting
            self.update()

    def show_before(self, on: bool) -> None:
        """Show the source instead of the view point."""
        self._before = on
        self.update()

    def show_evidence(self, on: bool) -> None:
        """Draw the evidence over the picture."""
        self._evidence = on
        self.update()

    def show_wipe(self, place: float | None) -> None:
        """Source left of a line at 0..1 of the table's width; None for no wipe."""
        self._wipe = place
        self.update()

    def show_view(self, view: View) -> None:
        """Set zoom and crop without telling anybody."""
        self._view = view
        self._overlay = None
        self.update()

    def size_of_picture(self) -> tuple[float, float]:
        """(width, height) as displayed, pixel aspect applied."""
        if self._look is None:
            return 1.0, 1.0
        height, width = self._look.before.shape[:2]
        return width * self._aspect, float(height)

    def _table(self) -> tuple[float, float]:
        return float(self.width()), float(self.height())

    def zoom_to(self, zoom: float, at: QPointF | None = None) -> None:
        """Zoom around a position of the widget, its middle by default."""
        at = at or QPointF(self.width() / 2, self.height() / 2)
        self._set(self._view.zoomed(zoom, (at.x(), at.y()), self.size_of_picture(), self._table()))

    def zoom_step(self, direction: int, at: QPointF | None = None) -> None:
        """One step in (+1) or out (-1)."""
        self.zoom_to(self._view.step(direction, self.size_of_picture(), self._table()), at)

    def scale(self) -> float:
        """Screen pixels per displayed picture pixel."""
        return self._view.scale(self.size_of_picture(), self._table())

    def _set(self, view: View) -> None:
        self.show_view(view)
        self.view_changed.emit(view)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.TABLE)
        if self._look is None:
            painter.setPen(style.QUIET)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        place = target(self._view, self.size_of_picture(), self._table())
        lay(painter, self._look.before if self._before else self._look.after, place)
        if self._wipe is not None:
            self._paint_wipe(painter, place)
        if self._evidence:
            self._paint_evidence(painter, place)
        self._paint_labels(painter)

    def _paint_wipe(self, painter: QPainter, place: QRectF) -> None:
        assert self._look is not None
        assert self._wipe is not None
        line = self._wipe * self.width()
        painter.save()
        painter.setClipRect(QRectF(0, 0, line, self.height()))
        painter.fillRect(self.rect(), style.TABLE)
        lay(painter, self._look.before, place)
        painter.restore()
        painter.setPen(QPen(QColor(20, 20, 20), 3))
        painter.drawLine(QPointF(line, 0), QPointF(line, self.height()))
        painter.setPen(QPen(style.TEXT, 1))
        painter.drawLine(QPointF(line, 0), QPointF(line, self.height()))

    def _paint_evidence(self, painter: QPainter, place: QRectF) -> None:
        assert self._look is not None
        evidence = self._look.evidence
        if evidence is None or not evidence.mask.any():
            return
        wanted = (id(evidence), self._view, self.size().toTuple())
        if self._overlay is None or self._overlay[0] != wanted:
            self._overlay = (wanted, *self._draw_overlay(evidence.mask, place))
        painter.drawImage(self._overlay[2], self._overlay[1])

    def _draw_overlay(self, mask: np.ndarray, place: QRectF) -> tuple[QImage, QPointF]:
        """The hatch at screen resolution, for the visible part only."""
        height, width = mask.shape
        seen = place.intersected(QRectF(self.rect()))
        across, down = width / place.width(), height / place.height()
        first_x, last_x = int((seen.left() - place.left()) * across), int((seen.right() - place.left()) * across) + 1
        first_y, last_y = int((seen.top() - place.top()) * down), int((seen.bottom() - place.top()) * down) + 1
        part = mask[max(0, first_y) : last_y, max(0, first_x) : last_x]
        size = (max(1, round(part.shape[1] / across)), max(1, round(part.shape[0] / down)))
        method = cv2.INTER_NEAREST if across <= 1 else cv2.INTER_AREA
        shown = cv2.resize(part.astype(np.uint8) * np.uint8(255), size, interpolation=method) > 0
        overlay = hatch_over(np.asarray(shown), style.EVIDENCE)
        image = QImage(overlay.data, size[0], size[1], 4 * size[0], QImage.Format.Format_ARGB32_Premultiplied).copy()
        return image, QPointF(place.left() + max(0, first_x) / across, place.top() + max(0, first_y) / down)

    def _paint_labels(self, painter: QPainter) -> None:
        assert self._look is not None
        left = []
        if self._before:
            left.append("Before: the source")
        if self._wipe is not None:
            left.append("Wipe: source on the left")
        if self._evidence:
            left.append(_evidence_words(self._look))
        if self._waiting:
            left.append("Working …")
        y = 8
        for text in left:
            y += self._label(painter, text, 8, y) + 4

    def _label(self, painter: QPainter, text: str, x: int, y: int) -> int:
        metrics = painter.fontMetrics()
        height = metrics.height() + 2 * LABEL_PAD
        box = QRectF(x, y, metrics.horizontalAdvance(text) + 2 * LABEL_PAD, height)
        painter.fillRect(box, QColor(24, 24, 24, 205))
        painter.setPen(style.TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        return height

    # Pointer

    def _near_wipe(self, x: float) -> bool:
        return self._wipe is not None and abs(x - self._wipe * self.width()) <= GRIP_PX

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = event.position()
        self._holds_wipe = event.button() == Qt.MouseButton.LeftButton and self._near_wipe(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            near = self._near_wipe(event.position().x())
            self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)
            return
        if self._holds_wipe:
            self.wipe_moved.emit(min(0.98, max(0.02, event.position().x() / self.width())))
            return
        moved = event.position() - self._drag
        self._drag = event.position()
        self._set(self._view.moved(moved.x(), moved.y(), self.size_of_picture(), self._table()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        self._holds_wipe = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.zoom_step(1 if event.angleDelta().y() > 0 else -1, event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.zoom_to(1.0 if self._view.zoom == FIT else FIT, event.position())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._overlay = None
        super().resizeEvent(event)


def _evidence_words(look: Look) -> str:
    if look.evidence is None:
        return "Evidence: select a step"
    count = len(look.evidence.blobs)
    return f"Evidence: {count} found on this frame" if count else "Evidence: nothing found on this frame"
