"""The reel column: the whole reel as an upright chart, time running down, a narrow lane for each kind of fact."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.survey.lanes import Frames, Lanes
from grevin.core.timebase.counters import Counter
from grevin.desktop.reel_column.stretch import Stretch
from grevin.desktop.steps.desk import CountLane
from grevin.desktop.steps.desks import LANES
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr

HEAD = 30
HEADS_SIZE = 0.86  # of the type: lanes lie close together
NUMBERS_WIDTH = 40
TIMES_WIDTH = 76  # timecode and feet take more room than frame numbers
LEVEL_LANE = (2, 26)  # left edge from the end of the ruler, width
COUNT_WIDTH, COUNT_STEP = 20, 27  # of a lane of counts, and from one to the next
COUNT_LANES = tuple((31 + COUNT_STEP * place, COUNT_WIDTH) for place in range(len(LANES)))
FOUND_LANE = (36 + COUNT_STEP * len(LANES), 18)
READY_LANE = (62 + COUNT_STEP * len(LANES), 5)
LANES_WIDTH = 70 + COUNT_STEP * len(LANES)
LEVEL = "level_luma_mean"
FOUND, DECIDED = "found", "decided"
LEAST_SPAN = 40.0  # 8-bit levels: a curve over less would make noise look like flicker
NEARLY = 0.12  # of what is shown: the present frame stays this far from its ends
TRACKS_WIDTH, TRACK_PX = 34, 4  # of the lane of tracks, and of one of them
LANE = QColor(34, 34, 34)
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
        own: runs of frames whose shot has a treatment of its own.
        marked: runs of frames that the person marked, with their words.
        left_out: frames that the treatment leaves out, and
        made: those that it makes anew.
        put_in: those after which it puts new ones in.
        cuts: first frames of shots as divided by the person; None where the measured ones hold.
        unreadable: frames that cannot be read.
        keys: key frames of the selected step.
        tracks: runs of frames that the selected step follows or was drawn on, and
        tracks_are: what they are.
        counter: how frames are counted.
    """

    kept: range = range(0)
    loop: range | None = None
    own: tuple[range, ...] = ()
    marked: tuple[tuple[range, str], ...] = ()
    left_out: tuple[range, ...] = ()
    made: tuple[range, ...] = ()
    put_in: tuple[range, ...] = ()
    cuts: tuple[int, ...] | None = None
    unreadable: tuple[int, ...] = ()
    keys: tuple[int, ...] = ()
    counter: Counter = PLAIN
    tracks: tuple[range, ...] = ()
    tracks_are: str = ""


