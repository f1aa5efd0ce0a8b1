"""The reel column: the whole reel as an upright chart, time running down, a narrow lane for each kind of fact."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.survey.lanes import Frames, Lanes
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
        self._drawn: QPixmap | None = None

    def show_lanes(self, length: int, lanes: Lanes | None, ready: Callable[[int], bool]) -> None:
        """Show a reel's facts; `ready` tells whether a frame's picture is in the cache."""
        self._length, self._lanes, self._ready = length, lanes, ready
        self.refresh()

    def refresh(self) -> None:
        """Draw the lanes anew; between two refreshes only the mark of the current frame moves."""
        self._drawn = None
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
        ratio = self.devicePixelRatioF()
        if self._drawn is None or self._drawn.size() != self.size() * ratio:
            self._drawn = QPixmap(self.size() * ratio)
            self._drawn.setDevicePixelRatio(ratio)
            self._draw_lanes(self._drawn)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._drawn)
        if self._length:
            self._paint_ruler(painter)
            self._paint_current(painter)

    def _draw_lanes(self, picture: QPixmap) -> None:
        picture.fill(style.SURFACE)
        painter = QPainter(picture)
        painter.setFont(self.font())
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

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom
        painter.drawText(QRectF(0, 0, RULER + 2, HEAD - 4), flags, "frame")
        painter.drawText(QRectF(LEVEL_LANE[0] - 2, 0, LEVEL_LANE[1] + 4, HEAD - 4), flags, "level")
        painter.drawText(QRectF(DIRT_LANE[0], 0, DIRT_LANE[1], HEAD - 4), flags, "dirt")

    def _rows(self) -> tuple[range, Frames, Frames]:
        """The rows of pixels, and for each the run of frames that falls on it, at least one."""
        rows = range(HEAD, self.height() - 4)
        edges = (np.arange(len(rows) + 1) * self._length) // max(1, len(rows))
        starts = np.minimum(edges[:-1], self._length - 1)
        return rows, starts, np.maximum(edges[1:], starts + 1)

    def _paint_level(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = LEVEL_LANE
        rows, starts, stops = self._rows()
        levels = lanes.levels(starts, stops)
        known = np.nonzero(~np.isnan(levels))[0]
        points = [QPointF(left + width * float(levels[row]) / 255.0, rows[int(row)]) for row in known]
        painter.setPen(QPen(style.LEVEL, 1))
        painter.drawPolyline(QPolygonF(points))

    def _paint_dirt(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = DIRT_LANE
        rows, starts, stops = self._rows()
        most = lanes.most_dirt(starts, stops)
        for row in np.nonzero(most > 0)[0]:
            long = max(1.0, min(1.0, float(most[row]) / FULL_DIRT) * width)
            painter.fillRect(QRectF(left, rows[int(row)], long, 1), style.DAMAGE)

    def _paint_cuts(self, painter: QPainter, lanes: Lanes) -> None:
        painter.setPen(QPen(style.TEXT, 1))
        for cut in lanes.cuts():
            y = self._y(cut)
            painter.drawLine(QPointF(RULER - 4, y), QPointF(WIDTH, y))

    def _paint_ready(self, painter: QPainter) -> None:
        left, width = READY_LANE
        rows, starts, _ = self._rows()
        ready = {int(frame): self._ready(int(frame)) for frame in np.unique(starts)}
        for row, frame in zip(rows, starts, strict=True):
            if ready[int(frame)]:
                painter.fillRect(QRectF(left, row, width, 1), style.ACCENT)

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
            level, dirt = self._lanes.level[frame], self._lanes.dirt[frame]
            parts.append("level not measured yet" if level < 0 else f"level {level:.0f} of 255")
            parts.append("dirt not looked for yet" if dirt < 0 else f"{dirt:.0f} specks of dirt")
        return ", ".join(parts)
