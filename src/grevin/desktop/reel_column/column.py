"""The reel column: the whole reel as an upright chart, time running down, a narrow lane for each kind of fact."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.survey.lanes import Frames, Lanes
from grevin.core.timebase.counters import Counter
from grevin.desktop.style import look as style

HEAD = 30
NUMBERS_WIDTH = 40
TIMES_WIDTH = 84  # timecode and feet take more room than frame numbers
LANES_WIDTH = 76
LEVEL_LANE = (2, 28)  # left edge from the end of the ruler, width
DIRT_LANE = (34, 30)
READY_LANE = (68, 5)
FULL_DIRT = 30.0  # blobs a frame that fill the lane
HIDDEN = QColor(43, 43, 43, 190)  # over what the trims leave out
MARK_PX = 3
SOON_MS = 500
RULER_STEPS = (1, 2, 5, 10, 20, 25, 50, 100, 200, 500, 1000, 2000, 5000, 10**4, 2 * 10**4, 5 * 10**4, 10**5, 10**7)


PLAIN = Counter("frames", Fraction(1))


@dataclass(frozen=True)
class Marks:
    """What is drawn over the lanes.

    Attributes:
        kept: frames between the trims.
        loop: frames that are played, None for all.
        unreadable: frames that cannot be read.
        counter: how frames are counted.
    """

    kept: range = range(0)
    loop: range | None = None
    unreadable: tuple[int, ...] = ()
    counter: Counter = PLAIN


class ReelColumn(QWidget):
    """Draws lanes and the current frame; a press or drag goes to that frame."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("reel_column")
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self._length = 0
        self._frame = 0
        self._lanes: Lanes | None = None
        self._ready: Callable[[int], bool] = bool
        self._drawn: QPixmap | None = None
        self._ruler = NUMBERS_WIDTH
        self._marks = Marks()
        self._soon = QTimer(self, singleShot=True, interval=SOON_MS)
        self._soon.timeout.connect(self.refresh)
        self.setFixedWidth(self._ruler + LANES_WIDTH)

    def show_lanes(self, length: int, lanes: Lanes | None, ready: Callable[[int], bool]) -> None:
        """Show a reel's facts; `ready` tells whether a frame's picture is in the cache."""
        self._length, self._lanes, self._ready = length, lanes, ready
        self.refresh()

    def show_marks(self, marks: Marks) -> None:
        """Trims, loop, frames that cannot be read, and the way of counting."""
        self._marks = marks
        self._ruler = NUMBERS_WIDTH if marks.counter.kind == "frames" else TIMES_WIDTH
        self.setFixedWidth(self._ruler + LANES_WIDTH)
        self.refresh()

    def refresh_soon(self) -> None:
        """Draw the lanes anew within a moment, however often it is asked for."""
        if not self._soon.isActive():
            self._soon.start()

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

    def _lane(self, lane: tuple[int, int]) -> tuple[int, int]:
        return self._ruler + lane[0], lane[1]

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
        for left, width in map(self._lane, (LEVEL_LANE, DIRT_LANE, READY_LANE)):
            painter.fillRect(QRectF(left, HEAD, width, self.height() - HEAD - 4), QColor(34, 34, 34))
        if self._lanes is not None:
            self._paint_level(painter, self._lanes)
            self._paint_dirt(painter, self._lanes)
            self._paint_cuts(painter, self._lanes)
        self._paint_ready(painter)
        self._paint_marks(painter)

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom
        word = {"frames": "frame", "timecode": "timecode", "feet": "ft+frames"}[self._marks.counter.kind]
        for left, width, text in (
            (0, self._ruler, word), (self._lane(LEVEL_LANE)[0] - 2, LEVEL_LANE[1] + 4, "level"),
            (self._lane(DIRT_LANE)[0], DIRT_LANE[1], "dirt"),
        ):  # fmt: skip
            painter.drawText(QRectF(left, 0, width, HEAD - 4), flags, text)

    def _rows(self) -> tuple[range, Frames, Frames]:
        """The rows of pixels, and for each the run of frames that falls on it, at least one."""
        rows = range(HEAD, self.height() - 4)
        edges = (np.arange(len(rows) + 1) * self._length) // max(1, len(rows))
        starts = np.minimum(edges[:-1], self._length - 1)
        return rows, starts, np.maximum(edges[1:], starts + 1)

    def _paint_level(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = self._lane(LEVEL_LANE)
        rows, starts, stops = self._rows()
        levels = lanes.levels(starts, stops)
        known = np.nonzero(~np.isnan(levels))[0]
        low, high = lanes.level_span()
        points = [QPointF(left + width * (float(levels[row]) - low) / (high - low), rows[int(row)]) for row in known]
        painter.setPen(QPen(style.LEVEL, 1))
        painter.drawPolyline(QPolygonF(points))

    def _paint_dirt(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = self._lane(DIRT_LANE)
        rows, starts, stops = self._rows()
        most = lanes.most_dirt(starts, stops)
        for row in np.nonzero(most > 0)[0]:
            long = max(1.0, min(1.0, float(most[row]) / FULL_DIRT) * width)
            painter.fillRect(QRectF(left, rows[int(row)], long, 1), style.DAMAGE)

    def _paint_cuts(self, painter: QPainter, lanes: Lanes) -> None:
        painter.setPen(QPen(style.TEXT, 1))
        for cut in lanes.cuts():
            y = self._y(cut)
            painter.drawLine(QPointF(self._ruler - 4, y), QPointF(self.width(), y))

    def _paint_ready(self, painter: QPainter) -> None:
        left, width = self._lane(READY_LANE)
        rows, starts, _ = self._rows()
        ready = {int(frame): self._ready(int(frame)) for frame in np.unique(starts)}
        for row, frame in zip(rows, starts, strict=True):
            if ready[int(frame)]:
                painter.fillRect(QRectF(left, row, width, 1), style.ACCENT)

    def _paint_marks(self, painter: QPainter) -> None:
        kept, loop, lanes = self._marks.kept, self._marks.loop, self.width() - self._ruler
        for first, stop in ((0, kept.start), (kept.stop, self._length)):
            if kept and stop > first:
                painter.fillRect(QRectF(self._ruler, self._y(first), lanes, self._y(stop) - self._y(first)), HIDDEN)
        painter.setPen(QPen(style.TEXT, 1))
        for frame in self._marks.unreadable:  # a cross in the level's lane: there is no level
            x, y = self._lane(LEVEL_LANE)[0] + LEVEL_LANE[1] / 2, self._y(frame + 0.5)
            painter.drawLine(QPointF(x - MARK_PX, y - MARK_PX), QPointF(x + MARK_PX, y + MARK_PX))
            painter.drawLine(QPointF(x - MARK_PX, y + MARK_PX), QPointF(x + MARK_PX, y - MARK_PX))
        if loop is not None:
            painter.setPen(QPen(style.ACCENT, 2))
            x, top, bottom = self._ruler - 2, self._y(loop.start), self._y(loop.stop)
            painter.drawPolyline([QPointF(x + 5, top), QPointF(x, top), QPointF(x, bottom), QPointF(x + 5, bottom)])

    def _paint_ruler(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        step = next(step for step in RULER_STEPS if self._y(step) - HEAD > 34 or step == RULER_STEPS[-1])
        for frame in range(0, self._length, step):
            if abs(self._y(frame) - self._y(self._frame)) > 13:
                self._paint_count(painter, self._y(frame), frame)

    def _paint_count(self, painter: QPainter, y: float, frame: int) -> None:
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, y - 7, self._ruler - 5, 14), flags, self._marks.counter.text(frame))

    def _paint_current(self, painter: QPainter) -> None:
        y = self._y(self._frame + 0.5)
        painter.setPen(QPen(style.ACCENT, 2))
        painter.drawLine(QPointF(self._ruler - 2, y), QPointF(self.width(), y))
        painter.setPen(style.ACCENT)
        self._paint_count(painter, y, self._frame)

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
        if self._marks.counter.kind != "frames":
            parts.append(self._marks.counter.text(frame))
        if frame in self._marks.unreadable:
            parts.append("cannot be read")
        if self._lanes is not None:
            level, dirt = self._lanes.level[frame], self._lanes.dirt[frame]
            parts.append("level not measured yet" if level < 0 else f"level {level:.0f} of 255")
            parts.append("dirt not looked for yet" if dirt < 0 else f"{dirt:.0f} specks of dirt")
        if self._ready(frame):
            parts.append("ready to be played as treated")
        return ", ".join(parts)