def beside(tracks: tuple[range, ...]) -> tuple[tuple[range, int], ...]:
    """Runs of frames with a place for each, so that those that overlap lie side by side as far as there is room."""
    stops: list[int] = []
    found = []
    for run in sorted(tracks, key=lambda one: (one.start, one.stop)):
        free = next((place for place, stop in enumerate(stops) if stop <= run.start), len(stops))
        free = min(free, TRACKS_WIDTH // TRACK_PX - 2)
        stops[free : free + 1] = [run.stop]
        found.append((run, free))
    return tuple(found)


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
        self.stretch = Stretch()
        self._lanes: Lanes | None = None
        self._ready: Callable[[int], bool] = bool
        self._drawn: QPixmap | None = None
        self._ruler = NUMBERS_WIDTH
        self._marks = Marks()
        self._beside: tuple[tuple[range, int], ...] = ()
        self.tell_found: Callable[[int], str] = lambda _frame: ""
        self._soon = QTimer(self, singleShot=True, interval=SOON_MS)
        self._soon.timeout.connect(self.refresh)
        self.setFixedWidth(self._ruler + LANES_WIDTH)

    def show_lanes(self, length: int, lanes: Lanes | None, ready: Callable[[int], bool]) -> None:
        """Show a reel's facts; `ready` tells whether a frame's picture is in the cache."""
        if length != self._length:
            self.stretch = Stretch.whole(length)
        self._length, self._lanes, self._ready = length, lanes, ready
        self.refresh()

    def show_stretch(self, stretch: Stretch) -> None:
        """Show fewer or more frames."""
        if stretch != self.stretch:
            self.stretch = stretch
            self.refresh()

    def show_marks(self, marks: Marks) -> None:
        """Trims, loop, frames that cannot be read, and the way of counting."""
        self._marks = marks
        self._ruler = NUMBERS_WIDTH if marks.counter.kind == "frames" else TIMES_WIDTH
        self._beside = beside(marks.tracks)
        self.setFixedWidth(self._ruler + LANES_WIDTH + (self._tracks_width if marks.tracks else 0))
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
        """Mark the current frame; what is shown follows it."""
        self._frame = frame
        self.show_stretch(self.stretch.holding(frame, NEARLY))
        self.update()

    @property
    def _tracks_width(self) -> int:
        """Less wide beside times, which take more room than frame numbers."""
        return TRACKS_WIDTH if self._marks.counter.kind == "frames" else TRACKS_WIDTH * 2 // 5

    @property
    def _deep(self) -> int:
        """Height of the lanes."""
        return max(1, self.height() - HEAD - 4)

    def _y(self, frame: float) -> float:
        return HEAD + self._deep * self.stretch.share_of(frame)

    def frame_at(self, y: float) -> int:
        """Frame at a height of the widget."""
        return self.stretch.frame_at((y - HEAD) / self._deep)

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
        small = self.font()
        small.setPointSizeF(HEADS_SIZE * small.pointSizeF())
        painter.setFont(small)
        self._paint_heads(painter)
        painter.setFont(self.font())
        if not self._length:
            return
        for left, width in map(self._lane, (LEVEL_LANE, *COUNT_LANES, FOUND_LANE, READY_LANE)):
            painter.fillRect(QRectF(left, HEAD, width, self.height() - HEAD - 4), LANE)
        if self._lanes is not None:
            self._paint_level(painter, self._lanes)
            for at, lane in zip(COUNT_LANES, LANES, strict=True):
                self._paint_counts(painter, self._lanes, at, lane)
            self._paint_found(painter, self._lanes)
            self._paint_cuts(painter, self._lanes)
        self._paint_ready(painter)
        painter.setClipRect(QRectF(0, HEAD, self.width(), self.height() - HEAD))
        self._paint_marks(painter)
        self._paint_marked(painter)
        self._paint_tracks(painter)

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom
        word = {"frames": "frame", "timecode": "timecode", "feet": "ft+frames"}[self._marks.counter.kind]
        for left, width, text in (
            (0, self._ruler, word), (self._lane(LEVEL_LANE)[0] - 2, LEVEL_LANE[1] + 4, "level"),
            *((self._lane(at)[0] - 3, at[1] + 6, lane.head) for at, lane in zip(COUNT_LANES, LANES, strict=True)),
            (self._lane(FOUND_LANE)[0] - 10, FOUND_LANE[1] + 20, "found"),
            (self._lane((LANES_WIDTH, 0))[0] - 6, self._tracks_width + 6, tr("tracks") if self._beside else ""),
        ):  # fmt: skip
            painter.drawText(QRectF(left, 0, width, HEAD - 4), flags, text)

    def _paint_tracks(self, painter: QPainter) -> None:
        """Each from its first frame to its last, side by side where they overlap."""
        left, wide = self._lane((LANES_WIDTH, self._tracks_width))
        step = TRACK_PX * wide / TRACKS_WIDTH
        if self._beside:
            painter.fillRect(QRectF(left, HEAD, wide - 4, self.height() - HEAD - 4), LANE)
        for run, place in self._beside:
            high = max(2.0, self._y(run.stop) - self._y(run.start) - 1)
            painter.fillRect(QRectF(left + step * place + 1, self._y(run.start), step - 1, high), style.DAMAGE)

    def _rows(self) -> tuple[range, Frames, Frames]:
        """The rows of pixels, and for each the run of frames that falls on it, at least one."""
        rows = range(HEAD, self.height() - 4)
        return rows, *self.stretch.runs(len(rows))

    def _paint_level(self, painter: QPainter, lanes: Lanes) -> None:
        left, width = self._lane(LEVEL_LANE)
        rows, starts, stops = self._rows()
        span = lanes.span(LEVEL, starts, stops)
        low, high = lanes.limits(LEVEL, LEAST_SPAN)
        known = np.nonzero(~np.isnan(span.low))[0]
        painter.setPen(QPen(style.LEVEL, 1))
        points: list[QPointF] = []
        for row in known:  # out to the peaks and back, so that a single bright or dark frame shows
            ends = (span.low[row], span.high[row])
            points += [QPointF(left + width * (float(end) - low) / (high - low), rows[int(row)]) for end in ends]
        painter.drawPolyline(QPolygonF(points))

    def _paint_counts(self, painter: QPainter, lanes: Lanes, at: tuple[int, int], lane: CountLane) -> None:
        left, width = self._lane(at)
        rows, starts, stops = self._rows()
        counted, found = (lanes.span(name, starts, stops).high for name in (lane.counted, lane.found))
        most = np.nan_to_num(np.where(np.isnan(found), counted, found))
        for row in np.nonzero(most > 0)[0]:
            long = max(1.0, min(1.0, float(most[row]) / lane.full) * width)
            painter.fillRect(QRectF(left, rows[int(row)], long, 1), style.DAMAGE)

    def _paint_found(self, painter: QPainter, lanes: Lanes) -> None:
        """What else was found: filled while nobody said anything of it, an outline once somebody did."""
        left, width = self._lane(FOUND_LANE)
        rows, starts, stops = self._rows()
        found, decided = (np.nan_to_num(lanes.span(name, starts, stops).high) for name in (FOUND, DECIDED))
        for row in np.nonzero(found > 0)[0]:
            done = decided[row] >= found[row]
            painter.fillRect(QRectF(left, rows[int(row)], 3 if done else width, 1), style.DAMAGE)

    def _paint_cuts(self, painter: QPainter, lanes: Lanes) -> None:
        painter.setPen(QPen(style.TEXT, 1))
        cuts = lanes.cuts() if self._marks.cuts is None else self._marks.cuts
        lines = {
            round(self._y(cut)) for cut in cuts if self.stretch.first <= cut < self.stretch.stop
        }  # no more than rows of pixels
        for y in lines:
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

    def _paint_marked(self, painter: QPainter) -> None:
        """Shots with their own treatment as a line beside the ruler, marks as points at the right edge."""
        for frames in self._marks.own:
            painter.fillRect(
                QRectF(self._ruler - 1, self._y(frames.start), 2, self._y(frames.stop) - self._y(frames.start)),
                style.QUIET,
            )
        x = self._lane(FOUND_LANE)[0] - 4
        anew = (*self._marks.made, *self._marks.put_in)
        for runs, wide, colour in ((self._marks.left_out, 1.0, style.QUIET), (anew, 3.0, style.TEXT)):
            rows = {
                (round(self._y(run.start)), round(max(1.0, self._y(run.stop) - self._y(run.start)))) for run in runs
            }
            for top, high in rows:  # beside what was found: a thin line is left out, a broad one made
                painter.fillRect(QRectF(x, top, wide, high), colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(style.ACCENT)
        for frame in self._marks.keys:  # a diamond at the left edge of the lanes
            x, y = self._ruler + 1, self._y(frame + 0.5)
            painter.drawPolygon(QPolygonF([QPointF(x, y - 4), QPointF(x + 4, y), QPointF(x, y + 4), QPointF(x - 4, y)]))
        painter.setBrush(style.TEXT)
        for frames, _ in self._marks.marked:
            y, right = self._y(frames.start + 0.5), self.width() - 1
            painter.drawPolygon(QPolygonF([QPointF(right - 6, y), QPointF(right, y - 4), QPointF(right, y + 4)]))

    def _paint_ruler(self, painter: QPainter) -> None:
        painter.setPen(style.QUIET)
        height = self._y(1) - self._y(0)
        step = next(step for step in RULER_STEPS if height * step > 34 or step == RULER_STEPS[-1])
        for frame in range(-(-self.stretch.frames.start // step) * step, self.stretch.frames.stop, step):
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

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer; with Shift, move."""
        notches = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.show_stretch(self.stretch.moved(notches))
        else:
            self.show_stretch(self.stretch.zoomed((event.position().y() - HEAD) / self._deep, notches))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The whole reel."""
        self.show_stretch(Stretch.whole(self._length))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._choose(event)
        elif self._length:
            self.setToolTip(self._words(self.frame_at(event.position().y())))

    def _words(self, frame: int) -> str:
        parts = [tr("frame {0}", frame)]
        if self._marks.counter.kind != "frames":
            parts.append(self._marks.counter.text(frame))
        if frame in self._marks.unreadable:
            parts.append(tr("cannot be read"))
        if self._lanes is not None:
            level = self._lanes.value(LEVEL, frame)
            parts.append(tr("level not measured yet") if level is None else tr("level {0:.0f} of 255", level))
            for lane in LANES:
                counted, exact = self._lanes.value(lane.counted, frame), self._lanes.value(lane.found, frame)
                count = counted if exact is None else exact
                parts.append(
                    tr("{0} not looked for yet", tr(lane.head)) if count is None else f"{count:.0f} {tr(lane.unit)}"
                )
        for runs, words in (
            (self._marks.left_out, tr("left out")), (self._marks.made, tr("rebuilt")),
            (self._marks.put_in, tr("new frames follow")),
            (tuple(range(key, key + 1) for key in self._marks.keys), tr("key frame of the selected step")),
        ):  # fmt: skip
            if any(frame in run for run in runs):
                parts.append(words)
        held = sum(frame in run for run in self._marks.tracks)
        parts += [f"{held} {tr(self._marks.tracks_are)}"] if held else []
        found = self.tell_found(frame)
        parts += [found] if found else []
        parts += [words for frames, words in self._marks.marked if frame in frames]
        if self._ready(frame):
            parts.append(tr("ready to be played as treated"))
        return ", ".join(parts)
