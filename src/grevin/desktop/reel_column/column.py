"""The reel column: the whole reel as an upright chart, time running down, a narrow lane for each kind of fact."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.survey.lanes import Lanes
from grevin.desktop.style import look as style

WIDTH = 116
HEAD = 30
RULER = 38
LEVEL_LANE = (40, 28)  # left edge, width
DIRT_LANE = (72, 32)
READY_LANE = (108, 5)
FULL_DIRT = 30.0  # blobs a frame that fill the lane


class ReelColumn(QWidget):
    """Draws lanes and the current frame; a press or drag goes to that frame."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("reel_column")
        self.setFixedWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self._length = 0
        self._frame = 0
        self._lanes: Lanes | None = None
        self._ready: Callable[[int], bool] = bool

    def show_lanes(self, length: int, lanes: Lanes | None, ready: Callable[[int], bool]) -> None:
        """Show a reel's facts; `ready` tells whether a frame's picture is in the cache."""
        self._length, self._lanes, self._ready = length, lanes, ready
        self.update()

    def show_frame(self, frame: int) -> None:
        """Mark the current frame."""
        self._frame = frame
        self.update()

    def _y(self, frame: float) -> float:
        return HEAD + (self.height() - HEAD - 4) * frame / max(1, self._length)

    def frame_at(self, y: float) -> int:
        """Frame at a height of the widget."""
        share = (y - HEAD) / max(1, self.height() - HEAD - 4)
        return min(max(0, int(share * self._length)), max(0, self._length - 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.SURFACE)
        self._paint_heads(painter)
        if not self._length:
            return
        for left, width in (LEVEL_LANE, DIRT_LANE, READY_LANE):
            painter.fillRect(QRectF(left, HEAD, width, self.height() - HEAD - 4), QColor(34, 34, 34))
        if self._lanes is not None:
            self._paint_level(painter, self._lanes)
            self._paint_dirt(painter, self._lanes)
            self._paint_cuts(painter, self._lanes)
        self._paint_ready(painter)
        self._paint_ruler(painter)
        self._paint_current(painter)

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom
        painter.drawText(QRectF(0, 0, RULER + 2, HEAD - 4), flags, "frame")
        painter.drawText(QRectF(LEVEL_LANE[0] - 2, 0, LEVEL_LANE[1] + 4, HEAD - 4), flags, "level")
        painter.drawText(QRectF(DIRT_LANE[0], 0, DIRT_LANE[1], HEAD - 4), flags, "dirt")

    def _rows(self) -> range:
        return range(HEAD, self.height() - 4)

    def _span(self, y: int) -> range:
        """Frames that fall on a row of pixels, at least one."""
        first = self.frame_at(y)
        return range(first, max(first + 1, self.frame_at(y + 1)))

    def _paint_level(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = LEVEL_LANE
        points = [
            QPointF(left + width * level / 255.0, y)
            for y in self._rows()
            if (level := lanes.mean_level(self._span(y))) is not None
        ]
        painter.setPen(QPen(style.LEVEL, 1))
        painter.drawPolyline(QPolygonF(points))

    def _paint_dirt(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = DIRT_LANE
        for y in self._rows():
            most = lanes.most_dirt(self._span(y))
            if most is None:
                continue
            long = max(1.0, min(1.0, most / FULL_DIRT) * width) if most else 0.0
            painter.fillRect(QRectF(left, y, long, 1), style.DAMAGE)

    def _paint_cuts(self, painter: QPainter, lanes: Lanes) -> None:
        painter.setPen(QPen(style.TEXT, 1))
        for cut in lanes.cuts():
            y = self._y(cut)
            painter.drawLine(QPointF(RULER - 4, y), QPointF(WIDTH, y))

    def _paint_ready(self, painter: QPainter) -> None:
        left, width = READY_LANE
        for y in self._rows():
            if self._ready(self.frame_at(y)):
                painter.fillRect(QRectF(left, y, width, 1), style.ACCENT)

    def _paint_ruler(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        step = next(
            s for s in (1, 2, 5, 10, 20, 25, 50, 100, 200, 500, 1000, 5000, 10**5, 10**7) if self._y(s) - HEAD > 34
        )
        for frame in range(0, self._length, step):
            if abs(self._y(frame) - self._y(self._frame)) > 13:
                painter.drawText(
                    QRectF(0, self._y(frame) - 7, RULER - 4, 14),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    str(frame),
                )

    def _paint_current(self, painter: QPainter) -> None:
        y = self._y(self._frame + 0.5)
        painter.setPen(QPen(style.ACCENT, 2))
        painter.drawLine(QPointF(RULER - 2, y), QPointF(WIDTH, y))
        painter.setPen(style.ACCENT)
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, y - 7, RULER - 4, 14), flags, str(self._frame))

    def _choose(self, event: QMouseEvent) -> None:
        if self._length:
            self.frame_chosen.emit(self.frame_at(event.position().y()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._choose(event)
        elif self._length:
            self.setToolTip(self._words(self.frame_at(event.position().y())))

    def _words(self, frame: int) -> str:
        parts = [f"frame {frame}"]
        if self._lanes is not None:
            level = self._lanes.mean_level(range(frame, frame + 1))
            dirt = self._lanes.most_dirt(range(frame, frame + 1))
            parts.append("level not measured yet" if level is None else f"level {level:.0f} of 255")
            parts.append("dirt not looked for yet" if dirt is None else f"{dirt:.0f} specks of dirt")
        return ", ".join(parts)
